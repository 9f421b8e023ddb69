"""How long a light lasts over somebody who stays: until the first silence that is longer than the hold.

People do not move at random. The gaps between small movements are log-normal (M6): most are short, some very long, so
that long silences come far more often than notices at random, as far apart on average, would leave them. The notices
are those movements thinned: each is noticed with a chance p. From one on, let S(t) be the chance that none has come by
t, and F the law of the gaps; S(t) = 1 - F(t) + (1 - p) * integral of S(t - u) dF(u): the next movement was later, or
earlier and missed. Anybody who is looked at at any instant has had none for t with the chance V(t) = (integral of S
from t on) / (integral of S). Beside them somebody may be noticed at rest: at random at a rate q, V(t) = e^(-q t), or by
a radar whose echo of them fades (`sensing.fading`), at a rate r drawn anew every F: with M(x) the mean of e^(-r x) over
the draws, V(t) is the mean of M(u) M(F)^m M(rest) over where in a stretch one is. A report lasts for the device's own
hold h, so that for its silences T + h stands for T.

What is noticed in different ways has different luck: the V multiply. In the long run it is dark while the last notice
is longer ago than the hold, a share V(T) of the time, and such silences begin at the rate -V'(T) (Palm and Khinchin:
the rate of points that none follows within T). So the light lasts (1 - V(T)) / -V'(T) for each false-off: of movements
alone the integral of S up to T over S(T), at random alone w (e^(T / w) - 1).
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import ArrayLike, NDArray

from vastwatch.distributions import normal_cdf
from vastwatch.memo import memoised
from vastwatch.sensing.bodies import MINOR_MOTION
from vastwatch.sensing.fading import FADE_S, Fading, fading_rates
from vastwatch.sensing.model import NEVER_S

Array = NDArray[np.float64]

# The law is tabulated for so many steps, so many to the median gap, of which so many are reckoned at once; and for
# chances from this on, so many of them.
STEPS, TO_MEDIAN, TOGETHER = 3000, 12, 50
LEAST_CHANCE, CHANCES = 0.002, 28
# What fades is looked at so often in each stretch, and tabulated over so many of them; a distance counts to so much of
# the range.
EACH_STRETCH, STRETCHES, NEAR_STEP = 48, 10, 0.005
# Of a stretch of holds so many are looked at; of all at first, close together where they are short.
LOOKED_AT = np.linspace(0.0, 1.0, 97)[1:]
FIRST_LOOKED_AT = LOOKED_AT**3
# No hold is told apart more finely, seconds.
SHORTEST_S = 1e-3
# No hold beyond a day is looked for, seconds.
LONGEST_S = 86_400.0


class SpotDetection(NamedTuple):
    """How well one sensor detects a person who stays: `moving` probability per small movement, `at_rest` detections per
    second, `own_s` the sensor's device hold time; `fading`, `near` (distance / range) for radar."""

    moving: float
    at_rest: float
    own_s: float = 0.0
    fading: Fading | None = None
    near: float = math.inf


class GapDistribution(NamedTuple):
    """Of one way to be noticed, at instants `t`, (n,): the logarithm `log_survival` of the chance V that somebody has
    not been for so long, and how fast that falls, -V' / V, per second. Beyond the last both go on as they are there."""

    t: Array
    log_survival: Array
    failure_rate: Array

    def at(self, t: Array) -> tuple[Array, Array]:
        """log V and -V' / V at some instants."""
        fall = np.interp(t, self.t, self.failure_rate)
        return np.interp(t, self.t, self.log_survival) - np.maximum(t - self.t[-1], 0.0) * fall, fall


class GapModel(NamedTuple):
    """What somebody is noticed by: the laws of movements and of fading echoes, each with the device hold time of what
    reports; and how often at random, with its device hold time."""

    laws: tuple[tuple[GapDistribution, float], ...]
    random: tuple[tuple[float, float], ...]

    def lit_s(self, hold: ArrayLike) -> Array:
        """The mean seconds that a light with each of some holds lasts over somebody."""
        hold = np.asarray(hold, float)
        log, fall = np.zeros(hold.shape), np.zeros(hold.shape)
        for law, own in self.laws:
            more, faster = law.at(hold + own)
            log, fall = log + more, fall + faster
        for rate, own in self.random:
            log, fall = log - rate * (hold + own), fall + rate
        with np.errstate(divide="ignore"):
            return np.asarray(-np.expm1(log) * np.exp(np.minimum(-log, 600.0)) / fall)


