"""Walls of new rooms: thick to the outside, thin between rooms, and as they were made by hand where somebody did."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

from vastwatch.design.edits.building import add_room, rectangle
from vastwatch.design.edits.uses import give_to_use, make_use, use_choices, with_use
from vastwatch.design.needs import needs_of
from vastwatch.design.project import VERSION, Construction, Project, find
from vastwatch.files.check import faults_of
from vastwatch.files.migrate import migrated
from vastwatch.files.project_file import decode, encode
from vastwatch.geometry import polygons
from vastwatch.site.building import Level, Needs, Opening
from vastwatch.site.use_guess import USES, guess_use

MADE = Construction(outer_m=0.3, outer_material="brick", inner_m=0.12, inner_material="timber")


def bare():
    return Project(name="New", construction=MADE, levels=(Level(id="g", name="Ground", elevation=0.0),))


def kinds(project):
    """Length of wall of each thickness and material."""
    out = {}
    for w in project.walls:
        key = w.thickness, w.material
        out[key] = round(out.get(key, 0.0) + math.dist(w.a, w.b), 6)
    return out


def test_the_wall_between_two_rooms_is_an_inner_one():
    project, _ = add_room(bare(), "g", "A", "sitting", rectangle(0, 0, 5, 4))
    assert kinds(project) == {(0.3, "brick"): 18}
    project, _ = add_room(project, "g", "B", "sitting", rectangle(5, 0, 3, 4))
    assert kinds(project) == {(0.3, "brick"): 5 + 5 + 4 + 3 + 3 + 4, (0.12, "timber"): 4}
    assert len(project.walls) == 7 and not list(faults_of(project))


def test_a_longer_wall_is_inner_only_where_it_is_shared():
    project, _ = add_room(bare(), "g", "A", "sitting", rectangle(0, 0, 5, 4))
    project, _ = add_room(project, "g", "B", "sitting", rectangle(5, 1, 3, 2))
    assert kinds(project)[0.12, "timber"] == 2
    assert kinds(project)[0.3, "brick"] == 18 - 2 + 3 + 3 + 2
    assert len({w.id for w in project.walls}) == len(project.walls) and not list(faults_of(project))


def test_walls_somebody_made_otherwise_or_with_a_door_in_them_stay():
    project, _ = add_room(bare(), "g", "A", "sitting", rectangle(0, 0, 5, 4))
    east = next(w for w in project.walls if w.a[0] == w.b[0] == 5)
    by_hand = replace(project, walls=tuple(replace(w, thickness=0.2) if w is east else w for w in project.walls))
    new, _ = add_room(by_hand, "g", "B", "sitting", rectangle(5, 0, 3, 4))
    assert find(new.walls, east.id).thickness == 0.2
    door = Opening(id="door", wall=east.id, kind="door", offset=0.2, width=0.8)
    held, _ = add_room(replace(project, openings=(door,)), "g", "B", "sitting", rectangle(5, 1, 3, 2))
    assert find(held.walls, east.id).thickness == 0.3 and not list(faults_of(held))
    # A wall shared from end to end carries its door along.
    whole, _ = add_room(replace(project, openings=(door,)), "g", "B", "sitting", rectangle(5, 0, 3, 4))
    assert find(whole.walls, east.id).thickness == 0.12


def test_an_older_project_goes_on_with_the_walls_it_had():
    document = {"format": "vastwatch-project", "version": 2, "name": "Old", "levels": []}
    new = migrated(document)
    assert new["version"] == VERSION and new["construction"]["outer_m"] == 0.1 and document["version"] == 2


def test_uses_of_the_projects_own():
    project, room = add_room(bare(), "g", "Den", "sitting", rectangle(0, 0, 4, 4))
    project = replace(project, rooms=(replace(room, needs=Needs(lux=90.0, notice_s=3.0)),))
    new, use = make_use(project, room.id, "  Film   room ")
    assert (use.name, use.like, use.needs.lux) == ("Film room", "sitting", 90.0)
    mine = find(new.rooms, room.id)
    assert mine.needs == mine.needs and mine.needs.lux is None and needs_of(new, mine).lux == 90.0
    assert needs_of(new, mine).stays is True and (use.id, "film room") == use_choices(new)[0]
    assert encode(decode(encode(new))) == encode(new)
    back = with_use(new, mine, "kitchen")
    assert back.own_use is None and back.use == "kitchen"
    with pytest.raises(ValueError, match="unknown use 'nothing'"):
        with_use(new, mine, "nothing")
    with pytest.raises(ValueError, match="needs a name"):
        make_use(project, room.id, "  ")
    with pytest.raises(ValueError, match="no custom use"):
        give_to_use(project, room.id)


def test_a_use_that_goes_leaves_its_rooms_what_it_was_like():
    from vastwatch.design.edits.removing import removed

    project, room = add_room(bare(), "g", "Den", "sitting", rectangle(0, 0, 4, 4))
    project, use = make_use(project, room.id, "Film room")
    gone = removed(project, use.id)
    assert gone.uses == () and gone.rooms[0].own_use is None and gone.rooms[0].use == "sitting"


@pytest.mark.parametrize(
    ("name", "use"),
    [
        ("Waiting room", "waiting"), ("Reception", "reception"), ("Treatment room 2", "consulting"), ("Meeting", "meeting"),
        ("Gym", "gym"), ("Laundry", "laundry"), ("Garage", "garage"), ("Open plan office", "open office"),
        ("Corridor", "corridor"), ("Hall", "passage"), ("Office", "desk"), ("Xyz", None),
    ],
)  # fmt: skip
def test_names_tell_uses(name, use):
    assert guess_use(name) == use and (use is None or use in USES)


def test_the_area_between_is_no_matter():
    """Rooms are on centre lines: how thick a wall is changes no room."""
    project, room = add_room(bare(), "g", "A", "sitting", rectangle(0, 0, 5, 4))
    assert polygons.area(room.outline) == 20 and project.construction is MADE
