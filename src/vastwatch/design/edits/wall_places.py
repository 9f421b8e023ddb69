"""What walls are made of, by where they stand: between two rooms, or between a room and the outside.

New walls are made as the project's `construction` says of the one place or the other. Where rooms come or go, the place
of a wall changes, of a part of it perhaps: then that part becomes a wall of its own. Walls that somebody has made
otherwise than by the construction stay as they are.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import pairwise
from typing import Literal, NamedTuple

import numpy as np
from msgspec.structs import replace

from vastwatch.design.edits.building import ASIDE, SAME, frame_of, room_edges
from vastwatch.design.project import Construction, Project, fresh_ids, on_level
from vastwatch.geometry import polygons
from vastwatch.site.building import Opening, Room, Wall
from vastwatch.site.record import Point

Place = Literal["outer", "inner"]


class WallStretch(NamedTuple):
    """From `begin` to `end` metres from a wall's end a, and where it stands there; None along no room."""

    begin: float
    end: float
    place: Place | None


def built_as(construction: Construction, wall: Wall) -> Place | None:
    """For which place the construction would make a wall such as this; None where for neither, or for both alike."""
    c, how = construction, (wall.thickness, wall.material)
    outer, inner = how == (c.outer_m, c.outer_material), how == (c.inner_m, c.inner_material)
    return None if outer == inner else "outer" if outer else "inner"


def wall_stretches(wall: Wall, rooms: Iterable[Room]) -> list[WallStretch]:
    """The stretches of a wall, from its end a on, by whether rooms are on both sides of it, on one, or on none."""
    length = math.dist(wall.a, wall.b)
    spans = [(lo, hi, side) for room in rooms for lo, hi, side in _beside(wall, length, room)]
    marks = sorted({0.0, length, *(s for span in spans for s in span[:2])})
    out: list[WallStretch] = []
    for a, b in pairwise(marks):
        if b - a <= SAME:
            continue
        sides = {side for lo, hi, side in spans if lo < (a + b) / 2 < hi}
        place: Place | None = "inner" if len(sides) == 2 else "outer" if sides else None
        if out and out[-1].place == place:
            out[-1] = out[-1]._replace(end=b)
        else:
            out.append(WallStretch(a, b, place))
    return out


def _beside(wall: Wall, length: float, room: Room) -> Iterator[tuple[float, float, bool]]:
    """Stretches of a wall along edges of a room, and whether the room is to its left."""
    if length < SAME:
        return
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    for edge in room_edges(room):
        along = [(p[0] - wall.a[0]) * ux + (p[1] - wall.a[1]) * uy for p in edge]
        off = [(p[1] - wall.a[1]) * ux - (p[0] - wall.a[0]) * uy for p in edge]
        lo, hi = max(min(along), 0.0), min(max(along), length)
        if max(map(abs, off)) > SAME or hi - lo <= SAME:
            continue
        s = (lo + hi) / 2
        left = (wall.a[0] + ux * s - uy * ASIDE, wall.a[1] + uy * s + ux * ASIDE)
        yield lo, hi, bool(polygons.contains_point(room.outline, *left))


def out_of_place(
    project: Project, level: str, which: Callable[[Wall], bool] = lambda _: True
) -> Iterator[tuple[Wall, list[WallStretch]]]:
    """Those of some walls of a level, by default all, that are built for the other place than that where they stand,
    each with all its stretches."""
    rooms = on_level(project.rooms, level)
    frames = np.array([frame_of(r) for r in rooms], float).reshape(-1, 4)
    for wall in on_level(project.walls, level):
        as_place = built_as(project.construction, wall)
        if as_place is None or not which(wall):
            continue
        # Most rooms are far from a wall, by their frames.
        low, high = np.minimum(wall.a, wall.b) - SAME, np.maximum(wall.a, wall.b) + SAME
        near = np.flatnonzero((frames[:, :2] <= high).all(axis=1) & (frames[:, 2:] >= low).all(axis=1))
        stretches = wall_stretches(wall, [rooms[k] for k in near.tolist()])
        if any(s.place not in (None, as_place) for s in stretches):
            yield wall, stretches


def walls_by_place(project: Project, level: str, which: Callable[[Wall], bool] = lambda _: True) -> Project:
    """The project with some walls of a level, by default all, built for where they stand, split where that changes; no
    door or window is cut."""
    c = project.construction
    ids = fresh_ids(project, f"{level}-wall")
    parts: dict[str, list[Wall]] = {}
    changed: dict[str, Opening] = {}
    for wall, stretches in out_of_place(project, level, which):
        hosted = [o for o in project.openings if o.wall == wall.id]
        for k, (a, b, place) in enumerate(_clear_of(stretches, hosted)):
            how = {
                "outer": (c.outer_m, c.outer_material), "inner": (c.inner_m, c.inner_material),
                None: (wall.thickness, wall.material),
            }[place]  # fmt: skip
            piece = replace(
                wall, id=wall.id if k == 0 else next(ids), a=_at(wall, a), b=_at(wall, b), thickness=how[0],
                material=how[1],
            )  # fmt: skip
            parts.setdefault(wall.id, []).append(piece)
            for o in hosted:
                if a - SAME <= o.offset and o.offset + o.width <= b + SAME:
                    changed[o.id] = replace(o, wall=piece.id, offset=round(max(o.offset - a, 0.0), 4))
    if not parts:
        return project
    walls = tuple(piece for w in project.walls for piece in parts.get(w.id, [w]))
    return replace(project, walls=walls, openings=tuple(changed.get(o.id, o) for o in project.openings))


def _clear_of(stretches: list[WallStretch], openings: Sequence[Opening]) -> list[WallStretch]:
    """Stretches whose ends lie within no opening: an end that does moves to the nearer edge of it."""
    ends = [s.end for s in stretches[:-1]]
    for o in openings:
        lo, hi = o.offset, o.offset + o.width
        ends = [e if not lo + SAME < e < hi - SAME else lo if e - lo < hi - e else hi for e in ends]
    begins = [stretches[0].begin, *ends]
    made = [s._replace(begin=a, end=b) for s, a, b in zip(stretches, begins, [*ends, stretches[-1].end])]
    return [s for s in made if s.end - s.begin > SAME]


def _at(wall: Wall, s: float) -> Point:
    k = s / math.dist(wall.a, wall.b)
    return round(wall.a[0] + k * (wall.b[0] - wall.a[0]), 6), round(wall.a[1] + k * (wall.b[1] - wall.a[1]), 6)
