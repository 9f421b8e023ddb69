"""`Document`: the one project on the desk, its undo list, its file and its crash journal.

Every change is a whole new Project value. Changes that belong together (one drag, a row of nudges) share a key and
become one entry of the undo list, whose words read as a sentence.
"""

from __future__ import annotations

import logging
from pathlib import Path

from PyQt6.QtCore import QElapsedTimer, QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from vastwatch.design.edits.parting import parted
from vastwatch.design.project import Project
from vastwatch.design.references import settled
from vastwatch.files import ProjectError, save_project
from vastwatch.files.check import faults_of
from vastwatch.files.journal import Journal
from vastwatch.files.project_file import LARGEST, read_project
from vastwatch.files.reading import Stamp, stamp_of
from vastwatch.files.validation import in_names
from vastwatch.files.writing import same_file
from vastwatch.site.building import Level
from vastwatch.yielding import frame

# Unsaved work is written aside so long after the last change, and at the latest so long after the first, milliseconds.
JOURNAL_MS, JOURNAL_LATEST_MS = 700, 3000

_LOG = logging.getLogger(__name__)


# What a project is called before anybody has named it.
NEW_NAME = "New project"


def name_of_file(path: Path) -> str:
    """What a project in a file is called until it has a name: the file's, without its endings."""
    return path.name.removesuffix(".json").removesuffix(".vastwatch") or NEW_NAME


def empty_project() -> Project:
    """A project with one bare level."""
    return Project(name=NEW_NAME, levels=(Level(id="ground", name="Ground floor", elevation=0.0),))


class ChangedElsewhere(ProjectError):
    """The file is not what it was when this document read or wrote it: somebody else wrote it meanwhile."""

    def __init__(self, path: Path, found: Stamp) -> None:
        super().__init__(f"{path}: another program has changed this file since you opened it")
        self.path, self.found = path, found


class Document(QObject):
    """Holds the current Project; `changed(old, new)` follows every edit, undo, redo and load."""

    changed = pyqtSignal(object, object)
    # Another project altogether is about to come in: what was computed of the last one is of no use.
    replaced = pyqtSignal()
    state_changed = pyqtSignal()
    failure = pyqtSignal(str)
    # What an edit has brought with it beside what it was asked for, in a sentence.
    news = pyqtSignal(str)

    def __init__(
        self,
        project: Project,
        path: Path | None = None,
        journal: Journal | None = None,
        stamp: Stamp | None = None,
    ) -> None:
        super().__init__()
        self.project = project
        self.path = path
        # What its file was when it was read or written last, and the project in it: so another writing is noticed.
        self.stamp = stamp
        self.as_filed: Project | None = project if path else None
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self._stack_changed)
        self.undo_stack.indexChanged.connect(self._stack_changed)
        self._journal = journal
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(JOURNAL_MS)
        self._timer.timeout.connect(self.write_journal)
        self._since = QElapsedTimer()
        self._keys: dict[str, int] = {}
        self._recovered = False

    def _stack_changed(self, _: object) -> None:
        self.state_changed.emit()

    @property
    def modified(self) -> bool:
        """Whether there is work that its file does not hold."""
        return self._recovered or not self.undo_stack.isClean()

    def apply(self, new: Project, words: str, key: str | None = None) -> bool:
        """Make `new` the project, as one undoable step; a step with the last one's key joins it. Things that came into
        another room leave what named them in the old one, and `news` tells of it. A project that no file could hold is
        refused: `failure` says why, the log too, and False comes back."""
        if new is self.project:
            return True
        new = settled(new)
        fault = next(faults_of(new, self.project), None)
        if fault is not None:
            _LOG.error("refused %r: %s", words, fault)
            self.failure.emit(
                self.tr("Nothing was changed: {}. This is an internal error.").format(in_names(new, fault))
            )
            return False
        number = -1 if key is None else self._keys.setdefault(key, len(self._keys) + 1)
        last = self.undo_stack.command(self.undo_stack.index() - 1)
        joins = isinstance(last, _Change) and number >= 0 and last.number == number
        before = last.old if isinstance(last, _Change) and joins else self.project
        left = parted(before, new)
        self.undo_stack.push(_Change(self, self.project, new, words, number))
        if left:
            # Again at every step of a drag: what was said before an edit no longer holds after it.
            self.news.emit(left)
        return True

    def withdraw(self, key: str) -> None:
        """Take back the last step if it has this key, and forget it: it cannot be redone."""
        last = self.undo_stack.command(self.undo_stack.index() - 1)
        if isinstance(last, _Change) and last.number == self._keys.get(key):
            # Qt removes an obsolete step in place of undoing it.
            before = last.old
            last.setObsolete(True)
            self.undo_stack.undo()
            self.set_project(before)

    def set_project(self, new: Project) -> None:
        """Take a value without an undo step; for the undo steps themselves."""
        old, self.project = self.project, new
        if old is not new:
            # Anybody who follows the hand goes first.
            with frame():
                self.changed.emit(old, new)
            if not self._timer.isActive():
                self._since.start()
            self._timer.start(max(min(JOURNAL_MS, JOURNAL_LATEST_MS - self._since.elapsed()), 0))

    def replace(self, project: Project, path: Path | None, stamp: Stamp | None = None, recovered: bool = False) -> None:
        """Open another project here; the undo list starts afresh. `stamp` is what its file was when it was read."""
        self.undo_stack.clear()
        self.path, self._recovered = path, recovered
        self.stamp, self.as_filed = stamp, None if recovered or path is None else project
        self.replaced.emit()
        old, self.project = self.project, project
        self.changed.emit(old, project)
        self._timer.stop()
        if not recovered and self._journal is not None:
            self._journal.clear()
        self.state_changed.emit()

    def open(self, path: Path) -> None:
        """Load a file. Raises ProjectError; the present project then stays."""
        project, stamp = read_project(path)
        self.replace(project, path, stamp)

    def save(self, path: Path | None = None, over: Stamp | None = None) -> None:
        """Save to the path, by default where it came from. Raises ProjectError; nothing is then lost.

        Raises ChangedElsewhere where the file is neither what it was when this document last saw it, nor `over`, which
        the user has decided to write over.
        """
        target = path or self.path
        if target is None:
            raise ProjectError("this project has no file yet; choose where to save it")
        if self.stamp is not None and self.path is not None and same_file(target, self.path):
            found = stamp_of(target, LARGEST)
            if found is not None and not found.same(self.stamp) and not found.same(over):
                raise ChangedElsewhere(target, found)
        self.stamp = save_project(self.project, target)
        self.as_filed = self.project
        self.path, self._recovered = target, False
        self.undo_stack.setClean()
        self._timer.stop()
        if self._journal is not None:
            self._journal.clear()
        self.state_changed.emit()

    def take_theirs(self, project: Project, stamp: Stamp) -> None:
        """Take what another program wrote to this file, as a step that can be undone."""
        self.apply(project, "Reload the file from disk")
        self.stamp, self.as_filed, self._recovered = stamp, project, False
        self.undo_stack.setClean()
        self.state_changed.emit()

    def write_journal(self) -> bool:
        """Keep unsaved work aside now; whether it is safe there, or needs no keeping."""
        if self._journal is None:
            return False
        if not self.modified:
            self._journal.clear()
            return True
        try:
            self._journal.write(self.project, str(self.path.absolute()) if self.path else None, self.stamp)
        except ProjectError as e:
            self.failure.emit(str(e))
            return False
        return True

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
