"""M5: the coverage map, whose value is the mean time until somebody is noticed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.edits import room_of
from vastwatch.design.project import Project, find, on_level
from vastwatch.geometry.grids import Grid, grid_over
from vastwatch.sensing.figures import (
    BODIES,
    FIDGETS,
    FIGURE_ACTIVITY,
    LYING,
    PET,
    PET_SPEED,
    SEATED,
    STANDING,
    WALKING_SPEED,
    Body,
    Figure,
)  # fmt: skip
from vastwatch.sensing.noticing import Placed, latency_s, mean_wait, placed, staying, walking
from vastwatch.site.building import Room, Spot

Array = NDArray[np.float64]

CELL = 0.05


@dataclass(frozen=True, eq=False)
class CoverageMap:
    """Mean seconds until a figure is noticed at each cell of a level, (rows, columns); inf where never."""

    sensor: str
    figure: Figure
    grid: Grid
    notice_s: Array

    def share_within(self, seconds: float, mask: NDArray[np.bool_]) -> float:
        """Share of the masked cells noticed within that time; 0 for an empty mask."""
        cells = self.notice_s[mask]
        return float((cells <= seconds).mean()) if len(cells) else 0.0


@lru_cache(maxsize=32)
def level_grid(rooms: tuple[Room, ...], level: str, cell: float = CELL) -> Grid:
    """The grid over all rooms of a level."""
    return grid_over([np.asarray(r.outline, float) for r in on_level(rooms, level)], cell)


@lru_cache(maxsize=512)
def room_mask(rooms: tuple[Room, ...], room: Room, cell: float = CELL) -> NDArray[np.bool_]:
    """The cells of a room on its level's grid."""
    return level_grid(rooms, room.level, cell).mask(room.outline)


@lru_cache(maxsize=32)
def built_cells(rooms: tuple[Room, ...], level: str, cell: float = CELL) -> tuple[NDArray[np.intp], Array]:
    """Flat indices and centres, (m,) and (m, 2), of the cells that lie in any room of a level."""
    grid = level_grid(rooms, level, cell)
    built = np.zeros((grid.rows, grid.columns), bool)
    for room in on_level(rooms, level):
        built |= room_mask(rooms, room, cell)
    cells = np.flatnonzero(built)
    return cells, np.asfortranarray(grid.points[cells])


class Hurry(NamedTuple):
    """The cells of a level for a map that has to be ready within a frame: those of one room each by itself, the
    others in blocks of two by two. `fine` and `coarse` are flat indices of cells, `block` the block of each coarse
    one; the points are the centres of the fine cells and of the blocks."""

    fine: NDArray[np.intp]
    fine_points: Array
    coarse: NDArray[np.intp]
    block: NDArray[np.intp]
    block_points: Array


@lru_cache(maxsize=64)
def _hurried_cells(rooms: tuple[Room, ...], room: Room) -> Hurry:
    grid = level_grid(rooms, room.level)
    own = room_mask(rooms, room).ravel()
    cells, _ = built_cells(rooms, room.level)
    fine, coarse = cells[own[cells]], cells[~own[cells]]
    row, column = np.divmod(coarse, grid.columns)
    blocks, block = np.unique((row // 2) * grid.columns + column // 2, return_inverse=True)
    up, along = np.divmod(blocks, grid.columns)
    points = np.empty((len(blocks), 2), order="F")
    points[:, 0] = grid.x0 + (2 * along + 1) * grid.cell
    points[:, 1] = grid.y0 + (2 * up + 1) * grid.cell
    return Hurry(fine, np.asfortranarray(grid.points[fine]), coarse, block, points)


def coverage(project: Project, sensor_id: str, figure: Figure, hurried: bool = False) -> CoverageMap:
    """Coverage of one sensor on its level, on 5 cm cells. Raises KeyError for a sensor that is not there.

    `hurried`: only its own room on 5 cm, the others on 10 cm, for a map that follows the hand. Cached by what it
    reads: the sensor, its device type, and the walls, openings, rooms and furnishings.
    """
    it = placed(project, find(project.sensors, sensor_id))
    room = room_of(project, it.sensor) if hurried else None
    return _coverage(it, project.rooms, room, figure)


@lru_cache(maxsize=96)
def _coverage(it: Placed, rooms: tuple[Room, ...], room: Room | None, figure: Figure) -> CoverageMap:
    grid = level_grid(rooms, it.sensor.level)
    notice = np.full(grid.rows * grid.columns, math.inf)
    if room is None:
        cells, points = built_cells(rooms, it.sensor.level)
        notice[cells] = notice_times(it, points, figure)
    else:
        hurry = _hurried_cells(rooms, room)
        both = np.asfortranarray(np.concatenate([hurry.fine_points, hurry.block_points]))
        times = notice_times(it, both, figure)
        notice[hurry.fine] = times[: len(hurry.fine)]
        notice[hurry.coarse] = times[len(hurry.fine) :][hurry.block]
    return CoverageMap(it.sensor.id, figure, grid, notice.reshape(grid.rows, grid.columns))


def notice_times(it: Placed, points: Array, figure: Figure) -> Array:
    """Mean seconds until the figure is noticed at each point, (n,)."""
    if figure in ("seated", "lying"):
        body = SEATED if figure == "seated" else LYING
        rate = staying(it, points, None, body).rate(FIDGETS[FIGURE_ACTIVITY[figure]].rate)
    elif figure == "pet":
        rate = walking(it, points, 90.0, None, PET_SPEED, PET)
    else:
        psi = 90.0 if figure == "across" else 0.0
        rate = walking(it, points, psi, None, WALKING_SPEED, STANDING)
    return mean_wait(rate, latency_s(it.device))


def spot_body(spot: Spot) -> Body:
    """The body of somebody at a spot."""
    return BODIES[spot.posture]


def spot_notice_s(project: Project, sensor_id: str, spot: Spot) -> float:
    """Mean seconds until somebody at a spot, doing what is done there, is noticed; inf for never.

    Somebody on another level than the sensor is never noticed.
    """
    sensor = find(project.sensors, sensor_id)
    if find(project.rooms, spot.room).level != sensor.level:
        return math.inf
    it = placed(project, sensor)
    at = np.array([spot.at], float)
    rate = staying(it, at, spot.facing, spot_body(spot)).rate(FIDGETS[spot.activity].rate)
    return float(mean_wait(rate, latency_s(it.device))[0])
