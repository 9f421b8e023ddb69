"""What the menu and the keys do at the window: files, undo, stages, and stepping through rooms, sensors and things."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QAction, QKeySequence, QShortcut
from PyQt6.QtWidgets import QMenu

from vastwatch.desk.shell.focus import STAGES
from vastwatch.sensing import FIGURES

if TYPE_CHECKING:
    from vastwatch.desk.shell.window import Window


class Commands:
    """Made once for a window whose parts are there already."""

    def __init__(self, window: Window) -> None:
        self.window, self.document, self.focus, self.tr = window, window.document, window.focus, window.tr
        self._make_menu()
        self._make_keys()

    def _make_menu(self) -> None:
        menu = QMenu(self.window)
        stack = self.document.undo_stack

        def action(
            words: str, keys: QKeySequence | QKeySequence.StandardKey | str, do: Callable[[], object]
        ) -> QAction:
            a = QAction(words, self.window)
            a.setShortcut(QKeySequence(keys))
            a.triggered.connect(lambda: do())
            menu.addAction(a)
            self.window.addAction(a)
            return a

        action(self.tr("New"), "Ctrl+N", self.window.filing.new)
        action(self.tr("Open …"), "Ctrl+O", self.window.filing.open_dialog)
        action(self.tr("Save"), "Ctrl+S", self.window.filing.save)
        action(self.tr("Save elsewhere …"), "Ctrl+Shift+S", self.window.filing.save_as)
        menu.addSeparator()
        action(self.tr("Bring in a drawing …"), "Ctrl+I", self.window.filing.bring_in_dialog)
        action(self.tr("Send out a drawing …"), "Ctrl+E", self.window.filing.send_out)
        menu.addSeparator()
        # Kept by name: the stack leaves them to whoever asked, and without a name they are gone at once.
        self._undo = stack.createUndoAction(self.window, self.tr("Undo:"))
        self._redo = stack.createRedoAction(self.window, self.tr("Redo:"))
        for a, keys in ((self._undo, "Ctrl+Z"), (self._redo, "Ctrl+Shift+Z")):
            assert a is not None
            a.setShortcut(QKeySequence(keys))
            menu.addAction(a)
            self.window.addAction(a)
        action(self.tr("List of edits"), "Ctrl+H", self.window.show_edits)
        menu.addSeparator()
        action(self.tr("Metres or feet"), "Ctrl+U", self._switch_units)
        action(
            self.tr("Light or dark desk"),
            "Ctrl+D",
            lambda: self.window.switch_theme and self.window.switch_theme(),
        )
        action(self.tr("Keys"), "F1", self.window.show_keys)
        action(self.tr("About"), "Shift+F1", self.window.show_about)
        menu.addSeparator()
        action(self.tr("Leave"), "Ctrl+Q", self.window.close)
        self.window.strip.menu.setMenu(menu)
        self.window.strip.keys.clicked.connect(self.window.show_keys)
        self.window.days.play.connect(self.window.play)
        self.window.days.previous.connect(lambda: self.window.ribbon.step_incident(-1))
        self.window.days.following.connect(lambda: self.window.ribbon.step_incident(1))

    def _switch_units(self) -> None:
        self.focus.set(feet=not self.focus.feet)
        QSettings().setValue("feet", self.focus.feet)
        self.window.say(self.tr("Lengths in feet and inches.") if self.focus.feet else self.tr("Lengths in metres."))

    def _make_keys(self) -> None:
        def key(keys: str, do: Callable[[], object]) -> None:
            # A letter typed into a field belongs to the field.
            shortcut = QShortcut(QKeySequence(keys), self.window)
            shortcut.activated.connect(do)

        for k, stage in enumerate(STAGES, 1):
            key(f"Ctrl+{k}", partial(self.focus.set, stage=stage))
        key("?", self.window.show_keys)
        for widget in (self.window.plan, self.window.ribbon):
            # Only there: elsewhere the space bar presses what has the focus.
            space = QShortcut(QKeySequence("Space"), widget)
            space.setContext(Qt.ShortcutContext.WidgetShortcut)
            space.activated.connect(self.window.play)
        key("[", lambda: self.window.ribbon.step_time(-60))
        key("]", lambda: self.window.ribbon.step_time(60))
        key("{", lambda: self.window.ribbon.step_time(-600))
        key("}", lambda: self.window.ribbon.step_time(600))
        key(",", lambda: self.window.ribbon.step_incident(-1))
        key(".", lambda: self.window.ribbon.step_incident(1))
        key("D", lambda: self.window.ribbon.step_day(1))
        key("Shift+D", lambda: self.window.ribbon.step_day(-1))
        key("T", self.window.verdict.try_remedies)
        key("W", self._which_sensor)
        key("B", self._what_to_buy)
        key("PgUp", lambda: self._step_level(1))
        key("PgDown", lambda: self._step_level(-1))
        key("N", lambda: self._step_room(1))
        key("Shift+N", lambda: self._step_room(-1))
        key("M", lambda: self._step_sensor(1))
        key("Shift+M", lambda: self._step_sensor(-1))
        key("V", self._next_figure)
        key("O", partial(self._step_thing, 1))
        key("Shift+O", partial(self._step_thing, -1))
        key("E", self._extend)
        key("G", lambda: self.focus.set(ghost=not self.focus.ghost))
        key("X", partial(self._only_in_plan, "flip"))
        key("Shift+X", partial(self._only_in_plan, "flop"))
        key("Ctrl+J", partial(self._only_in_plan, "copy"))

    def _which_sensor(self) -> None:
        self.focus.set(stage="Sensors", incident=-1)
        self.window.verdict.ask_options()

    def _what_to_buy(self) -> None:
        from vastwatch.desk.stages.brief.panel import MEANS, BriefPanel

        self.focus.set(stage="Brief", incident=-1)
        brief = self.window.panels["Brief"]
        assert isinstance(brief, BriefPanel)
        brief.show_page(MEANS)
        brief.means.ask_next()

    def _next_figure(self) -> None:
        k = FIGURES.index(self.focus.figure)
        self.focus.set(figure=FIGURES[(k + 1) % len(FIGURES)])

    def _step_level(self, way: int) -> None:
        order = [x.id for x in sorted(self.document.project.levels, key=lambda x: x.elevation)]
        if self.focus.level in order:
            k = order.index(self.focus.level) + way
            if 0 <= k < len(order):
                self.window.show_level(order[k])

    def _step_room(self, way: int) -> None:
        rooms = [r for r in self.document.project.rooms if r.level == self.focus.level]
        if rooms:
            k = next((i for i, r in enumerate(rooms) if r.id == self.focus.room), -1)
            room = rooms[(k + way) % len(rooms)].id
            self.focus.set(room=room, selected=room, incident=-1)

    def _step_sensor(self, way: int) -> None:
        from vastwatch.design.places import room_of

        sensors = [s for s in self.document.project.sensors if s.level == self.focus.level]
        if sensors:
            k = next((i for i, s in enumerate(sensors) if s.id == self.focus.selected), -1 if way > 0 else 0)
            sensor = sensors[(k + way) % len(sensors)]
            room = room_of(self.document.project, sensor)
            self.focus.set(selected=sensor.id, room=room.id if room else self.focus.room)
            self.window.plan.setFocus()

    def _step_thing(self, way: int) -> None:
        """The next thing of the focused room: furniture, spots, lamps, hazards, openings, walls."""
        things = self.window.plan.builder.things_of_room()
        if things:
            k = next((i for i, t in enumerate(things) if t == self.focus.selected), -1 if way > 0 else 0)
            # Stepping on keeps what was marked, so that many can be gathered by keys.
            self.focus.set(selected=things[(k + way) % len(things)], marked=self.focus.marked)
            self.window.plan.setFocus()

    def _extend(self) -> None:
        """Take the selected thing into the selection, or out of it."""
        if self.focus.stage in ("Plan", "Brief") and self.focus.selected not in (
            None,
            self.focus.room,
        ):
            marked = self.focus.marked ^ {self.focus.selected}
            self.focus.set(marked=marked)
            self.window.say(self.tr("{} selected.").format(len(marked)))

    def act(self, what: str) -> None:
        """An edit of the selection."""
        builder = self.window.plan.builder
        if what == "copy":
            builder.duplicate()
        elif what in ("flip", "flop"):
            builder.mirror(what == "flip")
        else:
            builder.align(what)  # type: ignore[arg-type]

    def _only_in_plan(self, what: str) -> None:
        if self.focus.stage == "Plan":
            self.act(what)
