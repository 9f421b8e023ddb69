"""Edits that make two rooms of one, and one of two."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from msgspec.structs import replace

from vastwatch.design.edits.building import LAMP_LM_W, SAME, fresh_name_id, missing_walls
from vastwatch.design.edits.fittings import MORE_LAMP_W
from vastwatch.design.edits.removing import Removal, removed
from vastwatch.design.ladders import ladder_rows, lamps_for
from vastwatch.design.places import room_at
from vastwatch.design.project import IN_ROOMS, Project, Variant, clean_name, find, on_level, put, unique_name
from vastwatch.design.records import Lamp, LampGroup
from vastwatch.design.references import ids_of, renamed, settled
from vastwatch.design.relations import lamps_in, lighting_of
from vastwatch.design.variants import DECIDED
from vastwatch.geometry import polygons
from vastwatch.site.building import Room, Wall
from vastwatch.site.record import Outline, Point


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
        name=unique_name(room.name, (r.name for r in project.rooms)),
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
        raise ValueError("the line needs two different points")
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
        raise ValueError("the line must cross the room once, from one side to another")
    return tuple(left), tuple(right)


def join_rooms(project: Project, one: str, other: str) -> Removal:
    """Make one room of two that share a wall; the stretch between them goes, with its doors. The first one's name and
    use stay. Raises ValueError where they share none, or would enclose a hole."""
    a, b = find(project.rooms, one), find(project.rooms, other)
    if a is b:
        raise ValueError("two rooms are joined, not one with itself")
    if a.level != b.level:
        raise ValueError("rooms on two levels cannot be joined")
    outline = _union(a.outline, b.outline)
    project = replace(
        project, rooms=tuple(replace(a, outline=outline) if r is a else r for r in project.rooms if r is not b)
    )
    together = _one_design(project, project, a, b)
    variants = tuple(
        _taken_back(v, _one_design(project, replace(project, **{what: getattr(v, what) for what in DECIDED}), a, b))
        for v in project.variants
    )
    project = replace(together, variants=variants)
    inside = [w for w in on_level(project.walls, a.level) if _between(w, outline)]
    gone = {w.id for w in inside}
    doors = sum(o.wall in gone for o in project.openings)
    project = removed(project, *gone)
    # Part of a wall between may have gone on past the two rooms: what bounds a room is built again.
    for room in on_level(project.rooms, a.level):
        project = replace(project, walls=(*project.walls, *missing_walls(project, a.level, room.outline)))
    words = [f"{len(inside)} wall{'s' if len(inside) != 1 else ''}"] + ([f"{doors} openings"] if doors else [])
    return Removal(project, tuple(words))


def _one_design(building: Project, designed: Project, a: Room, b: Room) -> Project:
    """A design in which all that was of one room is of another: `a` keeps its own. What lit `b` is still concluded, and
    where it has a ladder its lamps go on by that, as a group; scenes of one name are numbered on."""
    lamps = tuple(lamp.id for lamp in lamps_for(designed, b.id)) if ladder_rows(designed, b.id) else ()
    # Rows of its own would else govern lamps of the other, or be governed by theirs.
    apart = bool(ladder_rows(designed, b.id)) and bool(ladder_rows(designed, a.id) or lamps_in(designed, a.id))
    lit = lighting_of(designed, a.id) is not None
    changes: dict[str, Any] = {}
    if lit:
        changes["presences"] = tuple(
            replace(p, lights=False) if p.room == b.id and p.lights else p for p in designed.presences
        )
    names = [s.name for s in designed.scenes if s.room == a.id]
    scenes = []
    for scene in designed.scenes:
        if scene.room == b.id:
            scene = replace(scene, name=unique_name(scene.name, names))
            names.append(scene.name)
        scenes.append(scene)
    changes["scenes"] = tuple(scenes)
    if apart:
        group = LampGroup(
            id=fresh_name_id(building, f"lamps {b.name}"), room=b.id,
            name=unique_name(clean_name(b.name), (g.name for g in designed.lamp_groups if g.room == a.id)), lamps=lamps,
        )  # fmt: skip
        # Groups without rows of their own had left their lamps to the room.
        others = (
            replace(g, lamps=tuple(x for x in g.lamps if x not in lamps)) if set(lamps) & set(g.lamps) else g
            for g in designed.lamp_groups
        )
        changes["lamp_groups"] = (*others, group)
        changes["rules"] = tuple(
            replace(row, group=group.id) if row.room == b.id and row.group is None else row for row in designed.rules
        )
    return renamed(replace(designed, **changes), {b.id: a.id})


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
        raise ValueError("the joined room would surround a third one")
    points = [(round(x, 3), round(y, 3)) for x, y in list(whole.exterior.coords)[:-1]]
    return tuple((float(x), float(y)) for x, y in polygons.counter_clockwise(points))


def _rehomed(project: Project) -> Project:
    """Spots, lamps and other outputs belong to the room they are in, of variants too; what named them in another does
    without."""
    at_home = settled(_at_home(project, project, IN_ROOMS))
    variants = []
    for variant in project.variants:
        designed = replace(project, **{what: getattr(variant, what) for what in DECIDED})
        homed = settled(_at_home(project, designed, tuple(c for c in IN_ROOMS if c in DECIDED)))
        variants.append(_taken_back(variant, homed))
    return replace(at_home, variants=tuple(variants))


def _taken_back(variant: Variant, designed: Project) -> Variant:
    """A variant with what was made of its design."""
    changes = {what: getattr(designed, what) for what in DECIDED if getattr(designed, what) != getattr(variant, what)}
    return replace(variant, **changes) if changes else variant


def _at_home(project: Project, designed: Project, collections: tuple[str, ...]) -> Project:

    rooms = ids_of(project.rooms)

    def home(record: Any) -> Any:
        if record.room not in rooms:
            return record
        level = find(project.rooms, record.room).level
        room = room_at(project, level, *record.at)
        return record if room is None or room.id == record.room else replace(record, room=room.id)

    return replace(designed, **{c: tuple(home(r) for r in getattr(designed, c)) for c in collections})
