"""The real window, offscreen."""

from __future__ import annotations

import pytest

from vastwatch.desk.results import judged, registry

# Rooms are judged in the background only where that is asked for: the others need no judge.
judged.REST_MS = 10**8
# A pause in typing is one as soon as nothing is typed: nobody thinks between two keys here.
registry.SETTLE_MS = 20
# Most tests look at the window and not at the people: one day is lived.
A_WEEK = registry.DAYS
registry.DAYS = 1


@pytest.fixture
def a_week(monkeypatch):
    """The week that is shipped, for tests of what happens in it."""
    monkeypatch.setattr(registry, "DAYS", A_WEEK)


class _Shared:
    """One desk for the tests of a module, and a new one wherever a test leaves it otherwise than it can be restored:
    closed, of the other theme, or with a dialog open."""

    def __init__(self, demo):
        self.demo, self.desk = demo, None

    def begin(self, qtbot, journal):
        """A desk on the sample as it was delivered, shown, active and at rest."""
        from hands import settle

        if self.desk is None:
            self._make(journal)
        else:
            self._put_back()
        window = self.desk.window
        window.resize(1280, 800)
        window.show()
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow)
        window.plan.setFocus()
        settle(qtbot, window)
        return self.desk

    def end(self, fresh):
        """Keep the desk for the next test, unless it cannot be restored."""
        from PyQt6.QtWidgets import QApplication

        from vastwatch.desk.shell import theme as themes

        desk = self.desk
        desk.document.undo_stack.setClean()
        others = [w for w in QApplication.topLevelWidgets() if w.isVisible() and w is not desk.window]
        as_made = desk.window is self.window and desk.window.isVisible() and desk.theme is themes.LIGHT
        if fresh or others or not as_made or desk.window.results.stopped:
            self.give_up()

    def give_up(self):
        """Close the desk, whatever window it has by now."""
        if self.desk is not None:
            self.desk.document.undo_stack.setClean()
            self.desk.window.close()
            self.desk.window.deleteLater()
            self.desk = None

    def _make(self, journal):
        from PyQt6.QtCore import QSettings

        from vastwatch.desk.shell.app import Desk, make_application
        from vastwatch.desk.shell.document import Document
        from vastwatch.files.journal import Journal

        make_application()
        QSettings().clear()
        self.desk = Desk(Document(self.demo, None, Journal(journal)))
        self.window = self.desk.window

    def _put_back(self):
        from PyQt6.QtCore import QSettings

        from vastwatch.desk.shell.focus import Focus

        QSettings().clear()
        desk, window = self.desk, self.desk.window
        desk.document.replace(self.demo, None)
        window.results.seed, window.results.days = registry.SEED, registry.DAYS
        new = Focus()
        window.focus.set(**vars(new))
        window.take_over()


@pytest.fixture(scope="module")
def shared_desk(demo):
    shared = _Shared(demo)
    yield shared
    shared.give_up()


@pytest.fixture
def desk(request, qtbot, shared_desk, tmp_path):
    """The sample in a window that is shown, active and at rest; whatever is changed in it is given up. Tests marked
    `own_window` have one that no other test had or will have."""
    fresh = request.node.get_closest_marker("own_window") is not None
    if fresh:
        shared_desk.give_up()
    try:
        yield shared_desk.begin(qtbot, tmp_path / "journal")
    finally:
        shared_desk.end(fresh)


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
