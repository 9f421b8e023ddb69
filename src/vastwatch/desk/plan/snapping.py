"""Where things take hold: a sensor on the face of a wall, looking into the room, or in a corner; furniture with its
back to a wall; switches and sockets on its face.

Plain geometry on the project; no Qt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from vastwatch.design.places import room_at
from vastwatch.design.project import Project
from vastwatch.devices import DeviceType
from vastwatch.geometry import polygons
from vastwatch.site.building import Wall
from vastwatch.site.furniture import FurnitureType
from vastwatch.site.record import Point

# A device's back stands this far off the wall's face, metres.
OFF_FACE = 0.03
# Furniture dropped this near a wall stands against it, metres.
AGAINST_M = 0.45
# Corners attract from farther away than walls do.
CORNER_PULL = 1.6


@dataclass(frozen=True)
class Snap:
    """A place on the plan, and the yaw that faces into the room (None: keep the present one); `edge` tells which
    side of the room it is mounted on, so that moving along a wall does not turn the sensor."""

    x: float
    y: float
    yaw: float | None
    edge: int | None


def snap(project: Project, device: DeviceType, level: str, x: float, y: float, reach: float) -> Snap:
    """Snap a point to the room's walls and corners within `reach` metres; ceiling devices stay free."""
    free = Snap(round(x, 3), round(y, 3), None, None)
    room = room_at(project, level, x, y)
    if room is None or not {"wall", "corner", "low"} & set(device.mounts):
        return free
    outline = polygons.counter_clockwise(room.outline)
    following = np.roll(outline, -1, axis=0)
    distance, foot = polygons.nearest_on_segments((x, y), outline, following)
    nearest = int(np.argmin(distance))
    off = _face(project, level, foot[nearest]) + OFF_FACE
    if distance[nearest] > reach + off:
        return free
    n = len(outline)
    normals = []
    for k in range(n):
        d = following[k] - outline[k]
        normals.append(np.array([-d[1], d[0]]) / np.hypot(*d))
    for corner in range(n):
        if math.dist((x, y), outline[corner]) < CORNER_PULL * reach:
            a, b = normals[corner - 1], normals[corner]
            into = a + b
            if np.hypot(*into) < 0.3:
                continue
            at = outline[corner]
            # Each of the two walls keeps it off by its own thickness.
            for side, normal in ((corner - 1, a), (corner, b)):
                middle = (outline[side] + following[side]) / 2
                at = at + (_face(project, level, middle) + OFF_FACE) * normal
            return Snap(round(float(at[0]), 3), round(float(at[1]), 3), _bearing(into), n + corner)
    at = foot[nearest] + off * normals[nearest]
    return Snap(round(float(at[0]), 3), round(float(at[1]), 3), _bearing(normals[nearest]), nearest)


def _face(project: Project, level: str, point: np.ndarray) -> float:
    """Half the thickness of the wall at a point of its centre line; 5 cm where there is none."""
    walls = [w for w in project.walls if w.level == level]
    if not walls:
        return 0.05
    distance, _ = polygons.nearest_on_segments(point, [w.a for w in walls], [w.b for w in walls])
    k = int(np.argmin(distance))
    return walls[k].thickness / 2 if distance[k] < 0.1 else 0.05


def _bearing(direction: np.ndarray) -> float:
    return round(math.degrees(math.atan2(direction[1], direction[0])) % 360, 1)


def clearances(project: Project, level: str, x: float, y: float) -> list[tuple[float, float, float]]:
    """The two nearest sides of the room that are not parallel: (distance, foot x, foot y), nearest first."""
    room = room_at(project, level, x, y)
    if room is None:
        return []
    outline = np.asarray(room.outline, float)
    following = np.roll(outline, -1, axis=0)
    distance, foot = polygons.nearest_on_segments((x, y), outline, following)
    d = following - outline
    out: list[tuple[float, float, float]] = []
    first: np.ndarray | None = None
    for k in np.argsort(distance):
        unit = d[k] / np.hypot(*d[k])
        if first is not None and abs(float(unit @ first)) > 0.9:
            continue
        out.append((float(distance[k]), float(foot[k, 0]), float(foot[k, 1])))
        if first is not None:
            break
        first = unit
    return out


def wall_at(project: Project, level: str, x: float, y: float, reach: float) -> Wall | None:
    """The wall of a level whose face is nearest to a point, within reach of it, metres."""
    walls = [w for w in project.walls if w.level == level]
    if not walls:
        return None
    distance, _ = polygons.nearest_on_segments((x, y), [w.a for w in walls], [w.b for w in walls])
    over = distance - np.array([w.thickness / 2 for w in walls])
    k = int(np.argmin(over))
    return walls[k] if over[k] < reach else None


def along(wall: Wall, x: float, y: float) -> float:
    """How far along a wall from its end a a point is, metres."""
    length = math.dist(wall.a, wall.b)
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    return (x - wall.a[0]) * ux + (y - wall.a[1]) * uy


def at_wall(project: Project, level: str, x: float, y: float) -> Point:
    """On the face of the nearest wall of the room, where one is near."""
    room = room_at(project, level, x, y)
    if room is None:
        return x, y
    outline = polygons.counter_clockwise(room.outline)
    following = np.roll(outline, -1, axis=0)
    distance, foot = polygons.nearest_on_segments((x, y), outline, following)
    k = int(np.argmin(distance))
    if distance[k] > AGAINST_M:
        return round(x, 3), round(y, 3)
    d = following[k] - outline[k]
    normal = np.array([-d[1], d[0]]) / np.hypot(*d)
    wall = wall_at(project, level, float(foot[k, 0]), float(foot[k, 1]), 0.01)
    at = foot[k] + ((wall.thickness / 2 if wall else 0.05) + 0.02) * normal
    return round(float(at[0]), 3), round(float(at[1]), 3)


def stand(project: Project, level: str, kind: FurnitureType, x: float, y: float) -> tuple[Point, float]:
    """Where a new piece stands and which way its front looks: with its back to a wall that is near."""
    room = room_at(project, level, x, y)
    if room is None:
        return (x, y), 270.0
    outline = polygons.counter_clockwise(room.outline)
    following = np.roll(outline, -1, axis=0)
    distance, foot = polygons.nearest_on_segments((x, y), outline, following)
    k = int(np.argmin(distance))
    if distance[k] > AGAINST_M + (kind.width if kind.kind == "stair" else kind.depth) / 2:
        return (round(x, 2), round(y, 2)), 270.0
    d = following[k] - outline[k]
    normal = np.array([-d[1], d[0]]) / np.hypot(*d)
    wall = wall_at(project, level, float(foot[k, 0]), float(foot[k, 1]), 0.01)
    # A stair runs along its wall; whatever else there is turns its back to it.
    along = kind.kind == "stair"
    off = (wall.thickness / 2 if wall else 0.05) + 0.02 + (kind.width if along else kind.depth) / 2
    # Not through the walls at the ends of this one, where it has place between them.
    unit, length = d / np.hypot(*d), float(np.hypot(*d))
    half = (kind.depth if along else kind.width) / 2 + 0.05 + 0.02
    s = float((foot[k] - outline[k]) @ unit)
    if length > 2 * half:
        s = min(max(s, half), length - half)
    at = outline[k] + s * unit + off * normal
    turn = math.degrees(math.atan2(normal[1], normal[0])) + (90.0 if along else 0.0)
    return (round(float(at[0]), 3), round(float(at[1]), 3)), turn % 360
