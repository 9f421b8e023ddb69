"""Hands for the tests: what they do at the real window, with mouse and keys, and what they read there."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit

from vastwatch.design.ladders import ladder_rows
from vastwatch.design.project import find
from vastwatch.desk.shell.widgets import FigureField

LEFT = Qt.MouseButton.LeftButton


def plain(words):
    """What a label says, with ordinary spaces between figures and units."""
    return words.replace("\u00a0", " ")


def settle(qtbot, window):
    """Wait until the week is rehearsed and nothing is under way."""

    def at_rest():
        results = window.results
        assert results.rehearsal is not None, f"nothing is rehearsed: {results.week.state}"
        assert not results.busy(), f"still at work: {results.at_work}"

    qtbot.waitUntil(at_rest, timeout=20_000)


def project(window):
    return window.document.project


def sensor(window, ident):
    return find(project(window).sensors, ident)


def pixel(window, ident) -> QPoint:
    at = sensor(window, ident).at
    return window.plan.pixel_of(at[0], at[1]).toPoint()


def spot_px(window, x, y) -> QPoint:
    return window.plan.pixel_of(x, y).toPoint()


def drag(qtbot, window, start: QPoint, end: QPoint, steps=6, modifier=Qt.KeyboardModifier.NoModifier):
    view = window.plan.viewport()
    qtbot.mousePress(view, LEFT, modifier, start)
    for k in range(1, steps + 1):
        p = start + (end - start) * k / steps
        send_move(window, p, modifier)
    qtbot.mouseRelease(view, LEFT, modifier, end)


def send_move(window, p, modifier=Qt.KeyboardModifier.NoModifier, buttons=LEFT):
    view = window.plan.viewport()
    q = QPointF(p)
    QApplication.sendEvent(
        view, QMouseEvent(QEvent.Type.MouseMove, q, view.mapToGlobal(q), Qt.MouseButton.NoButton, buttons, modifier)
    )


def key(qtbot, widget, k, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.keyClick(widget, k, modifier)


def field(window, name) -> FigureField:
    return next(f for f in window.verdict.inspector.findChildren(FigureField) if f.accessibleName() == name)


def type_into(qtbot, f, text):
    f.setFocus()
    f.selectAll()
    qtbot.keyClicks(f, text)
    key(qtbot, f, Qt.Key.Key_Return)


def inspect(w, name):
    kinds = (FigureField, QComboBox, QLineEdit)
    return next(f for f in w.verdict.inspector.findChildren(kinds) if f.accessibleName() == name)


def names(w, room="sitting", group=None):
    """The rows of a ladder by name, from the top."""
    return [r.name for r in ladder_rows(project(w), room, group)]


def row_pixel(panel, name) -> QPoint:
    """The middle of a row of the ladder that is shown."""
    k = next(k for k, r in enumerate(panel.ladder.rows) if r.name == name)
    return panel.ladder.rect_of(k).center().toPoint()


def undo(window):
    window.document.undo_stack.undo()
