"""`Document`: the one project on the desk, its undo list, its file and its crash journal.

Every change is a whole new Project value. Changes that belong together (one drag, a row of nudges) share a key and
become one entry of the undo list, whose words read as a sentence.
"""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from vastwatch.design.project import Project
from vastwatch.files import ProjectError, load_project, save_project
from vastwatch.files.journal import Journal
from vastwatch.site.building import Level

# Unsaved work is written aside this long after a change, milliseconds.
JOURNAL_MS = 700


def empty_project() -> Project:
    """A project with one bare level."""
    return Project(name="New project", levels=(Level(id="ground", name="Ground floor", elevation=0.0),))


class Document(QObject):
    """Holds the current Project; `changed(old, new)` follows every edit, undo, redo and load."""

    changed = pyqtSignal(object, object)
    # Another project altogether is about to come in: what was computed of the last one is of no use.
    replaced = pyqtSignal()
    state_changed = pyqtSignal()
    failure = pyqtSignal(str)

    def __init__(self, project: Project, path: Path | None = None, journal: Journal | None = None) -> None:
        super().__init__()
        self.project = project
        self.path = path
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self._stack_changed)
        self.undo_stack.indexChanged.connect(self._stack_changed)
        self._journal = journal
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(JOURNAL_MS)
        self._timer.timeout.connect(self.write_journal)
        self._keys: dict[str, int] = {}
        self._recovered = False

    def _stack_changed(self, _: object) -> None:
        self.state_changed.emit()

    @property
    def modified(self) -> bool:
        """Whether there is work that its file does not hold."""
        return self._recovered or not self.undo_stack.isClean()

    def apply(self, new: Project, words: str, key: str | None = None) -> None:
        """Make `new` the project, as one undoable step; a step with the last one's key joins it."""
        if new is self.project:
            return
        number = -1 if key is None else self._keys.setdefault(key, len(self._keys) + 1)
        self.undo_stack.push(_Change(self, self.project, new, words, number))

    def withdraw(self, key: str) -> None:
        """Take back the last step if it has this key, and forget it: it cannot be redone."""
        last = self.undo_stack.command(self.undo_stack.index() - 1)
        if isinstance(last, _Change) and last.number == self._keys.get(key):
            # Qt drops an obsolete step in place of undoing it.
            before = last.old
            last.setObsolete(True)
            self.undo_stack.undo()
            self.set_project(before)

    def set_project(self, new: Project) -> None:
        """Take a value without an undo step; for the undo steps themselves."""
        old, self.project = self.project, new
        if old is not new:
            self.changed.emit(old, new)
            self._timer.start()

    def replace(self, project: Project, path: Path | None, recovered: bool = False) -> None:
        """Open another project in this document; the undo list starts afresh."""
        self.undo_stack.clear()
        self.path, self._recovered = path, recovered
        self.replaced.emit()
        old, self.project = self.project, project
        self.changed.emit(old, project)
        self._timer.stop()
        if not recovered and self._journal is not None:
            self._journal.clear()
        self.state_changed.emit()

    def open(self, path: Path) -> None:
        """Load a file. Raises ProjectError; the present project then stays."""
        self.replace(load_project(path), path)

    def save(self, path: Path | None = None) -> None:
        """Save to the path, by default where it came from. Raises ProjectError; nothing is then lost."""
        target = path or self.path
        if target is None:
            raise ProjectError("this project has no file yet; choose where to save it")
        save_project(self.project, target)
        self.path, self._recovered = target, False
        self.undo_stack.setClean()
        self._timer.stop()
        if self._journal is not None:
            self._journal.clear()
        self.state_changed.emit()

    def write_journal(self) -> None:
        """Keep unsaved work aside now."""
        if self._journal is None:
            return
        if not self.modified:
            self._journal.clear()
            return
        try:
            self._journal.write(self.project, str(self.path) if self.path else None)
        except ProjectError as e:
            self.failure.emit(str(e))

    def give_up(self) -> None:
        """Forget unsaved work for good: the window closes."""
        self._timer.stop()
        if self._journal is not None:
            self._journal.clear()


class _Change(QUndoCommand):
    def __init__(self, document: Document, old: Project, new: Project, words: str, number: int) -> None:
        super().__init__(words)
        self.document, self.old, self.new, self.number = document, old, new, number

    def redo(self) -> None:
        self.document.set_project(self.new)

    def undo(self) -> None:
        self.document.set_project(self.old)

    def id(self) -> int:
        return self.number

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Change) or other.number != self.number:
            return False
        self.new = other.new
        self.setText(other.text())
        return True
