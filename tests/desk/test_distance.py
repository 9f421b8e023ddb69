"""What of a plan is shown from how far, the map of the whole, and what a click selects."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from hands import LEFT, key, pixel, project, send_move, settle, spot_px
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt

from vastwatch.design.edits.fittings import add_output
from vastwatch.design.project import find
from vastwatch.desk.plan.distance import (
    FAR_PX,
    LEAST_SHARE,
    NEAR_PX,
    clearness,
    groups,
    mark_share,
    name_px,
    short_name,
)  # fmt: skip
from vastwatch.desk.plan.marks import devices_by_room, groups_shown
from vastwatch.desk.verdict.finding_card import LinkCard

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
from copies import copies


@given(st.floats(1.0, 700.0), st.floats(1.0, 700.0))
def test_marks_never_grow_with_distance(a, b):
    near, far = max(a, b), min(a, b)
    assert LEAST_SHARE <= mark_share(far) <= mark_share(near) <= 1.0
    assert 0.0 <= clearness(far) <= clearness(near) <= 1.0
    assert 10 <= name_px(far) <= name_px(near) <= 13


def test_marks_are_whole_from_near_and_small_from_far():
    assert mark_share(NEAR_PX) == 1.0 and mark_share(FAR_PX) == LEAST_SHARE
    assert clearness(60) == 1.0 and clearness(8) == 0.0


def test_a_room_is_grouped_where_its_marks_have_no_place(demo):
    rooms = [r for r in demo.rooms if r.level == "ground"]
    members = {"shop": frozenset({"a", "b", "c", "d"}), "throwing": frozenset({"e"})}
    assert groups(rooms, members, 53.0) == {}
    far = groups(rooms, members, 13.0)
    # One mark by itself stays a mark.
    assert list(far) == ["shop"] and far["shop"].members == members["shop"]


@pytest.mark.parametrize(
    ("wide", "said"),
    [(16, "Treatment room 1"), (12, "Treatment 1"), (10, "Treatme. 1"), (6, "Tre. 1"), (2, "1"), (0, "")],
)
def test_a_number_at_the_end_of_a_name_is_kept(wide, said):
    assert short_name("Treatment room 1", wide, len) == said


@given(st.text("abc ", min_size=1, max_size=24), st.integers(0, 30))
def test_a_short_name_fits(words, wide):
    out = short_name(words, wide, len)
    assert len(out) <= wide or out == words


def test_a_name_is_shortened_from_its_end():
    assert short_name("Guest bedroom", 9, len) == "Guest"
    assert short_name("Guest bedroom", 11, len) == "Guest bedr."
    assert short_name("Staircase", 6, len) == "Stair."
    assert short_name("12", 1, len) == ""


@pytest.fixture
def far(qtbot, window):
    """Four copies of the sample side by side, all of them shown."""
    window.document.replace(copies(project(window), 4), None)
    window.take_over()
    window.focus.set(level="ground", stage="Sensors", room="throwing", selected="throwing")
    window.plan.fit()
    settle(qtbot, window)
    return window


@pytest.mark.own_window
def test_rooms_stand_for_their_devices_from_far_and_a_click_goes_there(qtbot, far):
    plan = far.plan
    shown = groups_shown(plan.state, plan.scale_px)
    assert {"shop", "shop--1", "shop--2", "shop--3"} <= shown.keys()
    group = shown["shop--2"]
    at = plan.pixel_of(*group.at).toPoint()
    # None of its marks is taken hold of there; its card says what it stands for.
    assert not set(plan.picking.marks(QPointF(at))) & group.members
    send_move(far, at)
    assert plan.card.isVisible() and plan.card.rows[0] == ("Shop", f"{len(group.members)} devices")
    qtbot.mouseClick(plan.viewport(), LEFT, pos=at)
    assert far.focus.room == "shop--2" and plan.scale_px >= 24
    assert "shop--2" not in groups_shown(plan.state, plan.scale_px)
    # The rest of the level is a small map now.
    assert plan.overview.isVisible()
    key(qtbot, plan, Qt.Key.Key_F)
    assert not plan.overview.isVisible()


@pytest.mark.own_window
def test_a_selected_device_is_shown_by_itself_from_far(qtbot, far):
    plan = far.plan
    far.focus.set(selected="pir-shop--1", room="shop--1")
    where = find(project(far).sensors, "pir-shop--1").at
    assert plan.picking.mark(plan.pixel_of(where[0], where[1])) == "pir-shop--1"


@pytest.mark.own_window
def test_the_map_is_looked_at_elsewhere_by_a_click(qtbot, far):
    plan = far.plan
    plan.zoom(4.0)
    settle(qtbot, far)
    overview = plan.overview
    assert overview.isVisible()
    qtbot.mouseClick(overview, LEFT, pos=QPoint(8, overview.height() // 2))
    left = plan.plan_at(QPointF(plan.viewport().rect().center()))[0]
    qtbot.mouseClick(overview, LEFT, pos=QPoint(overview.width() - 8, overview.height() // 2))
    right = plan.plan_at(QPointF(plan.viewport().rect().center()))[0]
    assert left < 10 < 120 < right


@pytest.mark.own_window
def test_a_finding_brings_its_room_into_view(qtbot, far):
    card = next(c for c in far.verdict.findChildren(LinkCard) if "heel" in c.accessibleName())
    far.plan.look_at(QPointF(120.0, -4.0))
    qtbot.mouseClick(card, LEFT, pos=QPoint(20, 10))
    room = find(project(far).rooms, "throwing")
    assert all(far.plan.viewport().rect().contains(far.plan.pixel_of(*p).toPoint()) for p in room.outline)
    assert far.plan.scale_px >= 24


def test_a_dragged_sensor_makes_no_room_anew(window):
    state = window.plan.state
    before = devices_by_room(state)
    window.focus.set(selected="pir-shop")
    window.plan.nudge(-0.05, 0.0)
    assert devices_by_room(state) is before


def test_a_click_again_selects_what_lies_under(qtbot, plan):
    """A fan on a lamp, over a table: one after the other, the room last; and a drag moves the one that is selected."""
    w = plan
    w.focus.set(level="ground", room="throwing", selected="throwing")
    lamp = next(x for x in project(w).lamps if x.room == "throwing")
    new, fan = add_output(project(w), "ground", lamp.at, "fan", _fan())
    w.document.apply(new, "Put a fan on the lamp")
    settle(qtbot, w)
    at = spot_px(w, *lamp.at)
    seen = []
    for _ in range(4):
        qtbot.mouseClick(w.plan.viewport(), LEFT, pos=at)
        seen.append(w.focus.selected)
    assert set(seen[:2]) == {lamp.id, fan.id} and "throwing" in seen and seen[3] in (seen[0], *seen[2:])
    # The lamp in hand is dragged from under the fan.
    w.focus.set(selected=lamp.id)
    where = project(w)
    qtbot.mousePress(w.plan.viewport(), LEFT, pos=at)
    send_move(w, at + QPoint(40, 30), buttons=LEFT)
    qtbot.mouseRelease(w.plan.viewport(), LEFT, pos=at + QPoint(40, 30))
    assert find(project(w).lamps, lamp.id).at != lamp.at
    assert find(project(w).outputs, fan.id) is find(where.outputs, fan.id)


def _fan():
    from vastwatch.control.outputs.handler import handlers

    return handlers()["fan"].new


def test_two_clicks_in_two_places_select_the_nearest_each(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="shop", selected="shop")
    for ident in ("pir-shop", "pir-throwing", "pir-shop"):
        qtbot.mouseClick(w.plan.viewport(), LEFT, pos=pixel(w, ident))
        assert w.focus.selected == ident