def _area(log_a: Any, log_b: Any, width: Any) -> Any:
    """The area under what is straight in the logarithm, between two of its values."""
    a, b = np.exp(np.maximum(log_a, -600.0)), np.exp(np.maximum(log_b, -600.0))
    fall = np.asarray(log_a, float) - log_b
    level = np.abs(fall) < 1e-9
    return np.where(level, a, (a - b) / np.where(level, 1.0, fall)) * width


def hours_per_false_off(watches: tuple[SpotDetection, ...], hold: float, activity: str) -> float:
    """Hours in the light per drop, for somebody who does something, watched by some sensors, with a hold in seconds.

    Somebody who is never noticed has the light for the hold. What comes after the drop does not count: they wave, and
    that makes the hold no better.
    """
    s = gap_model(watches, activity)
    return (hold if s is None else float(s.lit_s(hold))) / 3600.0


@memoised
def hold_for(watches: tuple[SpotDetection, ...], hours: float, activity: str) -> float:
    """The shortest hold in seconds with which a false-off comes at most once in so many hours; inf where none would
    within a day."""
    s, wanted = gap_model(watches, activity), 3600.0 * hours
    if s is None:
        return math.inf
    low, high, looked_at = 0.0, LONGEST_S, FIRST_LOOKED_AT
    while high - low > max(1e-4 * high, SHORTEST_S):
        # Many at once.
        tried = low + (high - low) * looked_at
        does = np.flatnonzero(s.lit_s(tried) >= wanted)
        if len(does) == 0:
            return math.inf
        low, high = tried[does[0] - 1] if does[0] else low, tried[does[0]]
        looked_at = LOOKED_AT
    return float(high)


@memoised
def gap_model(watches: tuple[SpotDetection, ...], activity: str) -> GapModel | None:
    """The silences of somebody who does something, watched by some sensors; None where none notices them.

    What several sensors notice of movements is one law, that of those that any of them does, held for as long as they
    hold on average.
    """
    moves = MINOR_MOTION[activity]
    missed = math.prod(1.0 - min(max(w.moving, 0.0), 1.0) for w in watches)
    random = [(w.at_rest, w.own_s) for w in watches if w.at_rest > 1.0 / NEVER_S]
    laws = [
        (_fading(w.fading, round(w.near / NEAR_STEP) * NEAR_STEP), w.own_s)
        for w in watches
        if w.fading is not None and w.fading.excess(np.array([w.near]), 0.0)[0] > 1.0 / NEVER_S
    ]
    if missed < 1.0:
        noticing = sum(w.moving for w in watches)
        own = sum(w.moving * w.own_s for w in watches) / noticing
        if 1.0 - missed >= LEAST_CHANCE:
            laws.append((_moving(moves.median_s, moves.sigma, 1.0 - missed), own))
        elif (1.0 - missed) * moves.rate > 1.0 / NEVER_S:
            # So few of them come as if at random.
            random.append(((1.0 - missed) * moves.rate, own))
    return GapModel(tuple(laws), tuple(random)) if laws or random else None


@memoised
def _moving(median_s: float, sigma: float, chance: float) -> GapDistribution:
    """The law of movements, each noticed with a chance: between those of the chances that are tabulated."""
    chances, laws = _moving_laws(median_s, sigma)
    x = math.log(chance)
    k = min(max(int(np.searchsorted(chances, x)) - 1, 0), len(chances) - 2)
    share = (x - chances[k]) / (chances[k + 1] - chances[k])
    low, high = laws[k], laws[k + 1]
    return GapDistribution(
        low.t,
        (1 - share) * low.log_survival + share * high.log_survival,
        (1 - share) * low.failure_rate + share * high.failure_rate,
    )


@memoised
def _moving_laws(median_s: float, sigma: float) -> tuple[Array, tuple[GapDistribution, ...]]:
    """Logarithms of chances, and the law of movements that are noticed with each."""
    steps, chances, log_none = _table(sigma)
    t = steps * median_s
    tenth = len(t) * 9 // 10
    laws = []
    for log in log_none:
        # Beyond the table the chance goes on falling as it did over its last tenth.
        slope = (log[tenth] - log[-1]) / (t[-1] - t[tenth])
        beyond = math.exp(log[-1]) / slope
        left = np.append(_area(log[:-1], log[1:], np.diff(t))[::-1].cumsum()[::-1] + beyond, beyond)
        laws.append(GapDistribution(t, np.log(left / left[0]), np.exp(log) / left))
    return chances, tuple(laws)


