"""M7: how probable it is that somebody is in a room, by what each of its sensors says and does not say.

A hidden Markov chain in continuous time, filtered exactly. Its states: nobody; somebody walking; somebody at each spot
where people stay. People come at the rate of their habits and walk first; a walk, of WALK_S on average, ends at a spot
or leads out; a stay ends after its mean time in a walk. In each state a sensor that is silent begins to report at one
rate (that of its notices there; while empty, of its false reports), and one that reports falls silent at another: with
notices at rate r and a hold h of its own, silences of h end reports at r / (exp(r h) - 1).

Between two switchings the vector v of unnormalised probabilities follows dv/dt = v (Q - D), Q the chain's rates and D
the rates, by state, at which any sensor would have switched; at a switching each is multiplied by the rate of that very
one. With one spot, no walking and one sensor this is the logit's steps ln(l1 / l0) and slopes -(l1 - l0) of the simple
formula. So the hold is computed, and longest where one was last noticed on the way to a place that is hardly seen.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.expressions import Belief, Report
from vastwatch.design.needs import light_spots
from vastwatch.design.placed import at_hour, own_hold_s
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.people.habits import habits
from vastwatch.sensing.coverage import coverage, spot_notice_s
from vastwatch.sensing.hazards import false_rate
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Room

Array = NDArray[np.float64]

# A walk within a room takes so long, seconds: five metres at a usual pace.
WALK_S = 5.0
# What no hazard explains a sensor reports once in so long all the same, seconds; nothing is noticed more often than
# this per second, nor less often than this.
FALSE_S = 30 * 86_400.0
MOST_PER_S, LEAST_PER_S = 5.0, 1e-7
# A report lasts so long at least, seconds: that of a device without a hold of its own.
SHORTEST_S = 1.0


@dataclass(frozen=True, eq=False)
class MarkovChain:
    """The rates per second: `generator` (n, n) between the states, rows that sum to zero, the first state nobody; and
    of each sensor, by state, that it begins to report and that it falls silent, (sensors, n)."""

    generator: Array
    begins: Array
    ends: Array

    @property
    def stationary(self) -> Array:
        """How probable each state is before anything is heard: what the chain comes to in the long run."""
        n = len(self.generator)
        rows = np.vstack([self.generator.T, np.ones(n)])
        p, *_ = np.linalg.lstsq(rows, np.append(np.zeros(n), 1.0), rcond=None)
        p = np.maximum(p, 1e-12)
        return np.asarray(p / p.sum())


def markov_chain(project: Project, reports: Sequence[Report]) -> MarkovChain:
    """The chain of the room in which the first of some sensors is mounted, as those sensors tell of it."""
    first = find(project.sensors, reports[0].sensor)
    room = room_of(project, first)
    assert room is not None
    h = habits(project, room.id)
    spots = [s for s in light_spots(project, room.id) if s.id in h.share] or light_spots(project, room.id)
    n = 2 + len(spots)
    moves = np.zeros((n, n))
    moves[0, 1] = h.arrival_rate
    share = np.array([h.share.get(s.id, 0.0) for s in spots])
    share = share / share.sum() if share.sum() > 0 else np.full(len(spots), 1.0 / max(len(spots), 1))
    out = h.leave_share if len(spots) else 1.0
    moves[1, 0] = out / WALK_S
    for k, spot in enumerate(spots):
        moves[1, 2 + k] = (1.0 - out) * share[k] / WALK_S
        moves[2 + k, 1] = 1.0 / max(h.stay_s.get(spot.id, 300.0), WALK_S)
    np.fill_diagonal(moves, -moves.sum(axis=1))
    begins, ends = np.empty((len(reports), n)), np.empty((len(reports), n))
    for i, report in enumerate(reports):
        sensor = find(project.sensors, report.sensor)
        mounted = mount(project, at_hour(sensor))
        zone = None if report.zone is None else find(project.zones, report.zone)
        fooled = 0.0 if zone is not None else sum(false_rate(mounted, hazard) for hazard in project.hazards)
        rates = [fooled + 1.0 / FALSE_S, _walking(project, sensor.id, room)]
        for spot in spots:
            told = zone is None or polygons.contains_point(zone.outline, *spot.at)
            wait = spot_notice_s(project, sensor.id, spot) if told else math.inf
            rates.append(1.0 / wait if math.isfinite(wait) and wait > 0 else 0.0)
        rate = np.clip(np.array(rates), LEAST_PER_S, MOST_PER_S)
        hold = max(own_hold_s(mounted.device, sensor.settings), SHORTEST_S)
        begins[i] = rate
        ends[i] = np.maximum(rate / np.expm1(np.minimum(rate * hold, 50.0)), LEAST_PER_S)
    return MarkovChain(moves, begins, ends)


def _walking(project: Project, sensor: str, room: Room) -> float:
    """Notices per second of somebody who walks about in a room."""
    cover = coverage(project, sensor, "across")
    times = cover.in_room(room)
    times = times[~np.isnan(times)]
    if len(times) == 0:
        return 0.0
    with np.errstate(divide="ignore"):
        return float(np.mean(np.where(np.isfinite(times), 1.0 / np.maximum(times, 1.0 / MOST_PER_S), 0.0)))


def markov_chains(project: Project, beliefs: Sequence[Belief]) -> tuple[MarkovChain, ...]:
    """The chain of each occupancy probability; the same one again while nothing that it reads is another."""
    return tuple(_chain(project, b.of) for b in beliefs)


def _chain(project: Project, of: tuple[Report, ...]) -> MarkovChain:
    made = markov_chain(project, of)
    return _same(made.generator.tobytes(), made.begins.tobytes(), made.ends.tobytes(), len(made.generator), len(of))


@memoised
def _same(moves: bytes, begins: bytes, ends: bytes, states: int, sensors: int) -> MarkovChain:
    """A chain by its figures, so that equal ones are one."""
    made = [np.frombuffer(b).reshape(-1, states) for b in (moves, begins, ends)]
    return MarkovChain(made[0], made[1].reshape(sensors, states), made[2].reshape(sensors, states))
