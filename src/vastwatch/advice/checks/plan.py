"""Checks of the building while it is drawn: rooms that are not closed or overlap, doors onto nothing, spots inside
cupboards, rooms nobody can walk to."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from vastwatch.advice.checks.finding import Finding, RemedyText
from vastwatch.design.edits.building import overlap, segments_cross, uncovered
from vastwatch.design.edits.removing import count_words
from vastwatch.design.edits.wall_places import built_as, out_of_place
from vastwatch.design.needs import HALF_OFF_USES, MANUAL_ON_USES
from vastwatch.design.places import display_name, opening_middle, room_at, rooms_beside
from vastwatch.design.project import Project, find, on_level
from vastwatch.design.relations import lamps_in, levels_in_order, presence_of
from vastwatch.devices import ModuleType
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.people.floors import solid_segments, stair_ends
from vastwatch.people.reachability import unreachable_spots
from vastwatch.site.building import Furnishing, Opening, Room, Wall
from vastwatch.site.furniture import furniture
from vastwatch.site.people import Person
from vastwatch.site.record import Point
from vastwatch.words import capital

# Less of a room's edge without a wall is a slip of the pen, metres.
GAP_M = 0.05
# Less of a wall built for another place is nothing to look at, metres.
STRETCH_M = 0.3
# What people sit or lie on; nothing else has anybody inside it.
USED_FROM_WITHIN = {"stool", "rug", "mat", "stair"} | {k.kind for k in furniture() if k.sits or k.lies}
# A bench lower than this is sat on, a higher one worked at, metres.
BENCH_SEAT_M = 0.6
# Anything lower than this is stepped over, metres.
STEPPED_OVER_M = 0.25
# What begins higher than this is mounted over anybody who is there, metres.
OVERHEAD_M = 1.7
# Narrower openings nobody walks through, metres.
PASSABLE_M = 0.5
# Anybody who leaves does so at an outside door, within so many metres of its middle.
AT_DOOR_M = 2.0
# So much floor is wanted before the foot and beyond the head of a stair, metres.
LANDING_M = 0.5
# A stair ends within one step of the next floor, is no steeper and no narrower than this: metres, degrees, metres.
STEP_M, STEEPEST_DEG, NARROWEST_STAIR_M = 0.22, 55.0, 0.6
# With more rooms than this the checks that compare pairs are left to the drawing tools.
MOST_PAIRS = 400


def open_rooms(project: Project) -> Iterator[Finding]:
    """Rooms with a stretch of edge along which no wall runs."""
    for level in project.levels:
        walls = on_level(project.walls, level.id)
        for room in on_level(project.rooms, level.id):
            gaps = _gaps(room, walls)
            if gaps:
                longest = max(gaps, key=lambda g: math.dist(*g))
                yield Finding(
                    "room-open", "wrong", (room.id,),
                    f"{room.name} is not closed: {sum(math.dist(*g) for g in gaps):.2f} m of its outline has "
                    f"no wall, from ({longest[0][0]:.2f}, {longest[0][1]:.2f}) to ({longest[1][0]:.2f}, "
                    f"{longest[1][1]:.2f}).",
                    (RemedyText("Drag its corners onto the walls, or add an archway where it is meant to be open."),),
                    room.id,
                )  # fmt: skip


def walls_out_of_place(project: Project) -> Iterator[Finding]:
    """Walls of which a part is built for the outside and stands between rooms, or the other way round."""
    for level in project.levels:
        c = project.construction
        each = (
            (wall, sum(s.end - s.begin for s in stretches if s.place not in (None, built_as(c, wall))))
            for wall, stretches in out_of_place(project, level.id)
        )
        found = [(wall, metres) for wall, metres in each if metres >= STRETCH_M]
        if not found:
            continue
        inside = sum(m for wall, m in found if built_as(c, wall) == "outer")
        outside = sum(m for wall, m in found if built_as(c, wall) == "inner")
        parts = []
        if inside:
            built = f"an outer wall ({c.outer_m:g} m, {c.outer_material})"
            parts.append(f"{inside:.1f} m of wall between rooms is built as {built}")
        if outside:
            built = f"an inner wall ({c.inner_m:g} m, {c.inner_material})"
            parts.append(f"{outside:.1f} m of wall to the outside is built as {built}")
        yield Finding(
            "wall-place", "note", tuple(wall.id for wall, _ in sorted(found, key=lambda f: -f[1])),
            f"{level.name}: {' and '.join(parts)}. Radar sees through some walls and not through others.",
            (RemedyText("“Set walls by position” in the Plan stage builds each for where it stands."),),
        )  # fmt: skip


@memoised
def _gaps(room: Room, walls: tuple[Wall, ...]) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    corners = room.outline
    found = [g for a, b in zip(corners, corners[1:] + corners[:1]) for g in uncovered(a, b, walls)]
    return [g for g in found if math.dist(*g) > GAP_M]


def overlapping_rooms(project: Project) -> Iterator[Finding]:
    """Pairs of rooms on one level that share floor."""
    for level in project.levels:
        rooms = on_level(project.rooms, level.id)
        if len(rooms) > MOST_PAIRS:
            continue
        boxes = [(np.min(r.outline, axis=0), np.max(r.outline, axis=0)) for r in rooms]
        for i, a in enumerate(rooms):
            for j in range(i + 1, len(rooms)):
                (lo, hi), (lo2, hi2) = boxes[i], boxes[j]
                if (lo < hi2 - 0.01).all() and (lo2 < hi - 0.01).all() and overlap(a.outline, rooms[j].outline):
                    yield Finding(
                        "rooms-overlap", "wrong", (a.id, rooms[j].id), f"{a.name} and {rooms[j].name} overlap.",
                        (RemedyText("Drag a wall or a corner of one of them back."),), a.id,
                    )  # fmt: skip


class _Passage(NamedTuple):
    """An opening that people walk through, and the rooms at its sides."""

    opening: Opening
    left: Room | None
    right: Room | None


@memoised
def _passages(project: Project) -> list[_Passage]:
    passable = (o for o in project.openings if o.kind != "window" and o.width >= PASSABLE_M)
    return [_Passage(o, *rooms_beside(project, o)) for o in passable]


def doors_onto_nothing(project: Project) -> Iterator[Finding]:
    """Doors and archways between no rooms, doors from an upper floor into the air, and doors within one room."""
    lowest = min((level.elevation for level in project.levels), default=0.0)
    for o in project.openings:
        if o.kind == "window":
            continue
        a, b = rooms_beside(project, o)
        level = find(project.levels, find(project.walls, o.wall).level)
        if a is None and b is None:
            text = f"This {o.kind} is not next to any room."
        elif (a is None) != (b is None) and level.elevation > lowest + 1.0:
            room = a or b
            assert room is not None
            text = f"This {o.kind} of {room.name.lower()} opens into the air, {level.elevation - lowest:.1f} m up."
        elif a is not None and a is b:
            text = f"Both sides of this {o.kind} are in {a.name.lower()}."
        else:
            continue
        home = a or b
        yield Finding(
            "door-nowhere", "wrong", (o.id, o.wall), text,
            (RemedyText("Move it to a wall between two rooms, or draw the room it leads to."),),
            home.id if home else None,
        )  # fmt: skip


def spots_in_cupboards(project: Project) -> Iterator[Finding]:
    """Spots inside furniture that nobody sits or lies in."""
    for spot in project.spots:
        level = find(project.rooms, spot.room).level
        for f in project.furnishings:
            seat = f.kind in USED_FROM_WITHIN or (f.kind == "bench" and f.z1 < BENCH_SEAT_M)
            if f.level != level or seat or f.z1 < STEPPED_OVER_M or f.z0 > OVERHEAD_M:
                continue
            if polygons.contains_point(f.outline, *spot.at):
                yield Finding(
                    "spot-inside", "wrong", (spot.id, f.id),
                    f"{capital(display_name(project, spot))} is inside the {f.name.lower()}, {f.z1:.2f} m high; "
                    "nobody can be there.",
                    (RemedyText("Move the position in front of it."),), spot.room,
                )  # fmt: skip
                break


def unreachable_rooms(project: Project) -> Iterator[Finding]:
    """Rooms to which no door, archway or stair leads from where people come in."""
    if len(project.rooms) < 2:
        return
    ways: dict[str, set[str]] = {r.id: set() for r in project.rooms}
    entrances = {r.id for r in project.rooms if r.use == "outside"}
    entrances |= {s.room for s in project.spots if s.activity == "away"}
    for _, a, b in _passages(project):
        if a is not None and b is not None:
            ways[a.id].add(b.id)
            ways[b.id].add(a.id)
        elif (only := a or b) is not None:
            entrances.add(only.id)
    for a_id, b_id in _stairs(project):
        ways[a_id].add(b_id)
        ways[b_id].add(a_id)
    if not entrances:
        # Nobody comes in anywhere yet: then only rooms without any way are certain, where others have one.
        for room in project.rooms:
            if not ways[room.id] and any(ways.values()):
                yield _shut(room)
        return
    reached, front = set(entrances), list(entrances)
    while front:
        for other in ways[front.pop()] - reached:
            reached.add(other)
            front.append(other)
    for room in project.rooms:
        if room.id not in reached:
            yield _shut(room)


def stays_nobody_reaches(project: Project) -> Iterator[Finding]:
    """Places of schedules to which no way leads: those hours are left out of every figure."""
    lost: dict[str, list[Person]] = {}
    for person in project.people:
        for spot in unreachable_spots(project, person):
            lost.setdefault(spot.id, []).append(person)
    for ident, people in lost.items():
        spot = find(project.spots, ident)
        room = find(project.rooms, spot.room)
        who = people[0].name if len(people) == 1 else f"{people[0].name} and {count_words(len(people) - 1, 'other')}"
        yield Finding(
            "stay-unreachable", "wrong", (spot.id, *(p.id for p in people), room.id),
            f"{who} cannot get to “{spot.name}” in {room.name.lower()}: there is no path. Time meant to be "
            "spent there is left out of all figures.",
            (
                RemedyText("Add a door, or move what blocks the path."),
                RemedyText("Choose another position in the schedule (Brief)."),
            ),
            room.id,
        )  # fmt: skip


def _shut(room: Room) -> Finding:
    return Finding(
        "room-unreachable", "wrong", (room.id,), f"Nobody can reach {room.name.lower()}: no door leads there.",
        (RemedyText("Add a door or an archway to one of its walls."),), room.id,
    )  # fmt: skip


def no_way_in(project: Project) -> Iterator[Finding]:
    """People who come and go in a building that has no outside door, or far from it."""
    away = [s for s in project.spots if s.activity == "away"]
    if not away or any(r.use == "outside" for r in project.rooms):
        return
    doors = [
        (find(project.walls, p.opening.wall).level, opening_middle(project, p.opening)[0])
        for p in _passages(project)
        if (p.left is None) != (p.right is None)
    ]
    for spot in away:
        room = find(project.rooms, spot.room)
        near = min((math.dist(at, spot.at) for level, at in doors if level == room.level), default=math.inf)
        if near <= AT_DOOR_M:
            continue
        name = room.name.lower()
        if not doors:
            severity, text = "wrong", f"No door leads outside: people who go out disappear inside {name}."
            remedy = "Add a door to an outer wall, and move the exit position next to it."
        else:
            far = "on another level" if math.isinf(near) else f"{near:.1f} m off"
            severity = "risk"
            text = f"People who go out disappear inside {name}, at “{spot.name}”: the nearest outside door is {far}."
            remedy = "Drag the position next to the door people leave by."
        yield Finding("no-way-in", severity, (spot.id,), text, (RemedyText(remedy),), spot.room)


def stairs_nowhere(project: Project) -> Iterator[Finding]:
    """Stairs that lead to no level, arrive where there is no room, or have a wall right before an end."""
    order = levels_in_order(project)
    above = {a.id: b for a, b in pairwise(order)}
    for f in project.furnishings:
        if f.kind != "stair":
            continue
        foot, head = stair_ends(f)
        below = room_at(project, f.level, *polygons.centroid(f.outline))
        home = below.id if below else None
        upper = above.get(f.level)
        name = display_name(project, f)
        if upper is None:
            text, remedy = f"There is no level above {name}.", "Add a level above, or remove the stair."
        elif room_at(project, upper.id, *head) is None:
            text = f"{name} arrives on {upper.name.lower()} where there is no room."
            remedy = "Draw the room it leads to, or reverse its climb direction."
        elif (shut := _landing_shut(project, f, foot, head, upper.id)) is not None:
            text = f"The {shut} of {name} is against a wall: nobody can step {'onto' if shut == 'foot' else 'off'} it."
            remedy = f"Leave at least {LANDING_M:g} m free at its foot and head, or reverse its climb direction."
        elif abs(missing := (upper.elevation - find(project.levels, f.level).elevation) - f.z1) > STEP_M:
            way = "short of" if missing > 0 else "above"
            text = f"{name} rises {f.z1:.2f} m and ends {abs(missing):.2f} m {way} {upper.name.lower()}."
            remedy = f"Set its top to {f.z1 + missing:.2f} m, or correct the level heights."
        elif (steep := math.degrees(math.atan2(f.z1, max(math.dist(foot, head), 0.01)))) > STEEPEST_DEG:
            text = f"{name} rises {f.z1:.2f} m over {math.dist(foot, head):.2f} m: at {steep:.0f}° it is a ladder."
            remedy = f"Make it at least {f.z1 / math.tan(math.radians(STEEPEST_DEG)):.2f} m long."
        elif (narrow := min(_sides(f))) < NARROWEST_STAIR_M:
            text = f"{name} is {narrow:.2f} m wide: too narrow to walk."
            remedy = f"Make it at least {NARROWEST_STAIR_M:g} m wide; the local code may require more."
        else:
            continue
        yield Finding("stair-nowhere", "wrong", (f.id,), text, (RemedyText(remedy),), home)


def _sides(stair: Furnishing) -> tuple[float, float]:
    """How long a stair is along its climb, and how wide across, metres."""
    a = math.radians(stair.climb or 0.0)
    outline = np.asarray(stair.outline, float)
    along, across = outline @ (math.cos(a), math.sin(a)), outline @ (-math.sin(a), math.cos(a))
    return float(np.ptp(along)), float(np.ptp(across))


def _landing_shut(project: Project, stair: Furnishing, foot: Point, head: Point, upper: str) -> str | None:
    """Which end of a stair has a wall right before it."""
    length = math.dist(foot, head) or 1.0
    ux, uy = (head[0] - foot[0]) / length, (head[1] - foot[1]) / length
    for end, at, way, level in (("foot", foot, -1.0, stair.level), ("head", head, 1.0, upper)):
        walls = on_level(project.walls, level)
        if not walls:
            continue
        step = (at[0] + way * LANDING_M * ux, at[1] + way * LANDING_M * uy)
        for wall in walls:
            gaps = [o for o in project.openings if o.wall == wall.id and o.kind != "window"]
            for a, b in solid_segments(wall, gaps):
                if segments_cross((at, step), ((float(a[0]), float(a[1])), (float(b[0]), float(b[1])))):
                    return end
    return None


def _stairs(project: Project) -> Iterator[tuple[str, str]]:
    """Pairs of rooms a stair joins: where it starts, and what lies above it on the next level."""
    order = levels_in_order(project)
    above = {a.id: b.id for a, b in pairwise(order)}
    for f in project.furnishings:
        if f.kind != "stair" or f.level not in above:
            continue
        points = [polygons.centroid(f.outline), *f.outline]
        below = next((r for p in points if (r := room_at(project, f.level, *p)) is not None), None)
        upper = next((r for p in points if (r := room_at(project, above[f.level], *p)) is not None), None)
        if below is not None and upper is not None:
            yield below.id, upper.id


def _manual_on(project: Project) -> Iterator[Finding]:
    """Rooms whose light comes on by itself, where the user's code asks for a hand."""
    if not project.brief.code_manual_on:
        return
    for room in project.rooms:
        if room.use in MANUAL_ON_USES and room.control == "presence" and presence_of(project, room.id) is not None:
            text = (
                f"{room.name} comes on automatically, but the brief says your local code requires manual on: "
                "check it, and "
            )
            yield Finding("code-manual-on", "note", (room.id,), text + "use manual on.", room=room.id)


