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
from vastwatch.geometry.grids import Grid, Part, affordable_cell, grid_over
from vastwatch.memo import memoised
from vastwatch.sensing.bodies import (
    ABED,
    FIGURE_ACTIVITY,
    MINOR_MOTION,
    PET,
    PET_SPEED,
    SEATED,
    STANDING,
    WALKING_SPEED,
    Body,
    Stayer,
    Subject,
    Walker,
    body_of,
)  # fmt: skip
from vastwatch.sensing.model import MountedSensor, farthest_m, latency_s, mean_wait, stay_detection, walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Room, Spot

Array = NDArray[np.float64]

# Cells are so large, metres; on a level where that would be more than MOST_CELLS, twice as large, or four times.
CELL, MOST_CELLS = 0.05, 1_500_000


@dataclass(frozen=True, eq=False)
class CoverageMap:
    """Mean seconds until a figure is noticed at each cell of that `part` of a level which a sensor may reach,
    (rows, columns); inf where never, and beyond it."""

    sensor: str
    figure: Subject
    part: Part
    notice_s: Array

    @property
    def grid(self) -> Grid:
        """The cells of `notice_s`."""
        return self.part.grid

    def at(self, cells: NDArray[np.intp]) -> Array:
        """Mean seconds at some cells of the level's grid, by their flat indices, (n,)."""
        out = np.full(len(cells), math.inf)
        inside, mine = self.part.within(cells)
        out[inside] = self.notice_s.ravel()[mine]
        return out

    def in_room(self, room: Room) -> Array:
        """Mean seconds at the cells of a room of the level (`room_cells`), (n,)."""
        many, inside, mine = _room_within(self.part, room)
        out = np.full(many, math.inf)
        out[inside] = self.notice_s.ravel()[mine]
        return out

    def share_within(self, seconds: float, cells: NDArray[np.intp]) -> float:
        """Share of some cells of the level's grid noticed within that time; 0 for none."""
        return float((self.at(cells) <= seconds).mean()) if len(cells) else 0.0


@memoised
def level_grid(rooms: tuple[Room, ...], level: str, cell: float = CELL) -> Grid:
    """The grid over all rooms of a level: of cells of that size, or of coarser ones where the level is very large."""
    outlines = [np.asarray(r.outline, float) for r in on_level(rooms, level)]
    return grid_over(outlines, affordable_cell(outlines, cell, MOST_CELLS))


def room_cells(rooms: tuple[Room, ...], room: Room, cell: float = CELL) -> NDArray[np.intp]:
    """The cells of a room, as flat indices on its level's grid, in order."""
    return _room_cells(level_grid(rooms, room.level, cell), room)


@memoised
def _room_cells(grid: Grid, room: Room) -> NDArray[np.intp]:
    return grid.cells_in(room.outline)


@memoised
def _room_within(part: Part, room: Room) -> tuple[int, NDArray[np.intp], NDArray[np.intp]]:
    """How many cells a room has, which of them lie in a part of the level, and their flat indices in it."""
    cells = _room_cells(part.whole, room)
    return len(cells), *part.within(cells)


@memoised
def _frames_on(rooms: tuple[Room, ...], level: str) -> tuple[tuple[Room, ...], Array]:
    """The rooms of a level and the frame of each, (n, 4): least x and y, greatest x and y."""
    here = on_level(rooms, level)
    corners = [np.asarray(r.outline, float) for r in here]
    return here, np.array([[*c.min(axis=0), *c.max(axis=0)] for c in corners]).reshape(-1, 4)


@memoised
def _room_mask(grid: Grid, room: Room) -> tuple[Part, NDArray[np.bool_]]:
    """The part of a grid about a room, and which of its cells are the room's, (rows, columns)."""
    corners = np.asarray(room.outline, float)
    part = grid.part(*corners.min(axis=0), *corners.max(axis=0))
    mask = np.zeros(part.grid.rows * part.grid.columns, bool)
    mask[part.within(_room_cells(grid, room))[1]] = True
    return part, mask.reshape(part.grid.rows, part.grid.columns)


def _built(rooms: tuple[Room, ...], level: str, part: Part) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The cells of a part of a level's grid that lie in any room: their rows and columns in the part, in order."""
    grid = part.grid
    built = np.zeros((grid.rows, grid.columns), bool)
    here, frames = _frames_on(rooms, level)
    apart = (frames[:, :2] > (grid.x1, grid.y1)).any(axis=1) | (frames[:, 2:] < (grid.x0, grid.y0)).any(axis=1)
    for k in np.flatnonzero(~apart).tolist():
        about, mask = _room_mask(part.whole, here[k])
        row, column = about.row - part.row, about.column - part.column
        r0, r1 = max(row, 0), min(row + mask.shape[0], grid.rows)
        c0, c1 = max(column, 0), min(column + mask.shape[1], grid.columns)
        if r0 < r1 and c0 < c1:
            built[r0:r1, c0:c1] |= mask[r0 - row : r1 - row, c0 - column : c1 - column]
    row_of, column_of = np.nonzero(built)
    return row_of, column_of


