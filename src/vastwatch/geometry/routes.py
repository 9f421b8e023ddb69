"""Shortest walkable routes on a floor: a clearance grid, Dijkstra over it, and a string pulled tight."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from vastwatch.geometry.grids import Grid

if TYPE_CHECKING:
    from scipy.sparse import csr_array

# scipy.sparse is loaded where it is first used: it takes a third of a second, which the window's start can spare.

Array = NDArray[np.float64]

# Shortest-path trees kept per floor: each has a number for every cell that is connected with its start.
MOST_TREES = 64
# The nearest free cell is looked for so many cells about a point at first.
NEAR_CELLS = 8


@dataclass(frozen=True, eq=False)
class Floor:
    """Which cells of a grid a body may stand on, and the shortest way between them.

    `free` has the grid's shape. Shortest-path trees are kept per start cell, because many routes share one; each goes
    over the cells alone that are connected with it, so that a wing without a way to it costs nothing.
    """

    grid: Grid
    free: NDArray[np.bool_]
    _trees: dict[int, NDArray[np.int32]] = field(default_factory=dict)
    _graphs: dict[int, tuple[csr_array, NDArray[np.intp]]] = field(default_factory=dict)
    _nearest: dict[tuple[float, float], int] = field(default_factory=dict)

    def nearest_free(self, point: tuple[float, float]) -> int:
        """Flat index of the free cell nearest to the point, the lowest of several; -1 on a floor without any."""
        if point not in self._nearest:
            self._nearest[point] = self._nearest_free(point)
        return self._nearest[point]

    def _nearest_free(self, point: tuple[float, float]) -> int:
        """Looked for in a window about the point, which grows until nothing outside it can be nearer."""
        (rows, columns), cell = self.free.shape, self.grid.cell
        if not self.free.any():
            return -1
        # About the cell of the grid nearest to the point: what is outside the window is no nearer to the point either.
        row = int(min(max((point[1] - self.grid.y0) / cell, -1.0), rows))
        column = int(min(max((point[0] - self.grid.x0) / cell, -1.0), columns))
        reach = NEAR_CELLS
        while True:
            r0, r1 = max(row - reach, 0), min(row + reach + 1, rows)
            c0, c1 = max(column - reach, 0), min(column + reach + 1, columns)
            i, j = np.nonzero(self.free[r0:r1, c0:c1]) if r0 < r1 and c0 < c1 else (np.zeros(0, int),) * 2
            whole = r0 == 0 and c0 == 0 and r1 == rows and c1 == columns
            if len(i):
                cells = (i + r0) * columns + (j + c0)
                dx, dy = self.grid.points[cells, 0] - point[0], self.grid.points[cells, 1] - point[1]
                with np.errstate(over="ignore"):
                    squares = dx * dx + dy * dy
                best = int(np.argmin(squares))
                # What lies outside the window is at least as far as its edge, less a cell for the rounding.
                if whole or squares[best] < ((reach - 1) * cell) ** 2:
                    return int(cells[best])
            reach *= 4

    @cached_property
    def _parts(self) -> tuple[NDArray[np.int32], list[tuple[slice, slice]]]:
        """The part of the floor that each cell belongs to, from 1 on (0: none), and the rows and columns of each part.

        Anybody who may go to a cell corner to corner may go there by a side as well, so that neighbours by a side tell.
        """
        from scipy.ndimage import find_objects, label

        part = label(self.free)[0]
        return part, find_objects(part)

    def _graph_of(self, part: int) -> tuple[csr_array, NDArray[np.intp]]:
        """The walking graph of a part of the floor, and which cells of the grid its nodes are, in order."""
        if part not in self._graphs:
            parts, windows = self._parts
            rows, columns = windows[part - 1]
            here = parts[rows, columns] == part
            inside = np.flatnonzero(here)
            graph = _joined(here, self.grid.cell)[inside][:, inside]
            row, column = np.nonzero(here)
            self._graphs[part] = graph, (row + rows.start) * self.free.shape[1] + column + columns.start
        return self._graphs[part]

    def route(self, start: tuple[float, float], goal: tuple[float, float]) -> Array | None:
        """Way points (m, 2) from start to goal, or None where no way leads there."""
        i, j = self.nearest_free(start), self.nearest_free(goal)
        if i < 0 or j < 0:
            return None
        inner = self.grid.points[[i, j]]
        if not self._clear(*inner):
            # Not as the crow flies: most ways within a room are.
            around = self._around(i, j)
            if around is None:
                return None
            inner = self._pull(around)
        way = np.vstack([start, inner, goal])
        keep = np.r_[True, np.hypot(*np.diff(way, axis=0).T) > 1e-6]
        return way[keep]

    def _around(self, i: int, j: int) -> Array | None:
        """The centres of the cells on the shortest way from one to another, or None where there is none."""
        from scipy.sparse.csgraph import dijkstra

        parts = self._parts[0].ravel()
        if parts[i] != parts[j]:
            return None
        graph, cells = self._graph_of(int(parts[i]))
        start, at = (int(k) for k in np.searchsorted(cells, [i, j]))
        if i not in self._trees:
            before = dijkstra(graph, directed=False, indices=start, return_predecessors=True)[1]
            while len(self._trees) >= MOST_TREES:
                del self._trees[next(iter(self._trees))]
            self._trees[i] = before
        before = self._trees[i]
        way = [at]
        while way[-1] != start:
            way.append(int(before[way[-1]]))
        return self.grid.points[cells[way[::-1]]]

    def _pull(self, way: Array) -> Array:
        """Drop way points that a straight free line can skip."""
        out, at = [0], 0
        while at < len(way) - 1:
            # The farthest visible point, by galloping and then bisecting: visibility is nearly monotone.
            reach = at + 1
            step = 1
            while reach + step < len(way) and self._clear(way[at], way[reach + step]):
                reach += step
                step *= 2
            while step > 1:
                step //= 2
                if reach + step < len(way) and self._clear(way[at], way[reach + step]):
                    reach += step
            at = reach
            out.append(at)
        return way[out]

    @cached_property
    def _origin(self) -> Array:
        return np.array([[self.grid.x0], [self.grid.y0]])

    def _clear(self, a: Array, b: Array) -> bool:
        """Whether every cell on the straight line is free, looked at twice a cell."""
        way = (b - a)[:, None]
        n = max(int(math.hypot(way[0, 0], way[1, 0]) / (self.grid.cell * 0.5)), 1)
        column, row = ((a[:, None] - self._origin + _fractions(n) * way) / self.grid.cell).astype(int)
        return bool(self.free[row, column].all())


@lru_cache(maxsize=2000)
def _fractions(n: int) -> Array:
    """0 to 1 in n steps."""
    return np.arange(n + 1, dtype=float) * (1.0 / n)


def floor(grid: Grid, free: NDArray[np.bool_]) -> Floor:
    """The floor of the free cells of a grid, (rows, columns)."""
    return Floor(grid, free)


def _joined(free: NDArray[np.bool_], cell: float) -> csr_array:
    """The graph of all cells, free neighbours joined: eight directions, corners not cut."""
    from scipy.sparse import csr_array

    rows, columns = free.shape
    index = np.arange(rows * columns).reshape(rows, columns)
    starts, ends, lengths = [], [], []
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        here = (slice(0, rows - dy), slice(max(-dx, 0), columns - max(dx, 0)))
        there = (slice(dy, rows), slice(max(dx, 0), columns - max(-dx, 0)))
        both = free[here] & free[there]
        if dx and dy:
            side = (here[0], there[1])
            other = (there[0], here[1])
            both = both & free[side] & free[other]
        starts.append(index[here][both])
        ends.append(index[there][both])
        lengths.append(np.full(int(both.sum()), cell * np.hypot(dx, dy)))
    a, b, w = np.concatenate(starts), np.concatenate(ends), np.concatenate(lengths)
    return csr_array((w, (a, b)), shape=(free.size, free.size))
