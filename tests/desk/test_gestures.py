"""Gestures on the plan that are taken back in the middle, in the real window."""

from __future__ import annotations

import pytest
from hands import LEFT, project, send_move, spot_px
from PyQt6.QtCore import QPoint, Qt

from vastwatch.design.places import middle_of

NONE = Qt.KeyboardModifier.NoModifier


@pytest.mark.parametrize(
    ("stage", "collection"), [("Plan", "furnishings"), ("Plan", "lamps"), ("Sensors", "sensors"), ("Sensors", "spots")]
)
def test_escape_in_the_middle_of_a_drag_takes_it_back_and_leaves_no_step(qtbot, window, stage, collection):
    w = window
    w.focus.set(stage=stage)
    before, steps = project(w), w.document.undo_stack.count()
    start = spot_px(w, *middle_of(getattr(before, collection)[0]))
    qtbot.mousePress(w.plan.viewport(), LEFT, NONE, start)
    for k in range(1, 6):
        send_move(w, start + QPoint(4 * k, 3 * k))
    assert project(w) is not before and w.document.undo_stack.count() == steps + 1
    qtbot.keyClick(w.plan, Qt.Key.Key_Escape)
    assert project(w) is before and w.document.undo_stack.count() == steps
    send_move(w, start + QPoint(60, 60))
    qtbot.mouseRelease(w.plan.viewport(), LEFT, NONE, start + QPoint(60, 60))
    assert project(w) is before and not w.plan.state.dragging


def test_escape_in_a_frame_marks_again_what_was_marked(qtbot, window):
    w = window
    w.focus.set(stage="Plan", marked=frozenset({project(w).furnishings[0].id}))
    before, shift = w.focus.marked, Qt.KeyboardModifier.ShiftModifier
    qtbot.mousePress(w.plan.viewport(), LEFT, shift, spot_px(w, -1.5, -0.4))
    send_move(w, spot_px(w, 9, 7), shift)
    assert len(w.focus.marked) > 1
    qtbot.keyClick(w.plan, Qt.Key.Key_Escape)
    assert w.focus.marked == before
