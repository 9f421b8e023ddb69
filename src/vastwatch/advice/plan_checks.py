"""Checks of the building while it is drawn: rooms that are not closed or overlap, doors onto nothing, spots inside
cupboards, rooms nobody can walk to."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import lru_cache
from itertools import pairwise

import numpy as np

from vastwatch.advice.finding import Advice, Finding
from vastwatch.design.building import overlap, uncovered
from vastwatch.design.edits import room_at
from vastwatch.design.fittings import rooms_beside
from vastwatch.design.project import Project, find, on_level
from vastwatch.geometry import polygons
from vastwatch.site.building import Room, Wall

# Less of a room's edge without a wall is a slip of the pen, metres.
GAP_M = 0.05
# What people sit or lie on; nothing else has anybody inside it.
USED_FROM_WITHIN = ("chair", "armchair", "sofa", "bed", "bench", "bath", "toilet", "stool", "rug", "mat", "stair")
# Anything lower than this is stepped over, metres.
STEPPED_OVER_M = 0.25
# Narrower openings nobody walks through, metres.
PASSABLE_M = 0.5
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
                    f"{room.name} is not closed: {sum(math.dist(*g) for g in gaps):.2f} m of its edge has no wall, "
                    f"from "
                    f"({longest[0][0]:.2f}, {longest[0][1]:.2f}) to ({longest[1][0]:.2f}, {longest[1][1]:.2f}).",
                    (Advice("Drag its corners onto the walls, or put an archway where it is meant to be open."),),
                    room.id,
                )  # fmt: skip


@lru_cache(maxsize=512)
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
                        "rooms-overlap", "wrong", (a.id, rooms[j].id), f"{a.name} and {rooms[j].name} share floor.",
                        (Advice("Drag a wall or a corner of one of them back."),), a.id,
                    )  # fmt: skip


def doors_onto_nothing(project: Project) -> Iterator[Finding]:
    """Doors and archways between no rooms, doors from an upper floor into the air, and doors within one room."""
    lowest = min((level.elevation for level in project.levels), default=0.0)
    for o in project.openings:
        if o.kind == "window":
            continue
        a, b = rooms_beside(project, o)
        level = find(project.levels, find(project.walls, o.wall).level)
        if a is None and b is None:
            text = f"This {o.kind} leads from no room to no room."
        elif (a is None) != (b is None) and level.elevation > lowest + 1.0:
            room = a or b
            assert room is not None
            text = f"This {o.kind} of {room.name.lower()} opens into the air, {level.elevation - lowest:.1f} m up."
        elif a is not None and a is b:
            text = f"This {o.kind} leads from {a.name.lower()} into itself."
        else:
            continue
        home = a or b
        yield Finding(
            "door-nowhere", "wrong", (o.id, o.wall), text,
            (Advice("Move it to a wall between two rooms, or draw the room it leads to."),),
            home.id if home else None,
        )  # fmt: skip


def spots_in_cupboards(project: Project) -> Iterator[Finding]:
    """Spots inside furniture that nobody sits or lies in."""
    for spot in project.spots:
        level = find(project.rooms, spot.room).level
        for f in project.furnishings:
            if f.level != level or f.kind in USED_FROM_WITHIN or f.z1 < STEPPED_OVER_M or f.z0 > 1.7:
                continue
            if polygons.contains_point(f.outline, *spot.at):
                yield Finding(
                    "spot-inside", "wrong", (spot.id, f.id),
                    f"{spot.name.capitalize()} lies inside the {f.name.lower()}, {f.z1:.2f} m high; nobody can be "
                    "there.",
                    (Advice("Move the spot in front of it."),), spot.room,
                )  # fmt: skip
                break


def unreachable_rooms(project: Project) -> Iterator[Finding]:
    """Rooms to which no door, archway or stair leads from where people come in."""
    if len(project.rooms) < 2:
        return
    ways: dict[str, set[str]] = {r.id: set() for r in project.rooms}
    entrances = {r.id for r in project.rooms if r.use == "outside"}
    entrances |= {s.room for s in project.spots if s.activity == "away"}
    for o in project.openings:
        if o.kind == "window" or o.width < PASSABLE_M:
            continue
        a, b = rooms_beside(project, o)
        if a is not None and b is not None:
            ways[a.id].add(b.id)
            ways[b.id].add(a.id)
        elif (only := a or b) is not None:
            entrances.add(only.id)
    for a_id, b_id in _stairs(project):
        ways[a_id].add(b_id)
        ways[b_id].add(a_id)
    if not entrances:
        return
    reached, front = set(entrances), list(entrances)
    while front:
        for other in ways[front.pop()] - reached:
            reached.add(other)
            front.append(other)
    for room in project.rooms:
        if room.id not in reached:
            yield Finding(
                "room-unreachable", "wrong", (room.id,),
                f"Nobody can walk to {room.name.lower()}: no door leads there.",
                (Advice("Put a door or an archway into one of its walls."),), room.id,
            )  # fmt: skip


def _stairs(project: Project) -> Iterator[tuple[str, str]]:
    """Pairs of rooms a stair joins: where it starts, and what lies above it on the next level."""
    order = sorted(project.levels, key=lambda level: level.elevation)
    above = {a.id: b.id for a, b in pairwise(order)}
    for f in project.furnishings:
        if f.kind != "stair" or f.level not in above:
            continue
        points = [polygons.centroid(f.outline), *f.outline]
        below = next((r for p in points if (r := room_at(project, f.level, *p)) is not None), None)
        upper = next((r for p in points if (r := room_at(project, above[f.level], *p)) is not None), None)
        if below is not None and upper is not None:
            yield below.id, upper.id


CHECKS = (open_rooms, overlapping_rooms, doors_onto_nothing, spots_in_cupboards, unreachable_rooms)