@memoised
def _fading(fading: Fading, near: float) -> GapDistribution:
    """The law of an echo that fades, at a distance."""
    rate, weight = fading_rates(fading, near)
    step = FADE_S / EACH_STRETCH
    rate = np.maximum(rate, 1.0 / NEVER_S)
    # A stretch is as it is on average within each step: what is detected often falls off within the first.
    chance = np.exp(-(np.arange(EACH_STRETCH + 1)[:, None] * step) * rate)
    whole = chance[-1] @ weight
    of_step = (chance[:-1] - chance[1:]) @ weight / step
    none_middle = (chance[:-1] - chance[1:]) @ (weight / rate) / step
    # As long as no more than the first stretch has passed, it may be all there is: of all steps that one may be in
    # those with so much of the stretch before them.
    alone = (EACH_STRETCH - np.arange(EACH_STRETCH + 1)) / EACH_STRETCH
    none, next_ = _passed(none_middle, none_middle, whole), _passed(none_middle, of_step, whole)
    none[: EACH_STRETCH + 1] += alone * (chance @ weight)
    next_[: EACH_STRETCH + 1] += alone * (chance @ (weight * rate))
    none = np.maximum(none, 1e-300)
    return GapDistribution(np.asarray(np.arange(len(none)) * step, float), np.log(none), next_ / none)


def _passed(first: Array, last: Array, whole: float) -> Array:
    """What is left after so many steps that end in another stretch than they begin in, on average over where in it
    they begin: `first` of the stretch they begin in, `last` of the one they end in, each by the steps of it that have
    passed, and the factor `whole` for each between."""
    n = EACH_STRETCH
    # By how many steps of both together: fewer than a stretch, and more.
    both = np.append(np.convolve(first, last), 0.0)
    less, more = np.append(0.0, both[: n - 1]), both[n - 1 : 2 * n - 1]
    stretch, step = np.divmod(np.arange(n * STRETCHES + 1), n)
    over = np.where(stretch > 0, more[step] * whole ** np.maximum(stretch - 1.0, 0.0), 0.0)
    return np.asarray((less[step] * whole**stretch + over) / n, float)


@memoised
def _table(sigma: float) -> tuple[Array, Array, Array]:
    """Instants, in median gaps; logarithms of chances p; and for each of them log S at the instants, (chances,
    instants): whatever the median."""
    t = np.arange(STEPS, dtype=float) / TO_MEDIAN
    chances: Array = np.geomspace(LEAST_CHANCE, 1.0, CHANCES).astype(float)
    with np.errstate(divide="ignore"):
        law = normal_cdf(np.log(t) / sigma)
    law[0] = 0.0
    mass, missed = np.diff(law), 1.0 - chances
    # Over a step that a movement lies in, S is the mean of its ends: of S i steps back counts so much of the law. What
    # S(0) counts is half the last step alone.
    counts = mass / 2.0
    ends = counts.copy()
    counts[1:] += ends[:-1]
    none = np.ones((STEPS, CHANCES))
    # Of some steps S follows in one go from what came before them, by the inverse of how it follows within them.
    i = np.arange(TOGETHER)
    within = np.tril(counts[np.abs(i[:, None] - i)])
    solved = np.linalg.inv(np.eye(TOGETHER) - missed[:, None, None] * within)
    back = np.append(0.0, counts[::-1])
    for first in range(1, STEPS, TOGETHER):
        k = np.arange(first, min(first + TOGETHER, STEPS))
        # Of step k, beside S(1), S(2) and so on, what they count: counts[k - 1], counts[k - 2] and so on.
        before = ends[k - 1, None] + sliding_window_view(back, first)[STEPS - 1 - k, 1:] @ none[1:first]
        rest = 1.0 - law[k, None] + missed * before
        none[k] = np.matmul(solved[:, : len(k), : len(k)], rest.T[:, :, None])[:, :, 0].T
    log_none: Array = np.log(np.maximum(none.T, 1e-300))
    return t, np.asarray(np.log(chances), float), np.ascontiguousarray(log_none)
