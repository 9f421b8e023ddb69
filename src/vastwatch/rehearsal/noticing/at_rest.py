"""Somebody at rest, as a sensor sees them: stretches without a gap longer than the device's hold time.

Detections come as a Poisson process. Where they are sparse each is drawn. Where they are dense (DENSE per hold) the
gaps are drawn instead: the time from a detection to the start of a gap longer than the hold is then exponential with
mean (e^(rate hold) - 1) / rate - hold, and such a gap lasts hold plus an exponential rest. Where the echo fades
(`sensing.fading`) each stretch of it is a process of its own.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.rng import Keys, exponential, normal, poisson_times_batch, sub_keys
from vastwatch.sensing.fading import FADE_DB, FADE_S, Fading

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# With more than this many expected detections per hold, gaps are drawn directly instead of detections: the chance
# of a gap is then so small that a night would need tens of thousands of draws to show one.
DENSE = 6.0
# Of whom so many are expected in each hold, however the echo fades, nothing is lost; so many spreads are looked at.
SURE, SPREADS = 40.0, 4.0
# Each time somebody on a switch shifts, on average so long apart, seconds, the load on it is another, by this much (the
# spread of its logarithm): at a margin of 1.3 it is then closed 99 % of the time, which is where one calls it sure.
SHIFTS, SHIFT_S, DOUBT_SPREADS = 0.113, 600.0, 3.0
# Breathing moves the load by so much, as often, seconds.
BREATH, BREATH_S = 0.02, 4.0


class SeenIntervals(NamedTuple):
    """Intervals [start, end) in which a sensor sees somebody at rest, unsorted, and the index `of` the stay of each;
    all (m,)."""

    start: Array
    end: Array
    stay: Ints


def seen_at_rest(keys: Keys, rate: Array, a: Array, b: Array, hold: float) -> SeenIntervals:
    """Stretches of some stays [a, b) with detections at a rate per second, by keys of their own; all (n,)."""
    dense = rate * hold > DENSE
    sparse = np.flatnonzero(~dense)
    each, which = poisson_times_batch(keys[sparse], rate[sparse], a[sparse], b[sparse])
    out = [SeenIntervals(each, each, sparse[which])]
    left = np.flatnonzero(dense)
    t = a[left] + exponential(keys[left], 0) / rate[left]
    n = 0
    while len(left := left[some := t < b[left]]):
        t = t[some]
        # The last detection before the next gap that is too long.
        until = np.minimum(t + exponential(keys[left], n + 1) * _mean_run(rate[left], hold), b[left])
        out.append(SeenIntervals(t, until, left))
        n += 2
        t = until + hold + exponential(keys[left], n) / rate[left]
    return SeenIntervals(*(np.concatenate(column) for column in zip(*out)))


AtRest = Callable[[Keys, Array, Array, Array, float], SeenIntervals]


def seen_fading(
    keys: Keys, fading: Fading, near: Array, a: Array, b: Array, hold: float, at_rest: AtRest = seen_at_rest
) -> SeenIntervals:
    """The same of somebody whose echo fades, at distances that are a share of the range on them; `at_rest` draws what
    is seen while it is as it is."""
    weakest = fading.rate(near, -SPREADS * FADE_DB)
    steady = weakest * hold > SURE
    count = np.where(steady, 1, np.ceil((b - a) / FADE_S)).astype(int)
    stay = np.repeat(np.arange(len(a)), count)
    k = np.arange(len(stay)) - np.repeat(np.cumsum(count) - count, count)
    begin = a[stay] + k * FADE_S
    end = np.where(steady[stay], b[stay], np.minimum(begin + FADE_S, b[stay]))
    fade = FADE_DB * normal(sub_keys(keys, -1)[stay], k)
    rate = np.where(steady[stay], weakest[stay], fading.rate(near[stay], fade))
    some = np.flatnonzero(rate > 0)
    own = sub_keys(keys[stay[some]], k[some])
    seen = at_rest(own, rate[some], begin[some], end[some], hold)
    return seen._replace(stay=stay[some[seen.stay]])


def is_doubtful(margin: Array) -> NDArray[np.bool_]:
    """Whether a pressure, over the one a switch closes at, may be on either side of it as somebody shifts."""
    far = DOUBT_SPREADS * SHIFTS
    return (margin > np.exp(-far)) & (margin < np.exp(far))


def closed_intervals(keys: Keys, margin: Array, a: Array, b: Array, hold: float) -> SeenIntervals:
    """Stretches of some stays [a, b) in which a switch under somebody is closed, gaps of up to the hold bridged.

    As they shift, which they do SHIFT_S apart on average, the pressure on it is e^(SHIFTS z) of the usual, z normal.
    Where that is within BREATH of closing, breathing opens and closes it: closed for the first half of each breath.
    """
    shift, of = poisson_times_batch(sub_keys(keys, -2), np.full(len(a), 1.0 / SHIFT_S), a, b)
    stay = np.concatenate([np.arange(len(a)), of])
    begin = np.concatenate([a, shift])
    order = np.lexsort((begin, stay))
    stay, begin = stay[order], begin[order]
    last = np.append(stay[1:] != stay[:-1], True) if len(stay) else np.zeros(0, bool)
    end = np.where(last, b[stay], np.append(begin[1:], 0.0))
    k = np.arange(len(stay)) - np.searchsorted(stay, stay)
    over = np.log(np.maximum(margin[stay], 1e-9)) + SHIFTS * normal(sub_keys(keys, -3)[stay], k)
    flutters = (np.abs(over) < BREATH) & (hold < BREATH_S / 2)
    closed = (over >= 0) & ~flutters | (np.abs(over) < BREATH) & ~flutters
    rows = [np.column_stack([begin, end])[closed]]
    whose = [stay[closed]]
    for s, t, who in zip(begin[flutters].tolist(), end[flutters].tolist(), stay[flutters].tolist()):
        opens = np.arange(s, t, BREATH_S)
        rows.append(np.column_stack([opens, np.minimum(opens + BREATH_S / 2, t)]))
        whose.append(np.full(len(opens), who))
    found = np.concatenate(rows)
    return SeenIntervals(found[:, 0], found[:, 1], np.concatenate(whose))


def _mean_run(rate: Any, hold: float) -> Any:
    """The mean time from a detection to a gap longer than the hold, seconds."""
    return np.expm1(np.minimum(rate * hold, 600.0)) / rate - hold
