"""Stairs: the ways over them, what makes one useless, and the caution that goes with them."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

from samples import bare, kind, shelf_at
from vastwatch.advice.checks.findings import findings
from vastwatch.design.edits.building import (
    add_room,
    move_corner,
    rectangle,
)
from vastwatch.design.edits.fittings import add_furnishing
from vastwatch.design.edits.levels import copy_level
from vastwatch.design.project import find
from vastwatch.files.check import faults_of
from vastwatch.people.floors import stair_ends
from vastwatch.people.routes import route
from vastwatch.site.building import Level, Spot, Wall
from vastwatch.site.furniture import furniture


def sound(project):
    assert list(faults_of(project)) == []
    return project


def rules(project):
    return {f.rule for f in findings(project)}


def two_levels(*stairs):
    """A hall of 10 x 4 m on two levels, joined by stairs at those middles and turns; who goes from below to above."""
    project, _ = add_room(bare(), "g", "Hall", "passage", rectangle(0, 0, 10, 4))
    for at, turn in stairs:
        project, _ = add_furnishing(project, "g", kind("Stair run"), at, turn)
    project, level = copy_level(project, "g")
    low = Spot(id="low", room="hall", name="low", at=(1.0, 3.5), posture="standing")
    high = Spot(id="high", room=f"{level.id}-hall", name="high", at=(1.0, 3.5), posture="standing")
    return replace(project, spots=(low, high)), low, high


def test_a_stair_from_the_shelf_joins_two_levels():
    project, low, high = two_levels(((5.0, 0.7), 180.0))
    sound(project)
    (stair,) = [f for f in project.furnishings if f.kind == "stair"]
    foot, head = stair_ends(stair)
    # Its front faces the left: one steps on there and climbs to the right.
    assert foot == pytest.approx((3.55, 0.7), abs=1e-3) and head == pytest.approx((6.45, 0.7), abs=1e-3)
    walked = route(project, low, high)
    assert walked is not None and {0, 1} == set(walked.level.tolist())
    back = route(project, high, low)
    assert back is not None and back.length == pytest.approx(walked.length, rel=0.03)
    assert "stair-nowhere" not in rules(project)


def test_of_two_stairs_the_shorter_way_is_taken():
    far, near = ((8.0, 0.7), 180.0), ((2.9, 0.7), 180.0)
    lengths = {}
    for name, stairs in (("far", (far,)), ("near", (near,)), ("both", (far, near)), ("both too", (near, far))):
        project, low, high = two_levels(*stairs)
        walked = route(project, low, high)
        assert walked is not None
        lengths[name] = walked.length
    assert lengths["near"] < lengths["far"] - 3
    assert lengths["both"] == pytest.approx(lengths["near"], abs=0.6)
    assert lengths["both too"] == pytest.approx(lengths["both"], abs=1e-6)


def test_without_a_stair_nobody_comes_up():
    project, low, high = two_levels()
    assert route(project, low, high) is None


def test_a_stair_that_leads_nowhere_is_found():
    def told(project):
        return [f.text for f in findings(project) if f.rule == "stair-nowhere"]

    project, _ = add_room(bare(), "g", "Hall", "passage", rectangle(0, 0, 10, 4))
    project, stair = add_furnishing(project, "g", kind("Stair run"), (5.0, 0.7), 180.0)
    assert "There is no level above" in told(project)[0]
    upper = Level(id="u", name="Loft", elevation=2.8)
    project = replace(project, levels=(*project.levels, upper))
    assert "arrives on loft where there is no room" in told(project)[0]
    project, _ = add_room(project, "u", "Loft", "store", rectangle(0, 0, 6.6, 4))
    assert "The head of" in told(project)[0]
    turned = replace(
        project,
        furnishings=tuple(replace(f, climb=180.0) if f.id == stair.id else f for f in project.furnishings),
    )
    assert told(turned) == []


def test_a_stair_whose_foot_is_against_a_wall_says_so():
    project, _ = add_room(bare(), "g", "Hall", "passage", rectangle(0, 0, 10, 4))
    project, stair = add_furnishing(project, "g", kind("Stair run"), (5.0, 0.7), 180.0)
    upper = Level(id="u", name="Loft", elevation=2.8)
    project = replace(project, levels=(*project.levels, upper))
    project, _ = add_room(project, "u", "Loft", "store", rectangle(0, 0, 10, 4))
    foot, head = stair_ends(find(project.furnishings, stair.id))
    # A wall right behind the foot: nobody can step onto it.
    way = 1.0 if foot[0] > head[0] else -1.0
    wall = Wall(id="close", level="g", a=(foot[0] + way * 0.15, 0.0), b=(foot[0] + way * 0.15, 4.0))
    told = [f.text for f in findings(replace(project, walls=(*project.walls, wall))) if f.rule == "stair-nowhere"]
    assert len(told) == 1 and "is against a wall: nobody can step onto it" in told[0]


def test_the_stairs_caution_stands_where_stairs_begin_and_where_they_arrive(room):
    stair = replace(shelf_at(1, 1, 2, 3), id="stair", kind="stair", climb=90.0, name="Stair")
    levels = (*room.levels, Level(id="u", name="Upper", elevation=2.8), Level(id="a", name="Attic", elevation=5.6))
    above = (replace(room.rooms[0], id="hall", level="u"), replace(room.rooms[0], id="loft", level="a"))
    rooms = tuple(replace(r, use="passage") for r in (*room.rooms, *above))
    presences = tuple(replace(room.presences[0], id=f"p-{r.id}", room=r.id) for r in rooms)
    passages = replace(room, rooms=rooms, levels=levels, presences=presences)

    def told(piece):
        return {f.room for f in findings(replace(passages, furnishings=(piece,))) if f.rule == "stair-light"}

    assert told(stair) == {"big", "small", "hall"}
    assert told(replace(stair, level="a")) == {"loft"}
    assert told(replace(stair, kind="shelf", climb=None)) == set()


def test_a_stair_against_a_wall_that_turns_climbs_the_way_the_wall_then_runs():
    project, _ = add_room(bare(), "g", "Hall", "passage", rectangle(0, 0, 6, 4))
    stair = replace(
        shelf_at(1.0, 3.05, 4.0, 3.95), id="stair", kind="stair", climb=0.0, name="Stair"
    )  # fmt: skip
    project = replace(project, furnishings=(stair,))
    for up in (0.5, -0.3):
        moved = find(move_corner(project, "g", (6.0, 4.0), (6.0, 4.0 + up)).furnishings, "stair")
        assert moved.climb == pytest.approx(math.degrees(math.atan2(up, 6.0)) % 360, abs=0.01)


def _stair_findings(**fields):
    """What is found of the sample's stair with some of its fields, or its outline, otherwise."""
    from msgspec.structs import replace

    from vastwatch.advice.checks.plan import stairs_nowhere
    from vastwatch.design.project import find, put
    from vastwatch.files import load_demo

    demo = load_demo()
    return [f.text for f in stairs_nowhere(put(demo, replace(find(demo.furnishings, "stair"), **fields)))]


