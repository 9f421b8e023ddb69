"""Edits of many things at once, and of whole rooms and levels: split and join, duplicate, mirror, turn, align, copy.

Selections are ids; what cannot be done to one of them is refused for all, in a sentence, and nothing is changed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from typing import Any, Literal

import numpy as np
from msgspec.structs import replace

from vastwatch.design.building import (
    LAMP_LM_W,
    SAME,
    Removal,
    fresh_name_id,
    missing_walls,
    remove_opening,
    remove_room,
    without_spots,
)
from vastwatch.design.edits import middle_of, put, remove_sensor, room_at
from vastwatch.design.fittings import MORE_LAMP_W, remove_furnishing
from vastwatch.design.following import spots_with
from vastwatch.design.project import COLLECTIONS, Project, find, find_any, fresh_id, numbered, on_level
from vastwatch.design.records import Lamp
from vastwatch.geometry import polygons
from vastwatch.site.building import Level, Room, Wall
from vastwatch.site.record import Outline, Point

# An id made of another is cut to so many characters, which leaves room for a number.
LONGEST_STEM = 56
# What can be moved, mirrored and duplicated as a selection.
MOVABLE = ("furnishings", "spots", "lamps", "sensors", "hazards", "sockets", "switches")
Side = Literal["left", "right", "top", "bottom", "middle", "centre"]


# -- rooms ---------------------------------------------------------------------------------------------------------


def split_room(project: Project, ident: str, a: Point, b: Point) -> tuple[Project, Room]:
    """Cut a room along the line through two points, with a wall on the cut; the smaller part is the new room.

    Raises ValueError where the line does not cross the room just twice, or leaves a part too small.
    """
    room = find(project.rooms, ident)
    first, second = _cut(room.outline, a, b)
    if min(polygons.area(first), polygons.area(second)) < 0.2:
        raise ValueError("one part would be smaller than 0.2 m²")
    keep, other = sorted((first, second), key=polygons.area, reverse=True)
    project = put(project, replace(room, outline=keep))
    new = replace(
        room,
        id=fresh_name_id(project, room.name),
        name=numbered(room.name, (r.name for r in project.rooms)),
        outline=other,
    )
    project = replace(project, rooms=(*project.rooms, new))
    project = replace(project, walls=(*project.walls, *missing_walls(project, room.level, other)))
    project = _rehomed(project)
    if all(lamp.room != new.id for lamp in project.lamps):
        x, y = polygons.centroid(other)
        lamp = Lamp(id=fresh_name_id(project, f"lamp {new.name}"), room=new.id, name=f"{new.name} light",
                    at=(round(x, 2), round(y, 2)), watts=MORE_LAMP_W, lumens=MORE_LAMP_W * LAMP_LM_W)  # fmt: skip
        project = replace(project, lamps=(*project.lamps, lamp))
    return project, new


def _cut(outline: Outline, a: Point, b: Point) -> tuple[Outline, Outline]:
    """The two parts of an outline on either side of a line."""
    length = math.dist(a, b)
    if length < SAME:
        raise ValueError("the cut needs two different points")
    nx, ny = -(b[1] - a[1]) / length, (b[0] - a[0]) / length
    side = [(p[0] - a[0]) * nx + (p[1] - a[1]) * ny for p in outline]
    side = [0.0 if abs(s) < SAME else s for s in side]
    left: list[Point] = []
    right: list[Point] = []
    crossings = 0
    n = len(outline)
    for k in range(n):
        p, q, s, t = outline[k], outline[(k + 1) % n], side[k], side[(k + 1) % n]
        if s >= 0:
            left.append(p)
        if s <= 0:
            right.append(p)
        before = next((side[(k - j) % n] for j in range(1, n) if side[(k - j) % n] != 0), 0.0)
        if s == 0 and before * t < 0:
            crossings += 1
        if s * t < 0:
            crossings += 1
            u = s / (s - t)
            c = (round(p[0] + u * (q[0] - p[0]), 4), round(p[1] + u * (q[1] - p[1]), 4))
            left.append(c)
            right.append(c)
    if crossings != 2 or len(left) < 3 or len(right) < 3:
        raise ValueError("the cut has to cross the room from one side to another, once")
    return tuple(left), tuple(right)


def join_rooms(project: Project, one: str, other: str) -> Removal:
    """Make one room of two that share a wall; the stretch between them goes, with its doors. The first one's name and
    use stay. Raises ValueError where they share none, or would enclose a hole."""
    a, b = find(project.rooms, one), find(project.rooms, other)
    if a.level != b.level:
        raise ValueError("rooms on two levels cannot be joined")
    outline = _union(a.outline, b.outline)
    project = replace(
        project,
        rooms=tuple(replace(a, outline=outline) if r is a else r for r in project.rooms if r is not b),
        spots=tuple(replace(s, room=a.id) if s.room == b.id else s for s in project.spots),
        lamps=tuple(replace(x, room=a.id) if x.room == b.id else x for x in project.lamps),
        presences=tuple(
            replace(p, room=a.id) if p.room == b.id else p
            for p in project.presences
            if p.room != b.id or all(q.room != a.id for q in project.presences)
        ),
    )
    inside = [w for w in on_level(project.walls, a.level) if _between(w, outline)]
    gone = {w.id for w in inside}
    doors = sum(o.wall in gone for o in project.openings)
    kept = [w for w in project.walls if w.id not in gone]
    project = replace(project, walls=tuple(kept), openings=tuple(o for o in project.openings if o.wall not in gone))
    # Part of a wall between may have gone on past the two rooms: what bounds a room is built again.
    for room in on_level(project.rooms, a.level):
        project = replace(project, walls=(*project.walls, *missing_walls(project, a.level, room.outline)))
    words = [f"{len(inside)} wall{'s' if len(inside) != 1 else ''}"] + ([f"{doors} openings"] if doors else [])
    return Removal(project, tuple(words))


def _between(wall: Wall, outline: Outline) -> bool:
    """Whether a wall runs inside an outline: its middle is in, and not on, the edge."""
    m = ((wall.a[0] + wall.b[0]) / 2, (wall.a[1] + wall.b[1]) / 2)
    p = np.asarray(outline, float)
    distance, _ = polygons.nearest_on_segments(m, p, np.roll(p, -1, axis=0))
    return bool(distance.min() > SAME) and polygons.contains_point(outline, *m)


def _union(a: Outline, b: Outline) -> Outline:
    """The outline around two rooms that share a stretch of wall."""
    from shapely.geometry import Polygon
    from shapely.ops import unary_union

    p, q = Polygon(a), Polygon(b)
    if p.intersection(q.buffer(1e-6)).length < 0.2:
        raise ValueError("these rooms share no wall")
    whole = unary_union([p.buffer(1e-4, join_style="mitre"), q.buffer(1e-4, join_style="mitre")])
    whole = whole.buffer(-1e-4, join_style="mitre").simplify(1e-3)
    if not isinstance(whole, Polygon) or len(whole.interiors):
        raise ValueError("together these rooms would go around a third one")
    points = [(round(x, 3), round(y, 3)) for x, y in list(whole.exterior.coords)[:-1]]
    return tuple((float(x), float(y)) for x, y in polygons.counter_clockwise(points))


def _rehomed(project: Project) -> Project:
    """Spots and lamps belong to the room they are in."""

    def home(record: Any) -> Any:
        level = find(project.rooms, record.room).level
        room = room_at(project, level, *record.at)
        return record if room is None or room.id == record.room else replace(record, room=room.id)

    return replace(project, spots=tuple(home(s) for s in project.spots), lamps=tuple(home(x) for x in project.lamps))


# -- selections ----------------------------------------------------------------------------------------------------


def records_of(project: Project, idents: Iterable[str]) -> list[tuple[str, Any]]:
    """Collections and records of those ids that exist."""
    found = [find_any(project, ident) for ident in idents]
    return [f for f in found if f is not None]


def _with_spots(project: Project, idents: Sequence[str]) -> list[str]:
    """The ids, with the spots that go along with selected furniture."""
    out = list(dict.fromkeys(idents))
    for collection, record in records_of(project, idents):
        if collection != "furnishings":
            continue
        out += [s.id for s in spots_with(project, record) if s.id not in out]
    return out


def _mapped(project: Project, record: Any, to: Callable[[Point], Point], turn: Callable[[float], float]) -> Any:
    """A record with every point moved and every direction turned; spots and lamps come into the room they reach.

    Raises ValueError outside the building.
    """
    changes: dict[str, Any] = {}
    if hasattr(record, "outline"):
        changes["outline"] = tuple(to(p) for p in record.outline)
    else:
        x, y = to((record.at[0], record.at[1]))
        changes["at"] = (x, y, *record.at[2:])
    for name in ("yaw", "facing", "climb"):
        if getattr(record, name, None) is not None:
            changes[name] = turn(getattr(record, name)) % 360
    new = replace(record, **changes)
    level = record.level if hasattr(record, "level") else find(project.rooms, record.room).level
    room = room_at(project, level, *middle_of(new))
    if room is None:
        name = getattr(record, "name", None) or record.kind
        raise ValueError(f"{name} would leave the building")
    return replace(new, room=room.id) if hasattr(record, "room") else new


def _all(
    project: Project, idents: Sequence[str], to: Callable[[Point], Point], turn: Callable[[float], float]
) -> Project:
    for collection, record in records_of(project, _with_spots(project, idents)):
        if collection in MOVABLE:
            project = put(project, _mapped(project, record, to, turn))
    return project


def move_many(project: Project, idents: Sequence[str], dx: float, dy: float) -> Project:
    """Move a selection. Raises ValueError where something would leave the building."""
    return _all(project, idents, lambda p: (round(p[0] + dx, 4), round(p[1] + dy, 4)), lambda a: a)


def middle_of_many(project: Project, idents: Sequence[str]) -> Point:
    """The middle of a selection's frame. Raises ValueError for nothing movable."""
    points = [
        p
        for collection, r in records_of(project, idents)
        if collection in MOVABLE
        for p in (r.outline if hasattr(r, "outline") else [(r.at[0], r.at[1])])
    ]
    if not points:
        raise ValueError("nothing that is selected can be moved")
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2


