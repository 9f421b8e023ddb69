"""The one window: strip, tool panel, plan over ribbon, verdict, status line. It joins the parts and holds the keys."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QUndoView,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from vastwatch.design.project import on_level
from vastwatch.desk.plan import PlanView
from vastwatch.desk.plan.legend import Legend
from vastwatch.desk.ribbon.lanes import Ribbon
from vastwatch.desk.shell.about import AboutSheet
from vastwatch.desk.shell.arming import arm
from vastwatch.desk.shell.beginning import Beginning
from vastwatch.desk.shell.commands import Commands
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.filing import Filing
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.keysheet import KeySheet
from vastwatch.desk.shell.parts import Paged, row
from vastwatch.desk.shell.results import Results
from vastwatch.desk.shell.status import StatusLine
from vastwatch.desk.shell.strip import Strip
from vastwatch.desk.shell.theme import Theme, font
from vastwatch.desk.stages.plan.build import BuildPanel
from vastwatch.desk.stages.plan.furnish import FurnishPanel
from vastwatch.desk.stages.plan.level import LevelPanel
from vastwatch.desk.stages.plan.rooms import RoomsPanel
from vastwatch.desk.stages.rehearsal.days import DaysPanel
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.desk.stages.sensors.shelf import Shelf
from vastwatch.desk.verdict.verdict import Verdict
from vastwatch.sensing import FIGURES

FIGURE_WORDS = {
    "across": "walking across", "towards": "walking towards", "seated": "seated still", "lying": "lying", "pet": "pet",
}  # fmt: skip
LEFT_WIDTH, RIGHT_WIDTH = 222, 302
# Stages whose panel wants more than the shelf does.
WIDE = {"Timing": 348, "Brief": 432, "Plan": 244}
# In a window narrower than this panels take less, so that the plan keeps its place.
NARROW, NARROW_LEFT, NARROW_RIGHT = 1180, {"Timing": 318, "Brief": 372}, 276
# Playing: this many seconds of the day per tick of this many milliseconds.
PLAY_S, PLAY_MS = 12.0, 40
FIRST_WORK_MS = 60


class Window(QMainWindow):
    """Built around one document."""

    def __init__(self, document: Document, theme: Theme, switch_theme: Callable[[], None] | None = None) -> None:
        super().__init__()
        self.document, self.theme = document, theme
        self.switch_theme = switch_theme
        self.focus = Focus()
        self.focus.feet = QSettings().value("feet", False, bool)
        self._first_focus()
        self.results = Results(document, self.focus)
        self.filing = Filing(self)
        self.setWindowTitle("Vast Watch")
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self._build()
        self.commands = Commands(self)
        self._timer = QTimer(self)
        self._timer.setInterval(PLAY_MS)
        # Timers call bound methods: Qt lets go of those with the window, where a lambda could outlive it.
        self._timer.timeout.connect(self._tick)
        document.failure.connect(self.say)
        self.results.failure.connect(self.say)
        document.state_changed.connect(self._state)
        document.changed.connect(self._follow)
        self.focus.shift.connect(self._shifted)
        self.results.week.changed.connect(self._clock)
        self._stage()
        self._state()
        self._clock()
        self.plan.setFocus()
        self._show_beginning()
        # The first picture has the processor to itself; the work begins right after it.
        QTimer.singleShot(FIRST_WORK_MS, self.results.refresh)

    def _first_focus(self) -> None:
        project = self.document.project
        if not project.rooms:
            # A building begins on the plan.
            self.focus.set(stage="Plan")
        levels = sorted(project.levels, key=lambda level: level.elevation)
        with_presence = [p.room for p in project.presences]
        room = with_presence[0] if with_presence else (project.rooms[0].id if project.rooms else None)
        level = next((r.level for r in project.rooms if r.id == room), levels[0].id if levels else "")
        self.focus.set(level=level, room=room, selected=room, incident=-1)

    # -- building ----------------------------------------------------------------------------------------------

    def _build(self) -> None:
        d, f, r, t = self.document, self.focus, self.results, self.theme
        central = QWidget()
        outer = QVBoxLayout(central)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.strip = Strip(d, f, r, t)
        outer.addWidget(self.strip)
        outer.addWidget(self._hairline())
        body = QHBoxLayout()
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(0)
        outer.addLayout(body, 1)
        self.left = QStackedWidget()
        self.own = OwnTypes()
        self.shelf = Shelf(d, f, self.own, t)
        self.rooms = RoomsPanel(d, f, t)
        self.build = BuildPanel(d, f)
        self.build.say.connect(self.say)
        self.furnish = FurnishPanel(f, t)
        self.level_panel = LevelPanel(d, f)
        for page in (self.furnish, self.level_panel):
            page.say.connect(self.say)
        self.level_panel.shown.connect(self.show_level)
        self.plan_panel = Paged(
            [
                (self.tr("Rooms"), self.rooms), (self.tr("Build"), self.build), (self.tr("Furnish"), self.furnish),
                (self.tr("Level"), self.level_panel),
            ]
        )  # fmt: skip
        if not d.project.rooms:
            self.plan_panel.show_page(1)
        self.days = DaysPanel(d, f, r, t)
        self.panels: dict[str, QWidget] = {"Plan": self.plan_panel, "Sensors": self.shelf, "Rehearsal": self.days}
        for panel in self.panels.values():
            self.left.addWidget(panel)
        self.shelf.say.connect(self.say)
        body.addWidget(self.left)
        body.addWidget(self._hairline(vertical=True))
        body.addWidget(self._middle(), 1)
        body.addWidget(self._hairline(vertical=True))
        self.verdict = Verdict(d, f, r, t)
        self.verdict.setFixedWidth(RIGHT_WIDTH)
        self.verdict.say.connect(self.say)
        body.addWidget(self.verdict)
        self.setCentralWidget(central)

    def _begin(self, how: str) -> None:
        """One of the ways to begin on a bare level."""
        if how == "sample":
            self.filing.open_sample()
        elif how == "drawing":
            self.filing.bring_in_dialog()
        elif how == "copy":
            self.level_panel.fill_from_below()
        else:
            self.focus.set(stage="Plan")
            self.plan_panel.show_page(1)
            if how == "draw":
                arm(self.build, "draw:room")
                self.plan.setFocus()
            else:
                self.build.name.setFocus()

    def _show_beginning(self) -> None:
        """Offer ways to begin where the shown level has nothing yet."""
        project, level = self.document.project, self.focus.level
        bare = not on_level(project.rooms, level) and not on_level(project.walls, level)
        bare = bare and all(x.underlay is None for x in project.levels if x.id == level) and not self.focus.placing
        if not bare:
            self.beginning.hide()
            return
        hidden = self.beginning.isHidden()
        self.beginning.show_for(not project.rooms, self.level_panel.below() is not None)
        if hidden and (self.plan.hasFocus() or not self.isVisible()):
            self.beginning.offers["type"].setFocus()

    def _name_next_room(self, words: str) -> None:
        self.plan.tools.room_name = words

    def _use_next_room(self, use: str) -> None:
        self.plan.tools.room_use = use

    def _hairline(self, vertical: bool = False) -> QFrame:
        out = QFrame()
        out.setStyleSheet(f"background: {self.theme.hairline.name()}; border: 0;")
        (out.setFixedWidth if vertical else out.setFixedHeight)(1)
        return out

    def _middle(self) -> QWidget:
        d, f, r, t = self.document, self.focus, self.results, self.theme
        out = QWidget()
        box = QVBoxLayout(out)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self.plan = PlanView(d, f, r, t)
        self.beginning = Beginning(self.plan, t)
        self.beginning.wanted.connect(self._begin)
        self.plan.resized.connect(self.beginning.place)
        self.plan.say.connect(self.say)
        self.plan.bench.types = self.results.types = self.own.all
        self.plan.scale_asked.connect(self.level_panel.ask_scale)
        self.plan.drawn.connect(self.build.name.clear)
        self.build.name.textChanged.connect(self._name_next_room)
        self.build.use.currentTextChanged.connect(self._use_next_room)
        self.build.act.connect(lambda what: self.commands.act(what))
        self.build.added.connect(lambda room: self.plan.show_whole(room.outline))
        self.build.walls_wanted.connect(self.plan.builder.mark_walls_of_room)
        # Above and below the plan, not over it: what lies over it would be painted anew with every frame.
        self._sheet = QWidget()
        self._sheet.setAutoFillBackground(True)
        over = QVBoxLayout(self._sheet)
        over.setContentsMargins(8, 7, 8, 6)
        over.setSpacing(0)
        self._figures = QWidget()
        figures = QHBoxLayout(self._figures)
        figures.setContentsMargins(0, 0, 0, 0)
        figures.setSpacing(2)
        group = QButtonGroup(self)
        self._figure_buttons = {}
        for figure in FIGURES:
            button = QPushButton(FIGURE_WORDS[figure])
            button.setCheckable(True)
            button.setToolTip(self.tr("Contours for somebody {}. (V steps through)").format(FIGURE_WORDS[figure]))
            button.clicked.connect(lambda _, x=figure: f.set(figure=x))
            group.addButton(button)
            figures.addWidget(button)
            self._figure_buttons[figure] = button
        self.level = QComboBox()
        self.level.setAccessibleName(self.tr("Level"))
        self.level.setToolTip(self.tr("Which level is shown. (PgUp, PgDn)"))
        self.level.activated.connect(lambda i: self.show_level(self.level.itemData(i)))
        self.moment = QLabel()
        self.moment.setFont(font(13, 500))
        bar = row(self._figures, self.moment, QWidget(), self.level, stretch=2)
        bar.setFixedHeight(30)
        over.addWidget(bar)
        over.addWidget(self.plan, 1)
        self.legend = Legend(d, f, t)
        over.addWidget(self.legend, 0, Qt.AlignmentFlag.AlignLeft)
        self.ribbon = Ribbon(f, r, t)
        self.ribbon.say.connect(self.say)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(5)
        split.setChildrenCollapsible(False)
        split.addWidget(self._sheet)
        split.addWidget(self.ribbon)
        split.setStretchFactor(0, 1)
        split.setStretchFactor(1, 0)
        split.setSizes([484, 236])
        box.addWidget(split, 1)
        box.addWidget(self._hairline())
        self.status = StatusLine()
        box.addWidget(self.status)
        self._fill_levels()
        return out

    def _fill_levels(self) -> None:
        self.level.clear()
        for level in sorted(self.document.project.levels, key=lambda x: -x.elevation):
            self.level.addItem(level.name, level.id)
        self.level.setCurrentIndex(self.level.findData(self.focus.level))
        self.level.setVisible(self.level.count() > 1)

    # -- going about -------------------------------------------------------------------------------------------

    def show_level(self, level: str) -> None:
        """Show a level, and a room of it."""
        if level == self.focus.level:
            return
        rooms = [r.id for r in self.document.project.rooms if r.level == level]
        lit = [p.room for p in self.document.project.presences if p.room in rooms]
        room = next(iter(lit or rooms), None)
        self.focus.set(level=level, room=room, selected=room, incident=-1)

    def play(self) -> None:
        """Run or stop the playhead."""
        if self._timer.isActive():
            self._timer.stop()
        else:
            self.focus.set(stage="Rehearsal", incident=-1)
            self._timer.start()
        self.days.set_playing(self._timer.isActive())

    # -- following the focus -----------------------------------------------------------------------------------

    def _shifted(self, what: str) -> None:
        if what == "stage":
            self._stage()
        elif what == "level":
            self.level.setCurrentIndex(self.level.findData(self.focus.level))
        elif what == "figure":
            self._figure_buttons[self.focus.figure].setChecked(True)
        elif what == "selected":
            self.status.hint(self._hint())
        if what in ("level", "placing"):
            self._show_beginning()
        if what in ("time", "day", "stage", "incident"):
            self._clock()
        if what == "incident" and self.focus.incident >= 0:
            self._timer.stop()
            self.days.set_playing(False)

    def _stage(self) -> None:
        stage = self.focus.stage
        if stage == "Timing" and "Timing" not in self.panels:
            # The charts are loaded when they are first wanted.
            from vastwatch.desk.stages.timing.panel import TimingPanel

            panel = TimingPanel(self.document, self.focus, self.results, self.theme)
            panel.say.connect(self.say)
            self.panels["Timing"] = panel
            self.left.addWidget(panel)
        if stage == "Brief" and "Brief" not in self.panels:
            from vastwatch.desk.stages.brief import BriefPanel

            brief = BriefPanel(self.document, self.focus, self.results, self.own, self.theme)
            brief.say.connect(self.say)
            self.panels["Brief"] = brief
            self.left.addWidget(brief)
        self.left.setCurrentWidget(self.panels[stage])
        self._set_widths()
        if stage != "Rehearsal":
            self._timer.stop()
            self.days.set_playing(False)
        self.focus.set(placing=None)
        self._figures.setVisible(stage in ("Sensors", "Timing"))
        self._figure_buttons[self.focus.figure].setChecked(True)
        self.legend.setVisible(stage in ("Sensors", "Timing"))
        self.moment.setVisible(stage == "Rehearsal")
        self.status.hint(self._hint(), at_once=True)
        self._overlay_style()

    def _set_widths(self) -> None:
        stage, narrow = self.focus.stage, self.width() < NARROW
        left = NARROW_LEFT.get(stage) if narrow else None
        self.left.setFixedWidth(left or WIDE.get(stage, LEFT_WIDTH))
        self.verdict.setFixedWidth(NARROW_RIGHT if narrow else RIGHT_WIDTH)
        for figure, button in self._figure_buttons.items():
            button.setText(figure if narrow else FIGURE_WORDS[figure])

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._set_widths()
        super().resizeEvent(event)

    def _overlay_style(self) -> None:
        """The controls that lie on the plan take the colour of its ground."""
        from vastwatch.desk.shell.theme import mix

        t, night = self.theme, self.plan.look.night
        ink = mix(t.ink, t.paper if t.name == "light" else t.ink, night).name()
        back = mix(t.card, t.night, night).name()
        line = mix(t.hairline, t.night_wall, night * 0.6).name()
        palette = self._sheet.palette()
        palette.setColor(self._sheet.backgroundRole(), self.plan.backgroundBrush().color())
        self._sheet.setPalette(palette)
        self.moment.setStyleSheet(f"color: {ink};")
        self.level.setStyleSheet(f"color: {ink}; background: {back}; border: 1px solid {line};")
        sheet = f"""QPushButton {{ background: transparent; border: 1px solid transparent; color: {t.soft.name()}; }}
            QPushButton:checked {{ background: {t.card.name()}; border: 1px solid {t.hairline.name()};
            color: {t.ink.name()};
            font-weight: 600; }} QPushButton:focus {{ border: 1px solid {t.ink.name()}; }}"""
        self._figures.setStyleSheet(sheet)

    def _clock(self) -> None:
        r = self.results.rehearsal
        if r is None:
            self.status.tell_when(self.tr("Rehearsing the week …"))
            return
        if not self.document.project.people:
            self.status.tell_when(self.tr("Nobody lives here yet: there is no week to rehearse."))
            return
        now = r.clock(self.focus.time)
        self.status.tell_when(
            self.tr("{} · rehearsed {} days from {} · seed {}").format(
                f"{now:%a} {now.day} {now:%b} {now:%H:%M}", r.days, f"{r.begin.day} {r.begin:%b %Y}", r.seed
            )
        )
        self.moment.setText(f"{now:%A} {now.day} {now:%B}, {now:%H:%M}")
        if self.focus.stage == "Rehearsal":
            self._overlay_style()

    def _hint(self) -> str:
        stage = self.focus.stage
        if stage == "Rehearsal":
            return self.tr("Space runs   , . incidents   [ ] a minute   D a day")
        if stage == "Brief":
            return self.tr("Return edits a cell   N next room   B what to buy")
        if stage == "Plan":
            return self.tr("drag furniture, walls, corners, rooms by their name   Shift for many")
        if stage == "Timing":
            return self.tr("drag the mark along the curve   N next room")
        if self.document.project.sensors and any(s.id == self.focus.selected for s in self.document.project.sensors):
            return self.tr("arrows nudge   R L turn   Del deletes   V next figure")
        return self.tr("click a room or a sensor   M next sensor   F fits")

    def _tick(self) -> None:
        self.ribbon.step_time(PLAY_S)

    def say(self, words: str) -> None:
        """One line of news, for some seconds."""
        self.status.say(words)

    def _follow(self, old, new) -> None:  # type: ignore[no-untyped-def]
        """After undo or load the focus may point to what is gone."""
        from vastwatch.design.project import find_any

        if old.levels is not new.levels:
            self._fill_levels()
        self._show_beginning()
        if self.focus.level not in {x.id for x in new.levels}:
            self._first_focus()
        elif self.focus.room is not None and self.focus.room not in {x.id for x in new.rooms}:
            # Another room of the level that is looked at, or none on a bare one.
            room = next((r.id for r in on_level(new.rooms, self.focus.level)), None)
            self.focus.set(room=room, selected=room)
        elif self.focus.selected is not None and find_any(new, self.focus.selected) is None:
            self.focus.set(selected=self.focus.room)
        if self.focus.incident >= 0:
            # The incidents of another design are others.
            self.focus.set(incident=-1)

    def _state(self) -> None:
        name = self.document.path.name if self.document.path else self.document.project.name
        self.setWindowTitle(f"{name}{' · ' + self.tr('edited') if self.document.modified else ''} — Vast Watch")

    def take_over(self) -> None:
        """After another project has come into the document: look at it from its beginning."""
        self._fill_levels()
        self._first_focus()
        self.plan.fit()
        self.results.refresh()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self.filing.may_leave():
            event.ignore()
            return
        self._timer.stop()
        self.status.stop()
        self.document.give_up()
        self.results.stop()
        event.accept()

    def retire(self) -> None:
        """Let another window take over the document: nothing here listens to it any more."""
        self._timer.stop()
        self.status.stop()
        self.results.stop()
        d = self.document
        for signal in (d.changed, d.replaced, d.state_changed, d.failure):
            signal.disconnect()

    # -- dialogs -----------------------------------------------------------------------------------------------

    def show_keys(self) -> None:
        """The keyboard sheet."""
        sheet = KeySheet(self, self.theme)
        sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        sheet.open()

    def show_about(self) -> None:
        """What the program is, and what it keeps in memory."""
        AboutSheet(self).open()

    def show_edits(self) -> None:
        """The undo list, in sentences; click a line to go back to it."""
        view = QUndoView(self.document.undo_stack)
        view.setEmptyLabel(self.tr("As opened"))
        view.setWindowTitle(self.tr("List of edits"))
        view.setParent(self, Qt.WindowType.Dialog)
        view.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        view.resize(340, 380)
        view.show()
