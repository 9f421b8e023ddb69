"""The real window, offscreen."""

from __future__ import annotations

import pytest

from vastwatch.desk.shell import results, work

# Rooms are judged in the background only where that is asked for: the others need no judge.
results.REST_MS = 10**8
# A pause in typing is one as soon as nothing is typed: nobody thinks between two keys here.
results.SETTLE_MS = 20
# Most tests look at the window and not at the people: one day is lived.
results.DAYS = 1


@pytest.fixture
def a_week(monkeypatch):
    """The week that is shipped, for tests of what happens in it."""
    monkeypatch.setattr(results, "DAYS", work.DAYS)


@pytest.fixture
def desk(qtbot, demo, tmp_path):
    """The sample in a window that is shown, active and at rest; whatever is changed in it is given up."""
    from hands import settle
    from PyQt6.QtCore import QSettings

    from vastwatch.desk.shell.app import Desk, make_application
    from vastwatch.desk.shell.document import Document
    from vastwatch.files.journal import Journal

    make_application()
    QSettings().clear()
    desk = Desk(Document(demo, None, Journal(tmp_path / "journal")))
    window = desk.window
    window.resize(1280, 800)
    window.show()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    window.plan.setFocus()
    settle(qtbot, window)
    yield desk
    # Whatever window the desk has by now.
    desk.document.undo_stack.setClean()
    desk.window.close()
    desk.window.deleteLater()


@pytest.fixture
def window(desk):
    """Its window."""
    return desk.window


@pytest.fixture
def plan(qtbot, window):
    """The window in the Plan stage."""
    from hands import settle

    window.focus.set(stage="Plan")
    settle(qtbot, window)
    return window


@pytest.fixture
def scenes(qtbot, window):
    """The Scenes panel with the sitting room in hand."""
    from hands import settle

    window.focus.set(stage="Scenes", room="sitting", level="upper", selected=None, time=86_400 + 20.5 * 3600)
    settle(qtbot, window)
    return window.panel("Scenes")
