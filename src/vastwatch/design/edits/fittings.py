"""Edits of what a building is fitted with: openings in its walls, furniture with its spots, lamps.

Each is a function from a project to a project, and raises ValueError with a sentence where it cannot be.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np
from msgspec.structs import replace

from vastwatch.design.edits.attachments import attached_sensors, attached_spots
from vastwatch.design.edits.building import LAMP_LM_W, fresh_name_id
from vastwatch.design.naming import place_name
from vastwatch.design.places import opening_middle, room_at, rooms_beside
from vastwatch.design.project import Project, find, fresh_id, on_level, put, unique_name
from vastwatch.design.records import Lamp, Output
from vastwatch.design.relations import levels_in_order
from vastwatch.geometry import polygons
from vastwatch.site.building import Furnishing, Opening, OpeningKind, Room, Spot
from vastwatch.site.furniture import FurnitureType
from vastwatch.site.record import Outline, Point

# Sizes of new openings: width, sill, head.
OPENING_SIZES: dict[OpeningKind, tuple[float, float, float]] = {
    "door": (0.85, 0.0, 2.0),
    "window": (1.2, 0.9, 2.1),
    "archway": (1.2, 0.0, 2.1),
}
# Anybody who works at a piece is so far before its edge, metres.
BEFORE_M = 0.35
# What is lain on and at least so wide has two sides to lie on, metres.
FOR_TWO_M = 1.3
# What is looked for by a door is so far from its opening, and so far from all else that could be pointed at, metres.
BY_DOOR_M, FREE_M = 0.2, 0.3
# What a lamp draws that is added to a room that has one, watts.
MORE_LAMP_W = 8.0


def add_opening(project: Project, wall: str, kind: OpeningKind, middle: float) -> tuple[Project, Opening]:
    """A door, window or archway around a place `middle` metres along a wall, pushed along where it does not fit.

    Raises ValueError on a wall too short, or already full there.
    """
    host = find(project.walls, wall)
    length = math.dist(host.a, host.b)
    width, sill, head = OPENING_SIZES[kind]
    margin = 0.1
    if length < width + 2 * margin:
        raise ValueError(f"this wall is {length:.2f} m long: too short for a {kind}")
    offset = min(max(middle - width / 2, margin), length - width - margin)
    for o in project.openings:
        if o.wall == wall and o.offset < offset + width and offset < o.offset + o.width:
            raise ValueError(f"there is already a {o.kind} here")
    leaf = {"door": "timber", "window": "glass", "archway": "none"}[kind]
    opening = Opening(
        id=fresh_id(project, kind), wall=wall, kind=kind, offset=round(offset, 3), width=width, sill=sill, head=head,
        leaf=leaf, rest="closed",  # type: ignore[arg-type]
    )  # fmt: skip
    return replace(project, openings=(*project.openings, opening)), opening


def move_opening(project: Project, ident: str, offset: float) -> Project:
    """Slide an opening along its wall, to so many metres from the wall's end, or as near as it fits; what is fixed to
    it goes along."""
    opening = find(project.openings, ident)
    wall = find(project.walls, opening.wall)
    offset = max(min(offset, math.dist(wall.a, wall.b) - opening.width), 0.0)
    _, (ux, uy) = opening_middle(project, opening)
    by = offset - opening.offset
    project = put(project, replace(opening, offset=offset))
    for sensor in attached_sensors(project, ident):
        x, y, z = sensor.at
        at = (round(x + by * ux, 4), round(y + by * uy, 4))
        if room_at(project, sensor.level, *at) is None:
            raise ValueError(f"{sensor.name} would be left outside")
        project = put(project, replace(sensor, at=(*at, z)))
    return project


def beside_a_door(project: Project, room: str) -> Point:
    """Where somebody who comes in looks for a button: on the wall beside a door of the room, on free ground. The first
    free place away from the room's middle where it has no door."""
    record = find(project.rooms, room)
    standing = (*project.lamps, *project.outputs, *project.buttons, *project.spots)
    taken = [x.at for x in standing if find(project.rooms, x.room).level == record.level]
    taken += [(s.at[0], s.at[1]) for s in on_level(project.sensors, record.level)]
    taken += [x.at for x in on_level(project.switches, record.level)]
    taken += [x.at for x in on_level(project.sockets, record.level)]
    doors = [o for o in project.openings if o.kind != "window" and any(
             r is not None and r.id == room for r in rooms_beside(project, o))]  # fmt: skip
    for along in (BY_DOOR_M, 2 * BY_DOOR_M, 3 * BY_DOOR_M):
        for at in (p for door in doors for p in _by(project, record, door, along)):
            if all(math.dist(at, other) >= FREE_M for other in taken):
                return at
    x, y = polygons.centroid(record.outline)
    steps = ((i * FREE_M, j * FREE_M) for i in range(-9, 10) for j in range(-9, 10))
    for dx, dy in sorted(steps, key=lambda step: math.hypot(*step)):
        at = round(x + dx, 2), round(y + dy, 2)
        inside = polygons.contains_point(record.outline, *at)
        if inside and all(math.dist(at, other) >= FREE_M for other in taken):
            return at
    return round(x, 2), round(y, 2)


