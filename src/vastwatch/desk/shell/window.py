"""The one window: strip, the stage's panel, plan over ribbon, verdict, status line. It joins the parts."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QEvent, QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QWidget,
)  # fmt: skip

from vastwatch.design.project import Project, find_any, on_level
from vastwatch.design.relations import built_below, levels_in_order
from vastwatch.desk.plan import PlanView
from vastwatch.desk.plan.legend import Legend
from vastwatch.desk.results.judged import HouseJudge
from vastwatch.desk.results.registry import Results
from vastwatch.desk.ribbon.lanes import Ribbon
from vastwatch.desk.ribbon.pane import RibbonPane
from vastwatch.desk.ribbon.strips import Strips
from vastwatch.desk.shell.commands import Commands
from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.cycling import home_of, show_level
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.file_actions import Filing
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.playhead import Playhead
from vastwatch.desk.shell.start_page import Beginning
from vastwatch.desk.shell.status import StatusLine
from vastwatch.desk.shell.strip import Strip
from vastwatch.desk.shell.theme import Theme, font, legible, mix
from vastwatch.desk.shell.widgets import Choice, column_in, row, row_in
from vastwatch.desk.stages.plan.panel import PlanPanel
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.desk.tour.steps import Scene
from vastwatch.desk.tour.tour import Tour, TourBar
from vastwatch.desk.verdict.verdict import Verdict
from vastwatch.sensing import SUBJECTS

if TYPE_CHECKING:
    from vastwatch.desk.stages.brief.panel import BriefPanel

FIGURE_WORDS = {
    "across": "walking across", "towards": "walking towards", "seated": "seated still", "lying": "lying", "pet": "pet",
}  # fmt: skip
# In a window narrower than this the panels at the left take less, so that the plan keeps its place; and the width of
# the verdict, pixels.
NARROW, RIGHT_WIDTH = 1180, 302
FIRST_WORK_MS = 60
# So many layouts lie within each other between a panel's page and the window.
LAYERS = 5


class Window(QMainWindow):
    """Built around one document."""

    def __init__(self, document: Document, theme: Theme, switch_theme: Callable[[], None] | None = None) -> None:
        super().__init__()
        self.document, self.theme = document, theme
        self.focus = Focus()
        self.focus.feet = QSettings().value("feet", False, bool)
        self._first_focus()
        self.results = Results(document, self.focus)
        self.judge = HouseJudge(self.results)
        self.own = OwnTypes()
        self.playhead = Playhead(self.focus, self.results)
        self.plan = PlanView(document, self.focus, self.results, theme)
        self.plan.bench.types = self.results.types = self.own.all
        self.around = Context(
            document, self.focus, self.results, theme, self.own, self.plan, self.playhead, self.say
        )  # fmt: skip
        self._panels: dict[str, QWidget] = {}
        self.filing = Filing(self, document, self.focus, self.plan, self.results, theme)
        self.setWindowTitle("Vast Watch")
        self.resize(1280, 800)
        self.setMinimumSize(1000, 640)
        self.tour = self._make_tour()
        self._build()
        self.commands = Commands(self, self.around, self.filing, self.verdict, self.panel, switch_theme)
        self.commands.tour.triggered.connect(self.tour.begin)
        self.commands.run_by_space(self.plan, self.ribbon, self.strips)
        self.commands.letters_act_in(self.plan, self.ribbon, self.strips, self.strip)
        self.strip.menu.setMenu(self.commands.menu)
        self.strip.help.setMenu(self.commands.help)
        self._listen()
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
        levels = levels_in_order(project)
        with_presence = [p.room for p in project.presences if p.room is not None]
        room = with_presence[0] if with_presence else (project.rooms[0].id if project.rooms else None)
        level = next((r.level for r in project.rooms if r.id == room), levels[0].id if levels else "")
        self.focus.set(level=level, room=room, selected=room, incident=-1)

    # -- building ----------------------------------------------------------------------------------------------

    def _build(self) -> None:
        d, f, r, t = self.document, self.focus, self.results, self.theme
        central = QWidget()
        outer = column_in(central, 0)
        self.strip = Strip(d, f, r, t)
        outer.addWidget(self.strip)
        outer.addWidget(self._hairline())
        body = QHBoxLayout()
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(0)
        outer.addLayout(body, 1)
        self.left = QStackedWidget()
        body.addWidget(self.left)
        body.addWidget(self._hairline(vertical=True))
        body.addWidget(self._middle(), 1)
        body.addWidget(self._hairline(vertical=True))
        self.verdict = Verdict(d, f, r, t)
        self.verdict.setFixedWidth(RIGHT_WIDTH)
        body.addWidget(self.verdict)
        self.setCentralWidget(central)

    def _hairline(self, vertical: bool = False) -> QFrame:
        out = QFrame()
        out.setStyleSheet(f"background: {self.theme.hairline.name()}; border: 0;")
        (out.setFixedWidth if vertical else out.setFixedHeight)(1)
        return out

    def _middle(self) -> QWidget:
        out = QWidget()
        box = column_in(out, 0)
        box.addWidget(TourBar(self.tour, self.theme))
        self.beginning = Beginning(self.plan, self.theme)
        # Above and below the plan, not over it: what lies over it would be painted anew with every frame.
        self._sheet = QWidget()
        self._sheet.setAutoFillBackground(True)
        over = column_in(self._sheet, 0, (8, 7, 8, 6))
        over.addWidget(self._bar())
        over.addWidget(self.plan, 1)
        self.legend = Legend(self.document, self.focus, self.theme)
        over.addWidget(self.legend, 0, Qt.AlignmentFlag.AlignLeft)
        self.ribbon = Ribbon(self.focus, self.results, self.theme, self.playhead)
        self.strips = Strips(self.focus, self.results, self.theme, self.playhead)
        self.spans = RibbonPane(self.ribbon, self.strips, self.focus)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(5)
        split.setChildrenCollapsible(False)
        split.addWidget(self._sheet)
        split.addWidget(self.spans)
        split.setStretchFactor(0, 1)
        split.setStretchFactor(1, 0)
        split.setSizes([484, 236])
        box.addWidget(split, 1)
        box.addWidget(self._hairline())
        self.status = StatusLine()
        box.addWidget(self.status)
        self._fill_levels()
        return out

    def _bar(self) -> QWidget:
        """What stands above the plan: for which figure, at which moment, which level."""
        self._figures = QWidget()
        figures = row_in(self._figures, 2)
        group = QButtonGroup(self)
        self._figure_buttons = {}
        for figure in SUBJECTS:
            button = QPushButton(FIGURE_WORDS[figure])
            button.setCheckable(True)
            button.setToolTip(self.tr("Contours for: {}. (V for the next type)").format(FIGURE_WORDS[figure]))
            button.clicked.connect(lambda _, x=figure: self.focus.set(figure=x))
            group.addButton(button)
            figures.addWidget(button)
            self._figure_buttons[figure] = button
        self.level = Choice()
        self.level.setAccessibleName(self.tr("Level"))
        self.level.setToolTip(self.tr("Level shown. (PgUp, PgDn)"))
        self.level.activated.connect(lambda i: self.show_level(self.level.itemData(i)))
        self.moment = QLabel()
        self.moment.setFont(font(13, 500))
        bar = row(self._figures, self.moment, QWidget(), self.level, stretch=2)
        bar.setFixedHeight(30)
        return bar

    def _listen(self) -> None:
        for speaker in (self.verdict, self.plan, self.ribbon, self.playhead, self.filing):
            speaker.say.connect(self.say)
        self.document.failure.connect(self.say)
        self.document.news.connect(self.say)
        self.results.failure.connect(self.say)
        self.results.said.connect(self.say)
        self.document.state_changed.connect(self._state)
        self.document.changed.connect(self._follow)
        self.focus.shift.connect(self._shifted)
        self.results.week.changed.connect(self._clock)
        self.beginning.wanted.connect(self._begin)
        self.plan.resized.connect(self.beginning.place)
        self.plan.shaded.connect(self._overlay_style)
        self.filing.come.connect(self.take_over)
        self.filing.brought.connect(self.plan.fit)
        self.filing.bare.connect(self._type_room)
        self.filing.picture.connect(self._draw_over)
        self.verdict.offered.connect(self._give)
        self.verdict.gone_to.connect(self._bring_into_view)

    def _make_tour(self) -> Tour:
        self._handed_over = False

        def handed_over() -> None:
            self._handed_over = True
            self.tour.look_again()

        self.filing.handed_over.connect(handed_over)
        scene = Scene(
            self.document, self.focus, self.results, self.plan, self.playhead, self.filing.send_out,
            lambda: self._handed_over,
        )  # fmt: skip
        return Tour(scene, self.filing.open_sample)

    def panel(self, name: str) -> QWidget:
        """The panel of a stage, made when it is first wanted."""
        if name not in self._panels:
            # By name: what a panel needs is loaded when it is first wanted, as the charts are.
            panel: QWidget = import_module(f"vastwatch.desk.stages.{name.lower()}.panel").make(self.around)
            self._panels[name] = panel
            self.left.addWidget(panel)
        return self._panels[name]

    def _plan_panel(self) -> PlanPanel:
        panel = self.panel("Plan")
        assert isinstance(panel, PlanPanel)
        return panel

    def _fill_levels(self) -> None:
        self.level.clear()
        for level in reversed(levels_in_order(self.document.project)):
            self.level.addItem(level.name, level.id)
        self.level.setCurrentIndex(self.level.findData(self.focus.level))
        self.level.setVisible(self.level.count() > 1)

    def _give(self, what: str) -> None:
        """Show where something can be given that a verdict misses."""
        if what == "furnish":
            self._plan_panel().offer_furniture()
        else:
            cast("BriefPanel", self.panel("Brief")).offer_people()

    # -- beginning ---------------------------------------------------------------------------------------------

    def _begin(self, how: str) -> None:
        """One of the ways to begin on a bare level."""
        if how == "tour":
            self.tour.begin()
        elif how == "sample":
            self.filing.open_sample()
        elif how == "picture":
            self.filing.picture_dialog()
        elif how == "drawing":
            self.filing.bring_in_dialog()
        elif how == "copy":
            self._plan_panel().level.fill_from_below()
        else:
            self.focus.set(stage="Plan")
            (self._plan_panel().draw_room if how == "draw" else self._plan_panel().type_room)()

    def _type_room(self) -> None:
        self._plan_panel().type_room()

    def _draw_over(self, picture: Path) -> None:
        self._plan_panel().draw_over(picture)

    def _show_beginning(self) -> None:
        """Offer ways to begin where the shown level has nothing yet."""
        project, level = self.document.project, self.focus.level
        bare = not on_level(project.rooms, level) and not on_level(project.walls, level)
        bare = bare and all(x.underlay is None for x in project.levels if x.id == level) and not self.focus.placing
        if not bare:
            self.beginning.hide()
            return
        hidden = self.beginning.isHidden()
        below = any(x.id == level for x in project.levels) and built_below(project, level) is not None
        self.beginning.show_for(not project.rooms, below)
        if hidden and (self.plan.hasFocus() or not self.isVisible()):
            self.beginning.offers["type"].setFocus()

    def _bring_into_view(self, ident: str) -> None:
        home = home_of(self.document.project, ident)
        if home is not None:
            self.plan.bring_into_view(home.outline)

    def show_level(self, level: str) -> None:
        """Show a level, and a room of it."""
        show_level(self.focus, self.document.project, level)

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
        if what == "placing" and self.focus.placing is None:
            # What was said of the tool goes with it.
            self.status.acted()
        if what in ("time", "day", "stage", "incident", "scene"):
            self._clock()

    def _stage(self) -> None:
        here = self.focus.here
        # All of it is laid out at once, and painted once.
        self.setUpdatesEnabled(False)
        self.left.setCurrentWidget(self.panel(here.name))
        self._set_widths()
        self.focus.set(placing=None)
        self._figures.setVisible(here.covers)
        self._figure_buttons[self.focus.figure].setChecked(True)
        self.legend.setVisible(here.covers)
        self.moment.setVisible(here.follows_time)
        for _ in range(LAYERS):
            # Each layout tells the one around it what has changed.
            QApplication.sendPostedEvents(None, QEvent.Type.LayoutRequest.value)
        self.setUpdatesEnabled(True)
        self.status.hint(self._hint(), at_once=True)
        self._overlay_style()

    def _set_widths(self) -> None:
        here, narrow = self.focus.here, self.width() < NARROW
        self.left.setFixedWidth(here.narrow if narrow and here.narrow is not None else here.width)
        for figure, button in self._figure_buttons.items():
            button.setText(figure if narrow else FIGURE_WORDS[figure])

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._set_widths()
        super().resizeEvent(event)

    def _hint(self) -> str:
        here, selected = self.focus.here, self.focus.selected
        found = find_any(self.document.project, selected) if here.hints and selected is not None else None
        return self.tr(here.hints.get(found[0], here.hint) if found is not None else here.hint)

    def _overlay_style(self) -> None:
        """The controls that lie on the plan take the colour of its ground."""
        t, night = self.theme, self.plan.state.night
        ground, back = self.plan.backgroundBrush().color(), mix(t.card, t.night, night)
        wanted = mix(t.ink, t.paper if t.name == "light" else t.ink, night)
        line = mix(t.hairline, t.night_wall, night * 0.6).name()
        palette = self._sheet.palette()
        palette.setColor(self._sheet.backgroundRole(), ground)
        self._sheet.setPalette(palette)
        self.moment.setStyleSheet(f"color: {legible(wanted, ground).name()};")
        self.level.setStyleSheet(
            f"color: {legible(wanted, back).name()}; background: {back.name()}; border: 1px solid {line};"
        )
        sheet = f"""QPushButton {{ background: transparent; border: 1px solid transparent;
            color: {legible(t.soft, ground).name()}; }}
            QPushButton:checked {{ background: {t.card.name()}; border: 1px solid {t.hairline.name()};
            color: {t.ink.name()};
            font-weight: 600; }} QPushButton:focus {{ border: 1px solid {t.ink.name()}; }}"""
        self._figures.setStyleSheet(sheet)

    def _clock(self) -> None:
        r, recording = self.results.rehearsal, self.results.recording
        if recording is not None:
            calendar = recording.calendar
            now = calendar.clock(self.focus.time)
            self.status.tell_when(
                self.tr("{} · a log of {} days from {}").format(
                    f"{now:%a} {now.day} {now:%b} {now:%H:%M}", calendar.days, f"{calendar.begin:%d %b %Y}"
                )
            )
            self.moment.setText(f"{now:%A} {now.day} {now:%B}, {now:%H:%M}")
            return
        if r is None:
            self.status.tell_when(self.tr("Rehearsing the week…"))
            return
        if not self.document.project.people:
            self.status.tell_when(self.tr("No occupants yet: nothing to rehearse."))
            return
        now = r.clock(self.focus.time)
        self.status.tell_when(
            self.tr("{} · rehearsed {} days from {} · seed {}").format(
                f"{now:%a} {now.day} {now:%b} {now:%H:%M}", r.days, f"{r.begin.day} {r.begin:%b %Y}", r.seed
            )
        )
        scene = next((x for x in self.document.project.scenes if x.id == self.focus.scene), None)
        if scene is not None and self.focus.here.lights:
            self.moment.setText(self.tr("Scene “{}”, by night").format(scene.name))
        else:
            self.moment.setText(f"{now:%A} {now.day} {now:%B}, {now:%H:%M}")

    def show_guide(self, topic: str) -> None:
        """Open the guide at a topic."""
        self.commands.show_guide(topic)

    def say(self, words: str) -> None:
        """One line of news, for some seconds."""
        self.status.say(words)

    def _follow(self, old: Project, new: Project) -> None:
        """After undo or load the focus may point to what is gone."""
        self.status.acted()
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
        self.setWindowTitle(f"{name}{' · ' + self.tr('modified') if self.document.modified else ''} — Vast Watch")

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
        self.playhead.stop()
        self.status.stop()
        self.document.give_up()
        self.results.stop()
        event.accept()

    def retire(self) -> None:
        """Let another window take over the document: nothing here listens to it any more."""
        self.playhead.stop()
        self.status.stop()
        self.results.stop()
        d = self.document
        for signal in (d.changed, d.replaced, d.state_changed, d.failure, d.news):
            signal.disconnect()
