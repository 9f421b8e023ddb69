"""Where a device goes that is placed by keyboard, without pointing: its corner, wall, ceiling, or what it watches."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon

from vastwatch.advice.hardware.host_placement import host_placement
from vastwatch.design.places import opening_middle, rooms_beside
from vastwatch.design.project import Project, find
from vastwatch.devices import TOUCH_FAMILIES, ContactType, DeviceType, MatType
from vastwatch.geometry import polygons
from vastwatch.site.building import Room
from vastwatch.site.record import Point

Array = NDArray[np.float64]

# A place is taken where another sensor is nearer than this, and no door or window may be nearer; metres.
APART_M, CLEAR_M = 0.5, 0.2
# Walls are tried at steps of this from their middle outwards, metres.
STEP_M = 0.4
# A point this far inside the room snaps to its wall or corner, metres.
INSIDE_M = 0.15
# A corner that opens wider than this is none to a device, degrees.
WIDEST_DEG = 150.0


def default_place(project: Project, device: DeviceType, room: Room) -> Point:
    """A point inside the room from which the device snaps to where it is usually mounted. Raises ValueError with what
    the room lacks."""
    if device.family in TOUCH_FAMILIES:
        return _attached(project, device, room)
    first = device.mounts[0]
    if first == "ceiling":
        return _free(project, room, _inside(room))
    if device.in_switch_box:
        places = list(_switches(project, room))
        if not places:
            raise ValueError(f"{room.name} has no wall switch that {device.name} could replace")
        return places[0]
    corners, walls = list(_corners(project, room)), list(_walls(project, room))
    found = (corners or walls) if first == "corner" else (walls or corners)
    if not found:
        raise ValueError(f"{room.name} has no free wall or corner for {device.name}")
    # Farthest from the doors: from there it looks across the paths people take in.
    doors = [m for m, _ in _openings(project, room, ("door", "archway"))]
    return max(found, key=lambda p: min((math.dist(p, d) for d in doors), default=0.0))


def _attached(project: Project, device: DeviceType, room: Room) -> Point:
    """Where it finds what it is attached to."""
    for x, y in _targets(project, device, room):
        try:
            fixed = host_placement(project, device, room.level, x, y)
        except ValueError:
            continue
        if polygons.contains_point(room.outline, *fixed.at[:2]) and not _taken(project, room, fixed.at[:2], device):
            return fixed.at[:2]
    needed = "a free door or window" if isinstance(device, ContactType) else "furniture or a machine"
    if isinstance(device, MatType):
        needed = "a free seat, bed or door"
    raise ValueError(f"{room.name} has no place for {device.name}: it needs {needed}")


def _targets(project: Project, device: DeviceType, room: Room) -> Iterator[Point]:
    """What could be pointed at, in order."""
    if not isinstance(device, ContactType):
        yield from (s.at for s in project.spots if s.room == room.id)
        for f in project.furnishings:
            x, y = polygons.centroid(f.outline)
            if f.level == room.level and polygons.contains_point(room.outline, x, y):
                yield x, y
    cx, cy = polygons.centroid(room.outline)
    for (x, y), _ in _openings(project, room, ("door", "window", "archway")):
        yield x + (cx - x) * 0.05, y + (cy - y) * 0.05


def _inside(room: Room) -> Point:
    x, y = polygons.centroid(room.outline)
    if not polygons.contains_point(room.outline, x, y):
        point = Polygon(room.outline).representative_point()
        x, y = point.x, point.y
    return round(float(x), 2), round(float(y), 2)


def _free(project: Project, room: Room, at: Point) -> Point:
    """The point, or one beside it where something is mounted there already."""
    for k in range(9):
        a = k * math.pi / 4
        p = at if k == 0 else (round(at[0] + math.cos(a), 2), round(at[1] + math.sin(a), 2))
        if polygons.contains_point(room.outline, *p) and not _taken(project, room, p):
            return p
    return at


def _taken(project: Project, room: Room, at: tuple[float, ...], device: DeviceType | None = None) -> bool:
    """Whether another sensor is there; of what watches its host, one of the same family."""
    return any(
        s.level == room.level and math.dist(s.at[:2], at) < APART_M
        and (device is None or find(project.devices, s.device).family == device.family)
        for s in project.sensors
    )  # fmt: skip


def _openings(project: Project, room: Room, kinds: tuple[str, ...]) -> Iterator[tuple[Point, float]]:
    """Openings in the walls of a room: the middle of each and half its width."""
    for o in project.openings:
        if o.kind in kinds and any(r is not None and r.id == room.id for r in rooms_beside(project, o)):
            yield opening_middle(project, o)[0], o.width / 2


def _blocked(project: Project, room: Room, at: Point) -> bool:
    every = ("door", "window", "archway")
    near = any(math.dist(m, at) < half + CLEAR_M for m, half in _openings(project, room, every))
    return near or _taken(project, room, at)


def _corners(project: Project, room: Room) -> Iterator[Point]:
    """Inner corners, each a little inside."""
    outline = polygons.counter_clockwise(room.outline)
    for before, at, after in zip(np.roll(outline, 1, axis=0), outline, np.roll(outline, -1, axis=0)):
        a, b = (before - at) / np.hypot(*(before - at)), (after - at) / np.hypot(*(after - at))
        turn = float(b[0] * a[1] - b[1] * a[0])
        wide = math.degrees(math.acos(max(-1.0, min(1.0, float(a @ b)))))
        into = a + b
        if turn <= 0 or wide > WIDEST_DEG:
            continue
        p = at + into / np.hypot(*into) * INSIDE_M * 1.5
        place = (round(float(p[0]), 3), round(float(p[1]), 3))
        if polygons.contains_point(room.outline, *place) and not _blocked(project, room, place):
            yield place


def _walls(project: Project, room: Room) -> Iterator[Point]:
    """On each wall the free place nearest its middle, a little inside."""
    outline = polygons.counter_clockwise(room.outline)
    for a, b in zip(outline, np.roll(outline, -1, axis=0)):
        length = float(np.hypot(*(b - a)))
        along = (b - a) / length
        inward = np.array([-along[1], along[0]])
        steps = np.arange(0.0, length / 2 - APART_M, STEP_M)
        for offset in sorted((sign * s for s in steps for sign in (1.0, -1.0)), key=abs):
            p = (a + b) / 2 + along * offset + inward * INSIDE_M
            place = (round(float(p[0]), 3), round(float(p[1]), 3))
            if polygons.contains_point(room.outline, *place) and not _blocked(project, room, place):
                yield place
                break


def _switches(project: Project, room: Room) -> Iterator[Point]:
    for s in project.switches:
        if s.level == room.level and polygons.contains_point(room.outline, *s.at):
            yield s.at
