"""Furniture with its places, stairs and the ways over them, exact sizes, lamps on circuits, checks of the drawn plan."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import bare, device, kind, make_room, rect, shelf_at
from vastwatch.advice.checks.findings import findings
from vastwatch.design.edits.attachments import ARMS_REACH_M, attached_spots
from vastwatch.design.edits.building import (
    add_room,
    is_rectangle,
    move_corner,
    move_wall,
    place_beside,
    rectangle,
    resize_room,
    segments_cross,
    uncovered,
)
from vastwatch.design.edits.fittings import (
    BEFORE_M,
    FOR_TWO_M,
    FREE_M,
    add_furnishing,
    add_lamp,
    add_opening,
    beside_a_door,
    footprint,
    move_furnishing,
    opening_middle,
    rooms_beside,
)
from vastwatch.design.edits.ladders import add_button
from vastwatch.design.edits.levels import copy_level, fill_level
from vastwatch.design.edits.selections import align_many
from vastwatch.design.edits.wiring import circuit_of, off_circuits, set_lamp
from vastwatch.design.project import find
from vastwatch.design.records import Sensor
from vastwatch.files.check import faults_of
from vastwatch.files.rooms_csv import ListedRoom, import_rooms
from vastwatch.geometry import polygons
from vastwatch.geometry.polygons import bounds
from vastwatch.site.building import Circuit, Furnishing, Level, Opening, Socket, Spot, Switch, Wall
from vastwatch.site.furniture import furniture
from vastwatch.site.use_guess import USES, guess_use, telling
from vastwatch.words import error_sentence


def sound(project):
    assert list(faults_of(project)) == []
    return project


def rules(project):
    return {f.rule for f in findings(project)}


# -- furniture and its places --------------------------------------------------------------------------------------


WITH_PLACE = [k for k in furniture() if k.sits or k.lies or k.seated_before or k.stands_before]


@pytest.mark.parametrize("piece", WITH_PLACE, ids=lambda k: k.kind)
@pytest.mark.parametrize("turn", [0.0, 90.0, 225.0])
def test_a_piece_that_is_used_comes_with_the_place_of_whoever_uses_it(piece, turn):
    project, _ = add_room(bare(), "g", "Studio", "workshop", rectangle(0, 0, 9, 9))
    new, made = add_furnishing(project, "g", piece, (4.5, 4.5), turn)
    sound(new)
    front = (math.cos(math.radians(turn)), math.sin(math.radians(turn)))
    if piece.lies and piece.width >= FOR_TWO_M:
        # A side each, a quarter of the width to either side of the middle, across the way one faces.
        one, other = new.spots
        assert (one.at[0] + other.at[0], one.at[1] + other.at[1]) == pytest.approx((9.0, 9.0), abs=2e-3)
        across = one.at[0] - 4.5, one.at[1] - 4.5
        assert math.hypot(*across) == pytest.approx(piece.width / 4, abs=1e-3)
        assert across[0] * front[0] + across[1] * front[1] == pytest.approx(0.0, abs=1e-3)
        assert one.facing == other.facing == turn
        assert {s.id for s in attached_spots(new, made)} == {one.id, other.id} and not {"spot-inside"} & rules(new)
        return
    (spot,) = new.spots
    if piece.sits or piece.lies:
        assert spot.at == (4.5, 4.5) and spot.facing == turn
    else:
        away = piece.depth / 2 + BEFORE_M
        assert spot.at == pytest.approx((4.5 + away * front[0], 4.5 + away * front[1]), abs=1e-3)
        assert spot.facing == (turn + 180) % 360
        assert spot.posture == ("seated" if piece.seated_before else "standing")
    assert [s.id for s in attached_spots(new, made)] == [spot.id]
    assert not {"spot-inside"} & rules(new)


def test_a_desk_against_the_far_side_of_its_room_has_no_place_behind_the_wall(room):
    new, _ = add_furnishing(room, "g", kind("Desk with screen"), (4.6, 2.0), 0.0)
    assert len(new.spots) == len(room.spots)


def test_who_faces_a_piece_goes_where_it_goes_and_who_only_stands_near_stays(room):
    new, bench = add_furnishing(room, "g", kind("Work bench"), (2.5, 3.5), 270.0)
    worker = new.spots[-1]
    passer = Spot(id="passer", room="big", name="passer", at=(2.5, 2.7), facing=270.0, posture="standing")
    far = Spot(id="far", room="big", name="far", at=(2.5, 3.5 - 0.325 - ARMS_REACH_M - 0.05), facing=90.0)
    seated = Spot(id="seated", room="big", name="seated", at=(1.9, 2.9), facing=90.0, posture="seated")
    chair = Furnishing(id="chair-1", level="g", name="Chair", kind="chair", outline=rect(1.7, 2.7, 2.1, 3.1), z1=0.45)
    new = replace(new, spots=(*new.spots, passer, far, seated), furnishings=(*new.furnishings, chair))
    assert [s.id for s in attached_spots(new, bench)] == [worker.id]
    moved = sound(move_furnishing(new, bench.id, -0.4, -0.2))
    assert find(moved.spots, worker.id).at == pytest.approx((worker.at[0] - 0.4, worker.at[1] - 0.2))
    for ident in ("passer", "far", "seated", "exit"):
        assert find(moved.spots, ident) is find(new.spots, ident)


def test_a_piece_and_its_own_place_are_brought_into_line_each_once(room):
    new, bench = add_furnishing(room, "g", kind("Work bench"), (2.5, 3.4), 270.0)
    new, other = add_furnishing(new, "g", kind("Shelf"), (1.0, 2.2), 0.0)
    place = attached_spots(new, bench)[0]
    out = align_many(new, [bench.id, other.id, place.id], "left")
    left = [min(p[0] for p in find(out.furnishings, i).outline) for i in (bench.id, other.id)]
    assert left[0] == pytest.approx(left[1]) == pytest.approx(find(out.spots, place.id).at[0])
    alone = align_many(new, [bench.id, other.id], "left")
    shift = find(alone.furnishings, bench.id).outline[0][0] - bench.outline[0][0]
    assert find(alone.spots, place.id).at[0] - place.at[0] == pytest.approx(shift)


@given(turn=st.floats(0, 359), by=st.floats(-180, 180))
def test_turning_a_piece_turns_its_footprint_its_place_and_its_climb(turn, by):
    project, _ = add_room(bare(), "g", "Hall", "stair", rectangle(0, 0, 12, 12))
    stair = kind("Stair run")
    new, made = add_furnishing(project, "g", stair, (6.0, 6.0), turn)
    turned = move_furnishing(new, made.id, 0.0, 0.0, by)
    out = find(turned.furnishings, made.id)
    assert np.allclose(out.outline, footprint(stair, (6.0, 6.0), turn + by), atol=2e-3)
    assert math.cos(math.radians(out.climb - (turn + 180 + by))) == pytest.approx(1.0, abs=1e-6)


# -- checks --------------------------------------------------------------------------------------------------------


def test_people_who_leave_a_building_without_a_door_are_told_of(room):
    assert "no-way-in" in rules(room)
    door = Opening(id="front", wall="east", kind="door", offset=2.5, width=0.9)
    assert "no-way-in" not in rules(replace(room, openings=(*room.openings, door)))
    far = replace(door, offset=0.1, wall="south")
    moved = [f for f in findings(replace(room, openings=(*room.openings, far))) if f.rule == "no-way-in"]
    assert len(moved) == 1 and moved[0].severity == "risk" and "m off" in moved[0].text
    narrow = replace(door, width=0.3)
    assert "no-way-in" in rules(replace(room, openings=(*room.openings, narrow)))
    at_home = replace(room, spots=room.spots[:1], people=())
    assert "no-way-in" not in rules(at_home)


def test_a_room_without_a_door_is_found_before_anybody_lives_there(room):
    unlived = replace(room, people=(), spots=room.spots[:1])
    assert "room-unreachable" not in rules(unlived)
    third, made = add_room(unlived, "g", "Cell", "store", rectangle(0, 4, 3, 3))
    found = [f for f in findings(third) if f.rule == "room-unreachable"]
    assert [f.records for f in found] == [(made.id,)]


def test_an_opening_knows_the_rooms_at_its_sides(room):
    door = find(room.openings, "door")
    left, right = rooms_beside(room, door)
    # The wall runs upwards, so that its left is the big room.
    assert (left.id, right.id) == ("big", "small")
    wall = find(room.walls, "middle")
    flipped = replace(room, walls=tuple(replace(w, a=w.b, b=w.a) if w is wall else w for w in room.walls))
    again = rooms_beside(flipped, find(flipped.openings, "door"))
    assert [r.id for r in again] == ["small", "big"]
    window = rooms_beside(room, find(room.openings, "window"))
    assert {None if r is None else r.id for r in window} == {None, "big"}


@given(
    st.tuples(st.floats(-5, 5), st.floats(-5, 5)), st.tuples(st.floats(-5, 5), st.floats(-5, 5)),
    st.tuples(st.floats(-5, 5), st.floats(-5, 5)), st.tuples(st.floats(-5, 5), st.floats(-5, 5)),
)  # fmt: skip
def test_segments_that_cross_do_so_whichever_way_they_are_told(a, b, c, d):
    out = segments_cross((a, b), (c, d))
    assert out == segments_cross((c, d), (a, b)) == segments_cross((b, a), (d, c))
    if out:
        from shapely.geometry import LineString

        assert LineString([a, b]).distance(LineString([c, d])) < 1e-6


# -- exact sizes ---------------------------------------------------------------------------------------------------


@given(width=st.floats(1.0, 20.0), depth=st.floats(1.0, 20.0))
def test_a_room_is_made_as_wide_and_deep_as_typed_and_its_neighbour_follows(width, depth):
    project, _ = add_room(bare(), "g", "Left", "desk", rectangle(0, 0, 4, 3))
    project, _ = add_room(project, "g", "Right", "desk", rectangle(4, 0, 30, 3))
    new = sound(resize_room(project, "left", width, depth))
    x0, y0, x1, y1 = bounds(find(new.rooms, "left").outline)
    assert (x1 - x0, y1 - y0) == pytest.approx((width, depth), abs=1e-3)
    assert bounds(find(new.rooms, "right").outline)[0] == pytest.approx(width, abs=1e-3)
    assert all(f.rule != "room-open" or "left" not in f.records for f in findings(new))


def test_only_a_rectangle_has_a_width(room):
    assert is_rectangle(find(room.rooms, "big").outline)
    bent = ((0, 0), (5, 0), (5, 2), (3, 2), (3, 4), (0, 4))
    assert not is_rectangle(bent) and not is_rectangle(((0, 0), (4, 1), (3, 5), (-1, 4)))
    with pytest.raises(ValueError, match="not a rectangle"):
        resize_room(replace(room, rooms=(replace(room.rooms[0], outline=bent),)), "big", 4.0)
    with pytest.raises(ValueError, match=r"would (cross|overlap)"):
        resize_room(room, "big", 9.0)


# -- what goes along with a wall -------------------------------------------------------------------------------------


def fitted():
    """The two rooms with a switch and a socket on the wall between, a bench against it, and a table far from it."""
    room = make_room(circuits=(Circuit(id="c", name="C", lamps=("lamp",)),))
    room, bench = add_furnishing(room, "g", kind("Work bench"), (4.6, 2.6), 180.0)
    room, table = add_furnishing(room, "g", kind("Table"), (1.5, 3.2), 270.0)
    return replace(
        room, switches=(Switch(id="s", level="g", name="S", at=(4.93, 1.6), circuit="c"),),
        sockets=(Socket(id="o", level="g", name="O", at=(5.07, 3.0)),),
    ), bench, table  # fmt: skip


@pytest.mark.parametrize("by", [0.7, -0.4])
def test_a_dragged_wall_takes_along_what_is_fixed_to_it_and_stands_against_it(by):
    project, bench, table = fitted()
    # The wall between runs upwards: to its left is less x.
    new = sound(move_wall(project, "middle", -by))
    assert find(new.sensors, "pir").at == pytest.approx((4.8 + by, 3.8, 2.2)) and find(new.sensors, "pir").yaw == 225
    assert find(new.switches, "s").at == pytest.approx((4.93 + by, 1.6))
    assert find(new.sockets, "o").at == pytest.approx((5.07 + by, 3.0))
    assert find(new.furnishings, bench.id).outline[0][0] == pytest.approx(bench.outline[0][0] + by)
    (place,) = attached_spots(project, bench)
    assert find(new.spots, place.id).at == pytest.approx((place.at[0] + by, place.at[1]))
    assert find(new.furnishings, table.id) is table
    assert find(new.openings, "door") is find(project.openings, "door")
    back = move_wall(new, "middle", by)
    for collection in ("sensors", "switches", "sockets", "furnishings", "spots"):
        for old, now in zip(getattr(project, collection), getattr(back, collection)):
            assert (now.at if hasattr(now, "at") else now.outline[2]) == pytest.approx(
                old.at if hasattr(old, "at") else old.outline[2], abs=1e-3
            )


def world(project, ident):
    """Where an opening begins on the plan."""
    o = find(project.openings, ident)
    w = find(project.walls, o.wall)
    k = o.offset / math.dist(w.a, w.b)
    return w.a[0] + k * (w.b[0] - w.a[0]), w.a[1] + k * (w.b[1] - w.a[1])


@given(by=st.floats(-2.5, 6.0))
def test_openings_stay_where_they_are_when_their_wall_grows_or_shrinks(by):
    room = make_room()
    # North runs from right to left, so that its end a is the one that moves with the east wall.
    window = replace(room.openings[1], offset=4.5)
    room = replace(room, openings=(room.openings[0], window), spots=room.spots[:1], people=())
    new = move_wall(room, "east", -by)
    assert world(new, "window") == pytest.approx(world(room, "window"), abs=1e-3)
    assert world(new, "door") == pytest.approx(world(room, "door"), abs=1e-3)


def test_a_corner_dragged_turns_what_hangs_on_its_walls():
    project, _, _ = fitted()
    sensor = Sensor(id="eye", device="pir-corner-12", level="g", name="Eye", at=(0.1, 2.0, 2.2), yaw=0.0)
    project = replace(project, sensors=(*project.sensors, sensor))
    # The corner at (0, 4) goes a metre to the left: the west wall leans, about the end that stays.
    new = sound(move_corner(project, "g", (0, 4), (-1.0, 4.0)))
    eye = find(new.sensors, "eye")
    lean = math.degrees(math.atan2(1.0, 4.0))
    assert eye.yaw == pytest.approx(lean, abs=0.02)
    wall = find(new.walls, "west")
    ux, uy = (wall.b[0] - wall.a[0]) / 17**0.5, (wall.b[1] - wall.a[1]) / 17**0.5
    off = (eye.at[0] - wall.a[0]) * -uy + (eye.at[1] - wall.a[1]) * ux
    assert off == pytest.approx(0.1, abs=1e-3) and math.hypot(*eye.at[:2]) == pytest.approx(
        math.hypot(0.1, 2.0), abs=1e-3
    )
    assert find(new.sensors, "pir") is find(project.sensors, "pir")


def test_a_spot_a_wall_passes_over_belongs_to_the_other_room_and_a_lamp_stays_its_rooms(room):
    new = sound(move_wall(room, "middle", 3.8))
    assert find(new.spots, "chair").room == "small"
    lamp = find(new.lamps, "lamp")
    assert lamp.room == "big" and polygons.contains_point(find(new.rooms, "big").outline, *lamp.at)


# -- lamps and levels ----------------------------------------------------------------------------------------------


def test_a_second_lamp_hangs_where_it_is_put_on_the_circuit_it_is_given(demo):
    new, lamp = add_lamp(demo, "upper", (2.0, 1.0))
    sound(new)
    assert lamp.room == "kitchen" and lamp.name == "Kitchen light 2" and circuit_of(new, lamp.id) is None
    hung = sound(set_lamp(new, "circuit-kitchen", lamp.id, True))
    assert circuit_of(hung, lamp.id).id == "circuit-kitchen"
    moved = set_lamp(hung, "circuit-kiln", lamp.id, True)
    assert circuit_of(moved, lamp.id).id == "circuit-kiln"
    assert lamp.id not in find(moved.circuits, "circuit-kitchen").lamps
    assert circuit_of(off_circuits(moved, {lamp.id}), lamp.id) is None
    with pytest.raises(ValueError, match="inside a room"):
        add_lamp(demo, "upper", (50.0, 1.0))


def test_a_bare_level_is_filled_from_the_one_below(room):
    project = replace(room, levels=(*room.levels, Level(id="loft", name="Loft", elevation=2.8)))
    new = sound(fill_level(project, "g", "loft"))
    assert [r.name for r in new.rooms if r.level == "loft"] == ["Big room", "Small room"]
    assert len([w for w in new.walls if w.level == "loft"]) == 5
    assert len(new.people) == len(room.people) and len(new.sensors) == len(room.sensors)


def test_a_level_copied_over_and_over_keeps_its_ids_apart(demo):
    project, ident = demo, "ground"
    for n in range(2, 7):
        project, level = copy_level(project, ident)
        ident = level.id
        assert level.name == f"Ground floor {n}"
    sound(project)
    assert len({w.id for w in project.walls}) == len(project.walls)
    longest = replace(demo, levels=tuple(replace(x, name="x" * 80) if x.id == "ground" else x for x in demo.levels))
    for _ in range(3):
        longest, level = copy_level(longest, "ground")
    sound(longest)


def test_a_refusal_is_a_sentence():
    assert error_sentence(ValueError("this wall is too short")) == "This wall is too short."


# -- what a name tells ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("name", "use"), [
    ("Kitchen", "kitchen"), ("WC", "toilet"), ("Guest bedroom 2", "bedroom"), ("Ground floor hall", "passage"),
    ("Shower room", "bathroom"), ("Office 3", "desk"), ("Boiler cupboard", "store"), ("Kiln room", "plant"),
    ("Landing", "stair"), ("Class room", "class"), ("Workshop", "workshop"), ("Living kitchen", "kitchen"),
    ("Room 4", None), ("Challenge", None), ("", None), ("Bedford", None),
])  # fmt: skip
def test_a_rooms_name_tells_its_use(name, use):
    assert guess_use(name) == use


def test_every_use_can_be_told():
    assert {use for use, _ in telling()} == set(USES)


@given(
    sizes=st.lists(st.tuples(st.floats(1.0, 12.0), st.floats(1.0, 12.0)), min_size=1, max_size=40),
    level=st.sampled_from(["empty", "built"]),
)
def test_listed_rooms_come_in_rows_that_do_not_overlap(sizes, level):
    project = bare()
    if level == "built":
        project, _ = add_room(project, "g", "There", "desk", rectangle(0, 0, 7, 3))
    rooms = [ListedRoom(f"R{k}", round(w, 2), round(d, 2), None) for k, (w, d) in enumerate(sizes)]
    new, words = import_rooms(project, "g", rooms)
    assert len(new.rooms) == len(project.rooms) + len(rooms) and words.startswith(f"{len(rooms)} room")
    boxes = [bounds(r.outline) for r in new.rooms[len(project.rooms) :]]
    wide = max(b[2] for b in boxes) - min(b[0] for b in boxes)
    floor = sum(w * d for w, d in sizes)
    assert wide <= max(1.6 * math.sqrt(floor), max(w for w, _ in sizes)) + 0.1


def test_a_wall_covers_what_it_runs_along_and_not_what_it_only_meets():
    def wall(a, b):
        return Wall(id="w", level="g", a=a, b=b)

    assert uncovered((0, 0), (4, 0), []) == [((0, 0), (4, 0))]
    assert uncovered((0, 0), (4, 0), [wall((1, 0), (3, 0))]) == [((0, 0), (1, 0)), ((3, 0), (4, 0))]
    assert uncovered((0, 0), (4, 0), [wall((2, 0), (2, 3))]) == [((0, 0), (4, 0))]
    assert uncovered((0, 0), (4, 0), [wall((1, 1), (3, 1))]) == [((0, 0), (4, 0))]
    assert uncovered((0, 0), (4, 3), [wall((4, 3), (0, 0))]) == []


def test_the_next_room_stands_at_the_foot_of_what_reaches_farthest_right():
    project, _ = add_room(bare(), "g", "Long", "store", rectangle(0, 0, 9, 2))
    project, _ = add_room(project, "g", "Short", "store", rectangle(0, 2, 3, 2))
    assert place_beside(project, "g", 2.0) == (9.0, 0.0)
    assert place_beside(bare(), "g", 2.0) == (0.0, 0.0)


def test_a_dragged_corner_leaves_every_other_record_the_same_object(demo):
    corner = find(demo.rooms, "kiln").outline[0]
    other = move_corner(demo, "ground", (-50.0, -50.0), (-49.0, -50.0))
    assert all(a is b for a, b in zip(demo.rooms, other.rooms)) and all(a is b for a, b in zip(demo.walls, other.walls))
    moved = move_corner(demo, "ground", corner, (corner[0], corner[1] - 0.02))
    for a, b in zip(demo.rooms, moved.rooms):
        assert (a is b) == (a.level != "ground" or corner not in a.outline)


@given(st.floats(-720, 720), st.floats(0, 359.9))
def test_a_wall_that_turns_turns_what_hangs_on_it_and_leaves_a_bearing(by, yaw):
    project, _ = add_room(bare(), "g", "Room", "desk", rectangle(0, 0, 5, 4))
    sensor = Sensor(id="s", device="pir-corner-12", level="g", name="S", at=(2.5, 3.98, 2.2), yaw=yaw)
    project = replace(project, sensors=(sensor,), devices=(device("pir-corner-12"),))
    dy = 0.4 * math.sin(math.radians(by))
    moved = find(move_corner(project, "g", (5.0, 4.0), (5.0, round(4.0 + dy, 3))).sensors, "s")
    turn = math.degrees(math.atan2(round(dy, 3), 5.0))
    assert 0 <= moved.yaw < 360.005
    assert abs((moved.yaw - yaw - turn + 180) % 360 - 180) < 0.02


@pytest.mark.parametrize(
    ("kind_", "z0", "z1", "inside"),
    [("bench", 0.0, 0.45, False), ("bench", 0.0, 0.75, True), ("shelf", 0.0, 2.0, True), ("shelf", 0.0, 0.2, False),
     ("shelf", 2.0, 2.4, False), ("shelf", 1.6, 2.4, True), ("stool", 0.0, 0.8, False)],
)  # fmt: skip
def test_nobody_can_be_inside_a_cupboard_but_on_a_seat_over_a_sill_or_under_a_shelf(room, kind_, z0, z1, inside):
    x, y = find(room.spots, "chair").at
    piece = replace(
        shelf_at(x - 0.4, y - 0.4, x + 0.4, y + 0.4), kind=kind_, z0=z0, z1=z1, name="Thing"
    )  # fmt: skip
    told = [f for f in findings(replace(room, furnishings=(piece,))) if f.rule == "spot-inside"]
    assert bool(told) == inside


@pytest.mark.parametrize("room", ["landing", "sitting", "throwing", "bath"])
def test_a_new_button_is_by_a_door_and_apart_from_all_else(demo, room):
    record = find(demo.rooms, room)
    project = demo
    for _ in range(4):
        at = beside_a_door(project, room)
        assert polygons.contains_point(record.outline, *at)
        others = [x.at for x in (*project.lamps, *project.buttons, *project.spots)
                  if find(project.rooms, x.room).level == record.level]  # fmt: skip
        others += [s.at[:2] for s in project.sensors if s.level == record.level]
        assert min(math.dist(at, other) for other in others) >= FREE_M
        near = [opening_middle(project, o)[0] for o in project.openings if o.kind != "window"
                and any(r is not None and r.id == room for r in rooms_beside(project, o))]  # fmt: skip
        if project is demo:
            assert min(math.dist(at, door) for door in near) < 1.5
        project, _made = add_button(project, room, at)
    assert not list(faults_of(project))


def test_a_room_without_a_door_has_its_button_off_its_lamp(room):
    shut = replace(room, openings=())
    at = beside_a_door(shut, "big")
    assert math.dist(at, shut.lamps[0].at) >= FREE_M and polygons.contains_point(shut.rooms[0].outline, *at)


def test_a_wall_that_comes_flush_with_the_next_rooms_leaves_no_wall_without_length():
    """Two rooms of different depth: the step between them is a wall of its own until they are as deep."""
    project = bare()
    project = add_room(project, "g", "First", "sitting", rectangle(0, 0, 4, 3))[0]
    project, second = add_room(project, "g", "Second", "sitting", rectangle(4, 0, 2, 3.38))
    upper = next(w for w in project.walls if w.a[1] == w.b[1] == 3.38)
    (step,) = [w for w in project.walls if {w.a, w.b} == {(4.0, 3.38), (4.0, 3.0)}]
    flush = move_wall(project, upper.id, 0.38)
    assert {w.id for w in project.walls} - {w.id for w in flush.walls} == {step.id}
    assert not list(faults_of(flush)) and len(find(flush.rooms, second.id).outline) == 4
    # With a door in it the step stays: what it holds would be lost.
    held = add_opening(move_wall(project, upper.id, -1.0), step.id, "door", 0.6)[0]
    with pytest.raises(ValueError, match="would no longer fit"):
        move_wall(held, upper.id, 1.38)
    # A corner drawn onto the next one is one corner less.
    lot = add_room(bare(), "g", "Lot", "sitting", ((0, 0), (4, 0), (4, 2), (4, 3), (0, 3)))[0]
    joined = move_corner(lot, "g", (4, 2), (4, 3))
    assert len(joined.rooms[0].outline) == 4 and not list(faults_of(joined))
