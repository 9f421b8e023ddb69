"""Filtering what sensors report by a chain of `belief`, an hour of events at a time.

What an hour comes to follows from how it begins and what is heard in it. It is remembered by that: people who wave
change a few hours, and soon after the occupancy probability is what it would have been (how it begins is rounded to
twelve digits, so that it is that to the bit).
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.belief.rates import MarkovChain
from vastwatch.memo import memoised
from vastwatch.signals import Signal, TimeSeries
from vastwatch.yielding import yield_to_interface

Array = NDArray[np.float64]

# An occupancy probability is looked at so long after a switching, ever more rarely, seconds, and at the next one; more
# often where it is told.
LOOKS, TOLD = ([0.5 * by**k for k in range(n)] for by, n in ((2.0, 25), (1.2, 95)))
# In place of a sensor's number: a replicate begins, or ends.
BEGINS, ENDS = -2, -3
# Events are taken an hour at a time, seconds; so many hours are remembered; how they begin is told to so many bits.
HOUR_S = 3600.0
MOST_HOURS = 60_000
BITS = 40


class _Decay(NamedTuple):
    """exp(A t), but for a factor, = left * exp(rates t) * right; the largest rate is 0."""

    left: NDArray[np.complex128]
    rates: NDArray[np.complex128]
    right: NDArray[np.complex128]


class _Hour(NamedTuple):
    """What an hour comes to: the probabilities at its end, whether somebody is estimated to be there then, and at which
    of its seconds that changed."""

    v: Array
    on: bool
    switches: tuple[float, ...]


class BeliefFilter:
    """Occupancy probabilities by one chain and two thresholds: on above one probability until below another."""

    def __init__(self, chain: MarkovChain, on_above: float, off_below: float) -> None:
        self.chain, self._on_above = chain, on_above
        # An occupancy probability that ended before it began would flicker without end.
        self._off_below = min(off_below, 0.999 * on_above)
        self._decays: dict[tuple[bool, ...], _Decay] = {}
        self._hours: dict[tuple[object, ...], _Hour] = {}

    def presence(self, reports: Sequence[Signal], alive: Signal | None = None) -> Signal:
        """While somebody is estimated to be there. It begins anew whenever `alive` does, and nothing is estimated while
        that is off."""
        start, end = reports[0].start, reports[0].end
        at, which = _events(reports, alive)
        edges = np.append(np.arange(start, end, HOUR_S), end)
        bounds = at.searchsorted(edges, side="left")
        bounds[-1] = len(at)
        now = tuple(r.first for r in reports)
        v, on = self.chain.stationary, False
        switches: list[float] = []
        begins = edges.tolist()
        for k in range(len(edges) - 1):
            first, last = int(bounds[k]), int(bounds[k + 1])
            begin, lasts = begins[k], begins[k + 1] - begins[k]
            times, who = at[first:last] - begin, which[first:last]
            key = (v.tobytes(), on, now, lasts, times.tobytes(), who.tobytes())
            hour = self._hours.get(key)
            if hour is None:
                hour = self._hour(v, on, list(now), times.tolist(), who.tolist(), lasts)
                if len(self._hours) >= MOST_HOURS:
                    self._hours.clear()
                self._hours[key] = hour
            v, on = hour.v, hour.on
            switches += [begin + x for x in hour.switches]
            if last > first:
                odd = np.bincount(who[who >= 0], minlength=len(now)) % 2
                now = tuple(bool(a) ^ bool(b) for a, b in zip(now, odd.tolist()))
        rows = np.array([*switches, end][: len(switches) + len(switches) % 2]).reshape(-1, 2)
        return Signal.from_intervals(rows, start, end)

    def _hour(self, v: Array, on: bool, now: list[bool], at: list[float], which: list[int], lasts: float) -> _Hour:
        yield_to_interface()
        switches: list[float] = []
        t = 0.0
        for until, i in zip([*at, lasts], [*which, None]):
            if until > t:
                c, steps, grown = self._through(v, now, until - t, LOOKS)
                there = 1.0 - grown[:, 0] / grown.sum(axis=1)
                # It may pass one threshold and then the other, before anything else is heard.
                k = 0
                while (passed := self._passes(there, k, on)) is not None:
                    k = passed
                    lo = float(steps[k - 1]) if k else 0.0
                    level = self._off_below if on else self._on_above
                    switches.append(t + self._crossing(c, now, lo, float(steps[k]), level))
                    on = not on
                v = _normal(grown[-1])
                t = until
            if i is None:
                break
            v = self._heard(v, now, i)
            p = 1.0 - float(v[0])
            if (i == ENDS and on) or (i >= 0 and ((p < self._off_below) if on else (p > self._on_above))):
                switches.append(t)
                on = not on
        mantissa, exponent = np.frexp(v)
        rounded = np.ldexp(np.round(np.ldexp(mantissa, BITS)), exponent - BITS)
        return _Hour(rounded, on, tuple(switches))

    def _heard(self, v: Array, now: list[bool], i: int) -> Array:
        """After sensor i has switched, or a replicate has begun or ended."""
        if i == BEGINS:
            return self.chain.stationary
        if i < 0:
            return v
        v = v * (self.chain.ends if now[i] else self.chain.begins)[i]
        now[i] = not now[i]
        return np.asarray(v / v.sum())

    def _through(
        self, v: Array, now: list[bool], lasts: float, looks: list[float]
    ) -> tuple[NDArray[np.complex128], Array, Array]:
        """On to the next event: in the chain's own terms, at which looks, and the probabilities at each, (looks, n)."""
        decay = self._decay(tuple(now))
        c = v @ decay.left
        steps = np.array([*looks[: bisect_left(looks, lasts)], lasts])
        return c, steps, ((np.exp(np.outer(steps, decay.rates)) * c) @ decay.right).real

    def _passes(self, there: Array, k: int, on: bool) -> int | None:
        """The first look from the k-th on by which the occupancy probability has passed the threshold that counts."""
        past = np.flatnonzero((there[k:] < self._off_below) if on else (there[k:] > self._on_above))
        return k + int(past[0]) if len(past) else None

    def _crossing(self, c: NDArray[np.complex128], now: list[bool], lo: float, hi: float, level: float) -> float:
        """When the occupancy probability passes a level between two looks, as exactly as an instant is told: what comes
        after must not move it."""
        decay = self._decay(tuple(now))

        def above(t: float) -> float:
            v = ((np.exp(decay.rates * t) * c) @ decay.right).real
            return 1.0 - float(v[0] / v.sum()) - level

        if hi <= lo or above(lo) * above(hi) > 0:
            # At the very look.
            return lo
        # Loaded where there is an occupancy probability to filter: it takes half a second.
        from scipy.optimize import brentq

        return float(brentq(above, lo, hi, xtol=1e-10, rtol=1e-14))

    def _decay(self, reporting: tuple[bool, ...]) -> _Decay:
        if reporting not in self._decays:
            chain = self.chain
            leaving = np.where(np.array(reporting)[:, None], chain.ends, chain.begins).sum(axis=0)
            rates, left = np.linalg.eig(chain.generator - np.diag(leaving))
            # Only ratios are asked of it: that an hour passes without a word may be too improbable for any number.
            rates = rates - rates.real.max()
            made = _Decay(left.astype(complex), rates.astype(complex), np.linalg.inv(left).astype(complex))
            self._decays[reporting] = made
        return self._decays[reporting]

    def probability(self, reports: Sequence[Signal]) -> TimeSeries:
        """How probable it is that somebody is there, in straight pieces."""
        start, end = reports[0].start, reports[0].end
        at, which = _events(reports, None)
        now = [r.first for r in reports]
        v, t = self.chain.stationary, start
        points = [(start, 1.0 - float(v[0]))]
        for until, i in zip([*at.tolist(), end], [*which.tolist(), None]):
            if until > t:
                _, steps, grown = self._through(v, now, until - t, TOLD)
                there = 1.0 - grown[:, 0] / grown.sum(axis=1)
                points += list(zip((t + steps).tolist(), there.tolist()))
                v, t = _normal(grown[-1]), until
            if i is not None:
                v = self._heard(v, now, i)
                points.append((t, 1.0 - float(v[0])))
        return TimeSeries.of(points)


@memoised
def filter_of(chain: MarkovChain, on_above: float, off_below: float) -> BeliefFilter:
    """The filter by a chain and two thresholds, which remembers what it filtered."""
    return BeliefFilter(chain, on_above, off_below)


def _normal(v: Array) -> Array:
    v = np.maximum(v, 0.0)
    return np.asarray(v / v.sum())


def _events(reports: Sequence[Signal], alive: Signal | None) -> tuple[Array, NDArray[np.intp]]:
    """When any of the reports switches, in order, and which; with the begins and ends of replicates."""
    at = np.concatenate([r.switches for r in reports])
    which = np.concatenate([np.full(len(r.switches), i) for i, r in enumerate(reports)]).astype(int)
    if alive is not None:
        begins = alive.rises[alive.rises > alive.start]
        at = np.concatenate([at, alive.falls, begins])
        which = np.concatenate([which, np.full(len(alive.falls), ENDS), np.full(len(begins), BEGINS)])
    order = np.argsort(at, kind="stable")
    return at[order], which[order]
