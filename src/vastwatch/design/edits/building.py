"""Edits of the building: rooms with the walls they need, corners and walls that are dragged.

Each is a function from a project to a project, and raises ValueError with a sentence where the outcome would not be
a building: a room that crosses itself, an opening that no longer fits its wall.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from vastwatch.design.edits.attachments import move_attached
from vastwatch.design.project import Construction, Project, find, fresh_id, fresh_ids, is_used
from vastwatch.design.records import Lamp
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.site.building import Room, RoomUse, Wall
from vastwatch.site.record import Outline, Point

# Points this close are one corner, and a point this close to a wall's line lies on it, metres.
SAME = 0.011
# This far to either side of a wall's centre line its rooms are looked for, metres.
ASIDE = 0.05
# What a new room's lamp draws, watts per square metre, and what it gives, lumens per watt.
LAMP_W_M2, LAMP_LM_W = 2.0, 95.0


def rectangle(x: float, y: float, width: float, depth: float) -> Outline:
    """Counter-clockwise outline from its lower left corner."""
    return ((x, y), (x + width, y), (x + width, y + depth), (x, y + depth))


# -- rooms ---------------------------------------------------------------------------------------------------------


def place_beside(project: Project, level: str, width: float) -> Point:
    """Lower left corner for another room: wall to wall with what stands farthest right; the origin on a bare level."""
    rooms = [r for r in project.rooms if r.level == level]
    if not rooms:
        return 0.0, 0.0
    right = max(rooms, key=lambda r: max(p[0] for p in r.outline))
    return max(p[0] for p in right.outline), min(p[1] for p in right.outline)


def add_room(project: Project, level: str, name: str, use: RoomUse, outline: Outline) -> tuple[Project, Room]:
    """A room with its outline, the walls it lacks, and a lamp in its middle. Walls that stand already are shared.

    Raises ValueError for an outline that crosses itself, or overlaps another room of the level.
    """
    project, (made,) = add_rooms(project, level, [(name, use, outline)])
    if isinstance(made, str):
        raise ValueError(made)
    return project, made


def add_rooms(
    project: Project, level: str, wanted: Sequence[tuple[str, RoomUse, Outline]], as_they_are: bool = False
) -> tuple[Project, list[Room | str]]:
    """Several rooms at once, each as `add_room` does; for each the room, or the sentence why it cannot be.

    Walls to the outside that come to stand between two rooms become inner ones, unless they are to stay `as_they_are`.
    """
    out: list[Room | str] = []
    there = [r for r in project.rooms if r.level == level]
    walls = [w for w in project.walls if w.level == level]
    ends = np.array([(*w.a, *w.b) for w in walls], float).reshape(-1, 4)
    ids = fresh_ids(project, f"{level}-wall")
    made: list[Wall] = []
    for name, use, outline in wanted:
        if polygons.self_crossing(outline) is not None or polygons.area(outline) < 0.2:
            out.append("a room needs an outline of at least 0.2 m² that does not cross itself")
            continue
        other = overlapped(outline, there)
        if other is not None:
            out.append(f"it would overlap {other.name.lower()}")
            continue
        room = Room(id=fresh_name_id(project, name), level=level, name=name, outline=outline, use=use)
        new = _walls_along(project.construction, outline, level, walls, ends, ids)
        watts = float(max(round(polygons.area(outline) * LAMP_W_M2), 4))
        x, y = polygons.centroid(outline)
        # Each new record is known before the next one is named.
        project = replace(project, rooms=(*project.rooms, room))
        lamp = Lamp(
            id=fresh_name_id(project, f"lamp {name}"), room=room.id, name=f"{name} light",
            at=(round(x, 2), round(y, 2)), watts=watts, lumens=watts * LAMP_LM_W,
        )  # fmt: skip
        project = replace(project, lamps=(*project.lamps, lamp))
        there.append(room)
        walls += new
        made += new
        if not as_they_are:
            walls, made = _shared(project, walls, made, ends, outline, there, ids)
        ends = np.array([(*w.a, *w.b) for w in walls], float).reshape(-1, 4)
        out.append(room)
    changed = {w.id: w for w in walls}
    old = tuple(changed.get(w.id, w) for w in project.walls)
    return replace(project, walls=(*old, *made)), out


def fresh_name_id(project: Project, stem: str) -> str:
    """The stem itself as an id where it is free, else numbered."""
    numbered = fresh_id(project, stem)
    plain = numbered.rsplit("-", 1)[0]
    return numbered if is_used(project, plain) else plain


@memoised
def frame_of(room: Room) -> tuple[float, float, float, float]:
    """The frame of a room; records are found by identity, which takes a tenth of hashing an outline."""
    return polygons.bounds(room.outline)


def overlapped(outline: Outline, rooms: Iterable[Room]) -> Room | None:
    """The first of some rooms that an outline shares area with, or None."""
    x0, y0, x1, y1 = polygons.bounds(outline)
    for room in rooms:
        a, b, c, d = frame_of(room)
        apart = x1 < a + SAME or c < x0 + SAME or y1 < b + SAME or d < y0 + SAME
        if not apart and overlap(outline, room.outline):
            return room
    return None


def overlap(a: Outline, b: Outline) -> bool:
    """Whether two simple polygons share area: corners or middles of one inside the other, or edges that cross."""
    (ax0, ay0, ax1, ay1), (bx0, by0, bx1, by1) = polygons.bounds(a), polygons.bounds(b)
    if ax1 < bx0 + SAME or bx1 < ax0 + SAME or ay1 < by0 + SAME or by1 < ay0 + SAME:
        return False
    for p, q in ((a, b), (b, a)):
        shrunk = _shrunk(p)
        if polygons.contains(q, shrunk).any():
            return True
    mine, theirs = _edges(a), _edges(b)
    return any(segments_cross(e, f) for e in mine for f in theirs)


def _shrunk(outline: Outline) -> np.ndarray:
    """Points a little inside the outline: near each corner, near each edge's middle, and the centroid."""
    p = np.asarray(outline, float)
    c = np.asarray(polygons.centroid(p))
    points = np.vstack([p, (p + np.roll(p, -1, axis=0)) / 2, c[None]])
    inner = points + (c - points) * 0.02
    return inner[polygons.contains(p, inner)]


