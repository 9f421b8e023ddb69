"""Routes through the building: which doors and stairs lead there, then around what stands in each room passed.

Doors are chosen by walls and stairs alone, as one knows a house; furniture is walked around room by room. So what is
moved in one room changes the route in that room only. Where furniture bars a room, the whole way is looked for anew.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.design.project import Project, find, on_level
from vastwatch.design.relations import levels_in_order
from vastwatch.geometry import polygons
from vastwatch.geometry.grids import affordable_cell, grid_over
from vastwatch.geometry.routes import Floor, floor
from vastwatch.memo import kept, weighed_elsewhere
from vastwatch.site.building import Furnishing, Level, Opening, Room, Spot, Wall

Array = NDArray[np.float64]

# Cells are so large, metres; twice that where a level would have more than MOST_CELLS. Larger ones would close doors.
CELL, MOST_CELLS = 0.1, 1_500_000
# Free space a walker keeps from a wall's face and from furniture, metres.
WALL_CLEARANCE = 0.16
FURNITURE_CLEARANCE = 0.12
# Things whose underside is higher than this are walked under; those lower than this are stepped over.
OVERHEAD = 1.5
STEP_OVER = 0.15
# Spacing of the samples along a route, metres. Stairs are walked at so many times the speed on the level, and sampled
# as much closer, so that from one sample to the next it always takes as long.
STEP, STAIR_PACE = 0.1, 0.5
# What is farther from a room's frame than this does not bar it: a thick wall and the space kept from it, metres.
NEAR = 0.6


@weighed_elsewhere
@dataclass(frozen=True, eq=False)
class Route:
    """A walk from one spot to another, sampled every STEP metres, on stairs closer: (n, 2) points, level index, room
    index (-1 none), heading in degrees, and how fast it is walked as a share of the speed on the level, each (n,)."""

    points: Array
    level: NDArray[np.int32]
    room: NDArray[np.int32]
    heading: Array
    pace: Array

    @property
    def length(self) -> float:
        """Metres, on the plan."""
        return float(np.hypot(*np.diff(self.points, axis=0).T).sum())

    @cached_property
    def out(self) -> int:
        """The sample at which the first room is left; 0 where it never is."""
        left = np.flatnonzero(self.room != self.room[0])
        return int(left[0]) if len(left) else 0

    @cached_property
    def changes(self) -> tuple[NDArray[np.intp], NDArray[np.int64]]:
        """The samples at which it comes into a room (the first is one), and the index of that room, -1 for none."""
        at = np.flatnonzero(np.diff(self.room, prepend=-2))
        return at, self.room[at].astype(int)


@kept
def floor_of(
    level: Level,
    walls: tuple[Wall, ...],
    openings: tuple[Opening, ...],
    rooms: tuple[Room, ...],
    furnishings: tuple[Furnishing, ...],
    stairs_up_to_here: tuple[Furnishing, ...],
) -> Floor:
    """Where somebody can walk on a level. Doors open for a walker; windows do not."""
    outlines = [np.asarray(r.outline, float) for r in rooms]
    grid = grid_over(outlines, min(affordable_cell(outlines, CELL, MOST_CELLS), 2 * CELL))
    free = np.zeros((grid.rows, grid.columns), bool)
    for room in rooms:
        free |= grid.mask(room.outline)
    by_wall: dict[str, list[Opening]] = {}
    for o in openings:
        if o.kind != "window" and o.sill <= STEP_OVER:
            by_wall.setdefault(o.wall, []).append(o)
    for wall in walls:
        for a, b in solid_stretches(wall, by_wall.get(wall.id, [])):
            _block(free, grid, a, b, wall.thickness / 2 + WALL_CLEARANCE)
    for f in furnishings:
        if f.z0 < OVERHEAD and f.z1 > STEP_OVER:
            _block_area(free, grid, f, FURNITURE_CLEARANCE if f.kind != "stair" else 0.0)
    for f in stairs_up_to_here:
        _block_area(free, grid, f, 0.0)
    return floor(grid, free)


def in_the_way(furnishings: Iterable[Furnishing], points: Array) -> NDArray[np.bool_]:
    """Which of (n, 2) points of a level nobody can walk over, because a piece of furniture stands there."""
    out = np.zeros(len(points), bool)
    for f in furnishings:
        if f.kind != "stair" and f.z0 < OVERHEAD and f.z1 > STEP_OVER:
            x0, y0, x1, y1 = polygons.bounds(f.outline)
            near = np.flatnonzero(
                (points[:, 0] >= x0) & (points[:, 0] <= x1) & (points[:, 1] >= y0) & (points[:, 1] <= y1)
            )
            if len(near):
                out[near] |= polygons.contains(np.asarray(f.outline, float), points[near])
    return out


def solid_stretches(wall: Wall, gaps: list[Opening]) -> list[tuple[Array, Array]]:
    """The stretches of a wall between openings, each from end to end."""
    a, b = np.asarray(wall.a, float), np.asarray(wall.b, float)
    length = float(np.hypot(*(b - a)))
    pieces, s = [], 0.0
    for o in sorted(gaps, key=lambda o: o.offset):
        if o.offset > s:
            pieces.append((a + (b - a) * s / length, a + (b - a) * o.offset / length))
        s = max(s, o.offset + o.width)
    if s < length:
        pieces.append((a + (b - a) * s / length, b))
    return pieces


def _window(grid, lo: Array, hi: Array) -> tuple[slice, slice]:  # type: ignore[no-untyped-def]
    """Rows and columns of the grid around a box."""
    i0, j0 = ((lo[::-1] - (grid.y0, grid.x0)) / grid.cell).astype(int)
    i1, j1 = ((hi[::-1] - (grid.y0, grid.x0)) / grid.cell).astype(int) + 1
    return slice(max(i0, 0), max(i1, 0)), slice(max(j0, 0), max(j1, 0))


def _block(free: NDArray[np.bool_], grid, a: Array, b: Array, reach: float) -> None:  # type: ignore[no-untyped-def]
    window = _window(grid, np.minimum(a, b) - reach, np.maximum(a, b) + reach)
    x, y = np.meshgrid(grid.x[window[1]], grid.y[window[0]])
    ab = b - a
    t = np.clip(((x - a[0]) * ab[0] + (y - a[1]) * ab[1]) / (ab @ ab), 0, 1)
    free[window] &= np.hypot(x - a[0] - t * ab[0], y - a[1] - t * ab[1]) >= reach


def _block_area(free: NDArray[np.bool_], grid, f: Furnishing, reach: float) -> None:  # type: ignore[no-untyped-def]
    outline = np.asarray(f.outline, float)
    window = _window(grid, outline.min(axis=0) - reach, outline.max(axis=0) + reach)
    x, y = np.meshgrid(grid.x[window[1]], grid.y[window[0]])
    points = np.column_stack([x.ravel(), y.ravel()])
    free[window] &= ~polygons.contains(outline, points).reshape(x.shape)
    if reach > 0:
        for a, b in zip(outline, polygons.following(outline)):
            if np.hypot(*(b - a)) > 1e-9:
                _block(free, grid, a, b, reach)


def stair_ends(stair: Furnishing) -> tuple[tuple[float, float], tuple[float, float]]:
    """Foot and head of a stair run on the plan."""
    outline = np.asarray(stair.outline, float)
    direction = np.array([math.cos(math.radians(stair.climb or 0.0)), math.sin(math.radians(stair.climb or 0.0))])
    centre = np.asarray(polygons.centroid(outline))
    along = (outline - centre) @ direction
    foot, head = centre + direction * along.min(), centre + direction * along.max()
    return (float(foot[0]), float(foot[1])), (float(head[0]), float(head[1]))


class _Building(NamedTuple):
    """What routes read: levels by elevation, and the records that bound, bar and join."""

    levels: tuple[Level, ...]
    walls: tuple[Wall, ...]
    openings: tuple[Opening, ...]
    rooms: tuple[Room, ...]
    furnishings: tuple[Furnishing, ...]

    def on(self, records: tuple, level: Level) -> tuple:
        """Those of some records that stand on a level; the same tuple again for the same records."""
        return _on_level(records, level.id)

    def stairs(self) -> tuple[Furnishing, ...]:
        """The stairs alone."""
        return _stairs(self.furnishings)

    def floor(self, level: Level, furnishings: tuple[Furnishing, ...]) -> Floor:
        """The walking floor of a level with some furnishings on it."""
        k = self.levels.index(level)
        below = _on_level(_stairs(self.furnishings), self.levels[k - 1].id) if k else ()
        return floor_of(
            level, self.on(self.walls, level), self.openings, self.on(self.rooms, level), furnishings, below
        )

    def room_floor(self, room: Room, level: Level) -> Floor:
        """The walking floor of one room, with what stands in it."""
        k = self.levels.index(level)
        below = _on_level(_stairs(self.furnishings), self.levels[k - 1].id) if k else ()
        near = _touching(self.on(self.furnishings, level), room)
        return floor_of(level, _touching(self.on(self.walls, level), room), self.openings, (room,), near,
                        _touching(below, room))  # fmt: skip


@kept
def _on_level(records: tuple, level: str) -> tuple:
    return on_level(records, level)


@kept
def _stairs(furnishings: tuple[Furnishing, ...]) -> tuple[Furnishing, ...]:
    return tuple(f for f in furnishings if f.kind == "stair")


@kept
def _touching(records: tuple, room: Room) -> tuple:
    """Those walls or furnishings that come near a room's frame."""
    xs, ys = [p[0] for p in room.outline], [p[1] for p in room.outline]
    x0, x1, y0, y1 = min(xs) - NEAR, max(xs) + NEAR, min(ys) - NEAR, max(ys) + NEAR
    out = []
    for r in records:
        corners = (r.a, r.b) if isinstance(r, Wall) else r.outline
        px, py = [p[0] for p in corners], [p[1] for p in corners]
        if min(px) <= x1 and max(px) >= x0 and min(py) <= y1 and max(py) >= y0:
            out.append(r)
    return tuple(out)


