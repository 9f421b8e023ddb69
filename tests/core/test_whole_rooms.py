"""Whole rooms moved and copied: walls shared and parted, openings that go along, all that is in them."""

from __future__ import annotations

import math
from itertools import pairwise

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import device, make_room
from vastwatch.advice.checks.plan import open_rooms, overlapping_rooms
from vastwatch.design.edits.building import add_room, overlap, rectangle
from vastwatch.design.edits.fittings import add_furnishing, add_opening
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.edits.whole_rooms import copy_room, move_room
from vastwatch.design.places import rooms_beside
from vastwatch.design.project import Project, find
from vastwatch.files.check import faults_of
from vastwatch.geometry import polygons
from vastwatch.geometry.polygons import bounds
from vastwatch.site.building import Level, Wall
from vastwatch.site.furniture import furniture


def sound(project):
    assert list(faults_of(project)) == []
    assert [f.text for check in (open_rooms, overlapping_rooms) for f in check(project)] == []
    return project


def at(project, ident):
    """Where an opening begins and ends on the plan, in order."""
    o = find(project.openings, ident)
    w = find(project.walls, o.wall)
    length = math.dist(w.a, w.b)
    ends = [
        tuple(round(w.a[k] + s / length * (w.b[k] - w.a[k]), 3) for k in (0, 1)) for s in (o.offset, o.offset + o.width)
    ]
    return sorted(ends)


def built(project):
    """Metres of wall on the plan, none counted twice."""
    return sum(math.dist(w.a, w.b) for w in project.walls)


def test_a_room_goes_with_its_walls_and_all_that_is_in_it_and_the_neighbour_keeps_its_own(room):
    new = sound(move_room(room, "small", 0.0, 6.0).project)
    small, big = find(new.rooms, "small"), find(new.rooms, "big")
    assert bounds(small.outline) == pytest.approx((5, 6, 8, 10)) and big is find(room.rooms, "big")
    # The wall between stays with the big room, and faces the outside now; the small one has got a wall of its own there.
    middle, c = find(new.walls, "middle"), room.construction
    assert (middle.a, middle.b) == (find(room.walls, "middle").a, find(room.walls, "middle").b)
    assert (middle.thickness, middle.material) == (c.outer_m, c.outer_material)
    assert built(new) == pytest.approx(2 * (5 + 4) + 2 * (3 + 4))
    assert find(new.spots, "exit").at == pytest.approx((7.5, 9.5))
    assert at(new, "door") == at(room, "door")
    # The window is in that part of the north wall that bounds the big room: it stays, on what is left of the wall.
    assert at(new, "window") == at(room, "window")


def test_a_window_of_its_own_goes_along(room):
    lit, pane = add_opening(room, "east", "window", 2.0)
    before = at(lit, pane.id)
    new = sound(move_room(lit, "small", 1.0, 5.0).project)
    assert at(new, pane.id) == [(round(x + 1, 3), round(y + 5, 3)) for x, y in before]
    host = find(new.walls, find(new.openings, pane.id).wall)
    assert host.id == "east" and host.thickness == find(room.walls, "east").thickness


def test_an_opening_over_the_cut_is_lost_and_said_with_what_was_fixed_to_it(room):
    # A window from 4.6 to 6.1: over both rooms.
    wide = replace(find(room.openings, "window"), offset=1.9, width=1.5)
    contact = device("contact-door")
    project = replace(room, openings=(room.openings[0], wide))
    project, sensor = add_sensor(project, contact, "g", (5.4, 3.9, 2.0), 0.0, 0.0, "window")
    done = move_room(project, "small", 0.0, 6.0)
    sound(done.project)
    assert done.gone == ("1 opening",)
    assert all(o.id != "window" for o in done.project.openings)
    assert all(s.id != sensor.id for s in done.project.sensors)


def test_a_contact_on_a_door_that_stays_does_not_go(room):
    project, sensor = add_sensor(room, device("contact-door"), "g", (5.1, 0.8, 2.0), 0.0, 0.0, "door")
    new = move_room(project, "small", 0.0, 6.0).project
    # On the side of the room that went it would be mounted outside: it is mounted in the doorway.
    assert find(new.sensors, sensor.id).at == pytest.approx((5.0, 0.85, 2.0)) and not list(faults_of(new))
    opened, made = add_opening(room, "east", "door", 2.0)
    project, outer = add_sensor(opened, device("contact-door"), "g", (7.9, 2.0, 2.0), 0.0, 0.0, made.id)
    new = move_room(project, "small", 0.0, 6.0).project
    assert find(new.sensors, outer.id).at == pytest.approx((7.9, 8.0, 2.0))


def test_where_a_wall_stands_already_it_is_shared(room):
    apart = sound(move_room(room, "small", 2.0, 0.0).project)
    assert built(apart) == pytest.approx(18 + 14)
    back = sound(move_room(apart, "small", -2.0, 0.0).project)
    assert built(back) == pytest.approx(built(room))
    assert at(back, "door") == at(room, "door")


def test_it_does_not_go_where_another_is(room):
    with pytest.raises(ValueError, match="Small room would overlap big room"):
        move_room(room, "small", -1.0, 0.0)


