"""The ways into a room that its people really walk, and how soon somebody on them is noticed.

Anybody who stands in the door and sees nothing happen complains first: so walkers are looked at where they come in and
where they go from there, heading as they do, and not anywhere in the room at any angle.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project, find
from vastwatch.design.relations import level_number
from vastwatch.memo import memoised
from vastwatch.people.routes import STEP, Route
from vastwatch.people.truth import Truth, simulate_days
from vastwatch.sensing.bodies import STANDING, WALKING_SPEED, Walker
from vastwatch.sensing.model import MountedSensor, latency_s, walker_rate

Array = NDArray[np.float64]

# The week whose ways are looked at, and how far each way is followed from the door, seconds.
DAYS, SEED, FOLLOWED_S = 7, 1, 12.0


@dataclass(frozen=True, eq=False)
class EntryPaths:
    """Ways into a room, one after the other: (n, 2) points of their samples in it, headings, of which way each sample
    is, and seconds since the door; `weight`: how often each way is walked, as a share of all."""

    points: Array
    heading: Array
    pace: Array
    way: NDArray[np.int64]
    since_s: Array
    weight: Array

    @property
    def count(self) -> int:
        """How many ways there are."""
        return len(self.weight)


def reference_week(project: Project) -> Truth:
    """The week that is looked at where no other is asked for."""
    return simulate_days(project, DAYS, SEED)


def entry_paths(project: Project, room: str) -> EntryPaths:
    """The ways into a room in a usual week of its people; none where nobody ever comes in."""
    truth = reference_week(project)
    return _ways(truth, room, level_number(project, find(project.rooms, room).level))


@memoised
def _ways(truth: Truth, room: str, level: int) -> EntryPaths:
    mine = truth.rooms.index(room)
    used = _used(truth).get(mine, [])
    points: list[Array] = [np.empty((0, 2))]
    heading: list[Array] = [np.empty(0)]
    pace: list[Array] = [np.empty(0)]
    since: list[Array] = [np.empty(0)]
    way: list[NDArray[np.int64]] = [np.zeros(0, np.int64)]
    weight: list[float] = []
    for route, often in used:
        here = np.append(False, (route.room == mine) & (route.level == level))
        comes = np.flatnonzero(here[1:] & ~here[:-1])
        for first in comes.tolist():
            if first == 0:
                # They set out from here.
                continue
            gone = np.flatnonzero(~here[1:][first:])
            last = min(first + int(gone[0]) if len(gone) else len(route.points), first + int(FOLLOWED_S / _step_s()))
            points.append(route.points[first:last])
            heading.append(np.asarray(route.heading[first:last], float))
            pace.append(route.pace[first:last])
            way.append(np.full(last - first, len(weight)))
            since.append(np.arange(last - first, dtype=float) * _step_s())
            weight.append(float(often))
    total = max(sum(weight), 1.0)
    return EntryPaths(
        np.concatenate(points), np.concatenate(heading), np.concatenate(pace), np.concatenate(way),
        np.concatenate(since), np.array(weight) / total,
    )  # fmt: skip


@memoised
def _used(truth: Truth) -> dict[int, list[tuple[Route, int]]]:
    """By room (its place), the routes through it that people walk, in order, and how often each."""
    used = np.zeros(len(truth.routes), int)
    for track in truth.tracks:
        if track.person.kind != "pet":
            np.add.at(used, track.route, 1)
    out: dict[int, list[tuple[Route, int]]] = {}
    for k in np.flatnonzero(used).tolist():
        for room in set(truth.routes[k].changes[1].tolist()):
            out.setdefault(room, []).append((truth.routes[k], int(used[k])))
    return out


def _step_s() -> float:
    return STEP / WALKING_SPEED


@memoised
def path_rates(mounted: MountedSensor, ways: EntryPaths) -> Array:
    """How readily a sensor notices somebody at each sample of the ways, per second."""
    return walker_rate(mounted, ways.points, Walker(STANDING, WALKING_SPEED, None, ways.heading, pace=ways.pace))


def share_within(ways: EntryPaths, each: list[tuple[MountedSensor, Array]], seconds: float) -> float:
    """The share of those who come in that any sensor reports within so long, with the sensors' `path_rates`."""
    missed = np.ones(ways.count)
    for mounted, rates in each:
        soon = ways.since_s <= seconds - latency_s(mounted.device)
        expected = np.bincount(ways.way[soon], rates[soon] * _step_s(), minlength=ways.count)
        missed *= np.exp(-expected)
    return float(((1.0 - missed) * ways.weight).sum())