def test_a_stair_that_ends_beside_the_next_floor_is_found():
    assert _stair_findings() == []
    assert "ends 0.50 m short of upper floor" in _stair_findings(z1=2.4)[0]
    assert "ends 0.60 m above upper floor" in _stair_findings(z1=3.5)[0]
    # Within one step it is a matter of the last one.
    assert _stair_findings(z1=2.8) == []


def test_a_stair_with_too_little_way_or_width_is_found():
    steep = ((5.1, 2.45), (5.95, 2.45), (5.95, 4.25), (5.1, 4.25))
    assert "58° it is a ladder" in _stair_findings(outline=steep)[0]
    narrow = ((5.1, 1.35), (5.6, 1.35), (5.6, 4.25), (5.1, 4.25))
    assert "0.50 m wide" in _stair_findings(outline=narrow)[0]


def test_a_new_stair_reaches_the_next_floor():
    from vastwatch.design.edits.fittings import add_furnishing
    from vastwatch.files import load_demo

    kind = next(k for k in furniture() if k.kind == "stair")
    demo = load_demo()
    _, ground = add_furnishing(demo, "ground", kind, (2.0, 4.5), 0.0)
    _, top = add_furnishing(demo, "upper", kind, (2.0, 4.5), 0.0)
    assert (ground.z1, top.z1) == (2.9, kind.z1)


def test_a_double_bed_has_two_sides_to_lie_on():
    import math

    from vastwatch.design.edits.fittings import add_furnishing
    from vastwatch.design.edits.typical_days import add_person
    from vastwatch.files import load_demo

    demo = load_demo()
    beds = {k.name: k for k in furniture() if k.kind == "bed"}
    new, _ = add_furnishing(demo, "upper", beds["Double bed"], (8.0, 4.0), 90.0)
    sides = new.spots[len(demo.spots) :]
    assert len(sides) == 2 and len({s.id for s in sides}) == 2 and all(s.posture == "lying" for s in sides)
    assert math.dist(sides[0].at, sides[1].at) == pytest.approx(0.8)
    single, _ = add_furnishing(demo, "upper", beds["Single bed"], (8.0, 4.0), 90.0)
    assert len(single.spots) == len(demo.spots) + 1
    # Two people sleep on a side each.
    bare = replace(new, people=(), spots=tuple(s for s in new.spots if s.activity != "sleeping" or s in sides))
    one, _ = add_person(bare, "at home")
    both, _ = add_person(one, "at home")
    assert len({s.spot for p in both.people for s in p.stays if s.spot in {x.id for x in sides}}) == 2


def test_typical_people_of_all_kinds_have_days_that_can_be_lived():
    from vastwatch.design.edits.typical_days import TEMPLATES, add_person
    from vastwatch.files import load_demo
    from vastwatch.files.check import faults_of
    from vastwatch.people import simulate_days

    project = replace(load_demo(), people=())
    for template in TEMPLATES:
        project, person = add_person(project, template)
        assert person.stays and not list(faults_of(project))
    by_name = {p.name.split(",")[0]: p for p in project.people}
    assert by_name["Dog"].kind == "pet" and by_name["Child"].kind == "child"
    # Anybody who does not live there is out at night, and does not sit at a desk at half past six in the evening.
    truth = simulate_days(project, 5, 1)
    for name in ("Staff", "Client or patient"):
        track = next(t for t in truth.tracks if t.person.name.startswith(name))
        for day in range(5):
            assert truth.where(track, day * 86_400 + 18.5 * 3600).level == -1
    cleaner = next(t for t in truth.tracks if t.person.name.startswith("Cleaner"))
    assert len({truth.spots[s].room for s in cleaner.spot}) > 6
