"""Somebody at rest, as a sensor sees them: stretches without a gap longer than the device's own hold.

Detections come as a Poisson process. Where they are sparse each is drawn. Where they are dense (DENSE per hold) the
gaps are drawn instead: the time from a detection to the start of a gap longer than the hold is then exponential with
mean (e^(rate hold) - 1) / rate - hold, and such a gap lasts hold plus an exponential rest. Where the echo fades
(`sensing.fading`) each stretch of it is a process of its own.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.draws import Keys, arrivals_of_many, exponential, normal, sub_keys
from vastwatch.sensing.fading import FADE_DB, FADE_S, Fading

Array = NDArray[np.float64]
Ints = NDArray[np.int64]

# With more than this many expected detections per hold, gaps are drawn directly instead of detections: the chance
# of a gap is then so small that a night would need tens of thousands of draws to show one.
DENSE = 6.0
# Of whom so many are expected in each hold, however the echo fades, nothing is lost; so many spreads are looked at.
SURE, SPREADS = 40.0, 4.0


class Seen(NamedTuple):
    """Stretches [start, end) in which somebody is seen, in no order, and of which stay each is; all (m,)."""

    start: Array
    end: Array
    of: Ints


def seen_at_rest(keys: Keys, rate: Array, a: Array, b: Array, hold: float) -> Seen:
    """Stretches of some stays [a, b) with detections at a rate per second, by keys of their own; all (n,)."""
    dense = rate * hold > DENSE
    sparse = np.flatnonzero(~dense)
    each, which = arrivals_of_many(keys[sparse], rate[sparse], a[sparse], b[sparse])
    out = [Seen(each, each, sparse[which])]
    left = np.flatnonzero(dense)
    t = a[left] + exponential(keys[left], 0) / rate[left]
    n = 0
    while len(left := left[some := t < b[left]]):
        t = t[some]
        # The last detection before the next gap that is too long.
        until = np.minimum(t + exponential(keys[left], n + 1) * _mean_run(rate[left], hold), b[left])
        out.append(Seen(t, until, left))
        n += 2
        t = until + hold + exponential(keys[left], n) / rate[left]
    return Seen(*(np.concatenate(column) for column in zip(*out)))


def seen_fading(keys: Keys, fading: Fading, near: Array, a: Array, b: Array, hold: float) -> Seen:
    """The same of somebody whose echo fades, at distances that are a share of the range on them."""
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
    seen = seen_at_rest(own, rate[some], begin[some], end[some], hold)
    return seen._replace(of=stay[some[seen.of]])


def _mean_run(rate: Any, hold: float) -> Any:
    """The mean time from a detection to a gap longer than the hold, seconds."""
    return np.expm1(np.minimum(rate * hold, 600.0)) / rate - hold
