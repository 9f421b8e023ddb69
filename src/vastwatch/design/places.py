"""What is where on the plan: the room around a point, and the middle of anything."""

from __future__ import annotations

import math
from collections import Counter
from typing import Any

import numpy as np

from vastwatch.design.project import Project, find, find_any, indexed
from vastwatch.design.records import Sensor
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.site.building import Opening, Room
from vastwatch.site.record import Point

# This far to either side of a wall's face its rooms are looked for, metres.
BESIDE_M = 0.15


def room_at(project: Project, level: str, x: float, y: float) -> Room | None:
    """The room on that level around a point of the plan; the edge of a room counts as inside it."""
    near = [
        room
        for room, (x0, y0, x1, y1) in indexed(project.rooms, _framed).get(level, ())
        if x0 <= x <= x1 and y0 <= y <= y1
    ]
    for room in near:
        if polygons.contains_point(room.outline, x, y):
            return room
    for room in near:
        a = np.asarray(room.outline, float)
        distance, _ = polygons.nearest_on_segments((x, y), a, np.roll(a, -1, axis=0))
        if distance.min() < ON_EDGE_M:
            return room
    return None


# So near to a room's edge a point counts as on it, metres.
ON_EDGE_M = 1e-6
_Framed = tuple[Room, tuple[float, float, float, float]]


def _framed(rooms: tuple[Room, ...]) -> dict[str, list[_Framed]]:
    """By level, its rooms with the frame of each, a little wider."""
    out: dict[str, list[_Framed]] = {}
    for room in rooms:
        out.setdefault(room.level, []).append((room, polygons.bounds(room.outline, 2 * ON_EDGE_M)))
    return out


def middle_of(record: Any) -> Point:
    """Where a record with an outline or a place is, on the plan: its centroid, or its point."""
    if not hasattr(record, "outline"):
        return record.at[0], record.at[1]
    outline = record.outline
    if len(outline) == 4:
        (ax, ay), (bx, by), (cx, cy), (dx, dy) = outline
        if abs(ax + cx - bx - dx) < 1e-6 and abs(ay + cy - by - dy) < 1e-6:
            # A parallelogram, as most furniture is: a tenth of the time.
            return (ax + cx) / 2, (ay + cy) / 2
    return polygons.centroid(outline)


def room_of(project: Project, sensor: Sensor) -> Room | None:
    """The room a sensor is mounted in."""
    return room_at(project, sensor.level, sensor.at[0], sensor.at[1])


def opening_middle(project: Project, opening: Opening) -> tuple[Point, Point]:
    """The middle of an opening on its wall's centre line, and the unit vector along the wall."""
    wall = find(project.walls, opening.wall)
    length = math.dist(wall.a, wall.b)
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    s = opening.offset + opening.width / 2
    return (wall.a[0] + s * ux, wall.a[1] + s * uy), (ux, uy)


def rooms_beside(project: Project, opening: Opening) -> tuple[Room | None, Room | None]:
    """The rooms to the left and to the right of an opening, seen along its wall from end a to end b."""
    wall = find(project.walls, opening.wall)
    (x, y), (ux, uy) = opening_middle(project, opening)
    step = wall.thickness / 2 + BESIDE_M
    return (
        room_at(project, wall.level, x - uy * step, y + ux * step),
        room_at(project, wall.level, x + uy * step, y - ux * step),
    )


def display_name(project: Project, record: Any) -> str:
    """The name of something in a room; with the room where another of its kind has the same name."""
    found = find_any(project, record.id)
    name = str(record.name)
    if found is None or _names(getattr(project, found[0]))[name.strip().casefold()] < 2:
        return name
    if hasattr(record, "room"):
        return f"{name} in {find(project.rooms, record.room).name.lower()}"
    room = room_at(project, record.level, *middle_of(record))
    return name if room is None else f"{name} in {room.name.lower()}"


@memoised
def _names(records: tuple[Any, ...]) -> Counter[str]:
    return Counter(r.name.strip().casefold() for r in records)


def sensors_in(project: Project, room: str) -> tuple[Sensor, ...]:
    """The sensors that are mounted in a room."""
    return _homes(project.sensors, project.rooms).get(room, ())


@memoised
def _homes(sensors: tuple[Sensor, ...], rooms: tuple[Room, ...]) -> dict[str, tuple[Sensor, ...]]:
    project = Project(name="", sensors=sensors, rooms=rooms)
    out: dict[str, list[Sensor]] = {}
    for sensor in sensors:
        home = room_of(project, sensor)
        if home is not None:
            out.setdefault(home.id, []).append(sensor)
    return {room: tuple(some) for room, some in out.items()}