def _by(project: Project, room: Room, door: Opening, along: float) -> Iterator[Point]:
    """On the room's face of a door's wall, so far from either edge of the opening; where there is wall."""
    wall = find(project.walls, door.wall)
    (x, y), (ux, uy) = opening_middle(project, door)
    left, right = rooms_beside(project, door)
    out = wall.thickness / 2 + 0.02
    for side, beside in ((1.0, left), (-1.0, right)):
        if beside is None or beside.id != room.id:
            continue
        for way in (1.0, -1.0):
            s = way * (door.width / 2 + along)
            at = round(x + s * ux - side * out * uy, 3), round(y + s * uy + side * out * ux, 3)
            corners = np.asarray(room.outline, float)
            distance, _ = polygons.nearest_on_segments(at, corners, np.roll(corners, -1, axis=0))
            # Clear of the wall at the corner, which is as thick as any.
            clear = np.sort(distance)[1] >= FREE_M and polygons.contains_point(room.outline, *at)
            if clear and 0.0 <= door.offset + door.width / 2 + s <= math.dist(wall.a, wall.b):
                yield at


def add_furnishing(
    project: Project, level: str, kind: FurnitureType, at: Point, turn: float
) -> tuple[Project, Furnishing]:
    """A piece of furniture around a point, its front turned to `turn` degrees; with a spot if one sits or lies on it.

    Raises ValueError outside every room.
    """
    room = room_at(project, level, *at)
    if room is None:
        raise ValueError("furniture must be inside a room")
    piece = Furnishing(
        id=fresh_name_id(project, kind.name), level=level, name=place_name(project, kind.name, room, at),
        kind=kind.kind, outline=footprint(kind, at, turn), z0=kind.z0, z1=_top_of(project, kind, level),
        material=kind.material,
        # One steps onto a stair at its front, and climbs towards its back.
        climb=(turn + 180.0) % 360 if kind.kind == "stair" else None,
    )  # fmt: skip
    project = replace(project, furnishings=(*project.furnishings, piece))
    for spot in _spots_of(project, kind, room.id, level, at, turn):
        name = place_name(project, spot.name, room, spot.at, piece.id)
        project = replace(project, spots=(*project.spots, replace(spot, id=fresh_name_id(project, spot.id), name=name)))
    return project, piece


def _top_of(project: Project, kind: FurnitureType, level: str) -> float:
    """How high a piece is; a stair as high as the next floor, where there is one."""
    if kind.kind != "stair":
        return kind.z1
    order = levels_in_order(project)
    k = next(i for i, x in enumerate(order) if x.id == level)
    rise = order[k + 1].elevation - order[k].elevation if k + 1 < len(order) else 0.0
    return round(rise, 3) if rise > 0 else kind.z1


def footprint(kind: FurnitureType, at: Point, turn: float) -> Outline:
    """What a piece covers. Its front is the side away from the wall: local +y, turned to the direction asked for."""
    w, d = kind.width / 2, kind.depth / 2
    return turn_outline(((-w, -d), (w, -d), (w, d), (-w, d)), at, turn - 90.0)