@given(dx=st.integers(-12, 12), dy=st.integers(-12, 12), which=st.sampled_from(["big", "small"]))
def test_there_and_back_everything_is_where_it_was(dx, dy, which):
    room = make_room()
    target = find(room.rooms, which)
    other = find(room.rooms, "small" if which == "big" else "big")
    there = tuple((x + dx * 0.5, y + dy * 0.5) for x, y in target.outline)
    assume(not overlap(there, other.outline))
    moved = sound(move_room(room, which, dx * 0.5, dy * 0.5).project)
    back = sound(move_room(moved, which, -dx * 0.5, -dy * 0.5).project)
    assert built(back) == pytest.approx(built(room), abs=0.05)
    for collection in ("spots", "sensors", "lamps"):
        for old, now in zip(getattr(room, collection), getattr(back, collection)):
            assert now.at == pytest.approx(old.at, abs=1e-6) and now.id == old.id
    for o in moved.openings:
        # One that came onto the neighbour's wall meanwhile is the neighbour's as well, and stays.
        alone = None in rooms_beside(moved, o) or at(moved, o.id) == at(room, o.id)
        if alone and any(x.id == o.id for x in back.openings):
            assert at(back, o.id) == at(room, o.id)


def test_in_the_sample_every_room_that_can_goes_and_leaves_a_sound_building(demo):
    for r in demo.rooms:
        new = sound(move_room(demo, r.id, 40.0, 3.0).project)
        assert polygons.area(find(new.rooms, r.id).outline) == pytest.approx(polygons.area(r.outline))
        inside = [s for s in new.sensors if polygons.contains_point(find(new.rooms, r.id).outline, *s.at[:2])]
        assert len(inside) == len([s for s in demo.sensors if s.level == r.level
                                   and polygons.contains_point(r.outline, *s.at[:2])])  # fmt: skip


# -- copies --------------------------------------------------------------------------------------------------------


def office():
    project = Project(name="Bare", levels=(Level(id="g", name="Ground", elevation=0.0),))
    project, room = add_room(project, "g", "Office 1", "desk", rectangle(0, 0, 3, 4))
    piece = next(k for k in furniture() if k.name == "Desk with screen")
    project, _ = add_furnishing(project, "g", piece, (1.5, 3.5), 270.0)
    south = next(w for w in project.walls if {w.a[1], w.b[1]} == {0})
    project, _ = add_opening(project, south.id, "door", 0.8)
    project, _ = add_sensor(project, device("pir-corner-12"), "g", (0.2, 3.8, 2.2), 315.0, 0.0)
    return project, room


def test_a_row_of_offices_from_one():
    project, room = office()
    made = [room]
    for _ in range(4):
        project, copy = copy_room(project, made[-1].id)
        made.append(copy)
    sound(project)
    assert [r.name for r in project.rooms] == [f"Office {n}" for n in range(1, 6)]
    assert [bounds(r.outline)[0] for r in project.rooms] == [0, 3, 6, 9, 12]
    # Each has its desk with its seat, a lamp and a door; the walls between are one; sensors are bought, not copied.
    assert [x.name for x in project.lamps] == [f"Office {n} light" for n in range(1, 6)]
    assert len(project.furnishings) == len(project.spots) == len(project.lamps) == len(project.openings) == 5
    assert built(project) == pytest.approx(2 * 15 + 6 * 4) and len(project.sensors) == 1
    assert [s.room for s in project.spots] == [r.id for r in project.rooms]
    doors = sorted(at(project, o.id)[0] for o in project.openings)
    assert [round(b[0] - a[0], 3) for a, b in pairwise(doors)] == [3, 3, 3, 3]


def test_a_copys_walls_are_of_the_same_kind(demo):
    new, copy = copy_room(demo, "glazing")
    x0, _, x1, _ = bounds(copy.outline)
    outer = next(w for w in new.walls if w.level == "ground" and w.a[0] == w.b[0] == x1)
    brick = next(w for w in demo.walls if w.level == "ground" and w.a[0] == w.b[0] == x0)
    assert (outer.material, outer.thickness) == (brick.material, brick.thickness) and outer.id != brick.id


def test_a_copy_goes_where_there_is_place(demo):
    for room in demo.rooms:
        new, copy = copy_room(demo, room.id)
        sound(new)
        assert copy.use == room.use and copy.needs is room.needs and copy.level == room.level
        assert len(new.sensors) == len(demo.sensors) and len(new.people) == len(demo.people)
        there = [f for f in new.furnishings if f not in demo.furnishings]
        assert len(there) == len([f for f in demo.furnishings if f.level == room.level
                                  and polygons.contains_point(room.outline, *polygons.centroid(f.outline))])  # fmt: skip


def test_a_door_on_a_wall_told_the_other_way_swings_as_it_did():
    project, room = office()
    door = project.openings[0]
    # Where the copy will be, a wall runs already, from right to left.
    wall = Wall(id="old", level="g", a=(7, 0), b=(2.9999, 0))
    walls = (*project.walls, replace(wall, a=(6, 0), b=(3, 0)))
    new, _ = copy_room(replace(project, walls=walls), room.id)
    copied = next(o for o in new.openings if o.id != door.id)
    assert copied.wall == "old"
    host, old = find(new.walls, "old"), find(new.walls, door.wall)
    same = (host.b[0] - host.a[0]) * (old.b[0] - old.a[0]) > 0
    assert ((copied.hinge, copied.swings) == (door.hinge, door.swings)) is same
