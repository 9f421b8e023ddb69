"""Walls are built for where they stand: between rooms, or to the outside; split where that changes."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room, rect
from vastwatch.advice.checks.plan import walls_out_of_place
from vastwatch.design.edits.building import add_room
from vastwatch.design.edits.fittings import add_opening
from vastwatch.design.edits.wall_places import built_as, out_of_place, wall_stretches, walls_by_place
from vastwatch.design.edits.whole_rooms import move_room
from vastwatch.design.places import opening_middle
from vastwatch.design.project import Project, find, on_level
from vastwatch.files.check import faults_of
from vastwatch.geometry import polygons
from vastwatch.site.building import Level, Wall


def bare() -> Project:
    return Project(name="x", levels=(Level(id="g", name="Ground", elevation=0.0, height=2.6),))


def with_rooms(*outlines):
    project = bare()
    for k, outline in enumerate(outlines):
        project, _ = add_room(project, "g", f"Room {k}", "desk", outline)
    return project


def told(project):
    return {
        (w.a, w.b): (w.thickness, w.material) for w in on_level(project.walls, "g")
    }  # fmt: skip


def metres(project, place):
    """How much wall of a level stands where it is built for `place` and is built so, by points along each wall."""
    total = 0.0
    level = project.levels[0].id
    for wall in on_level(project.walls, level):
        length = math.dist(wall.a, wall.b)
        n = max(int(length / 0.05), 1)
        for k in range(n):
            s = (k + 0.5) / n
            x, y = wall.a[0] + s * (wall.b[0] - wall.a[0]), wall.a[1] + s * (wall.b[1] - wall.a[1])
            ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
            sides = [
                any(polygons.contains_point(r.outline, x - uy * d, y + ux * d) for r in on_level(project.rooms, level))
                for d in (0.04, -0.04)
            ]
            if all(sides) == (place == "inner") and any(sides) and built_as(project.construction, wall) != place:
                total += length / n
    return total


def test_a_room_that_is_moved_away_leaves_and_finds_walls_of_the_place():
    project = with_rooms(rect(0, 0, 4, 3), rect(4, 0, 7, 3))
    assert list(out_of_place(project, "g")) == []
    moved = move_room(project, "room-1", 3.0, 0.0).project
    # The wall they shared faces the outside now; the room's own walls do all round.
    assert set(told(moved).values()) == {(0.3, "brick")} and list(faults_of(moved)) == []
    back = move_room(moved, "room-1", -3.0, 0.0).project
    assert [how for ends, how in told(back).items() if ends[0][0] == ends[1][0] == 4.0] == [(0.1, "plasterboard")]


def test_a_wall_that_is_half_outer_and_half_inner_is_split():
    project = with_rooms(rect(0, 0, 6, 3), rect(0, 4, 3, 7))
    moved = move_room(project, "room-1", 0.0, -1.0).project
    shared = {ends: how for ends, how in told(moved).items() if ends[0][1] == ends[1][1] == 3.0}
    assert len(shared) == 2 and sorted(how for how in shared.values()) == [(0.1, "plasterboard"), (0.3, "brick")]
    lengths = {how: math.dist(*ends) for ends, how in shared.items()}
    assert lengths == {(0.1, "plasterboard"): 3.0, (0.3, "brick"): 3.0}


def test_a_door_is_never_cut_and_stays_where_it_is():
    project = with_rooms(rect(0, 0, 6, 3))
    wall = next(w for w in project.walls if w.a[1] == w.b[1] == 3.0)
    project, door = add_opening(project, wall.id, "door", 3.0)
    project, _ = add_room(project, "g", "Above", "desk", rect(0, 3, 3.2, 6))
    before = opening_middle(project, find(project.openings, door.id))
    new = walls_by_place(project, "g")
    after = opening_middle(new, find(new.openings, door.id))
    assert after[0] == pytest.approx(before[0], abs=1e-6) and list(faults_of(new)) == []
    pieces = [w for w in on_level(new.walls, "g") if w.a[1] == w.b[1] == 3.0]
    # The cut is at the door's edge, not at 3.2 m in the middle of it.
    ends = sorted({x for w in pieces for x in (w.a[0], w.b[0])})
    edges = {round(before[0][0] - door.width / 2, 4), round(before[0][0] + door.width / 2, 4)}
    assert len(pieces) == 2 and ends[1] in edges


def test_walls_made_otherwise_stay_as_they_are():
    project = with_rooms(rect(0, 0, 4, 3), rect(4, 0, 7, 3))
    glass = tuple(replace(w, thickness=0.02, material="glass") if w.a[0] == w.b[0] == 4.0 else w for w in project.walls)
    project = replace(project, walls=glass)
    assert walls_by_place(project, "g") is project and list(walls_out_of_place(project)) == []
    alike = replace(project, construction=replace(project.construction, inner_m=0.3, inner_material="brick"))
    assert all(built_as(alike.construction, w) is None for w in alike.walls)


def test_a_finding_says_how_much_of_it_there_is_and_one_press_ends_it():
    project = with_rooms(rect(0, 0, 4, 3), rect(4, 0, 7, 3))
    c = project.construction
    wrong = replace(
        project, walls=tuple(replace(w, thickness=c.inner_m, material=c.inner_material) for w in project.walls)
    )
    (found,) = walls_out_of_place(wrong)
    assert found.rule == "wall-place" and "20.0 m of wall to the outside is built as an inner wall" in found.text
    assert "between rooms" not in found.text and set(found.records) < {w.id for w in wrong.walls}
    assert list(walls_out_of_place(walls_by_place(wrong, "g"))) == []


def test_the_building_in_which_it_was_found_is_put_right():
    from vastwatch.files import load_project

    file = Path(__file__).parents[1] / "plans" / "walls-after-typed-move.vastwatch.json"
    project = load_project(file)
    assert metres(project, "inner") + metres(project, "outer") > 30
    new = walls_by_place(project, "ground")
    assert list(out_of_place(new, "ground")) == [] and list(faults_of(new)) == []


@settings(max_examples=40, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(0, 6), st.integers(0, 6), st.integers(2, 4), st.integers(2, 4)), min_size=2, max_size=6
    )
)
def test_by_points_along_them_all_walls_are_built_for_their_place(places):
    """Against the plain definition: what lies on either side of points five centimetres apart."""
    project = bare()
    for x, y, w, d in places:
        try:
            project, _ = add_room(project, "g", "Room", "desk", rect(x, y, x + w, y + d))
        except ValueError:
            continue
    new = walls_by_place(project, "g")
    assert metres(new, "inner") == 0.0 and metres(new, "outer") == 0.0 and list(faults_of(new)) == []
    length = sum(math.dist(w.a, w.b) for w in project.walls)
    assert sum(math.dist(w.a, w.b) for w in new.walls) == pytest.approx(length, abs=1e-3)


def test_a_wall_along_no_room_is_of_no_place():
    wall = Wall(id="w", level="g", a=(0, 0), b=(5, 0), thickness=0.1, material="plasterboard")
    assert [s.place for s in wall_stretches(wall, make_room().rooms[:0])] == [None]
