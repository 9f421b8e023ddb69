"""Laws that hold whatever the numbers: symmetries of sensing, monotony of control, edits that keep a project whole."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import built_cells, device, make_room, shelf_at
from vastwatch.control.house import run_house
from vastwatch.design.edits.building import add_room, move_corner, move_wall, rectangle
from vastwatch.design.edits.fittings import add_furnishing, add_opening
from vastwatch.design.edits.removing import remove, removed
from vastwatch.design.edits.sensors import add_sensor, set_hold, set_roles
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Conclusion, Sensor
from vastwatch.files.check import faults_of
from vastwatch.files.project_file import decode, encode
from vastwatch.rehearsal import rehearse
from vastwatch.sensing import coverage
from vastwatch.sensing.bodies import STANDING, Walker
from vastwatch.sensing.coverage import notice_times
from vastwatch.sensing.model import walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Level, Wall
from vastwatch.site.furniture import furniture


def shifted(project: Project, dx: float, dy: float, quarter_turns: int) -> Project:
    """The whole building turned about the origin and moved."""
    c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[quarter_turns % 4]

    def go(p):
        return (c * p[0] - s * p[1] + dx, s * p[0] + c * p[1] + dy, *p[2:])

    def outline(r):
        return replace(r, outline=tuple(go(p) for p in r.outline))

    angle = 90.0 * quarter_turns
    return replace(
        project,
        walls=tuple(replace(w, a=go(w.a), b=go(w.b)) for w in project.walls),
        rooms=tuple(outline(r) for r in project.rooms),
        furnishings=tuple(outline(f) for f in project.furnishings),
        spots=tuple(replace(x, at=go(x.at), facing=x.facing + angle) for x in project.spots),
        sensors=tuple(replace(x, at=go(x.at), yaw=x.yaw + angle) for x in project.sensors),
        lamps=tuple(replace(x, at=go(x.at)) for x in project.lamps),
    )


@pytest.mark.parametrize("kind", ["pir-corner-12", "radar-24-state", "pir-ceiling-6", "radar-60-ceiling"])
@pytest.mark.parametrize("turns", [1, 2, 3])
def test_sensing_does_not_depend_on_where_north_is(kind, turns):
    type_ = device(kind)
    ceiling = "ceiling" in type_.mounts
    sensor = Sensor(
        id="s", device=kind, level="g", name="S", at=(2.37, 1.91, 2.5) if ceiling else (4.8, 3.8, 1.9), yaw=203.0,
        pitch=-90.0 if ceiling else -4.0,
    )  # fmt: skip
    project = make_room(
        sensors=(sensor,), devices=(type_,), presences=(), furnishings=(shelf_at(1.53, 1.07, 2.41, 1.62, 1.1),)
    )
    rng = np.random.default_rng(3)
    points = np.column_stack([rng.uniform(0.2, 7.8, 300), rng.uniform(0.2, 3.8, 300)])
    c, s = ((1, 0), (0, 1), (-1, 0), (0, -1))[turns]
    moved = np.column_stack([c * points[:, 0] - s * points[:, 1] + 31.0, s * points[:, 0] + c * points[:, 1] - 7.0])
    other = shifted(project, 31.0, -7.0, turns)
    for figure in ("across", "towards", "seated", "pet"):
        here = notice_times(mount(project, sensor), np.asfortranarray(points), figure)
        there = notice_times(mount(other, other.sensors[0]), np.asfortranarray(moved), figure)
        # A ray that grazes an edge may fall either way; nearly all must agree to rounding.
        same = np.isclose(here, there, rtol=1e-6) | (np.isinf(here) & np.isinf(there))
        assert same.mean() > 0.985
        assert np.isfinite(here).any() or figure == "pet"


@given(st.floats(0.3, 4.7), st.floats(0.3, 3.7), st.floats(0, 359))
def test_more_in_the_way_is_never_noticed_sooner(x, y, yaw):
    """A shelf can only hide from infrared, and a metal one only from radar too."""
    for kind in ("pir-corner-12", "radar-24-state"):
        sensor = Sensor(id="s", device=kind, level="g", name="S", at=(x, y, 1.8), yaw=yaw)
        bare = make_room(sensors=(sensor,), devices=(device(kind),), presences=())
        full = replace(bare, furnishings=(shelf_at(2.0, 1.5, 3.0, 1.9, 1.5, "metal"),))
        a, b = (coverage(p, "s", "across").notice_s for p in (bare, full))
        assert (b >= a - 1e-9).all()


@given(st.floats(10, 31), st.floats(0.1, 10))
def test_a_warmer_room_is_never_noticed_sooner(ambient, more):
    def times(c):
        project = make_room()
        room = replace(project.rooms[0], ambient_c=c)
        project = replace(project, rooms=(room, project.rooms[1]))
        cells, _ = built_cells(project.rooms, "g")
        return coverage(project, "pir", "seated").at(cells)

    assert (times(min(ambient + more, 40.0)) >= times(ambient) - 1e-9).all()


@given(st.integers(0, 8), st.integers(1, 3))
def test_less_sensitivity_is_never_noticed_sooner(steps, more):
    def rate(below):
        sensor = Sensor(id="s", device="radar-24-state", level="g", name="S", at=(0.2, 2.0, 1.2), yaw=0.0)
        sensor = replace(sensor, settings=replace(sensor.settings, sensitivity_below_max=below))
        project = make_room(sensors=(sensor,), devices=(device("radar-24-state"),), presences=())
        _, points = built_cells(project.rooms, "g")
        return walker_rate(mount(project, sensor), points, Walker(STANDING, 1.0, 0.0))

    assert (rate(min(steps + more, 9)) <= rate(steps) + 1e-12).all()


# -- control is monotone --------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def two_sensors():
    project = make_room()
    second = Sensor(id="radar", device="radar-24-state", level="g", name="R", at=(0.2, 0.3, 1.4), yaw=45.0)
    project = replace(project, sensors=(*project.sensors, second), devices=(*project.devices, device("radar-24-state")))
    # Nobody waves: what people do about a light may make up for a worse sensor.
    content = tuple(replace(s, activity="film") for s in project.spots)
    return replace(
        project,
        spots=content,
        presences=(Conclusion(id="here", room="big", name="S", expr=from_roles(Roles(("pir",), ("pir",), 60.0))),),
    )


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_another_keeper_never_leaves_anybody_longer_in_the_dark(two_sensors, seed):
    alone = rehearse(two_sensors, 5, seed)
    kept = rehearse(set_roles(two_sensors, "here", Roles(("pir",), ("pir", "radar"), 60.0)), 5, seed)
    started = rehearse(set_roles(two_sensors, "here", Roles(("pir", "radar"), ("pir", "radar"), 60.0)), 5, seed)
    lit = [r.house.served("big") for r in (alone, kept, started)]
    assert (lit[0] - lit[1]).total() == 0
    assert (lit[1] - lit[2]).total() == 0
    dark = [r.scores["big"].dark_min for r in (alone, kept, started)]
    assert dark[0] >= dark[1] >= dark[2]


@settings(max_examples=12)
@given(st.floats(5, 1800), st.floats(1, 1800))
def test_a_longer_hold_never_lights_less(hold, more):
    project = make_room()
    short, long = (rehearse(set_hold(project, "here", h), 3, 1) for h in (hold, hold + more))
    # Of itself; whom it is left dark may wave, and have light for that.
    alone = [run_house(r.project, r.recording).served("big") for r in (short, long)]
    assert (alone[0] - alone[1]).total() == 0


def test_moving_a_sensor_runs_nobody_again(demo):
    """What does not depend on a sensor is found again, not computed again."""
    a = rehearse(demo, 3, 1)
    sensor = find(demo.sensors, "pir-shop")
    b = rehearse(put(demo, replace(sensor, yaw=sensor.yaw + 5)), 3, 1)
    assert a.truth is b.truth
    assert a.recording.report("pir-throwing") is b.recording.report("pir-throwing")
    assert a.recording.report("pir-shop") is not b.recording.report("pir-shop")
    c = rehearse(set_hold(demo, "presence-shop", 77.0), 3, 1)
    assert a.recording is c.recording
    assert coverage(demo, "pir-shop", "across") is coverage(set_hold(demo, "presence-shop", 77.0), "pir-shop", "across")


def test_moving_a_wall_runs_what_it_must(demo):
    moved = move_wall(demo, "g-kiln-store", 0.2)
    a, b = rehearse(demo, 2, 1), rehearse(moved, 2, 1)
    assert a.truth is not b.truth
    assert coverage(demo, "pir-shop", "across") is not coverage(moved, "pir-shop", "across")


# -- edits keep a project whole -------------------------------------------------------------------------------------

numbers = st.floats(-1.5, 1.5).map(lambda v: round(v, 2))
steps = st.lists(
    st.tuples(
        st.sampled_from(["room", "corner", "wall", "door", "piece", "sensor", "drop", "raze"]),
        st.integers(0, 99),
        numbers,
        numbers,
    ),
    min_size=1,
    max_size=9,
)


def step(project: Project, what: str, k: int, dx: float, dy: float) -> Project:
    def pick(records):
        return records[k % len(records)] if records else None

    if what == "room":
        size = (2.0 + abs(dx), 2.0 + abs(dy))
        right = max((p[0] for r in project.rooms for p in r.outline), default=0.0)
        return add_room(project, "g", f"Room {k}", "sitting", rectangle(right, 0.0, *size))[0]
    room, wall, sensor = pick(project.rooms), pick(project.walls), pick(project.sensors)
    if what == "corner" and room:
        corner = pick(room.outline)
        return move_corner(project, "g", corner, (corner[0] + dx, corner[1] + dy))
    if what == "wall" and wall:
        return move_wall(project, wall.id, dx)
    if what == "door" and wall:
        return add_opening(project, wall.id, "door", math.dist(wall.a, wall.b) / 2 + dx)[0]
    if what in ("piece", "sensor") and room:
        x = sum(p[0] for p in room.outline) / len(room.outline)
        y = sum(p[1] for p in room.outline) / len(room.outline)
        if what == "piece":
            return add_furnishing(project, "g", pick(furniture()), (x + dx / 3, y + dy / 3), 40.0 * dx)[0]
        return add_sensor(project, device("pir-corner-12"), "g", (x + dx / 3, y + dy / 3, 2.2), 90.0 * dy, 0.0)[0]
    if what == "drop" and sensor:
        return removed(project, sensor.id)
    if what == "raze" and room:
        return remove(project, [room.id]).project
    return project


@given(steps)
def test_any_row_of_edits_leaves_a_project_that_can_be_saved_and_read(row):
    project = Project(name="N", levels=(Level(id="g", name="G", elevation=0.0),))
    project = add_room(project, "g", "First", "sitting", rectangle(0, 0, 4, 3))[0]
    for what, k, dx, dy in row:
        before = encode(project)
        try:
            new = step(project, what, k, dx, dy)
        except ValueError as e:
            assert str(e)
            assert encode(project) == before
            continue
        assert encode(project) == before
        assert list(faults_of(new)) == []
        project = new
    assert encode(decode(encode(project))) == encode(project)


def test_a_room_with_odd_corners_shares_what_it_can():
    project = Project(name="N", levels=(Level(id="g", name="G", elevation=0.0),))
    l_shape = ((0.0, 0.0), (4.0, 0.0), (4.0, 2.0), (2.0, 2.0), (2.0, 5.0), (0.0, 5.0))
    project, _ = add_room(project, "g", "Ell", "sitting", l_shape)
    assert len(project.walls) == 6
    project, _ = add_room(project, "g", "Nook", "store", rectangle(2.0, 2.0, 2.0, 3.0))
    assert len(project.walls) == 8
    assert all(isinstance(w, Wall) for w in project.walls)
    with pytest.raises(ValueError, match="overlap ell"):
        add_room(project, "g", "Over", "store", rectangle(1.0, 1.0, 0.5, 0.5))