class Blocks(NamedTuple):
    """The cells of a part of a level for a map that has to be ready within a frame: flat indices of all built cells
    (n,), which block each belongs to (n,), and the middles of the blocks (m, 2)."""

    cells: NDArray[np.intp]
    block: NDArray[np.intp]
    points: Array


# Cells by how coarse the map is, metres; in a coarse one, cells of other rooms than the sensor's are taken two by two.
CELLS = (CELL, CELL, 2 * CELL)
# A map that follows the hand is of a part whose edges lie on multiples of this, metres: as it moves it is mostly the
# same part, whose cells are known.
PART_M = 4.0


@memoised
def _blocks(rooms: tuple[Room, ...], room: Room, part: Part) -> Blocks:
    grid = part.grid
    own = np.zeros(grid.rows * grid.columns, bool)
    own[part.within(_room_cells(part.whole, room))[1]] = True
    rows, columns = _built(rooms, room.level, part)
    built = rows * grid.columns + columns
    cells, block, points, count = [], [], [], 0
    for mine, side in ((built[own[built]], 1), (built[~own[built]], 2)):
        # By the rows and columns of the whole grid, so that a block is the same in every part.
        row, column = np.divmod(mine, max(grid.columns, 1))
        row, column = row + part.row, column + part.column
        wide = -(-part.whole.columns // side)
        kept, which = np.unique((row // side) * wide + column // side, return_inverse=True)
        up, along = np.divmod(kept, wide)
        x = part.whole.x0 + (along * side + side / 2) * grid.cell
        y = part.whole.y0 + (up * side + side / 2) * grid.cell
        cells.append(mine)
        block.append(which + count)
        points.append(np.column_stack([x, y]))
        count += len(kept)
    return Blocks(np.concatenate(cells), np.concatenate(block), np.asfortranarray(np.concatenate(points)))


def coverage(
    project: Project, sensor_id: str, figure: Subject, coarseness: int = 0, second: float | None = None
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


@memoised
def _coverage(
    mounted: MountedSensor, rooms: tuple[Room, ...], room: Room | None, coarseness: int, figure: Subject
) -> CoverageMap:
    level = mounted.sensor.level
    part = _part(level_grid(rooms, level, CELLS[coarseness]), mounted, _body(figure))
    notice = np.full(part.grid.rows * part.grid.columns, math.inf)
    if room is None:
        rows, columns = _built(rooms, level, part)
        # Centres as the whole grid has them: a part's may differ from them by rounding.
        points = np.empty((len(rows), 2), order="F")
        points[:, 0], points[:, 1] = part.whole.x[columns + part.column], part.whole.y[rows + part.row]
        notice[rows * part.grid.columns + columns] = notice_times(mounted, points, figure)
    else:
        blocks = _blocks(rooms, room, part)
        notice[blocks.cells] = notice_times(mounted, blocks.points, figure)[blocks.block]
    return CoverageMap(mounted.sensor.id, figure, part, notice.reshape(part.grid.rows, part.grid.columns))


def _part(grid: Grid, mounted: MountedSensor, body: Body) -> Part:
    """The part of a level's grid in which a sensor may notice a body."""
    reach = farthest_m(mounted, body)
    if math.isinf(reach):
        return Part(grid, grid, 0, 0)
    x, y = mounted.sensor.at[:2]
    low = (math.floor((v - reach) / PART_M) * PART_M for v in (x, y))
    high = (math.ceil((v + reach) / PART_M) * PART_M for v in (x, y))
    return _part_of(grid, *low, *high)


@memoised
def _part_of(grid: Grid, x0: float, y0: float, x1: float, y1: float) -> Part:
    return grid.part(x0, y0, x1, y1)


def _body(figure: Subject) -> Body:
    """Whose map it is."""
    return {"seated": SEATED, "lying": ABED, "pet": PET}.get(figure, STANDING)


def notice_times(mounted: MountedSensor, points: Array, figure: Subject) -> Array:
    """Mean seconds until the figure is noticed at each point, (n,)."""
    if figure in ("seated", "lying"):
        body = SEATED if figure == "seated" else ABED
        rate = stay_detection(mounted, points, Stayer(body)).rate(MINOR_MOTION[FIGURE_ACTIVITY[figure]].rate)
    elif figure == "pet":
        rate = walker_rate(mounted, points, Walker(PET, PET_SPEED, 90.0))
    else:
        psi = 90.0 if figure == "across" else 0.0
        rate = walker_rate(mounted, points, Walker(STANDING, WALKING_SPEED, psi))
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
    rate = stay_detection(mounted, at, Stayer(spot_body(spot), spot.facing)).rate(MINOR_MOTION[spot.activity].rate)
    return float(mean_wait(rate, latency_s(mounted.device))[0])
