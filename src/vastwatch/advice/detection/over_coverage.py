"""What a sensor sees that it should not: the rooms next door, how much of each, and how often that lights its own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.placed import at_hour
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.relations import readers_of
from vastwatch.geometry.grids import Grid
from vastwatch.memo import memoised
from vastwatch.people.truth import Truth, simulate_days
from vastwatch.rehearsal.reaction_inputs import occupied
from vastwatch.rehearsal.reports import notices_on
from vastwatch.rehearsal.run import make_recording
from vastwatch.sensing.coverage import coverage, room_cells
from vastwatch.sensing.model import min_blind_s
from vastwatch.sensing.mounted import mount
from vastwatch.signals import Signal
from vastwatch.site.record import Point

# A walker noticed within so long is seen, seconds; so little of a room is none of it, m2.
SEEN_S, LEAST_M2 = 5.0, 0.5
# The week whose people set it off.
DAYS, SEED = 7, 1


@dataclass(frozen=True)
class OverCoverage:
    """A room that a sensor sees and does not serve: square metres of it in which a walker is noticed within SEEN_S, a
    point in the middle of them, and how often a day somebody there sets the sensor off while nobody is in a room that
    it serves."""

    sensor: str
    room: str
    area_m2: float
    at: Point
    false_ons_per_day: float


def over_coverages(project: Project, sensor_id: str, simulated: bool = True) -> list[OverCoverage]:
    """Return the rooms of the level that the sensor covers and does not serve, largest area first. With `simulated`,
    counts false-ons over a simulated week; else 0."""
    sensor = find(project.sensors, sensor_id)
    home = room_of(project, sensor)
    if home is None:
        return []
    served = {p.room for p in readers_of(project, sensor_id) if p.room is not None}
    cover = coverage(project, sensor_id, "across")
    areas: list[tuple[float, str, Point]] = []
    for room in project.rooms:
        if room.level == sensor.level and room.id != home.id and room.id not in served:
            cells = room_cells(project.rooms, room)
            seen = cells[cover.in_room(room) <= SEEN_S]
            area = len(seen) * cover.grid.cell**2
            if area > LEAST_M2:
                areas.append((area, room.id, _middle(cover.part.whole, seen)))
    often: dict[str, float] = {}
    if areas and simulated:
        truth = simulate_days(project, DAYS, SEED)
        often = _false_ons(project, sensor_id, truth, tuple(sorted(served or {home.id})))
    return [
        OverCoverage(sensor_id, room, area, at, often.get(room, 0.0)) for area, room, at in sorted(areas, reverse=True)
    ]


def _middle(grid: Grid, cells: NDArray[np.intp]) -> Point:
    """The centre of the cell, among some, that is nearest to the mean of them all."""
    row, column = np.divmod(cells, grid.columns)
    at = np.column_stack([grid.x[column], grid.y[row]])
    x, y = at[np.argmin(((at - at.mean(axis=0)) ** 2).sum(axis=1))]
    return float(x), float(y)


def _false_ons(project: Project, sensor_id: str, truth: Truth, served: tuple[str, ...]) -> dict[str, float]:
    """By room, how often a day somebody in it set a sensor off while nobody was in the rooms that it serves."""
    said = make_recording(project, truth).report(sensor_id)
    days = [notices_on(project, sensor_id, truth, day) for day in range(truth.calendar.days)]
    start = np.concatenate([n.start for n in days])
    source = np.concatenate([n.source for n in days])
    blind = min_blind_s(mount(project, at_hour(find(project.sensors, sensor_id))))
    rises = said.rises
    before = np.append(-np.inf, said.falls)[said.falls.searchsorted(rises, side="right")] + blind
    first = start.searchsorted(np.maximum(before, -1.0))
    first = first[first < len(start)] if len(start) == 0 else first[np.append(start, np.inf)[first] <= rises]
    alone = ~_anybody(truth, served).at(start[first])
    out: dict[str, float] = {}
    for track in truth.tracks:
        mine = start[first[alone & (source[first] == track.person.id)]]
        for room in truth.rooms if len(mine) else ():
            there = int(truth.person_in(track.person.id, room).at(mine).sum())
            if there and room not in served:
                out[room] = out.get(room, 0.0) + there / truth.calendar.days
    return out


@memoised
def _anybody(truth: Truth, rooms: tuple[str, ...]) -> Signal:
    signal = Signal.constant(False, 0.0, truth.end)
    for room in rooms:
        signal = signal | occupied(truth, room, False)
    return signal