def turn_many(project: Project, idents: Sequence[str], degrees: float) -> Project:
    """Turn a selection about its middle, counter-clockwise."""
    cx, cy = middle_of_many(project, idents)
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))

    def to(p: Point) -> Point:
        x, y = p[0] - cx, p[1] - cy
        return round(cx + c * x - s * y, 4), round(cy + s * x + c * y, 4)

    return _all(project, idents, to, lambda a: a + degrees)


def mirror_many(project: Project, idents: Sequence[str], left_right: bool) -> Project:
    """Mirror a selection about its own middle: left for right, or top for bottom."""
    cx, cy = middle_of_many(project, idents)

    def to(p: Point) -> Point:
        return (round(2 * cx - p[0], 4), p[1]) if left_right else (p[0], round(2 * cy - p[1], 4))

    return _all(project, idents, to, (lambda a: 180.0 - a) if left_right else (lambda a: -a))


def align_many(project: Project, idents: Sequence[str], side: Side) -> Project:
    """Bring a selection into line at its outermost edge, or along its middle. Raises ValueError for fewer than two."""
    movable = [(c, r) for c, r in records_of(project, idents) if c in MOVABLE]
    if len(movable) < 2:
        raise ValueError("select two or more things to align")

    def frame(r: Any) -> tuple[float, float, float, float]:
        points = r.outline if hasattr(r, "outline") else [(r.at[0], r.at[1])]
        return (min(p[0] for p in points), min(p[1] for p in points), max(p[0] for p in points),
                max(p[1] for p in points))  # fmt: skip

    frames = [frame(r) for _, r in movable]
    wanted = {
        "left": min(f[0] for f in frames), "right": max(f[2] for f in frames), "bottom": min(f[1] for f in frames),
        "top": max(f[3] for f in frames), "centre": sum((f[0] + f[2]) / 2 for f in frames) / len(frames),
        "middle": sum((f[1] + f[3]) / 2 for f in frames) / len(frames),
    }[side]  # fmt: skip
    for (_, r), f in zip(movable, frames):
        at = {"left": f[0], "right": f[2], "bottom": f[1], "top": f[3], "centre": (f[0] + f[2]) / 2,
              "middle": (f[1] + f[3]) / 2}[side]  # fmt: skip
        by = wanted - at
        across = side in ("left", "right", "centre")
        # What goes along with a piece and is selected itself is brought into line by itself.
        along = [x for x in _with_spots(project, [r.id]) if x == r.id or x not in idents]
        project = move_many_exactly(project, along, by if across else 0.0, 0.0 if across else by)
    return project


