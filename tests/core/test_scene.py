"""What stands in the way, and what is said of a sight line."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, shelf_at
from vastwatch.design.project import find
from vastwatch.design.records import Sensor
from vastwatch.sensing.bodies import LYING, SEATED, STANDING, PersonAt
from vastwatch.sensing.explain import sight_line
from vastwatch.sensing.families import pir
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.obstacles import near, obstacles


def pieces(project, band):
    found = obstacles(project, "g", band)
    return list(zip(found.full_ids, found.full_db)), list(
        zip(found.part_ids, found.part.z0, found.part.z1, found.part_db)
    )


def test_to_infrared_a_wall_is_whole_unless_a_door_stands_open(room):
    full, part = pieces(room, "infrared")
    assert sorted(i for i, _ in full) == ["east", "middle", "north", "south", "west"]
    assert part == []
    door = replace(room.openings[0], rest="open")
    full, part = pieces(replace(room, openings=(door, room.openings[1])), "infrared")
    assert [i for i, _ in full].count("middle") == 2
    # Only the wall over the door is left of that stretch.
    assert part == [("middle", 2.0, 2.5, math.inf)]


def test_to_radio_each_opening_is_sill_leaf_and_lintel(room):
    full, part = pieces(room, "24")
    assert [i for i, _ in full].count("north") == 2
    assert {db for _, db in full} == {3.0}
    assert ("window", 0.9, 2.1, 3.0) in part
    assert ("north", 0.0, 0.9, 3.0) in part
    assert ("door", 0.0, 2.0, 4.0) in part
    assert ("middle", 2.0, 2.5, 3.0) in part
    archway = replace(room.openings[0], kind="archway", leaf="none")
    _, part = pieces(replace(room, openings=(archway, room.openings[1])), "24")
    assert "door" not in {i for i, *_ in part}


def test_stairs_hide_nothing_and_what_is_far_is_left_out(room):
    stair = replace(shelf_at(1, 1, 2, 3, 2.4), kind="stair", climb=90.0)
    assert obstacles(replace(room, furnishings=(stair,)), "g", "24").prisms == ()
    found = obstacles(replace(room, furnishings=(shelf_at(1, 1, 2, 3, 2.4),)), "g", "24")
    close = near(found, 7.9, 2.0, 1.0)
    assert set(close.full_ids) == {"east"}
    assert close.prisms == ()
    assert near(found, 7.9, 2.0, 100.0).prism_ids == ("shelf",)
    assert obstacles(room, "g", "24") is obstacles(replace(room, sensors=()), "g", "24")


def test_a_ceiling_lens_sees_a_cone(room):
    """136 degrees: at the floor 2.5 m below it reaches 2.5 tan 68 = 6.19 m, at a head less."""
    sensor = Sensor(id="s", device="pir-ceiling-6", level="g", name="S", at=(2.5, 2.0, 2.5), pitch=-90.0)
    project = replace(room, sensors=(sensor,), devices=(replace(device("pir-ceiling-6"), fov_h=136.0),), presences=())
    mounted = mount(project, sensor)
    lying = LYING._replace(low=0.4999, high=0.5001)
    edge = 2.0 * math.tan(math.radians(68))
    wide = replace(project, walls=())
    at = np.array([[2.5 + edge - 0.02, 2.0], [2.5 + edge + 0.02, 2.0]])
    view = pir.view_of(sensor, mounted.device, mount(wide, sensor).obstacles, 21.0, at, lying)
    share = np.zeros(2)
    share[view.where] = view.share
    assert share.tolist() == [1.0, 0.0]
    # No direction of the plan is better than another.
    ring = 2.5 + 1.2 * np.cos(np.arange(6)), 2.0 + 1.2 * np.sin(np.arange(6))
    view = pir.view_of(sensor, mounted.device, mounted.obstacles, 21.0, np.column_stack(ring), STANDING)
    assert view.factor == pytest.approx(np.ones(6))


def test_a_sight_out_of_view_says_so(room):
    behind = sight_line(room, replace(room.sensors[0], yaw=45.0), PersonAt((1.0, 1.0), SEATED, "desk", 0.0))
    assert not behind.in_view
    assert behind.range_m == 0
    assert math.isinf(behind.notice_s)
    assert behind.off_axis_deg > 100


def test_a_radar_names_the_wall_it_looks_through(room):
    sensor = Sensor(id="radar", device="radar-24-state", level="g", name="R", at=(4.0, 3.0, 0.85), yaw=0.0)
    project = replace(room, sensors=(sensor,), devices=(device("radar-24-state"),), presences=())
    s = sight_line(project, sensor, PersonAt((6.0, 3.0), SEATED, "reading", 180.0))
    assert s.hidden_by == (("middle", 3.0),)
    assert s.range_m == pytest.approx(5.0 * 10 ** (-6 / 40), rel=1e-3)


def test_facing_away_costs_a_radar_range(room):
    sensor = Sensor(id="radar", device="radar-24-state", level="g", name="R", at=(0.2, 2.0, 0.85), yaw=0.0)
    project = replace(room, sensors=(sensor,), devices=(device("radar-24-state"),), presences=())
    ranges = [
        sight_line(project, sensor, PersonAt((2.5, 2.0), SEATED, "reading", facing)).range_m
        for facing in (180.0, 90.0, 0.0)
    ]
    assert np.array(ranges) / ranges[0] == pytest.approx([1.0, 0.75, 0.85])
    assert find(project.devices, "radar-24-state").still_m == pytest.approx(ranges[0])


def test_obstacles_outside_a_frame_do_not_matter_within_it(demo):
    """The same waits and shares with the obstacles of a room's frame as with those of the whole level."""
    import numpy as np

    from vastwatch.sensing.coverage import notice_times
    from vastwatch.sensing.mounted import mount
    from vastwatch.sensing.obstacles import within

    for ident, room in (("pir-throwing", (0, 3.7, 5, 7.5)), ("radar-sitting", (0, 3.0, 5, 7.5))):
        mounted = mount(demo, next(s for s in demo.sensors if s.id == ident))
        x0, y0, x1, y1 = room
        few = mounted._replace(obstacles=within(mounted.obstacles, x0 - 0.3, y0 - 0.3, x1 + 0.3, y1 + 0.3))
        assert len(few.obstacles.prisms) < len(mounted.obstacles.prisms)
        x, y = np.meshgrid(np.linspace(x0 + 0.2, x1 - 0.2, 25), np.linspace(y0 + 0.2, y1 - 0.2, 20))
        points = np.asfortranarray(np.column_stack([x.ravel(), y.ravel()]))
        for figure in ("across", "seated"):
            assert np.array_equal(notice_times(mounted, points, figure), notice_times(few, points, figure))
