"""Regular grids of square cells over a stretch of plan, addressed by cell centres."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

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

    def part(self, x0: float, y0: float, x1: float, y1: float) -> Part:
        """The part of the grid whose cells meet a frame; it may be empty."""
        # However far the frame lies or reaches, a cell beside the grid is far enough.
        c0, c1 = (math.floor((min(max(x, self.x0 - 1.0), self.x1 + 1.0) - self.x0) / self.cell) for x in (x0, x1))
        r0, r1 = (math.floor((min(max(y, self.y0 - 1.0), self.y1 + 1.0) - self.y0) / self.cell) for y in (y0, y1))
        c0, r0 = min(max(c0, 0), self.columns), min(max(r0, 0), self.rows)
        c1, r1 = min(max(c1 + 1, c0), self.columns), min(max(r1 + 1, r0), self.rows)
        x, y = self.x0 + c0 * self.cell, self.y0 + r0 * self.cell
        return Part(self, Grid(x, y, self.cell, r1 - r0, c1 - c0), r0, c0)

    @property
    def x1(self) -> float:
        """Its right edge."""
        return self.x0 + self.columns * self.cell

    @property
    def y1(self) -> float:
        """Its upper edge."""
        return self.y0 + self.rows * self.cell

    def cells_in(self, outline: ArrayLike) -> NDArray[np.intp]:
        """Flat indices of the cells that have their centre inside the polygon, in order."""
        corners = np.asarray(outline, float)
        part = self.part(*corners.min(axis=0), *corners.max(axis=0))
        # By the whole grid's own centres: a part's may differ from them by rounding.
        rows, columns = np.divmod(np.arange(part.grid.rows * part.grid.columns), max(part.grid.columns, 1))
        cells = (rows + part.row) * self.columns + columns + part.column
        points = np.column_stack([self.x[columns + part.column], self.y[rows + part.row]])
        return np.asarray(cells[polygons.contains(corners, points)])

    def mask(self, outline: ArrayLike) -> NDArray[np.bool_]:
        """Which cells have their centre inside the polygon, shape (rows, columns)."""
        out = np.zeros(self.rows * self.columns, bool)
        out[self.cells_in(outline)] = True
        return out.reshape(self.rows, self.columns)


class Part(NamedTuple):
    """A part of a grid, as a grid of its own: its first cell is cell [row, column] of the `whole`."""

    whole: Grid
    grid: Grid
    row: int
    column: int

    def within(self, cells: NDArray[np.intp]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Which of some cells of the whole grid (flat indices) lie in the part, and their flat indices in it."""
        rows, columns = np.divmod(cells, max(self.whole.columns, 1))
        rows, columns = rows - self.row, columns - self.column
        inside = np.flatnonzero((rows >= 0) & (rows < self.grid.rows) & (columns >= 0) & (columns < self.grid.columns))
        return inside, rows[inside] * self.grid.columns + columns[inside]


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