def _building(project: Project) -> _Building:
    order = levels_in_order(project)
    return _Building(order, project.walls, project.openings, project.rooms, project.furnishings)


def floors(project: Project) -> dict[str, Floor]:
    """The walking floor of every level, with all that stands on it."""
    b = _building(project)
    return {level.id: b.floor(level, b.on(b.furnishings, level)) for level in b.levels}


def room_floor(project: Project, room: Room) -> Floor:
    """The walking floor of one room, with what stands in it."""
    b = _building(project)
    return b.room_floor(room, find(b.levels, room.level))


def route(project: Project, start: Spot, goal: Spot) -> Route | None:
    """The sampled route between two spots, or None where nobody can walk. Cached by the building's parts."""
    return _route(_building(project), start, goal)


@kept
def _route(b: _Building, start: Spot, goal: Spot) -> Route | None:
    stretches = _through(b, start, goal, furnished=False)
    if stretches is None:
        return None
    around = _around_furniture(b, stretches)
    if around is None:
        around = _through(b, start, goal, furnished=True)
    return None if around is None else _sampled(around, b)


class Stretch(NamedTuple):
    """A part of a route on one level (its place in order): corners (m, 2); `stair`: straight up or down one; `room`:
    the index of the room it is in up to its last point, -1 for none, None where it is in several."""

    level: int
    points: Array
    stair: bool = False
    room: int | None = None


