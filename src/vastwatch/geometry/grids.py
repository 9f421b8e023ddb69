"""Regular grids of square cells over a stretch of plan, addressed by cell centres."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.geometry import polygons


@dataclass(frozen=True, eq=False)
class Grid:
    """`rows` x `columns` cells of side `cell` metres; (x0, y0) is the lower left corner of cell [0, 0]."""

    x0: float
    y0: float
    cell: float
    rows: int
    columns: int

    @cached_property
    def x(self) -> NDArray[np.float64]:
        """Centre abscissae, shape (columns,)."""
        return self.x0 + (np.arange(self.columns, dtype=np.float64) + 0.5) * self.cell

    @cached_property
    def y(self) -> NDArray[np.float64]:
        """Centre ordinates, shape (rows,)."""
        return self.y0 + (np.arange(self.rows, dtype=np.float64) + 0.5) * self.cell

    @cached_property
    def points(self) -> NDArray[np.float64]:
        """All cell centres, shape (rows * columns, 2), row by row; each column contiguous in memory."""
        out = np.empty((self.rows * self.columns, 2), order="F")
        out[:, 0] = np.tile(self.x, self.rows)
        out[:, 1] = np.repeat(self.y, self.columns)
        return out

    def mask(self, outline: ArrayLike) -> NDArray[np.bool_]:
        """Which cells have their centre inside the polygon, shape (rows, columns)."""
        return polygons.contains(outline, self.points).reshape(self.rows, self.columns)


def grid_over(outlines: list[NDArray[np.float64]], cell: float) -> Grid:
    """The grid that covers all the polygons; cells align to multiples of `cell`, so grids of neighbours agree."""
    if not outlines:
        return Grid(0.0, 0.0, cell, 0, 0)
    every = np.concatenate([np.asarray(o, float) for o in outlines])
    lo = np.floor(every.min(axis=0) / cell + 1e-9).astype(int)
    hi = np.ceil(every.max(axis=0) / cell - 1e-9).astype(int)
    columns, rows = np.maximum(hi - lo, 1)
    return Grid(float(lo[0] * cell), float(lo[1] * cell), cell, int(rows), int(columns))


def affordable_cell(outlines: list[NDArray[np.float64]], finest: float, most: int) -> float:
    """The side of cells, `finest` doubled as often as need be, with which a grid over the polygons has no more than
    `most` cells."""
    if not outlines:
        return finest
    every = np.concatenate([np.asarray(o, float) for o in outlines])
    width, depth = np.ptp(every, axis=0)
    doubled = math.ceil(math.log2(max(math.sqrt(max(width * depth, 1e-9) / most) / finest, 1.0)))
    return float(finest * 2**doubled)
