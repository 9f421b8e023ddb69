"""Edits of the building: rooms share walls, corners drag what belongs to them, nothing is left half done."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

from samples import make_room
from vastwatch.design.edits.building import add_room, move_corner, move_wall, place_beside, rectangle
from vastwatch.design.edits.fittings import add_furnishing, add_opening, move_furnishing
from vastwatch.design.edits.removing import remove, removed
from vastwatch.design.edits.typical_days import add_person
from vastwatch.design.project import Project, find
from vastwatch.files.check import faults_of
from vastwatch.geometry import polygons
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.coverage import spot_notice_s
from vastwatch.site.building import Level
from vastwatch.site.furniture import furniture


def bare() -> Project:
    return Project(name="New", levels=(Level(id="g", name="Ground", elevation=0.0),))


def kind(name):
    return next(k for k in furniture() if k.name == name)


def sound(project):
    assert list(faults_of(project)) == []
    return project


def test_a_typed_room_comes_with_walls_and_a_lamp():
    project, room = add_room(bare(), "g", "Study", "desk", rectangle(0, 0, 4.2, 3.6))
    sound(project)
    assert len(project.walls) == 4
    assert sum(math.dist(w.a, w.b) for w in project.walls) == pytest.approx(2 * (4.2 + 3.6))
    assert project.lamps[0].room == room.id == "study"
    assert project.lamps[0].at == (2.1, 1.8)


def test_the_next_room_shares_the_wall_between():
    project, first = add_room(bare(), "g", "Study", "desk", rectangle(0, 0, 4.2, 3.6))
    x, y = place_beside(project, "g", 2.0)
    assert (x, y) == (4.2, 0)
    project, _ = add_room(project, "g", "Hall", "passage", rectangle(x, y, 2.0, 5.0))
    sound(project)
    # Three new sides, and the 1.4 m of the shared side that the study does not have.
    assert len(project.walls) == 8
    shared = [w for w in project.walls if {w.a, w.b} == {(4.2, 0), (4.2, 3.6)}]
    assert len(shared) == 1
    rest = [w for w in project.walls if {w.a, w.b} == {(4.2, 3.6), (4.2, 5.0)}]
    assert len(rest) == 1
    assert first.id == "study"


def test_rooms_do_not_overlap_and_are_rooms():
    project, _ = add_room(bare(), "g", "Study", "desk", rectangle(0, 0, 4, 3))
    for outline in (
        rectangle(1, 1, 1, 1),
        rectangle(3, 2, 4, 4),
        rectangle(-1, -1, 9, 9),
        rectangle(0, 0, 4, 3),
        rectangle(1, -1, 1, 9),
    ):
        with pytest.raises(ValueError, match="overlap study"):
            add_room(project, "g", "Other", "store", outline)
    with pytest.raises(ValueError, match="does not cross itself"):
        add_room(project, "g", "Bow", "store", ((9, 0), (11, 2), (11, 0), (9, 2)))
    again, room = add_room(project, "g", "Study", "desk", rectangle(4, 0, 2, 2))
    assert room.id == "study-1"
    sound(again)


def test_a_deleted_room_takes_its_own_and_leaves_what_is_shared(room):
    new, gone, _ = remove(room, ["big"])
    sound(new)
    assert [r.id for r in new.rooms] == ["small"]
    assert "1 sensor" in gone
    assert "1 lamp" in gone
    assert new.presences == ()
    # The wall between stays for the small room, and its door; the outer walls run on along both and stay too.
    assert find(new.walls, "middle")
    assert find(new.openings, "door")
    assert "west" not in {w.id for w in new.walls}
    # The chair is gone, and with it the line of the schedule; the person still has the other.
    assert {s.id for s in new.spots} == {"exit"}
    assert [s.spot for s in new.people[0].stays] == ["exit"]
    assert room.rooms[0].id == "big"


def test_a_dragged_corner_takes_rooms_and_walls_along():
    project, _ = add_room(bare(), "g", "Study", "desk", rectangle(0, 0, 4, 3))
    project, _ = add_room(project, "g", "Hall", "passage", rectangle(4, 0, 2, 3))
    moved = sound(move_corner(project, "g", (4, 3), (4.5, 3.2)))
    assert (4.5, 3.2) in find(moved.rooms, "study").outline
    assert (4.5, 3.2) in find(moved.rooms, "hall").outline
    assert sum((4.5, 3.2) in (w.a, w.b) for w in moved.walls) == 3
    with pytest.raises(ValueError, match="would cross itself"):
        move_corner(project, "g", (4, 3), (-1, 1))


def test_a_dragged_wall_moves_sideways_with_all_that_ends_on_it(room):
    moved = sound(move_wall(room, "middle", 0.5))
    assert polygons.area(find(moved.rooms, "big").outline) == pytest.approx(18)
    assert polygons.area(find(moved.rooms, "small").outline) == pytest.approx(14)
    assert find(moved.walls, "south") is find(room.walls, "south")
    with pytest.raises(ValueError, match="way out would be outside"):
        move_wall(room, "north", 1.0)
    tight = replace(room, openings=(replace(room.openings[1], offset=0.1),))
    with pytest.raises(ValueError, match="no longer fit"):
        move_wall(tight, "east", 0.3)


def test_openings_are_put_where_they_fit(room):
    new, opening = add_opening(room, "west", "window", 0.1)
    sound(new)
    assert opening.offset == pytest.approx(0.1)
    with pytest.raises(ValueError, match="there is already a window here"):
        add_opening(new, "west", "door", 0.9)
    short, _ = add_room(room, "g", "Cupboard", "store", rectangle(8, 0, 0.9, 0.9))
    wall = short.walls[-1].id
    with pytest.raises(ValueError, match="too short"):
        add_opening(short, wall, "archway", 0.4)
    assert len(removed(new, opening.id).openings) == len(room.openings)


def test_a_chair_comes_with_a_spot_and_takes_it_along(room):
    new, chair = add_furnishing(room, "g", kind("Armchair"), (2.0, 2.0), 0.0)
    sound(new)
    spot = new.spots[-1]
    assert (spot.posture, spot.activity, spot.facing) == ("seated", "reading", 0)
    assert spot_notice_s(new, "pir", spot) < 2000
    moved = sound(move_furnishing(new, chair.id, 1.0, 0.5, 90.0))
    assert moved.spots[-1].at == pytest.approx((3.0, 2.5))
    assert moved.spots[-1].facing == 90
    assert polygons.area(find(moved.furnishings, chair.id).outline) == pytest.approx(0.85**2, rel=1e-3)
    gone = remove(moved, [chair.id])
    assert gone.gone == ("1 spot",)
    assert len(gone.project.spots) == len(room.spots)
    with pytest.raises(ValueError, match=r"inside a room"):
        move_furnishing(new, chair.id, 90, 0)
    with pytest.raises(ValueError, match="inside a room"):
        add_furnishing(room, "g", kind("Sofa"), (40.0, 2.0), 0.0)


def test_a_piece_turned_keeps_its_front():
    project, _ = add_room(bare(), "g", "Study", "desk", rectangle(0, 0, 6, 6))
    _, shelf = add_furnishing(project, "g", kind("Shelf"), (3.0, 3.0), 90.0)
    xs = [p[0] for p in shelf.outline]
    assert max(xs) - min(xs) == pytest.approx(1.0)
    _, shelf = add_furnishing(project, "g", kind("Shelf"), (3.0, 3.0), 0.0)
    xs = [p[0] for p in shelf.outline]
    assert max(xs) - min(xs) == pytest.approx(0.35)


def test_the_furniture_shelf_is_sound():
    kinds = furniture()
    assert len(kinds) >= 25
    assert len({k.name for k in kinds}) == len(kinds)
    assert all(k.z1 > k.z0 for k in kinds)


def test_the_first_useful_answer_from_nothing():
    """A room typed as 4.2 x 3.6, a chair, a sensor: and it says how soon the chair is noticed."""
    from samples import device
    from vastwatch.design.edits.sensors import add_sensor

    project, _ = add_room(bare(), "g", "Study", "desk", rectangle(0, 0, 4.2, 3.6))
    project, _ = add_furnishing(project, "g", kind("Chair"), (1.5, 1.5), 0.0)
    project, sensor = add_sensor(project, device("radar-24-state"), "g", (4.0, 3.4, 1.5), 225.0, -5.0)
    sound(project)
    assert spot_notice_s(project, sensor.id, project.spots[0]) < 3
    assert make_room().name == "Two rooms"


# -- typical days --------------------------------------------------------------------------------------------------


def test_a_typical_person_uses_the_places_there_are(demo):
    empty = replace(demo, people=())
    new, person = add_person(empty, "at home")
    sound(new)
    spots = {s.spot for s in person.stays}
    assert "cooker" in spots
    assert spots & {"bed-left", "bed-right"}
    again, other = add_person(new, "at home")
    beds = [{s.spot for s in p.stays} & {"bed-left", "bed-right"} for p in (person, other)]
    assert beds[0] != beds[1]
    assert other.name == "Resident, at home 2"
    assert rehearse(again, 2, 1).scores["throwing"] is not None
    assert len(removed(again, person.id).people) == 1


def test_one_chair_is_enough_and_the_way_out_is_at_the_outside_door():
    project, _ = add_room(bare(), "g", "Study", "desk", rectangle(0, 0, 4, 3))
    with pytest.raises(ValueError, match="place a chair"):
        add_person(project, "out by day")
    project, _ = add_opening(project, project.walls[0].id, "door", 1.0)
    project, _ = add_furnishing(project, "g", kind("Chair"), (3.0, 2.0), 0.0)
    new, person = add_person(project, "out by day")
    sound(new)
    out = next(s for s in new.spots if s.activity == "away")
    assert out.at[1] == pytest.approx(0.45, abs=0.01)
    assert {s.spot for s in person.stays} == {out.id, new.spots[0].id}
    r = rehearse(new, 3, 1)
    assert 4 * 3600 < r.awake("study").total() / 3 < 20 * 3600


def test_the_cat_goes_everywhere(demo):
    new, cat = add_person(replace(demo, people=()), "cat")
    sound(new)
    assert cat.kind == "pet"
    assert len(cat.errands) > 3
    assert rehearse(new, 1, 1).occupied("throwing").total() == 0
