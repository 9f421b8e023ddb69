"""M5: the coverage map, whose value is the mean time until somebody is noticed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.placed import at_hour
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find, on_level
from vastwatch.geometry.grids import Grid, affordable_cell, grid_over
from vastwatch.memo import kept
from vastwatch.sensing.figures import (
    ABED,
    FIGURE_ACTIVITY,
    MINOR_MOTION,
    PET,
    PET_SPEED,
    SEATED,
    STANDING,
    WALKING_SPEED,
    Body,
    Figure,
    Stayer,
    Walker,
    body_of,
)  # fmt: skip
from vastwatch.sensing.model import MountedSensor, latency_s, mean_wait, staying, walking
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Room, Spot

Array = NDArray[np.float64]

# Cells are so large, metres; on a level where that would be more than MOST_CELLS, twice as large, or four times.
CELL, MOST_CELLS = 0.05, 1_500_000


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


@kept
def level_grid(rooms: tuple[Room, ...], level: str, cell: float = CELL) -> Grid:
    """The grid over all rooms of a level: of cells of that size, or of coarser ones where the level is very large."""
    outlines = [np.asarray(r.outline, float) for r in on_level(rooms, level)]
    return grid_over(outlines, affordable_cell(outlines, cell, MOST_CELLS))


@kept
def room_mask(rooms: tuple[Room, ...], room: Room, cell: float = CELL) -> NDArray[np.bool_]:
    """The cells of a room on its level's grid."""
    return level_grid(rooms, room.level, cell).mask(room.outline)


@kept
def built_cells(rooms: tuple[Room, ...], level: str, cell: float = CELL) -> tuple[NDArray[np.intp], Array]:
    """Flat indices and centres, (m,) and (m, 2), of the cells that lie in any room of a level."""
    grid = level_grid(rooms, level, cell)
    built = np.zeros((grid.rows, grid.columns), bool)
    for room in on_level(rooms, level):
        built |= room_mask(rooms, room, cell)
    cells = np.flatnonzero(built)
    return cells, np.asfortranarray(grid.points[cells])


class Blocks(NamedTuple):
    """The cells of a level for a map that has to be ready within a frame: flat indices of all built cells (n,), which
    block each belongs to (n,), and the middles of the blocks (m, 2)."""

    cells: NDArray[np.intp]
    block: NDArray[np.intp]
    points: Array


# Cells by how coarse the map is, metres; in a coarse one, cells of other rooms than the sensor's are taken two by two.
CELLS = (CELL, CELL, 2 * CELL)


@kept
def _blocks(rooms: tuple[Room, ...], room: Room, cell: float) -> Blocks:
    grid = level_grid(rooms, room.level, cell)
    own = room_mask(rooms, room, cell).ravel()
    built, _ = built_cells(rooms, room.level, cell)
    cells, block, points, count = [], [], [], 0
    for mine, side in ((built[own[built]], 1), (built[~own[built]], 2)):
        row, column = np.divmod(mine, grid.columns)
        wide = -(-grid.columns // side)
        kept, which = np.unique((row // side) * wide + column // side, return_inverse=True)
        up, along = np.divmod(kept, wide)
        x = grid.x0 + (along * side + side / 2) * grid.cell
        y = grid.y0 + (up * side + side / 2) * grid.cell
        cells.append(mine)
        block.append(which + count)
        points.append(np.column_stack([x, y]))
        count += len(kept)
    return Blocks(np.concatenate(cells), np.concatenate(block), np.asfortranarray(np.concatenate(points)))


def coverage(
    project: Project, sensor_id: str, figure: Figure, coarseness: int = 0, second: float | None = None
) -> CoverageMap:
    """Coverage of one sensor on its level, on 5 cm cells, or coarser ones on a very large level; of one that is set
    by the hour as it is at a `second` of the day, without one as it is for most of it.

    Raises KeyError for a sensor that is not there.

    With `coarseness` 1 only its own room is on 5 cm and the others on 10 cm, with 2 it is 10 and 20 cm: for a map that
    follows the hand. Cached by what it reads: the sensor, its device type, and the walls, openings, rooms and
    furnishings.
    """
    mounted = mount(project, at_hour(find(project.sensors, sensor_id), second))
    room = room_of(project, mounted.sensor) if coarseness else None
    return _coverage(mounted, project.rooms, room, coarseness, figure)


@kept
def _coverage(
    mounted: MountedSensor, rooms: tuple[Room, ...], room: Room | None, coarseness: int, figure: Figure
) -> CoverageMap:
    grid = level_grid(rooms, mounted.sensor.level, CELLS[coarseness])
    notice = np.full(grid.rows * grid.columns, math.inf)
    if room is None:
        cells, points = built_cells(rooms, mounted.sensor.level)
        notice[cells] = notice_times(mounted, points, figure)
    else:
        blocks = _blocks(rooms, room, CELLS[coarseness])
        notice[blocks.cells] = notice_times(mounted, blocks.points, figure)[blocks.block]
    return CoverageMap(mounted.sensor.id, figure, grid, notice.reshape(grid.rows, grid.columns))


def notice_times(mounted: MountedSensor, points: Array, figure: Figure) -> Array:
    """Mean seconds until the figure is noticed at each point, (n,)."""
    if figure in ("seated", "lying"):
        body = SEATED if figure == "seated" else ABED
        rate = staying(mounted, points, Stayer(body)).rate(MINOR_MOTION[FIGURE_ACTIVITY[figure]].rate)
    elif figure == "pet":
        rate = walking(mounted, points, Walker(PET, PET_SPEED, 90.0))
    else:
        psi = 90.0 if figure == "across" else 0.0
        rate = walking(mounted, points, Walker(STANDING, WALKING_SPEED, psi))
    return mean_wait(rate, latency_s(mounted.device))


def spot_body(spot: Spot) -> Body:
    """The body of somebody at a spot."""
    return body_of(spot.posture, spot.activity)


def spot_notice_s(project: Project, sensor_id: str, spot: Spot) -> float:
    """Mean seconds until somebody at a spot, doing what is done there, is noticed; inf for never.

    Somebody on another level than the sensor is never noticed.
    """
    sensor = find(project.sensors, sensor_id)
    if find(project.rooms, spot.room).level != sensor.level:
        return math.inf
    mounted = mount(project, at_hour(sensor))
    at = np.array([spot.at], float)
    rate = staying(mounted, at, Stayer(spot_body(spot), spot.facing)).rate(MINOR_MOTION[spot.activity].rate)
    return float(mean_wait(rate, latency_s(mounted.device))[0])
