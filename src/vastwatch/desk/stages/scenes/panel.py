"""The Scenes panel: the ladder of the room in hand with the row that wins, its condition, the scene it asks for at
sliders, how the room tells that it is dark, and what goes out of here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QPushButton, QStackedWidget, QWidget

from vastwatch.advice.checks.cautions import CAUTIONS
from vastwatch.advice.scenes.ladder_states import states, stuck
from vastwatch.advice.scenes.look_ahead import LookAheadRow
from vastwatch.design.edits.fittings import beside_a_door
from vastwatch.design.edits.ladders import (
    add_button,
    add_row,
    add_scene,
    full,
    rename_scene,
    set_fade,
    set_level,
    set_row,
)
from vastwatch.design.ladder_templates import STARTING, LadderTemplate, Need, apply_template, missing, row_to_add
from vastwatch.design.ladders import rows_of, scenes_in
from vastwatch.design.project import Project, find
from vastwatch.design.records import GuardedOutput, Scene
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import MARGIN, Theme
from vastwatch.desk.shell.widgets import column_in, label, line, plain, row, scrolling
from vastwatch.desk.stages.scenes.ahead_sheet import AheadSheet, ask_ahead
from vastwatch.desk.stages.scenes.dark_row import DarkRow
from vastwatch.desk.stages.scenes.export_row import OutRow
from vastwatch.desk.stages.scenes.ladder_pane import LadderPane
from vastwatch.desk.stages.scenes.naming import ask_name
from vastwatch.desk.stages.scenes.output_list import OutputList
from vastwatch.desk.stages.scenes.output_pane import OutputPane
from vastwatch.desk.stages.scenes.row_builder import RowBuilder
from vastwatch.desk.stages.scenes.scene_view import SceneView
from vastwatch.desk.stages.scenes.states_sheet import StatesSheet
from vastwatch.words import and_list


class ScenesPanel(QWidget):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, results: Results, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.results, self.theme = document, focus, results, theme
        outer = column_in(self)
        self.pages = QStackedWidget()
        outer.addWidget(self.pages)
        area, box = scrolling(7, (MARGIN, MARGIN, MARGIN, MARGIN))
        self.other = OutputPane(document, focus, results, theme)
        self.other.say.connect(self.say)
        self.pages.addWidget(area)
        self.pages.addWidget(self.other)
        self.pane = LadderPane(document, focus, results, theme)
        self.pane.asked.connect(self._ask)
        self.ladder = self.pane.view
        box.addWidget(self.pane)
        self.add = QPushButton(self.tr("Add…"))
        self.add.setToolTip(self.tr("Adds a row to the ladder, or a wall button"))
        self.add.clicked.connect(lambda: self._popup(self.add_menu(), self.add))
        self.begin = QPushButton(self.tr("Add a ladder…"))
        self.begin.setToolTip(self.tr("Ready-made ladders that suit what is in this room"))
        self.begin.clicked.connect(lambda: self._popup(self.start_menu(), self.begin))
        self.states = QPushButton()
        self.states.setToolTip(self.tr("Every combination of rows, the row that wins, and whether one is stuck"))
        self.states.clicked.connect(self.show_states)
        box.addWidget(row(self.add, self.begin, self.states, spacing=6))
        self._condition = label("", "soft")
        box.addWidget(self._condition)
        self.builder = RowBuilder(document, focus, theme)
        self.builder.say.connect(self.say)
        box.addWidget(self.builder)
        box.addWidget(line())
        self.scene = SceneView()
        self.scene.levelled.connect(self._level)
        self.scene.faded.connect(self._fade)
        self.scene.touched.connect(lambda: self._preview(self._scene()))
        box.addWidget(self.scene)
        self._asked = label("", "soft", True)
        box.addWidget(self._asked)
        self._below = line()
        box.addWidget(self._below)
        self.dark = DarkRow(document, focus, results)
        self.dark.say.connect(self.say)
        box.addWidget(self.dark)
        self._caution = label(CAUTIONS["stair"], "soft", True)
        box.addWidget(self._caution)
        self.out = OutRow(document, focus, theme)
        self.out.say.connect(self.say)
        box.addWidget(self.out)
        self.also = OutputList(focus, results)
        box.addWidget(self.also)
        box.addStretch(1)
        document.changed.connect(self.refresh)
        results.week.changed.connect(self.refresh)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what in ("room", "stage", "row", "lamps", "time", "scene", "selected"):
            self.refresh()

    # -- what is shown -----------------------------------------------------------------------------------------

    @property
    def output(self) -> GuardedOutput | None:
        """The output in hand, whose own small ladder is shown in place of the room's."""
        return next((o for o in self.document.project.outputs if o.id == self.focus.selected), None)

    def _scene(self) -> Scene | None:
        """The scene at the sliders: of the row in hand, else of the one that wins now."""
        mine, rule, did = self.pane.rows, self.pane.rule, self.pane.did
        if rule is None and did is not None:
            k = did.winners.at(self.focus.time)
            rule = mine[k] if k < len(mine) else None
        rule = rule or (mine[0] if mine else None)
        return None if rule is None else find(self.document.project.scenes, rule.scene)

    def refresh(self, *_: object) -> None:
        """Show the ladder of the room, or say why there is none."""
        if not self.isVisible() and self.focus.stage != "Scenes":
            return
        project, room = self.document.project, self.focus.room
        record = next((r for r in project.rooms if r.id == room), None)
        output = self.output
        self.pages.setCurrentIndex(int(output is not None))
        if output is not None:
            self.other.show_output(output)
            return
        self.pane.refresh()
        mine, rule = self.pane.rows, self.pane.rule
        for w in (self.add, self.begin):
            w.setEnabled(record is not None)
        self.states.setVisible(bool(mine))
        self.out.recipes.setVisible(
            bool(rows_of(project, room or "")) or any(o.room == room and o.rows for o in project.outputs)
        )
        scene = self._scene()
        self.scene.show_scene(project, scene, self.pane.ident)
        self._below.setVisible(scene is not None)
        self._tell_asked(project, scene)
        self._condition.setVisible(rule is not None)
        self._condition.setText(
            "" if rule is None else self.tr("“{}” applies").format(rule.name or self.tr("This row"))
        )
        if mine:
            did = self.pane.did
            held = stuck(project, room or "", self.results.rehearsal)
            every = [] if did is None else states(did)
            count, occurred = len(every), sum(s.occurred for s in every)
            told = self.tr("{} stuck").format(len(held)) if held else self.tr("none stuck")
            self.states.setText(self.tr("States: {}, {}").format(occurred or count, told))
        self.dark.show_room(record)
        self.also.show_room(project, room or "")
        self._caution.setVisible(
            record is not None and record.use in ("stair", "passage", "corridor", "workshop", "plant")
        )

    def _tell_asked(self, project: Project, scene: Scene | None) -> None:
        """How the spots of the room do in the week, in a line."""
        r, room = self.results.rehearsal, self.focus.room or ""
        scores = None if r is None or scene is None else r.light_scores.get(room)
        self._asked.setVisible(scores is not None)
        if scores is None:
            return
        worst = max(scores.under_min.items(), key=lambda x: x[1], default=None)
        if worst is None or worst[1] < 0.5:
            self._asked.setText(self.tr("In this week every position had its target lux."))
        else:
            self._asked.setText(
                self.tr("In this week the {} was below its target lux for {:.0f} min a day.").format(
                    find(project.spots, worst[0]).name, worst[1]
                )
            )

    # -- the ladder --------------------------------------------------------------------------------------------

    def _ask(self, ident: str) -> None:
        k = next((k for k, r in enumerate(self.ladder.rows) if r.row == ident), 0)
        menu = self.row_menu(ident)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.ladder.mapToGlobal(self.ladder.rect_of(k).bottomLeft().toPoint() + QPoint(12, -4)))

    def row_menu(self, ident: str) -> QMenu:
        """What could be done with a row."""
        project = self.document.project
        menu = QMenu(self)
        rule = find(project.rules, ident)
        ask = menu.addMenu(self.tr("Scene"))
        assert ask is not None
        for scene in scenes_in(project, rule.room):
            action = QAction(scene.name, ask)
            action.setCheckable(True)
            action.setChecked(scene.id == rule.scene)
            action.triggered.connect(lambda _, s=scene.id: self._set_scene(ident, s))
            ask.addAction(action)
        ask.addAction(self.tr("New scene"), lambda: self._new_scene(ident))
        for words, do in (
            (self.tr("Rename row…"), lambda: self._rename_row(ident)),
            (self.tr("Rename scene…"), lambda: self._rename_scene(rule.scene)),
            (self.tr("Delete row"), lambda: self.pane.remove(ident)),
        ):
            menu.addAction(words, do)
        return menu

    def _set_scene(self, ident: str, scene: str) -> None:
        self.document.apply(set_row(self.document.project, ident, scene=scene), "Change the scene of a row")
        self.focus.set(scene=scene)

    def _new_scene(self, ident: str) -> None:
        project = self.document.project
        rule = find(project.rules, ident)
        new, scene = add_scene(project, rule.room, self.tr("Scene"), full(project, rule.room, rule.group))
        self.document.apply(set_row(new, ident, scene=scene.id), f"Add a scene for “{rule.name}”")
        self.focus.set(scene=scene.id)

    def _rename_row(self, ident: str) -> None:
        rule = find(self.document.project.rules, ident)
        self._typed(self.tr("Rename row"), rule.name, lambda name: set_row(self.document.project, ident, name=name))

    def _rename_scene(self, ident: str) -> None:
        scene = find(self.document.project.scenes, ident)
        self._typed(self.tr("Rename scene"), scene.name, lambda name: rename_scene(self.document.project, ident, name))

    def _typed(self, title: str, now: str, make: Callable[[str], Project]) -> None:
        self.naming = ask_name(self, title, now, self.document, make, self.say.emit)

    def add_menu(self) -> QMenu:
        """What can be added to the room in hand."""
        menu = QMenu(self)
        for words, do in (
            (self.tr("Row"), self._add_row),
            (self.tr("Wall button"), self._add_button),
            (self.tr("Ladder for some of the lamps…"), self.pane.new_group),
            (self.tr("Light ahead…"), self.ask_ahead),
        ):
            menu.addAction(words, do)
        return menu

    def _add_row(self) -> None:
        project, room = self.document.project, self.focus.room
        if room is None:
            return
        group = self.pane.ident
        try:
            usual = row_to_add(project, room, group)
        except ValueError as e:
            self.say.emit(self.tr(str(e)))
            return
        new, scene = add_scene(project, room, self.tr(usual.scene), usual.levels)
        new, rule = add_row(new, room, self.tr(usual.name), usual.when, scene.id, usual.at, group)
        self.document.apply(new, f"Add a row in {find(project.rooms, room).name.lower()}")
        self.focus.set(row=rule.id, scene=scene.id)

    def _add_button(self) -> None:
        project, room = self.document.project, self.focus.room
        if room is None:
            return
        new, button = add_button(project, room, beside_a_door(project, room))
        self.document.apply(new, f"Add {button.name}")
        self.focus.set(selected=button.id)
        self.say.emit(self.tr("Drag it where it belongs. What it does, and until when, is at the right."))

    def ask_ahead(self) -> None:
        """Which rows would light the room ahead of who comes, tried on weeks simulated."""
        room, project = self.focus.room, self.document.project
        if room is None:
            return
        self._asking = ask_ahead(self, project, room, self._ahead_found)

    def _ahead_found(self, found: list[LookAheadRow]) -> None:
        if not found:
            self.say.emit(self.tr("Nobody is noticed on the way here, or nothing lights this room automatically."))
            return
        self.offers = AheadSheet(self.window() or self, self.document, found)
        self.offers.say.connect(self.say)
        self.offers.open()

    def start_menu(self) -> QMenu:
        """Ladders to begin from; those that this room lacks something for say what, and offer to place it."""
        project, room = self.document.project, self.focus.room
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for ladder in STARTING:
            lacks = [] if room is None else missing(project, room, ladder, self.pane.ident)
            if lacks:
                self._offer_what_is_missing(menu, ladder, lacks)
                continue
            action = QAction(self.tr(ladder.name), menu)
            action.setEnabled(room is not None)
            action.setToolTip(plain(ladder.what))
            action.triggered.connect(lambda _, s=ladder: self._start(s))
            menu.addAction(action)
        return menu

    def _offer_what_is_missing(self, menu: QMenu, ladder: LadderTemplate, lacks: list[Need]) -> None:
        """An entry that cannot be had yet: what it does, what is missing, and a way to place that."""
        more = menu.addMenu(self.tr(ladder.name))
        assert more is not None
        more.setTitle(self.tr("{} (needs {})").format(self.tr(ladder.name), and_list([n.words for n in lacks])))
        more.addSection(plain(ladder.what))
        for need in lacks:
            words = self.tr("Place {}") if need.place else self.tr("Add {}")
            more.addAction(words.format(need.words), partial(self._place, need.stage, need.place))

    def _place(self, stage: str, what: str) -> None:
        """Go where something is placed, with it in the hand if it is a single thing."""
        self.focus.set(stage=stage)
        self.focus.set(placing=what or None)

    def _start(self, ladder) -> None:  # type: ignore[no-untyped-def]
        project, room = self.document.project, self.focus.room
        if room is None:
            return
        try:
            new = apply_template(project, room, ladder, self.pane.ident)
        except ValueError as e:
            self.say.emit(str(e))
            return
        self.document.apply(new, f"Add the ladder {ladder.name} to {find(project.rooms, room).name.lower()}")
        self.focus.set(row=None, scene=None)

    def _popup(self, menu: QMenu, under: QPushButton) -> None:
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(under.mapToGlobal(QPoint(0, under.height())))

    # -- the scene ---------------------------------------------------------------------------------------------

    def _preview(self, scene: Scene | None) -> None:
        if scene is not None:
            self.focus.set(scene=scene.id)

    def _level(self, lamp: str, level: float) -> None:
        scene = self._scene()
        if scene is not None:
            name = find(self.document.project.lamps, lamp).name
            new = set_level(self.document.project, scene.id, lamp, level)
            self.document.apply(new, f"{name} at {100 * level:.0f} % in “{scene.name}”", f"level-{scene.id}-{lamp}")

    def _fade(self, seconds: float) -> None:
        scene = self._scene()
        if scene is not None:
            self.document.apply(
                set_fade(self.document.project, scene.id, seconds),
                f"Change the fade of “{scene.name}”",
                f"fade-{scene.id}",
            )

    # -- sheets ------------------------------------------------------------------------------------------------

    def show_states(self) -> None:
        """Open the table of states."""
        did, room = self.pane.did, self.focus.room
        if did is None or room is None:
            self.say.emit(self.tr("The week has not been simulated yet."))
            return
        held = stuck(self.document.project, room, self.results.rehearsal)
        self.sheet = StatesSheet(self.window() or self, self.document.project, room, did, held)
        self.sheet.open()


def make(around: Context) -> ScenesPanel:
    """The ladder of the focused room, and its scenes."""
    panel = ScenesPanel(around.document, around.focus, around.results, around.theme)
    panel.say.connect(around.say)
    return panel