def _half_off(project: Project) -> Iterator[Finding]:
    """Rooms whose light presence switches right off, where the user's code asks for half of it."""
    if not project.brief.code_half_off:
        return
    types = {d.id: d for d in project.devices}
    for room in project.rooms:
        if room.use not in HALF_OFF_USES or presence_of(project, room.id) is None:
            continue
        mine = {x.id for x in lamps_in(project, room.id)}
        modules = [types.get(c.module or "") for c in project.circuits if mine & set(c.lamps)]
        if mine and all(isinstance(m, ModuleType) and m.dims for m in modules) and modules:
            text = f"{room.name}: dim to half instead of off, as the brief says your local code requires: check it."
            yield Finding("code-half-off", "note", (room.id,), text, room=room.id)
        elif mine:
            text = (
                f"{room.name} goes fully off, but the brief says your local code requires half light: check it, "
                "and give its circuit a dimmer."
            )
            yield Finding("code-half-off", "risk", (room.id,), text, room=room.id)


CHECKS = (
    _manual_on,
    _half_off,
    open_rooms,
    walls_out_of_place,
    overlapping_rooms,
    doors_onto_nothing,
    spots_in_cupboards,
    unreachable_rooms,
    stays_nobody_reaches,
    no_way_in,
    stairs_nowhere,
)
