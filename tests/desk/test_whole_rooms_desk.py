"""Whole rooms moved and copied in the real window, by their names, by keys and by figures."""

from __future__ import annotations

import pytest
from hands import LEFT, drag, inspect, key, project, settle, type_into
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt

from vastwatch.design.project import find
from vastwatch.desk.plan.places import name_frame
from vastwatch.files.check import faults_of
from vastwatch.geometry.polygons import bounds

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def two(qtbot, window):
    w = window
    w.filing.new()
    w.activateWindow()
    qtbot.waitUntil(w.isActiveWindow)
    for name, size in (("Den", "4 x 3"), ("Hall", "2 x 3")):
        type_into(qtbot, w.panel("Plan").build.name, name)
        type_into(qtbot, w.panel("Plan").build.measure, size)
    settle(qtbot, w)
    return w


def test_a_room_is_dragged_by_its_name_and_takes_hold_of_corners(qtbot, two):
    w = two
    hall = project(w).rooms[1]
    grip = name_frame(hall, w.plan.state, w.plan).center().toPoint()
    k = w.plan.scale_px
    steps = w.document.undo_stack.count()
    # To the left above the den, three pixels off its corner.
    drag(qtbot, w, grip, grip + QPoint(round(-4 * k) + 3, round(-3 * k) - 3))
    new = project(w).rooms[1]
    assert bounds(new.outline) == pytest.approx((0, 3, 2, 6))
    assert w.document.undo_stack.count() == steps + 1 and w.focus.selected == hall.id
    assert not list(faults_of(project(w)))
    # Onto the den it does not go.
    grip = name_frame(new, w.plan.state, w.plan).center().toPoint()
    drag(qtbot, w, grip, grip + QPoint(round(0.9 * k), round(1.5 * k)))
    assert "overlap" in w.status.said.text()
    # What could not be is no news any more once something could.
    qtbot.wait(150)
    grip = name_frame(project(w).rooms[1], w.plan.state, w.plan).center().toPoint()
    drag(qtbot, w, grip, grip + QPoint(0, round(-1.5 * k)))
    assert bounds(project(w).rooms[1].outline)[1] > 4
    assert "overlap" not in w.status.said.text()


def test_walls_follow_a_room_moved_by_figures_and_one_press_sets_a_whole_level(qtbot, two):
    w = two

    def shared():
        return [x.material for x in project(w).walls if x.a[0] == x.b[0] == 4.0]

    w.focus.set(room="hall", selected="hall")
    assert shared() == ["plasterboard"]
    type_into(qtbot, inspect(w, "X"), "6")
    assert shared() == ["brick"]
    type_into(qtbot, inspect(w, "X"), "4")
    assert shared() == ["plasterboard"]
    level = w.panel("Plan").level
    qtbot.mouseClick(level.walls, LEFT)
    assert "already built for its position" in w.status.said.text()
    old = project(w)
    odd = tuple(replace(x, thickness=0.1, material="plasterboard") for x in old.walls)
    w.document.apply(replace(old, walls=odd), "Set all walls")
    qtbot.mouseClick(level.walls, LEFT)
    assert [(x.thickness, x.material) for x in project(w).walls] == [(x.thickness, x.material) for x in old.walls]
    assert w.document.undo_stack.undoText() == "Set 6 walls by position"
    w.document.undo_stack.undo()
    assert project(w).walls == odd


def test_a_room_is_moved_by_keys_and_figures_and_copied(qtbot, two):
    w = two
    w.focus.set(room="hall", selected="hall")
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_Right, CTRL)
    assert bounds(find(project(w).rooms, "hall").outline)[0] == pytest.approx(4.05)
    key(qtbot, w.plan, Qt.Key.Key_Right)
    assert bounds(find(project(w).rooms, "hall").outline)[0] == pytest.approx(4.05)
    type_into(qtbot, inspect(w, "X"), "5")
    type_into(qtbot, inspect(w, "Y"), "1.5")
    assert bounds(find(project(w).rooms, "hall").outline) == pytest.approx((5, 1.5, 7, 4.5))
    type_into(qtbot, inspect(w, "X"), "3")
    assert "overlap" in w.status.said.text() and inspect(w, "X").text() == "5.00 m"
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_J, CTRL)
    assert [r.name for r in project(w).rooms] == ["Den", "Hall", "Hall 2"] and w.focus.room == "hall-2"
    assert w.document.undo_stack.undoText() == "Duplicate hall"
    qtbot.mouseClick(w.panel("Plan").build.acts["copy"], LEFT)
    assert len(project(w).rooms) == 4 and not list(faults_of(project(w)))
