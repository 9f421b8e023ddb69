"""Where somebody can walk on a level: within its rooms, past walls and furniture, through doors and up stairs."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from vastwatch.geometry import polygons
from vastwatch.geometry.grids import affordable_cell, grid_over
from vastwatch.geometry.routes import Floor, floor
from vastwatch.memo import memoised
from vastwatch.site.building import Furnishing, Level, Opening, Room, Wall

Array = NDArray[np.float64]

# Cells are so large, metres; twice that where a level would have more than MOST_CELLS. Larger ones would close doors.
CELL, MOST_CELLS = 0.1, 1_500_000
# Free space a walker keeps from a wall's face and from furniture, metres.
WALL_CLEARANCE = 0.16
FURNITURE_CLEARANCE = 0.12
# Things whose underside is higher than this are walked under; those lower than this are stepped over.
OVERHEAD = 1.5
STEP_OVER = 0.15


@memoised
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
        for a, b in solid_segments(wall, by_wall.get(wall.id, [])):
            _block(free, grid, a, b, wall.thickness / 2 + WALL_CLEARANCE)
    for f in furnishings:
        if f.z0 < OVERHEAD and f.z1 > STEP_OVER:
            _block_area(free, grid, f, FURNITURE_CLEARANCE if f.kind != "stair" else 0.0)
    for f in stairs_up_to_here:
        _block_area(free, grid, f, 0.0)
    return floor(grid, free)


def blocked(furnishings: Iterable[Furnishing], points: Array) -> NDArray[np.bool_]:
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


def solid_segments(wall: Wall, gaps: list[Opening]) -> list[tuple[Array, Array]]:
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
        for a, b in zip(outline, polygons.next_vertices(outline)):
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
