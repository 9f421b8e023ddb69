"""Starting the desktop: the application, its fonts and theme, the project, and unsaved work left by a crash."""

from __future__ import annotations

import contextlib
import logging
import sys
import traceback
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from types import TracebackType

from msgspec.structs import replace
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from vastwatch.design.project import Project
from vastwatch.desk.shell import theme as themes
from vastwatch.desk.shell.document import Document, empty_project, name_of_file
from vastwatch.desk.shell.ending import Ending
from vastwatch.desk.shell.glyphs import app_icon
from vastwatch.desk.shell.preparing import Preparing
from vastwatch.desk.shell.window import Window
from vastwatch.files import ProjectError, load_demo
from vastwatch.files.journal import Journal, UnsavedWork, journal_folder
from vastwatch.files.project_file import read_project
from vastwatch.files.reading import Stamp
from vastwatch.memo import MEMO


def make_application(argv: list[str] | None = None) -> QApplication:
    """The one QApplication, with fonts, icon and the light theme."""
    app = QApplication.instance() or QApplication(argv or ["vastwatch"])
    assert isinstance(app, QApplication)
    app.setApplicationName("vastwatch")
    app.setOrganizationName("vastwatch")
    app.setApplicationDisplayName("Vast Watch")
    app.setDesktopFileName("vastwatch")
    themes.load_fonts()
    themes.apply(app, themes.LIGHT)
    app.setWindowIcon(app_icon())
    return app


# Of results a window keeps so many bytes, for hours: what the judge simulates for a room of the sample, and its week.
KEPT = 200 * 1024 * 1024


class Desk:
    """Owns the window, and makes it anew when the theme is switched."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.theme = themes.LIGHT
        self.window = Window(document, self.theme, self.switch_theme)

    def switch_theme(self) -> None:
        """Between light and dark: the same document and focus in a window of the other theme."""
        old = self.window
        self.theme = themes.DARK if self.theme is themes.LIGHT else themes.LIGHT
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        themes.apply(app, self.theme)
        old.retire()
        self.window = Window(self.document, self.theme, self.switch_theme)
        f, g = old.focus, self.window.focus
        g.set(**{name: getattr(f, name) for name in ("stage", "level", "room", "selected", "figure", "time", "day")})
        self.window.setGeometry(old.geometry())
        self.window.show()
        old.hide()
        old.deleteLater()

    def offer_leftover(self, journal: Journal) -> None:
        """Offer unsaved work of programs that ended without saving; the first that is wanted is taken up, the rest stay
        for the next start. What was taken up is only forgotten once it is kept anew."""
        for leftover in journal.leftovers():
            if not self._wants(leftover):
                journal.discard(leftover)
                continue
            path = Path(leftover.path) if leftover.path else None
            self.document.replace(leftover.project, path, leftover.stamp, recovered=True)
            self.window.take_over()
            if self.document.write_journal():
                journal.discard(leftover)
            break
        kept = journal.unreadable()
        if kept:
            self.window.say(f"Unsaved work could not be recovered; it is kept as {kept[-1]}.")

    def _wants(self, leftover: UnsavedWork) -> bool:
        box = QMessageBox(self.window)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setObjectName("recover")
        box.setWindowTitle("Unsaved changes")
        when = datetime.fromtimestamp(leftover.saved_at)
        box.setText(
            f"{leftover.project.name} has unsaved work of {when:%A} {when.day} {when:%B}, {when:%H:%M}, "
            "from a session that ended without saving."
        )
        said = "Recovering it leaves the file unchanged until you save."
        if leftover.left_out:
            said += f"\n\nSome of it could not be kept: {_some(leftover.left_out)}."
        box.setInformativeText(said)
        take = box.addButton("Recover", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Discard", QMessageBox.ButtonRole.DestructiveRole)
        box.exec()
        return box.clickedButton() is take


def _some(sentences: Sequence[str], most: int = 3) -> str:
    """The first of some sentences, and how many more there are."""
    more = len(sentences) - most
    return "; ".join(sentences[:most]) + (f"; and {more} more" if more > 0 else "")


def catch_failures(desk: Desk, log: Path) -> None:
    """An internal error neither ends it nor reaches the user as a traceback: it is logged, and said."""

    def caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            QApplication.quit()
            return
        with contextlib.suppress(OSError):
            log.parent.mkdir(parents=True, exist_ok=True)
            with log.open("a", encoding="utf-8") as out:
                traceback.print_exception(kind, error, trace, file=out)
        desk.window.say(f"That did not work because of an internal error. Your work is kept; details in {log}.")

    sys.excepthook = caught
    # What fails in the background goes to the same log, and is said by anybody who asked for it.
    with contextlib.suppress(OSError):
        log.parent.mkdir(parents=True, exist_ok=True)
        logging.basicConfig(handlers=[logging.FileHandler(log, encoding="utf-8", delay=True)])


def _first_project(path: Path | None, demo: bool) -> tuple[Project, Stamp | None]:
    """What the desktop opens: the file, a new project where it is not there yet, the sample, or an empty project.
    Raises ProjectError."""
    if path is None:
        return (load_demo() if demo else empty_project()), None
    if path.suffix == ".json" and not path.exists() and path.parent.is_dir():
        return replace(empty_project(), name=name_of_file(path)), None
    return read_project(path)


def run(file: str | None, demo: bool) -> int:
    """Open the desktop on a file, the sample project, or an empty one; returns the exit code."""
    try:
        path = Path(file) if file else None
        project, stamp = _first_project(path, demo)
    except ProjectError as e:
        print(f"vastwatch: {e}", file=sys.stderr)
        return 1
    MEMO.set_budget(KEPT)
    app = make_application(sys.argv[:1])
    journal = Journal()
    document = Document(project, path, journal, stamp)
    desk = Desk(document)
    Ending(document.write_journal, app)
    catch_failures(desk, journal_folder().parent / "failures.log")
    desk.window.show()
    if path is not None and stamp is not None:
        desk.window.filing.remember(path)
    elif path is not None:
        desk.window.say(f"A new project: {path.name} is created when you save.")
    QTimer.singleShot(0, lambda: desk.offer_leftover(journal))
    preparing = Preparing(lambda words: desk.window.say(words), app)
    QTimer.singleShot(0, preparing.begin)
    return app.exec()