def duplicate_many(
    project: Project, idents: Sequence[str], dx: float = 0.3, dy: float = -0.3
) -> tuple[Project, list[str]]:
    """Copies of a selection, a step aside; the new ids. A copied sensor joins no presence until it is given a role."""
    made: list[str] = []
    for collection, record in records_of(project, _with_spots(project, idents)):
        if collection not in MOVABLE:
            continue
        ident = fresh_id(project, record.id.rstrip("0123456789").rstrip("-") or record.id)
        copy = replace(record, id=ident)
        project = replace(project, **{collection: (*getattr(project, collection), copy)})
        for step in ((dx, dy), (-dx, -dy), (dx, -dy), (-dx, dy), (0.0, 0.0)):
            try:
                project = move_many_exactly(project, [ident], *step)
                break
            except ValueError:
                continue
        made.append(ident)
    if not made:
        raise ValueError("nothing that is selected can be copied")
    return project, made


def move_many_exactly(project: Project, idents: Sequence[str], dx: float, dy: float) -> Project:
    """Move just these records, and not what lies on them."""
    for _, record in records_of(project, idents):
        project = put(project, _mapped(project, record, lambda p: (round(p[0] + dx, 4), round(p[1] + dy, 4)), _same))
    return project


def _same(degrees: float) -> float:
    return degrees