def _spots_of(project: Project, kind: FurnitureType, room: str, level: str, at: Point, turn: float) -> list[Spot]:
    """The spots that come with a piece: on it, on either side of what two lie on, or an arm's length before it, where
    there is floor."""
    if kind.sits or kind.lies:
        spot = Spot(
            id=f"on {kind.name}", room=room, name=kind.name.lower(), at=at, facing=turn % 360,
            posture="seated" if kind.sits else "lying", activity=kind.sits or kind.lies,  # type: ignore[arg-type]
        )  # fmt: skip
        if not kind.lies or kind.width < FOR_TWO_M:
            return [spot]
        sides = turn_outline(((-kind.width / 4, 0.0), (kind.width / 4, 0.0)), at, turn - 90.0)
        return [replace(spot, name=f"{spot.name}, {side}", at=p) for side, p in zip(("one side", "other side"), sides)]
    activity = kind.seated_before or kind.stands_before
    if activity is None:
        return []
    before = turn_outline(((0.0, kind.depth / 2 + BEFORE_M),), at, turn - 90.0)[0]
    there = room_at(project, level, *before)
    if there is None or there.id != room:
        return []
    return [
        Spot(
            id=f"at {kind.name}", room=room, name=kind.name.lower(), at=before, facing=(turn + 180.0) % 360,
            posture="seated" if kind.seated_before else "standing", activity=activity,
        )
    ]  # fmt: skip


def turn_outline(outline: Outline, at: Point, degrees: float) -> Outline:
    """An outline about the origin, turned and then set down at a point."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return tuple((round(at[0] + c * x - s * y, 4), round(at[1] + s * x + c * y, 4)) for x, y in outline)


def move_furnishing(project: Project, ident: str, dx: float, dy: float, degrees: float = 0.0) -> Project:
    """Move and turn a piece about its middle; its spots and what is fixed to it go along.

    Raises ValueError out of every room.
    """
    piece = find(project.furnishings, ident)
    cx, cy = polygons.centroid(piece.outline)
    to = (cx + dx, cy + dy)
    if room_at(project, piece.level, *to) is None:
        raise ValueError("furniture must be inside a room")
    about = tuple((x - cx, y - cy) for x, y in piece.outline)
    mine = {s.id for s in attached_spots(project, piece)}
    spots = []
    for spot in project.spots:
        if spot.id in mine:
            at = turn_outline(((spot.at[0] - cx, spot.at[1] - cy),), to, degrees)[0]
            there = room_at(project, piece.level, *at)
            if there is not None:
                spot = replace(spot, at=at, facing=(spot.facing + degrees) % 360, room=there.id)
        spots.append(spot)
    climb = None if piece.climb is None else (piece.climb + degrees) % 360
    new = replace(piece, outline=turn_outline(about, to, degrees), climb=climb)
    furnishings = tuple(new if f is piece else f for f in project.furnishings)
    project = replace(project, furnishings=furnishings, spots=tuple(spots))
    for sensor in attached_sensors(project, ident):
        x, y, z = sensor.at
        at = turn_outline(((x - cx, y - cy),), to, degrees)[0]
        if room_at(project, sensor.level, *at) is None:
            raise ValueError(f"{sensor.name} would be left outside")
        project = put(project, replace(sensor, at=(*at, z), yaw=(sensor.yaw + degrees) % 360))
    return project


# -- lamps -----------------------------------------------------------------------------------------------------------


def add_lamp(project: Project, level: str, at: Point) -> tuple[Project, Lamp]:
    """Another lamp at a point of the plan. Raises ValueError outside every room."""
    room = room_at(project, level, *at)
    if room is None:
        raise ValueError("a lamp must be inside a room")
    name = unique_name(f"{room.name} light", (x.name for x in project.lamps))
    lamp = Lamp(
        id=fresh_name_id(project, f"lamp {room.name}"), room=room.id, name=name, at=at, watts=MORE_LAMP_W,
        lumens=MORE_LAMP_W * LAMP_LM_W,
    )  # fmt: skip
    return replace(project, lamps=(*project.lamps, lamp)), lamp


def add_output(
    project: Project, level: str, at: Point, called: str, make: Callable[[str, str, str, Point], Output]
) -> tuple[Project, Output]:
    """An output that is no lamp, at a point of the plan; `make` gives its record for an id, a room, a name and a place.

    Raises ValueError outside every room.
    """
    room = room_at(project, level, *at)
    if room is None:
        raise ValueError(f"a {called} must be inside a room")
    name = unique_name(f"{room.name} {called}", (x.name for x in project.outputs))
    made = make(fresh_name_id(project, f"{called} {room.name}"), room.id, name, at)
    return replace(project, outputs=(*project.outputs, made)), made