def room_edges(room: Room) -> list[tuple[Point, Point]]:
    """The edges of a room's outline, in order."""
    return _edges(room.outline)


def _edges(outline: Outline) -> list[tuple[Point, Point]]:
    return list(zip(outline, outline[1:] + outline[:1]))


def segments_cross(e: tuple[Point, Point], f: tuple[Point, Point]) -> bool:
    """Whether two segments cross at a point inside both."""

    def side(a: Point, b: Point, c: Point) -> float:
        length = math.dist(a, b) or 1.0
        return ((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / length

    s1, s2, s3, s4 = side(*e, f[0]), side(*e, f[1]), side(*f, e[0]), side(*f, e[1])
    return min(s1, s2) < -SAME and max(s1, s2) > SAME and min(s3, s4) < -SAME and max(s3, s4) > SAME


def missing_walls(project: Project, level: str, outline: Outline) -> list[Wall]:
    """Walls for those stretches of an outline along which none stands yet."""
    walls = [w for w in project.walls if w.level == level]
    ends = np.array([(*w.a, *w.b) for w in walls], float).reshape(-1, 4)
    return _walls_along(project.construction, outline, level, walls, ends, fresh_ids(project, f"{level}-wall"))


def _walls_along(
    made_as: Construction, outline: Outline, level: str, walls: list[Wall], ends: np.ndarray, ids: Iterator[str]
) -> list[Wall]:
    """Missing walls of an outline, to the outside as far as is known; `ends` are those of the walls there are, (n,
    4)."""
    made: list[Wall] = []
    for a, b in _edges(outline):
        for s, e in uncovered(a, b, [walls[k] for k in _on_line(a, b, ends)]):
            made.append(
                Wall(id=next(ids), level=level, a=s, b=e, thickness=made_as.outer_m, material=made_as.outer_material)
            )
    return made


def _shared(
    project: Project,
    walls: list[Wall],
    made: list[Wall],
    ends: np.ndarray,
    outline: Outline,
    rooms: list[Room],
    ids: Iterator[str],
) -> tuple[list[Wall], list[Wall]]:
    """Walls to the outside that a new room has made walls between two rooms: of one that is longer, and has nothing in
    or on it, only that stretch. Walls that somebody has made otherwise stay as they are."""
    c = project.construction
    if (c.outer_m, c.outer_material) == (c.inner_m, c.inner_material):
        return walls, made
    new = {w.id for w in made}
    held = {o.wall for o in project.openings}
    changed: dict[str, list[Wall]] = {}
    for a, b in _edges(outline):
        for k in _on_line(a, b, ends).tolist():
            wall = walls[k]
            if wall.id in changed or (wall.thickness, wall.material) != (c.outer_m, c.outer_material):
                continue
            length = math.dist(wall.a, wall.b)
            ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
            s, e = sorted((p[0] - wall.a[0]) * ux + (p[1] - wall.a[1]) * uy for p in (a, b))
            s, e = max(s, 0.0), min(e, length)
            middle = (wall.a[0] + ux * (s + e) / 2, wall.a[1] + uy * (s + e) / 2)
            sides = [(middle[0] - uy * side, middle[1] + ux * side) for side in (ASIDE, -ASIDE)]
            between = all(any(polygons.contains_point(r.outline, *p) for r in rooms) for p in sides)
            if e - s < SAME or not between:
                continue
            whole = s < SAME and e > length - SAME
            if whole or wall.id in held:
                if whole:
                    changed[wall.id] = [replace(wall, thickness=c.inner_m, material=c.inner_material)]
                continue

            def at(t: float, wall: Wall = wall, ux: float = ux, uy: float = uy) -> Point:
                return round(wall.a[0] + ux * t, 6), round(wall.a[1] + uy * t, 6)

            parts = [replace(wall, a=at(s), b=at(e), thickness=c.inner_m, material=c.inner_material)]
            parts += [replace(wall, id=next(ids), a=at(t), b=at(u)) for t, u in ((0.0, s), (e, length)) if u - t > SAME]
            changed[wall.id] = parts
    if not changed:
        return walls, made
    out_walls = [part for w in walls for part in changed.get(w.id, [w])]
    # What is split off is as new as what the room itself asked for.
    known = {w.id for w in walls}
    out_made = [w for w in out_walls if w.id in new or w.id not in known]
    return out_walls, out_made


def _on_line(a: Point, b: Point, ends: np.ndarray) -> np.ndarray:
    """Which of the walls, (n, 4) ends, run along the line through a and b."""
    length = math.dist(a, b)
    if length < SAME or len(ends) == 0:
        return np.zeros(0, int)
    ux, uy = (b[0] - a[0]) / length, (b[1] - a[1]) / length
    off = np.abs((ends[:, 1::2] - a[1]) * ux - (ends[:, 0::2] - a[0]) * uy)
    return np.flatnonzero((off < SAME).all(axis=1))


def uncovered(a: Point, b: Point, walls: Iterable[Wall]) -> list[tuple[Point, Point]]:
    """The stretches of segment a-b along which no wall runs."""
    length = math.dist(a, b)
    if length < SAME:
        return []
    ux, uy = (b[0] - a[0]) / length, (b[1] - a[1]) / length
    covered = []
    for w in walls:
        ends = [((p[0] - a[0]) * ux + (p[1] - a[1]) * uy, (p[1] - a[1]) * ux - (p[0] - a[0]) * uy) for p in (w.a, w.b)]
        if all(abs(off) < SAME for _, off in ends):
            lo, hi = sorted(s for s, _ in ends)
            covered.append((lo, hi))
    out, at = [], 0.0
    for lo, hi in sorted(covered):
        if lo - at > SAME:
            out.append((at, min(lo, length)))
        at = max(at, hi)
    if length - at > SAME:
        out.append((at, length))

    def point(s: float) -> Point:
        return round(a[0] + s * ux, 4), round(a[1] + s * uy, 4)

    return [(point(s), point(e)) for s, e in out if s < length]


def alongside(wall: Wall, edge: tuple[Point, Point]) -> bool:
    """Whether a wall and an edge share a stretch of the same line."""
    whole = math.dist(*edge)
    left = sum(math.dist(s, e) for s, e in uncovered(*edge, [wall]))
    return whole - left > SAME


# -- dragging ------------------------------------------------------------------------------------------------------


def move_corner(project: Project, level: str, corner: Point, to: Point) -> Project:
    """Move a corner: every room outline and wall end on that level that has it goes along.

    Raises ValueError where a room would cross itself or an opening would no longer fit.
    """
    return _displaced(project, level, lambda p: math.dist(p, corner) < SAME, to[0] - corner[0], to[1] - corner[1])


def move_wall(project: Project, ident: str, by: float) -> Project:
    """Move a wall sideways, `by` metres to the left of a-b; every corner and wall end on it goes along."""
    wall = find(project.walls, ident)
    length = math.dist(wall.a, wall.b)
    nx, ny = -(wall.b[1] - wall.a[1]) / length, (wall.b[0] - wall.a[0]) / length

    ux, uy = ny, -nx

    def on_it(p: Point) -> bool:
        x, y = p[0] - wall.a[0], p[1] - wall.a[1]
        return abs(x * nx + y * ny) < SAME and -SAME < x * ux + y * uy < length + SAME

    return _displaced(project, wall.level, on_it, nx * by, ny * by)


def is_rectangle(outline: Outline) -> bool:
    """Whether an outline is a rectangle along the axes, so that it has a width and a depth."""
    x0, y0, x1, y1 = polygons.bounds(outline)
    upright = all(abs(a[0] - b[0]) < SAME or abs(a[1] - b[1]) < SAME for a, b in _edges(outline))
    return upright and abs(polygons.area(outline) - (x1 - x0) * (y1 - y0)) < SAME**2


def resize_room(project: Project, ident: str, width: float | None = None, depth: float | None = None) -> Project:
    """Make a rectangular room so wide or deep, on its centre lines, by moving its right or its upper wall; what stands
    on that wall goes along. Raises ValueError for another shape, and where a room would cross itself."""
    room = find(project.rooms, ident)
    if not is_rectangle(room.outline):
        raise ValueError(f"{room.name.lower()} is not a rectangle: drag its walls and corners")
    x0, y0, x1, y1 = polygons.bounds(room.outline)

    def on_right(p: Point) -> bool:
        return abs(p[0] - x1) < SAME and y0 - SAME < p[1] < y1 + SAME

    if width is not None:
        project = _displaced(project, room.level, on_right, x0 + width - x1, 0.0)
        x1 = x0 + width

    def on_top(p: Point) -> bool:
        return abs(p[1] - y1) < SAME and x0 - SAME < p[0] < x1 + SAME

    if depth is not None:
        project = _displaced(project, room.level, on_top, 0.0, y0 + depth - y1)
    return project


def _displaced(project: Project, level: str, moves, dx: float, dy: float) -> Project:  # type: ignore[no-untyped-def]
    def moved(p: Point) -> Point:
        return (round(p[0] + dx, 4), round(p[1] + dy, 4)) if moves(p) else p

    # Most of a large plan stays as it is: only what has a moved point is made anew.
    rooms = tuple(
        replace(r, outline=_apart(tuple(moved(p) for p in r.outline)))
        if r.level == level and any(moves(p) for p in r.outline)
        else r
        for r in project.rooms
    )
    walls = tuple(
        replace(w, a=moved(w.a), b=moved(w.b)) if w.level == level and (moves(w.a) or moves(w.b)) else w
        for w in project.walls
    )
    for old, room in zip(project.rooms, rooms):
        if room is not old:
            if polygons.self_crossing(room.outline) is not None or polygons.area(room.outline) < 0.2:
                raise ValueError(f"{room.name} would cross itself there")
            other = overlapped(room.outline, (r for r in rooms if r.level == level and r is not room))
            if other is not None:
                raise ValueError(f"{room.name} would overlap {other.name.lower()}")
    new = move_attached(project, replace(project, rooms=rooms, walls=walls), level)
    by_id = {w.id: w for w in walls}
    for o in new.openings:
        w = by_id[o.wall]
        if math.dist(w.a, w.b) < o.offset + o.width - 1e-9:
            raise ValueError(f"the {o.kind} in that wall would no longer fit")
    # Rooms that come flush leave nothing of the piece of wall between their corners.
    left = tuple(w for w in new.walls if math.dist(w.a, w.b) >= SAME)
    return new if len(left) == len(new.walls) else replace(new, walls=left)


def _apart(outline: Outline) -> Outline:
    """An outline without corners that have come to lie on the one before; itself where fewer than three are left."""
    corners = tuple(p for k, p in enumerate(outline) if math.dist(p, outline[k - 1]) >= SAME)
    return corners if len(corners) >= 3 else outline