def remove_many(project: Project, idents: Iterable[str]) -> Removal:
    """Take a selection away, with what goes along; what that was, in words. Walls stay: they go with their rooms."""
    gone: list[str] = []
    for ident in idents:
        found = find_any(project, ident)
        if found is None:
            continue
        collection = found[0]
        if collection == "sensors":
            project = remove_sensor(project, ident)
        elif collection in ("furnishings", "rooms"):
            remove = remove_furnishing if collection == "furnishings" else remove_room
            done = remove(project, ident)
            project, gone = done.project, gone + list(done.gone)
        elif collection == "openings":
            project = remove_opening(project, ident)
        elif collection in ("spots", "lamps", "hazards", "sockets", "switches"):
            done = remove_plain(project, collection, ident)
            project, gone = done.project, gone + list(done.gone)
    return Removal(project, tuple(gone))


def remove_plain(project: Project, collection: str, ident: str) -> Removal:
    """Take a spot, lamp, hazard, socket or switch away, with the lines that name it."""
    if collection == "spots":
        lines = sum(s.spot == ident for p in project.people for s in p.stays)
        lines += sum(e.spot == ident for p in project.people for e in p.errands)
        words = (f"{lines} lines of day sheets",) if lines else ()
        return Removal(without_spots(project, {ident}), words)
    if collection == "lamps":
        circuits = tuple(
            replace(c, lamps=tuple(x for x in c.lamps if x != ident)) if ident in c.lamps else c
            for c in project.circuits
        )
        project = replace(project, circuits=circuits)
    records = tuple(r for r in getattr(project, collection) if r.id != ident)
    return Removal(replace(project, **{collection: records}), ())


