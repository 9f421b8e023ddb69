"""Walking ways through the building: a clearance floor per level, stairs between levels, sampled routes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project, find, on_level
from vastwatch.geometry import polygons
from vastwatch.geometry.grids import grid_over
from vastwatch.geometry.routes import Floor, floor
from vastwatch.site.building import Furnishing, Level, Opening, Room, Spot, Wall

Array = NDArray[np.float64]

CELL = 0.1
# Free space a walker keeps from a wall's face and from furniture, metres.
WALL_CLEARANCE = 0.16
FURNITURE_CLEARANCE = 0.12
# Things whose underside is higher than this are walked under; those lower than this are stepped over.
OVERHEAD = 1.5
STEP_OVER = 0.15
# Spacing of the samples along a way, metres.
STEP = 0.1


@dataclass(frozen=True, eq=False)
class Way:
    """A walk from one spot to another, sampled every STEP metres: (n, 2) points, level index, room index (-1 none),
    and heading in degrees, each (n,)."""

    points: Array
    level: NDArray[np.int32]
    room: NDArray[np.int32]
    heading: Array

    @property
    def length(self) -> float:
        """Metres."""
        return (len(self.points) - 1) * STEP


@lru_cache(maxsize=16)
def floor_of(
    level: Level,
    walls: tuple[Wall, ...],
    openings: tuple[Opening, ...],
    rooms: tuple[Room, ...],
    furnishings: tuple[Furnishing, ...],
    stairs_up_to_here: tuple[Furnishing, ...],
) -> Floor:
    """Where somebody can walk on a level. Doors open for a walker; windows do not."""
    grid = grid_over([np.asarray(r.outline, float) for r in rooms], CELL)
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
        for a, b in zip(outline, np.roll(outline, -1, axis=0)):
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


def floors(project: Project) -> dict[str, Floor]:
    """The walking floor of every level."""
    order = sorted(project.levels, key=lambda level: level.elevation)
    out = {}
    for below, level in zip([None, *order], order):
        stairs = () if below is None else tuple(f for f in on_level(project.furnishings, below.id) if f.kind == "stair")
        out[level.id] = floor_of(
            level, on_level(project.walls, level.id), project.openings, on_level(project.rooms, level.id),
            on_level(project.furnishings, level.id), stairs,
        )  # fmt: skip
    return out


def way(project: Project, start: Spot, goal: Spot) -> Way | None:
    """The sampled way between two spots, or None where nobody can walk. Cached by the building's parts."""
    return _way(project.levels, project.walls, project.openings, project.rooms, project.furnishings, start, goal)


@lru_cache(maxsize=2048)
def _way(
    levels: tuple[Level, ...],
    walls: tuple[Wall, ...],
    openings: tuple[Opening, ...],
    rooms: tuple[Room, ...],
    furnishings: tuple[Furnishing, ...],
    start: Spot,
    goal: Spot,
) -> Way | None:
    project = Project(name="", levels=levels, walls=walls, openings=openings, rooms=rooms, furnishings=furnishings)
    order = sorted(levels, key=lambda level: level.elevation)
    place = {level.id: i for i, level in enumerate(order)}
    here, there = place[find(rooms, start.room).level], place[find(rooms, goal.room).level]
    ground = floors(project)
    step = 1 if there >= here else -1
    # Every way to where one stands so far, by each stair there is; buildings have few.
    begun: list[_Begun] = [_Begun(0.0, start.at, ())]
    for i in range(here, there, step):
        lower = order[min(i, i + step)]
        stairs = [stair_ends(f) for f in furnishings if f.level == lower.id and f.kind == "stair"]
        onward = []
        for foot, head in stairs:
            enter, leave = (foot, head) if step > 0 else (head, foot)
            # Of all who reach this stair, only the one that walked least goes on.
            arrived = [b for so_far in begun if (b := so_far.walked(ground[order[i].id], i, enter)) is not None]
            if arrived:
                # Whoever is on the stairs belongs to the lower level.
                onward.append(min(arrived, key=_metres).climbed(min(i, i + step), leave))
        begun = onward
    arrived = [b for so_far in begun if (b := so_far.walked(ground[order[there].id], there, goal.at)) is not None]
    return _sampled(list(min(arrived, key=_metres).stretches), order, rooms) if arrived else None


class _Begun(NamedTuple):
    """A way so far: how long it is, where it has come to, and its stretches, each with its level's place in order."""

    metres: float
    at: tuple[float, float]
    stretches: tuple[tuple[int, Array], ...]

    def walked(self, floor: Floor, level: int, to: tuple[float, float]) -> _Begun | None:
        """On over a level's floor, or None where no way leads there."""
        points = floor.route(self.at, to)
        return None if points is None else self._on(level, points, to)

    def climbed(self, level: int, to: tuple[float, float]) -> _Begun:
        """Up or down a stair that runs straight."""
        return self._on(level, np.array([self.at, to]), to)

    def _on(self, level: int, points: Array, to: tuple[float, float]) -> _Begun:
        length = float(np.hypot(*np.diff(points, axis=0).T).sum())
        return _Begun(self.metres + length, to, (*self.stretches, (level, points)))


def _metres(begun: _Begun) -> float:
    return begun.metres


def _sampled(stretches: list[tuple[int, Array]], order: list[Level], rooms: tuple[Room, ...]) -> Way:
    corners = np.concatenate([points for _, points in stretches])
    level_at = np.concatenate([np.full(len(points), i) for i, points in stretches])
    s = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(corners, axis=0).T))])
    n = max(round(s[-1] / STEP), 1)
    t = np.linspace(0, s[-1], n + 1)
    points = np.column_stack([np.interp(t, s, corners[:, k]) for k in (0, 1)])
    leg = np.clip(np.searchsorted(s, t, side="right") - 1, 0, len(s) - 1)
    level = level_at[leg].astype(np.int32)
    ahead = np.diff(points, axis=0, append=points[-1:])
    ahead[-1] = ahead[-2] if len(ahead) > 1 else (1.0, 0.0)
    heading = np.degrees(np.arctan2(ahead[:, 1], ahead[:, 0]))
    room = np.full(len(points), -1, np.int32)
    place = {lv.id: i for i, lv in enumerate(order)}
    lows, highs = corners.min(axis=0), corners.max(axis=0)
    for k, r in enumerate(rooms):
        xs, ys = [p[0] for p in r.outline], [p[1] for p in r.outline]
        if min(xs) > highs[0] or max(xs) < lows[0] or min(ys) > highs[1] or max(ys) < lows[1]:
            continue
        same = np.flatnonzero(level == place[r.level])
        if len(same):
            room[same[polygons.contains(r.outline, points[same])]] = k
    # On a shared edge no room may claim the point: it belongs to where the walker comes from.
    known = np.where(room >= 0, np.arange(len(room)), 0)
    room = room[np.maximum.accumulate(known)]
    return Way(points, level, room, heading)