def _through(b: _Building, start: Spot, goal: Spot, furnished: bool) -> list[Stretch] | None:
    """The shortest way by floors and stairs."""
    place = {level.id: i for i, level in enumerate(b.levels)}
    here, there = place[find(b.rooms, start.room).level], place[find(b.rooms, goal.room).level]
    stairs = b.stairs()

    def ground(i: int) -> Floor:
        level = b.levels[i]
        return b.floor(level, b.on(b.furnishings if furnished else stairs, level))

    step = 1 if there >= here else -1
    # Every way to where one stands so far, by each stair there is; buildings have few.
    begun: list[_Begun] = [_Begun(0.0, start.at, ())]
    for i in range(here, there, step):
        lower = b.levels[min(i, i + step)]
        onward = []
        for foot, head in sorted(stair_ends(f) for f in stairs if f.level == lower.id):
            enter, leave = (foot, head) if step > 0 else (head, foot)
            # Of all who reach this stair, only the one that walked least goes on.
            arrived = [w for so_far in begun if (w := so_far.walked(ground(i), i, enter)) is not None]
            if arrived:
                # Whoever is on the stairs belongs to the lower level.
                onward.append(min(arrived, key=_metres).climbed(min(i, i + step), leave))
        begun = onward
    arrived = [w for so_far in begun if (w := so_far.walked(ground(there), there, goal.at)) is not None]
    return list(min(arrived, key=_metres).stretches) if arrived else None


class _Begun(NamedTuple):
    """A way so far: how long it is, where it has come to, and its stretches."""

    metres: float
    at: tuple[float, float]
    stretches: tuple[Stretch, ...]

    def walked(self, floor: Floor, level: int, to: tuple[float, float]) -> _Begun | None:
        """On over a level's floor, or None where no way leads there."""
        points = floor.route(self.at, to)
        return None if points is None else self._on(Stretch(level, points), to)

    def climbed(self, level: int, to: tuple[float, float]) -> _Begun:
        """Up or down a stair that runs straight."""
        return self._on(Stretch(level, np.array([self.at, to]), True), to)

    def _on(self, stretch: Stretch, to: tuple[float, float]) -> _Begun:
        length = float(np.hypot(*np.diff(stretch.points, axis=0).T).sum())
        return _Begun(self.metres + length, to, (*self.stretches, stretch))


def _metres(begun: _Begun) -> float:
    return begun.metres