def set_many(project: Project, idents: Iterable[str], **fields: Any) -> Project:
    """Set the same fields on every selected record that has them."""
    for _, record in records_of(project, idents):
        mine = {k: v for k, v in fields.items() if k in record.__struct_fields__}
        if mine:
            project = put(project, replace(record, **mine))
    return project


# -- levels --------------------------------------------------------------------------------------------------------


def add_level(project: Project, name: str = "") -> tuple[Project, Level]:
    """A bare level on top of the highest."""
    top = max(project.levels, key=lambda level: level.elevation, default=None)
    elevation = 0.0 if top is None else round(top.elevation + top.height + 0.3, 2)
    name = name or f"Level {len(project.levels) + 1}"
    level = Level(id=fresh_name_id(project, name), name=name, elevation=elevation)
    return replace(project, levels=(*project.levels, level)), level


def copy_level(project: Project, ident: str) -> tuple[Project, Level]:
    """A level on top that is filled as `fill_level` does."""
    old = find(project.levels, ident)
    project, level = add_level(project, numbered(old.name, (x.name for x in project.levels)))
    project = put(project, replace(level, height=old.height))
    return fill_level(project, ident, level.id), find(project.levels, level.id)


def fill_level(project: Project, ident: str, new: str) -> Project:
    """Build on a bare level what another has: the same walls, openings, rooms, furniture, spots, lamps and hazards; no
    sensors, no people (they are one and not two), and no stair, which joins what is there already."""
    names: dict[str, str] = {}
    used = {r.id for c in COLLECTIONS for r in getattr(project, c)}

    def copied(record: Any, **changes: Any) -> Any:
        stem = f"{new}-{record.id.removeprefix(f'{ident}-')}"[:LONGEST_STEM].rstrip("-_.")
        made, n = stem, 2
        while made in used:
            made, n = f"{stem}-{n}", n + 1
        used.add(made)
        names[record.id] = made
        return replace(record, id=made, **changes)

    walls = [copied(w, level=new) for w in on_level(project.walls, ident)]
    openings = [copied(o, wall=names[o.wall]) for o in project.openings if o.wall in names]
    rooms = [copied(r, level=new) for r in on_level(project.rooms, ident)]
    pieces = [copied(f, level=new) for f in on_level(project.furnishings, ident) if f.kind != "stair"]
    spots = [copied(s, room=names[s.room]) for s in project.spots if s.room in names and s.activity != "away"]
    lamps = [copied(x, room=names[x.room]) for x in project.lamps if x.room in names]
    hazards = [
        copied(h, level=new, window=names.get(h.window) if h.window else None) for h in on_level(project.hazards, ident)
    ]
    return replace(
        project, walls=(*project.walls, *walls), openings=(*project.openings, *openings),
        rooms=(*project.rooms, *rooms), furnishings=(*project.furnishings, *pieces), spots=(*project.spots, *spots),
        lamps=(*project.lamps, *lamps), hazards=(*project.hazards, *hazards),
    )  # fmt: skip


def remove_level(project: Project, ident: str) -> Removal:
    """Take a level away with everything on it. Raises ValueError for the last one."""
    if len(project.levels) == 1:
        raise ValueError("a building has at least one level")
    rooms = [r.id for r in on_level(project.rooms, ident)]
    for room in rooms:
        project = remove_room(project, room).project
    walls = {w.id for w in on_level(project.walls, ident)}

    def others(records: Any) -> Any:
        return tuple(r for r in records if r.level != ident)

    project = replace(
        project, levels=tuple(x for x in project.levels if x.id != ident), walls=others(project.walls),
        openings=tuple(o for o in project.openings if o.wall not in walls), furnishings=others(project.furnishings),
        hazards=others(project.hazards), sockets=others(project.sockets), switches=others(project.switches),
    )  # fmt: skip
    return Removal(project, (f"{len(rooms)} rooms",) if rooms else ())
