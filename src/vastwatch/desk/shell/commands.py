"""What can be asked for by the menu and by keys, wherever one is in the window."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple

from PyQt6.QtCore import QObject, QSettings, Qt
from PyQt6.QtGui import QAction, QKeySequence, QShortcut, QUndoStack
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QDialog,
    QLineEdit,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QUndoView,
    QWidget,
)

from vastwatch.design.places import room_of
from vastwatch.design.project import find, find_any
from vastwatch.desk.shell.about import AboutSheet
from vastwatch.desk.shell.filing import Filing
from vastwatch.desk.shell.finder import Finder
from vastwatch.desk.shell.keysheet import KeySheet
from vastwatch.desk.shell.parts import column_in
from vastwatch.desk.shell.steps import level_of, next_figure, next_span, step_level, step_room, step_sensor, step_thing
from vastwatch.desk.shell.surroundings import Surroundings
from vastwatch.desk.stages import STAGE_NAMES
from vastwatch.desk.verdict.verdict import Verdict


class Command(NamedTuple):
    """An entry of the menu: its keys, what is done, and its words."""

    keys: str
    do: Callable[[], object]
    words: str


# What keeps Return for itself while it has the keys.
TYPED_INTO = (QLineEdit, QAbstractSpinBox, QAbstractItemView, QPlainTextEdit)


class EditsSheet(QDialog):
    """The undo list."""

    def __init__(self, parent: QWidget, stack: QUndoStack) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("List of edits"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setModal(False)
        self.resize(340, 380)
        view = QUndoView(stack)
        view.setEmptyLabel(self.tr("As opened"))
        box = column_in(self, margins=(8, 8, 8, 8))
        box.addWidget(view)


class Commands(QObject):
    """Made once for a window: `menu` is to be hung where it opens. The window itself is only what the keys are of, and
    what dialogs lie over."""

    def __init__(
        self, window: QMainWindow, around: Surroundings, filing: Filing, verdict: Verdict,
        panel: Callable[[str], QWidget], switch_theme: Callable[[], None] | None,
    ) -> None:  # fmt: skip
        super().__init__(window)
        self.window, self.around, self.focus, self.panel = window, around, around.focus, panel
        self.verdict, self.switch_theme = verdict, switch_theme
        self.menu = QMenu(window)
        self._undo, self._redo = self._undo_actions()
        self._fill_menu(
            (
                Command("Ctrl+N", filing.new, self.tr("New")),
                Command("Ctrl+O", filing.open_dialog, self.tr("Open …")),
                Command("Ctrl+S", filing.save, self.tr("Save")),
                Command("Ctrl+Shift+S", filing.save_as, self.tr("Save elsewhere …")),
            ),
            (
                Command("Ctrl+I", filing.bring_in_dialog, self.tr("Bring in a drawing …")),
                Command("Ctrl+E", filing.send_out, self.tr("Send out a drawing …")),
            ),
            (
                self._undo,
                self._redo,
                Command("Ctrl+H", self.show_edits, self.tr("List of edits")),
                Command("Ctrl+F", self.find_anything, self.tr("Find …")),
            ),
            (
                Command("Ctrl+U", self._switch_units, self.tr("Metres or feet")),
                Command("Ctrl+D", self._switch_theme, self.tr("Light or dark desk")),
                Command("F1", self.show_keys, self.tr("Keys")),
                Command("Shift+F1", self.show_about, self.tr("About")),
            ),
            (Command("Ctrl+Q", window.close, self.tr("Leave")),),
        )
        self._filing = filing
        self.recent = QMenu(self.tr("Recent"), window)
        self.menu.insertMenu(self.menu.actions()[2], self.recent)
        self.menu.aboutToShow.connect(self._fill_recent)
        for keys, do in self._keys().items():
            # A letter typed into a field belongs to the field.
            shortcut = QShortcut(QKeySequence(keys), window)
            shortcut.activated.connect(do)
        self._hanging: list[QShortcut] = []
        self._return_hangs()

    def _undo_actions(self) -> tuple[QAction, QAction]:
        stack = self.around.document.undo_stack
        # Kept by name: the stack leaves them to whoever asked, and without a name they are gone at once.
        undo, redo = stack.createUndoAction(self, self.tr("Undo:")), stack.createRedoAction(self, self.tr("Redo:"))
        assert undo is not None and redo is not None
        undo.setShortcut(QKeySequence("Ctrl+Z"))
        redo.setShortcut(QKeySequence("Ctrl+Shift+Z"))
        return undo, redo

    def _fill_menu(self, *groups: tuple[Command | QAction, ...]) -> None:
        for group in groups:
            if not self.menu.isEmpty():
                self.menu.addSeparator()
            for entry in group:
                action = entry if isinstance(entry, QAction) else self._action(entry)
                self.menu.addAction(action)
                self.window.addAction(action)

    def _fill_recent(self) -> None:
        """The files of late, by their names; what their folder is stands beside."""
        self.recent.clear()
        for path in self._filing.recent():
            name = path.name.removesuffix(".vastwatch.json")
            action = QAction(f"{name}   {path.parent}".replace("&", "&&"), self.recent)
            action.triggered.connect(partial(self._open_recent, path))
            self.recent.addAction(action)
        self.recent.setEnabled(not self.recent.isEmpty())

    def _open_recent(self, path: Path, _: bool = False) -> None:
        self._filing.open_recent(path)

    def _action(self, command: Command) -> QAction:
        action = QAction(command.words, self)
        action.setShortcut(QKeySequence(command.keys))
        action.triggered.connect(lambda: command.do())
        return action

    def _keys(self) -> dict[str, Callable[[], object]]:
        focus, playhead = self.focus, self.around.playhead
        of_stages = {f"Ctrl+{k}": partial(focus.set, stage=name) for k, name in enumerate(STAGE_NAMES, 1)}
        return {
            **of_stages,
            "?": self.show_keys,
            "[": partial(playhead.step_time, -60),
            "]": partial(playhead.step_time, 60),
            "{": partial(playhead.step_time, -600),
            "}": partial(playhead.step_time, 600),
            ",": partial(playhead.step_incident, -1),
            ".": partial(playhead.step_incident, 1),
            "<": partial(playhead.step_pace, -1),
            ">": partial(playhead.step_pace, 1),
            "S": partial(next_span, focus),
            "D": partial(playhead.step_day, 1),
            "Shift+D": partial(playhead.step_day, -1),
            "T": self.verdict.try_remedies,
            "W": self._which_sensor,
            "B": self._what_to_buy,
            "PgUp": partial(self._step, step_level, 1),
            "PgDown": partial(self._step, step_level, -1),
            "N": partial(self._step, step_room, 1),
            "Shift+N": partial(self._step, step_room, -1),
            "M": partial(self._step, step_sensor, 1),
            "Shift+M": partial(self._step, step_sensor, -1),
            "V": partial(next_figure, focus),
            "O": partial(self._step_thing, 1),
            "Shift+O": partial(self._step_thing, -1),
            "E": self._extend,
            "G": self._switch_ghost,
            "X": partial(self._only_where_built, "flip"),
            "Shift+X": partial(self._only_where_built, "flop"),
            "Ctrl+J": partial(self._only_where_built, "copy"),
        }

    def _return_hangs(self) -> None:
        """Let Return put down what is in the hand wherever the keys are, a card of the shelf for one; but a field that
        is typed into keeps it."""
        for keys in ("Return", "Enter"):
            shortcut = QShortcut(QKeySequence(keys), self.window)
            shortcut.setEnabled(False)
            shortcut.activated.connect(self.around.plan.put_down)
            self._hanging.append(shortcut)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._who_hangs)
        self.focus.shift.connect(self._who_hangs)

    def _who_hangs(self, *_: object) -> None:
        with contextlib.suppress(RuntimeError):
            typing = isinstance(QApplication.focusWidget(), TYPED_INTO)
            for shortcut in self._hanging:
                shortcut.setEnabled(bool(self.focus.placing) and not typing)

    def run_by_space(self, *widgets: QWidget) -> None:
        """Let the space bar run time while one of these has the keys: elsewhere it presses what has the focus."""
        for widget in widgets:
            space = QShortcut(QKeySequence("Space"), widget)
            space.setContext(Qt.ShortcutContext.WidgetShortcut)
            space.activated.connect(self.around.playhead.play)

    # -- what they do ------------------------------------------------------------------------------------------

    def _switch_units(self) -> None:
        self.focus.set(feet=not self.focus.feet)
        QSettings().setValue("feet", self.focus.feet)
        self.around.say(self.tr("Lengths in feet and inches.") if self.focus.feet else self.tr("Lengths in metres."))

    def _switch_theme(self) -> None:
        if self.switch_theme is not None:
            self.switch_theme()

    def _switch_ghost(self) -> None:
        self.focus.set(ghost=not self.focus.ghost)

    def _which_sensor(self) -> None:
        self.focus.set(stage="Sensors", incident=-1)
        self.verdict.ask_options()

    def _what_to_buy(self) -> None:
        from vastwatch.desk.stages.brief.panel import BriefPanel

        self.focus.set(stage="Brief", incident=-1)
        brief = self.panel("Brief")
        assert isinstance(brief, BriefPanel)
        brief.ask_what_to_buy()

    def _step(self, step: Callable[..., object], way: int) -> None:
        if step(self.focus, self.around.document.project, way):
            self.around.plan.setFocus()

    def _step_thing(self, way: int) -> None:
        """The next thing of the focused room: furniture, spots, lamps, buttons, hazards, openings, walls."""
        if step_thing(self.focus, self.around.plan.builder.things_of_room(), way):
            self.around.plan.setFocus()

    def _extend(self) -> None:
        """Take the selected thing into the selection, or out of it."""
        focus = self.focus
        if focus.here.shapes != "nothing" and focus.selected not in (None, focus.room):
            focus.set(marked=focus.marked ^ {focus.selected})
            self.around.say(self.tr("{} selected.").format(len(focus.marked)))

    def _only_where_built(self, what: str) -> None:
        if self.focus.here.shapes == "building":
            self.around.plan.builder.act(what)

    # -- dialogs -----------------------------------------------------------------------------------------------

    def _raised(self, kind: type[QDialog]) -> bool:
        """Whether a sheet of a kind is open already; it then comes to the front, and none opens twice."""
        for sheet in self.window.findChildren(kind):
            if sheet.isVisible():
                sheet.raise_()
                sheet.activateWindow()
                return True
        return False

    def show_keys(self) -> None:
        """The keyboard sheet."""
        if not self._raised(KeySheet):
            sheet = KeySheet(self.window, self.around.theme)
            sheet.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            sheet.open()

    def show_about(self) -> None:
        """What the program is, and what it keeps in memory."""
        if not self._raised(AboutSheet):
            AboutSheet(self.window).open()

    def find_anything(self) -> None:
        """Type a name, and go there."""
        if not self._raised(Finder):
            finder = Finder(self.window, self.around.document.project)
            finder.gone_to.connect(self._go_to)
            finder.open()

    def _go_to(self, ident: str) -> None:
        project = self.around.document.project
        found = find_any(project, ident)
        if found is None:
            return
        collection, record = found
        home = record if collection == "rooms" else None
        if home is None and getattr(record, "room", None):
            home = find(project.rooms, record.room)
        if home is None and collection in ("sensors", "zones"):
            home = room_of(project, record if collection == "sensors" else find(project.sensors, record.sensor))
        self.focus.set(
            level=level_of(project, ident), room=home.id if home is not None else self.focus.room, selected=ident
        )
        if home is not None:
            self.around.plan.show_whole(home.outline)

    def show_edits(self) -> None:
        """The undo list, in sentences; click a line to go back to it."""
        if not self._raised(EditsSheet):
            EditsSheet(self.window, self.around.document.undo_stack).show()
