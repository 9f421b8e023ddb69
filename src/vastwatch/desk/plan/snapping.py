"""Where a dragged sensor goes: on the face of a wall and looking into the room, in a corner, or free.

Plain geometry on the project; no Qt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from vastwatch.design.edits import room_at
from vastwatch.design.project import Project
from vastwatch.devices import DeviceType
from vastwatch.geometry import polygons

# A device's back stands this far off the wall's face, metres.
OFF_FACE = 0.03
# Corners attract from farther away than walls do.
CORNER_PULL = 1.6


@dataclass(frozen=True)
class Snap:
    """A place on the plan, and the yaw that faces into the room (None: keep the present one); `edge` tells which
    side of the room it hangs on, so that moving along a wall does not turn the sensor."""

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
