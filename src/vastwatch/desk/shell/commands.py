"""What can be asked for by the menu and by keys, wherever one is in the window."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QObject, QSettings, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence, QShortcut, QUndoStack
from PyQt6.QtWidgets import (
    QAbstractButton,
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

from vastwatch.design.project import Project, find_any
from vastwatch.desk.shell.about import AboutSheet
from vastwatch.desk.shell.context import Context
from vastwatch.desk.shell.cycling import (
    home_of,
    level_of,
    next_figure,
    next_span,
    step_level,
    step_room,
    step_sensor,
    step_thing,
    what_changed,
)
from vastwatch.desk.shell.file_actions import Filing
from vastwatch.desk.shell.finder import Finder
from vastwatch.desk.shell.guide_window import GuideWindow, topic_at
from vastwatch.desk.shell.shortcuts_sheet import KeySheet
from vastwatch.desk.shell.widgets import column_in
from vastwatch.desk.stages import STAGE_NAMES
from vastwatch.desk.verdict.verdict import Verdict
from vastwatch.guide import topics


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
        self.setWindowTitle(self.tr("History"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setModal(False)
        self.resize(340, 380)
        view = QUndoView(stack)
        view.setEmptyLabel(self.tr("Opened"))
        box = column_in(self, margins=(8, 8, 8, 8))
        box.addWidget(view)


class Commands(QObject):
    """Made once for a window: `menu` and `help` are to be put where they open. The window itself is only what the
    keys are of, and what dialogs lie over."""

    def __init__(
        self, window: QMainWindow, around: Context, filing: Filing, verdict: Verdict,
        panel: Callable[[str], QWidget], switch_theme: Callable[[], None] | None,
    ) -> None:  # fmt: skip
        super().__init__(window)
        self.window, self.around, self.focus, self.panel = window, around, around.focus, panel
        self.verdict, self.switch_theme = verdict, switch_theme
        self.menu = QMenu(window)
        self._last_change: tuple[Project, Project] | None = None
        self._guide: GuideWindow | None = None
        self._undo, self._redo = self._undo_actions()
        self._fill(
            self.menu,
            (
                Command("Ctrl+N", filing.new, self.tr("New")),
                Command("Ctrl+O", filing.open_dialog, self.tr("Open…")),
                Command("Ctrl+S", filing.save, self.tr("Save")),
                Command("Ctrl+Shift+S", filing.save_as, self.tr("Save as…")),
            ),
            (
                Command("Ctrl+I", filing.bring_in_dialog, self.tr("Import drawing…")),
                Command("Ctrl+E", filing.send_out, self.tr("Export…")),
                Command("Ctrl+P", filing.print_pages, self.tr("Print report…")),
            ),
            (
                self._undo,
                self._redo,
                Command("Ctrl+H", self.show_edits, self.tr("History")),
                Command("Ctrl+F", self.find_anything, self.tr("Find…")),
            ),
            (
                Command("Ctrl+U", self._switch_units, self.tr("Metres / feet")),
                Command("Ctrl+D", self._switch_theme, self.tr("Light / dark theme")),
            ),
            (Command("Ctrl+Q", window.close, self.tr("Quit")),),
        )
        self.help = QMenu(window)
        self.tour = QAction(self.tr("Guided tour"), self)
        self._fill(
            self.help,
            (
                Command("F1", self.explain_this, self.tr("Guide")),
                self.tour,
                Command("?", self.show_keys, self.tr("Keyboard shortcuts")),
            ),
            (Command("Shift+F1", self.show_about, self.tr("About")),),
        )
        self._filing = filing
        self.recent = QMenu(self.tr("Recent"), window)
        self.menu.insertMenu(self.menu.actions()[2], self.recent)
        self.menu.aboutToShow.connect(self._fill_recent)
        # Letters act while what they act on has the keys; elsewhere they belong to what is typed into.
        self._letters: list[QShortcut] = []
        self._of_letters: tuple[QWidget, ...] = ()
        for keys, do in self._keys().items():
            shortcut = QShortcut(QKeySequence(keys), window)
            shortcut.activated.connect(do)
            if keys[-1].isalpha() and len(keys.removeprefix("Shift+")) == 1:
                self._letters.append(shortcut)
        self._hanging: list[QShortcut] = []
        self._return_hangs()
        self._leave = QShortcut(QKeySequence("Escape"), window)
        self._leave.activated.connect(self._back_to_the_plan)

    def _undo_actions(self) -> tuple[QAction, QAction]:
        stack = self.around.document.undo_stack
        # Kept by name: the stack leaves them to anybody who asked, and without a name they are gone at once.
        undo, redo = stack.createUndoAction(self, self.tr("Undo:")), stack.createRedoAction(self, self.tr("Redo:"))
        assert undo is not None and redo is not None
        self.around.document.changed.connect(self._note_change)
        undo.triggered.connect(lambda: self._show_change(self.tr("Undone: {}."), stack.redoText()))
        redo.triggered.connect(lambda: self._show_change(self.tr("Redone: {}."), stack.undoText()))
        undo.setShortcut(QKeySequence("Ctrl+Z"))
        redo.setShortcuts([QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")])
        return undo, redo

    def _note_change(self, old: Project, new: Project) -> None:
        self._last_change = old, new

    def _show_change(self, words: str, what: str) -> None:
        """Say what was undone or done again, select it, and bring it into view."""
        if self._last_change is None:
            return
        old, new = self._last_change
        ident = what_changed(old, new)
        if ident is not None and ident != self.focus.selected:
            self._go_to(ident)
        self.around.say(words.format(what))

    def _fill(self, menu: QMenu, *groups: tuple[Command | QAction, ...]) -> None:
        for group in groups:
            if not menu.isEmpty():
                menu.addSeparator()
            for entry in group:
                action = entry if isinstance(entry, QAction) else self._action(entry)
                menu.addAction(action)
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
            "F2": self._rename,
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
            there = QApplication.focusWidget()
            typing = isinstance(there, TYPED_INTO)
            for shortcut in self._hanging:
                shortcut.setEnabled(bool(self.focus.placing) and not typing)
            # A button takes no letters: who has just pressed one goes on with the plan.
            mine = isinstance(there, QAbstractButton | None) or any(
                w is there or w.isAncestorOf(there) for w in self._of_letters
            )
            for shortcut in self._letters:
                shortcut.setEnabled(mine)
            # The plan has an Esc of its own, and so has what is typed into.
            plan = self.around.plan
            self._leave.setEnabled(there is not None and there is not plan and not typing)

    def _back_to_the_plan(self) -> None:
        """From a card or a button: the plan has the keys again, and nothing is in the hand any more."""
        self.around.plan.setFocus()
        self.around.plan.keyPressEvent(
            QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Escape, Qt.KeyboardModifier.NoModifier)
        )

    def letters_act_in(self, *widgets: QWidget) -> None:
        """Let single letters act while one of these has the keys, or nothing has."""
        self._of_letters = widgets
        self._who_hangs()

    def run_by_space(self, *widgets: QWidget) -> None:
        """Let the space bar run time while one of these has the keys: elsewhere it presses what has the focus."""
        for widget in widgets:
            space = QShortcut(QKeySequence("Space"), widget)
            space.setContext(Qt.ShortcutContext.WidgetShortcut)
            space.activated.connect(self.around.playhead.play)

    # -- what they do ------------------------------------------------------------------------------------------

    def _rename(self) -> None:
        if self.verdict.inspector.rename():
            return
        if self.focus.selected is not None and self.focus.selected == self.focus.room:
            # A room is named where it is built.
            self.focus.set(stage="Plan")
            if self.verdict.inspector.rename():
                return
        self.around.say(self.tr("Select an object that has a name first."))

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

    def explain_this(self) -> None:
        """Open the guide at what explains the widget that has the keys, or else the stage."""
        here = topic_at(QApplication.focusWidget())
        self.show_guide(here or next(t.name for t in topics() if t.chapter == self.focus.stage))

    def show_guide(self, topic: str) -> None:
        """Open the guide at a topic by its name."""
        if self._guide is None:
            self._guide = GuideWindow(self.window, self.around.theme)
        self._guide.show()
        self._guide.show_topic(topic)
        self._guide.raise_()
        self._guide.activateWindow()

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
        if find_any(project, ident) is None:
            return
        home = home_of(project, ident)
        self.focus.set(
            level=level_of(project, ident), room=home.id if home is not None else self.focus.room, selected=ident
        )
        if home is not None:
            self.around.plan.bring_into_view(home.outline)

    def show_edits(self) -> None:
        """The undo list, in sentences; click a line to go back to it."""
        if not self._raised(EditsSheet):
            EditsSheet(self.window, self.around.document.undo_stack).show()