def _around_furniture(b: _Building, stretches: list[Stretch]) -> list[Stretch] | None:
    """The same rooms and doors, around what stands in each room, one stretch a room; None where something bars one."""
    out = []
    for stretch in stretches:
        if stretch.stair:
            out.append(stretch)
            continue
        points, room = _sampled_along(stretch, b)
        turns = np.flatnonzero(np.diff(room)) + 1
        for first, last in zip([0, *turns], [*turns, len(points) - 1]):
            piece = points[first : last + 1]
            if len(piece) < 2:
                continue
            k = int(room[first])
            if k >= 0:
                floor = b.room_floor(b.rooms[k], b.levels[stretch.level])
                found = floor.route(_point(piece[0]), _point(piece[-1]))
                if found is None:
                    return None
                piece = found
            out.append(Stretch(stretch.level, piece, room=k))
    return out


def _point(row: Array) -> tuple[float, float]:
    return float(row[0]), float(row[1])


def _sampled_along(stretch: Stretch, b: _Building) -> tuple[Array, NDArray[np.int32]]:
    """Points about every STEP along a stretch, on stairs closer, and the room index of each, -1 for none."""
    points = _spaced(stretch.points, STEP * STAIR_PACE if stretch.stair else STEP)
    if stretch.room is not None:
        return points, np.full(len(points), stretch.room, np.int32)
    room = np.full(len(points), -1, np.int32)
    level = b.levels[stretch.level].id
    lows, highs = stretch.points.min(axis=0), stretch.points.max(axis=0)
    # By id, so that where outlines overlap the order of the records does not matter.
    for k in sorted(range(len(b.rooms)), key=lambda k: b.rooms[k].id):
        r = b.rooms[k]
        xs, ys = [p[0] for p in r.outline], [p[1] for p in r.outline]
        if r.level != level or min(xs) > highs[0] or max(xs) < lows[0] or min(ys) > highs[1] or max(ys) < lows[1]:
            continue
        room[polygons.contains(r.outline, points)] = k
    return points, _carried_on(room)


def _spaced(corners: Array, step: float) -> Array:
    """Points about so far apart along some corners, the first and the last among them."""
    s = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(corners, axis=0).T))])
    n = max(round(s[-1] / step), 1)
    t = np.linspace(0, s[-1], n + 1)
    return np.column_stack([np.interp(t, s, corners[:, k]) for k in (0, 1)])


def _carried_on(room: NDArray[np.int32]) -> NDArray[np.int32]:
    """On a shared edge no room may claim a point: it belongs to where the walker comes from."""
    known = np.where(room >= 0, np.arange(len(room)), 0)
    return room[np.maximum.accumulate(known)]


def _sampled(stretches: list[Stretch], b: _Building) -> Route:
    """The route along some stretches, each sampled by itself: one that is longer does not shift the others."""
    points, level, room, pace = [], [], [], []
    for k, stretch in enumerate(stretches):
        at, where = _sampled_along(stretch, b)
        # Its last point is the first of the next: there, the walker is already in the next room.
        n = len(at) - (1 if k < len(stretches) - 1 else 0)
        points.append(at[:n])
        room.append(where[:n])
        level.append(np.full(n, stretch.level, np.int32))
        pace.append(np.full(n, STAIR_PACE if stretch.stair else 1.0))
    along = np.concatenate(points)
    ahead = np.diff(along, axis=0, append=along[-1:])
    ahead[-1] = ahead[-2] if len(ahead) > 1 else (1.0, 0.0)
    heading = np.degrees(np.arctan2(ahead[:, 1], ahead[:, 0]))
    return Route(along, np.concatenate(level), _carried_on(np.concatenate(room)), heading, np.concatenate(pace))


@weighed_elsewhere
class RouteBook:
    """The distinct routes of a building asked for so far; it only grows, so that indices keep their meaning."""

    def __init__(self, project: Project) -> None:
        # After the spots come as many more, each at the place of one, where somebody is who cannot be anywhere: gone.
        self.spots = project.spots + tuple(replace(s, id="", activity="away") for s in project.spots)
        self.place = {s.id: i for i, s in enumerate(project.spots)}
        order = {lv.id: i for i, lv in enumerate(levels_in_order(project))}
        self.spot_level = [order[find(project.rooms, s.room).level] for s in self.spots]
        self.routes: list[Route] = []
        self.project = project
        self._known: dict[tuple[int, int], int] = {}
        self._growing = Lock()

    def gone(self, place: int) -> int:
        """The place of whoever vanishes at a spot; of such a place, itself."""
        n = len(self.spots) // 2
        return place if place >= n else place + n

    def between(self, a: int, b: int) -> int:
        """Index of the route from spot a to spot b; -1 where there is none. Who vanishes, or comes back, does so
        within a step."""
        n = len(self.spots) // 2
        if (index := self._known.get((a, b))) is not None:
            return index
        with self._growing:
            if (a, b) not in self._known:
                found = route(self.project, self.spots[a % n], self.spots[b % n])
                self._known[a, b] = -1 if found is None else len(self.routes)
                if found is not None:
                    self.routes.append(found)
            return self._known[a, b]
