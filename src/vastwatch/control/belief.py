"""M7: how probable it is that somebody is in a room, by what each of its sensors says and does not say.

A hidden Markov chain in continuous time, filtered exactly. Its states: nobody; somebody walking; somebody at each spot
where people stay. People come at the rate of their habits and walk first; a walk, of WALK_S on average, ends at a spot
or leads out; a stay ends after its mean time in a walk. In each state a sensor that is silent begins to report at one
rate (that of its notices there; for nobody, of its false reports), and one that reports falls silent at another: with
notices at rate r and a hold h of its own, silences of h end reports at r / (exp(r h) - 1).

Between two switchings the vector v of unnormalised probabilities follows dv/dt = v (Q - D), Q the chain's rates and D
the rates, by state, at which any sensor would have switched; at a switching each is multiplied by the rate of that very
one. With one spot, no walking and one sensor this is the logit's steps ln(l1 / l0) and slopes -(l1 - l0) of the simple
formula. So the hold is computed, and longest where one was last noticed on the way to a place that is hardly seen.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.expressions import Belief, Report
from vastwatch.design.needs import wakeful_spots
from vastwatch.design.placed import at_hour, own_hold_s
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.geometry import polygons
from vastwatch.memo import kept
from vastwatch.people.habits import habits
from vastwatch.sensing.coverage import coverage, room_mask, spot_notice_s
from vastwatch.sensing.hazards import false_rate
from vastwatch.sensing.mounted import mount
from vastwatch.signals import Levels, Signal
from vastwatch.site.building import Room

Array = NDArray[np.float64]

# A walk within a room takes so long, seconds: five metres at a usual pace.
WALK_S = 5.0
# What no hazard explains a sensor reports once in so long all the same, seconds; nothing is noticed more often than
# this per second, nor less often than this.
FALSE_S = 30 * 86_400.0
MOST_PER_S, LEAST_PER_S = 5.0, 1e-7
# In place of a sensor's number: a life begins, or ends.
BEGINS, ENDS = -2, -3
# A report lasts so long at least, seconds: that of a device without a hold of its own.
SHORTEST_S = 1.0
# A belief is looked at so long after a switching, ever more rarely, seconds, and at the next one; more often where it
# is told.
LOOKS, TOLD = ([0.5 * by**k for k in range(n)] for by, n in ((2.0, 25), (1.2, 95)))


@dataclass(frozen=True, eq=False)
class Chain:
    """The rates per second: `moves` (n, n) between the states, rows that sum to nought, the first state nobody; and of
    each sensor, by state, that it begins to report and that it falls silent, (sensors, n)."""

    moves: Array
    begins: Array
    ends: Array

    @property
    def at_first(self) -> Array:
        """How probable each state is before anything is heard: what the chain comes to in the long run."""
        n = len(self.moves)
        rows = np.vstack([self.moves.T, np.ones(n)])
        p, *_ = np.linalg.lstsq(rows, np.append(np.zeros(n), 1.0), rcond=None)
        p = np.maximum(p, 1e-12)
        return np.asarray(p / p.sum())


def chain_of(project: Project, reports: Sequence[Report]) -> Chain:
    """The chain of the room in which the first of some sensors hangs, as those sensors tell of it."""
    first = find(project.sensors, reports[0].sensor)
    room = room_of(project, first)
    assert room is not None
    h = habits(project, room.id)
    spots = [s for s in wakeful_spots(project, room.id) if s.id in h.share] or wakeful_spots(project, room.id)
    n = 2 + len(spots)
    moves = np.zeros((n, n))
    moves[0, 1] = h.come_per_s
    share = np.array([h.share.get(s.id, 0.0) for s in spots])
    share = share / share.sum() if share.sum() > 0 else np.full(len(spots), 1.0 / max(len(spots), 1))
    out = h.walks_out if len(spots) else 1.0
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
    return Chain(moves, begins, ends)


def _walking(project: Project, sensor: str, room: Room) -> float:
    """Notices per second of somebody who walks about in a room."""
    cover = coverage(project, sensor, "across")
    times = cover.notice_s[room_mask(project.rooms, room) & ~np.isnan(cover.notice_s)]
    if len(times) == 0:
        return 0.0
    with np.errstate(divide="ignore"):
        return float(np.mean(np.where(np.isfinite(times), 1.0 / np.maximum(times, 1.0 / MOST_PER_S), 0.0)))


class Believed(NamedTuple):
    """While somebody is believed to be there, and how probable that was."""

    on: Signal
    belief: Levels


class _Decay(NamedTuple):
    """exp(A t) = left * exp(rates t) * right."""

    left: NDArray[np.complex128]
    rates: NDArray[np.complex128]
    right: NDArray[np.complex128]


def believe(
    chain: Chain, reports: Sequence[Signal], on_above: float, off_below: float, told: bool = False,
    alive: Signal | None = None,
) -> Believed:  # fmt: skip
    """Filter what some sensors report. The belief itself is `told` only where somebody looks at it. It begins anew
    whenever `alive` does, and nothing is believed while that is off."""
    start, end = reports[0].start, reports[0].end
    sensors = range(len(reports))
    switches = np.concatenate([r.switches for r in reports])
    which = np.concatenate([np.full(len(r.switches), i) for i, r in zip(sensors, reports)]).astype(int)
    if alive is not None:
        begins = alive.rises[alive.rises > start]
        switches = np.concatenate([switches, alive.falls, begins])
        which = np.concatenate([which, np.full(len(alive.falls), ENDS), np.full(len(begins), BEGINS)])
    order = np.argsort(switches, kind="stable")
    now = [r.first for r in reports]
    decays: dict[tuple[bool, ...], _Decay] = {}
    v = chain.at_first
    on, since = False, start
    rows: list[tuple[float, float]] = []
    points: list[tuple[float, float]] = [(start, 1.0 - float(v[0]))]
    looks = TOLD if told else LOOKS
    t = start
    for at, i in zip([*switches[order].tolist(), end], [*which[order].tolist(), -1]):
        if at > t:
            key = tuple(now)
            decay = decays.get(key)
            if decay is None:
                decay = decays[key] = _decay(chain, key)
            c = v @ decay.left
            steps = np.array([*looks[: bisect_left(looks, at - t)], at - t])
            grown = ((np.exp(np.outer(steps, decay.rates)) * c) @ decay.right).real
            there = 1.0 - grown[:, 0] / grown.sum(axis=1)
            if told:
                points += list(zip((t + steps).tolist(), there.tolist()))
            # It may pass one threshold and then the other, before anything else is heard.
            k = 0
            while (passed := _passes(there, k, on, on_above, off_below)) is not None:
                k = passed
                lo = float(steps[k - 1]) if k else 0.0
                crossed = t + _crossing(c, decay, lo, float(steps[k]), off_below if on else on_above)
                if on:
                    rows.append((since, crossed))
                on, since = not on, crossed
            v = np.maximum(grown[-1], 0.0)
            v /= v.sum()
            t = at
        if i == BEGINS:
            v = chain.at_first
        elif i == ENDS and on:
            rows.append((since, t))
            on = False
        if i >= 0:
            v = v * (chain.ends if now[i] else chain.begins)[i]
            v /= v.sum()
            now[i] = not now[i]
            p = 1.0 - float(v[0])
            if told:
                points.append((t, p))
            if not on and p > on_above:
                on, since = True, t
            elif on and p < off_below:
                rows.append((since, t))
                on = False
    if on:
        rows.append((since, end))
    if points[-1][0] < end:
        points.append((end, points[-1][1]))
    return Believed(Signal.from_intervals(rows, start, end), Levels.of(points))


def _passes(there: Array, k: int, on: bool, on_above: float, off_below: float) -> int | None:
    """The first look from the k-th on by which the belief has passed the threshold that counts."""
    past = np.flatnonzero(there[k:] < off_below) if on else np.flatnonzero(there[k:] > on_above)
    return k + int(past[0]) if len(past) else None


def _decay(chain: Chain, reporting: tuple[bool, ...]) -> _Decay:
    leaving = np.where(np.array(reporting)[:, None], chain.ends, chain.begins).sum(axis=0)
    rates, left = np.linalg.eig(chain.moves - np.diag(leaving))
    return _Decay(left.astype(complex), rates.astype(complex), np.linalg.inv(left).astype(complex))


def _crossing(c: NDArray[np.complex128], decay: _Decay, lo: float, hi: float, level: float) -> float:
    """When the belief passes a level between two looks, by halving, as exactly as an instant is told: what comes after
    must not move it."""

    def p(t: float) -> float:
        v = ((np.exp(decay.rates * t) * c) @ decay.right).real
        return 1.0 - float(v[0] / v.sum())

    rising = p(hi) > level
    for _ in range(60):
        middle = (lo + hi) / 2
        if (p(middle) > level) == rising:
            hi = middle
        else:
            lo = middle
    return hi


def chains_in(project: Project, beliefs: Sequence[Belief]) -> tuple[Chain, ...]:
    """The chain of each belief; the same one again while nothing that it reads is another."""
    return tuple(_chain(project, b.of) for b in beliefs)


def _chain(project: Project, of: tuple[Report, ...]) -> Chain:
    made = chain_of(project, of)
    return _same(made.moves.tobytes(), made.begins.tobytes(), made.ends.tobytes(), len(made.moves), len(of))


@kept
def _same(moves: bytes, begins: bytes, ends: bytes, states: int, sensors: int) -> Chain:
    """A chain by its figures, so that equal ones are one."""
    made = [np.frombuffer(b).reshape(-1, states) for b in (moves, begins, ends)]
    return Chain(made[0], made[1].reshape(sensors, states), made[2].reshape(sensors, states))
