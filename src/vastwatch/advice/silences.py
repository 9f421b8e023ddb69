"""How long a light lasts over somebody who stays: until the first silence that is longer than the hold.

People do not move at random. The gaps between small movements are log-normal (M6): most are short, some very long, so
that long silences come far more often than notices at random, as far apart on average, would leave them. The notices
are those movements thinned: each is noticed with a chance p. Beside them somebody may be noticed at rest, at random.

From a notice on, let S(t) be the chance that none has come by t. With F the law of the gaps between movements,
S(t) = 1 - F(t) + (1 - p) * integral of S(t - u) dF(u): the next movement was later, or earlier and missed. With notices
at rest at a rate q, S(t) e^(-q t). The gaps up to the first that is longer than T are a geometric number; by Wald the
mean time until the light goes off is the integral of S up to T over S(T). At random S is e^(-t / w), and that is
w (e^(T / w) - 1).
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.laws import normal_below
from vastwatch.memo import kept
from vastwatch.sensing.figures import MINOR_MOTION

Array = NDArray[np.float64]

# The law is tabulated for so many steps, so many to the median gap, and for chances down to this.
STEPS, TO_MEDIAN = 3000, 12
LEAST_CHANCE, CHANCES = 0.002, 28
# No hold beyond a day is looked for, seconds.
LONGEST_S = 86_400.0


class Silences(NamedTuple):
    """At instants `t` after a notice, (n,): the logarithm `log_none` of the chance that no other has come, straight
    between them and on beyond; and the integral `so_far` of that chance, seconds."""

    t: Array
    log_none: Array
    so_far: Array

    def lit_s(self, hold: float) -> float:
        """The mean seconds that a light with that hold lasts over somebody."""
        k = min(int(self.t.searchsorted(hold, side="right")) - 1, len(self.t) - 2)
        # Beyond the table the chance goes on falling as it did over its last tenth.
        last = k == len(self.t) - 2 and hold > self.t[-1]
        first, k = (len(self.t) * 9 // 10, len(self.t) - 1) if last else (k, k)
        ahead = len(self.t) - 1 if last else k + 1
        slope = float((self.log_none[ahead] - self.log_none[first]) / (self.t[ahead] - self.t[first]))
        begin, width = float(self.log_none[k]), hold - float(self.t[k])
        log = begin + slope * width
        lit = float(self.so_far[k]) + _area_of(begin, log, width)
        return lit * math.exp(min(-log, 600.0))


def _area(log_a: Any, log_b: Any, width: Any) -> Any:
    """The area under what is straight in the logarithm, between two of its values."""
    a, b = np.exp(np.maximum(log_a, -600.0)), np.exp(np.maximum(log_b, -600.0))
    fall = np.asarray(log_a, float) - log_b
    level = np.abs(fall) < 1e-9
    return np.where(level, a, (a - b) / np.where(level, 1.0, fall)) * width


def _area_of(log_a: float, log_b: float, width: float) -> float:
    """As `_area`, one: in plain numbers, for a search that asks many times."""
    a, b = math.exp(max(log_a, -600.0)), math.exp(max(log_b, -600.0))
    fall = log_a - log_b
    return (a if abs(fall) < 1e-9 else (a - b) / fall) * width


def hours_per_drop(wait: float, hold: float, activity: str) -> float:
    """Hours in the light per drop, for somebody who is noticed every `wait` seconds on average while doing something,
    with a hold in seconds.

    Somebody who is hardly ever noticed has the light for the hold. What comes after the drop does not count: they wave,
    and that makes the hold no better.
    """
    return (hold if not math.isfinite(wait) else silences(wait, activity).lit_s(hold)) / 3600.0


def hold_for(wait: float, hours: float, activity: str) -> float:
    """The shortest hold in seconds with which a drop comes at most once in so many hours; inf where none would within a
    day."""
    if not math.isfinite(wait):
        return math.inf
    s, wanted = silences(wait, activity), 3600.0 * hours
    low, high = 0.0, float(s.t[-1])
    while s.lit_s(high) < wanted:
        low, high = high, 2.0 * high
        if high > LONGEST_S:
            return math.inf
    while high - low > 1e-4 * high:
        middle = (low + high) / 2
        low, high = (middle, high) if s.lit_s(middle) < wanted else (low, middle)
    return high


@kept
def silences(wait: float, activity: str) -> Silences:
    """The law of the silences of somebody noticed every `wait` seconds on average while doing something.

    What cannot be of movements, because more often noticed than they move, is of their being there.
    """
    moves = MINOR_MOTION[activity]
    t, chances, log_none = _table(moves.median_s, moves.sigma)
    chance = min(max(1.0 / (wait * moves.rate), LEAST_CHANCE), 1.0)
    at_rest = max(1.0 / wait - moves.rate, 0.0)
    x = np.log(chance)
    k = min(max(int(np.searchsorted(chances, x)) - 1, 0), len(chances) - 2)
    share = (x - chances[k]) / (chances[k + 1] - chances[k])
    log = (1 - share) * log_none[k] + share * log_none[k + 1] - at_rest * t
    return Silences(t, log, np.concatenate([[0.0], np.cumsum(_area(log[:-1], log[1:], np.diff(t)))]))


@kept
def _table(median_s: float, sigma: float) -> tuple[Array, Array, Array]:
    """Instants; logarithms of chances p; and for each of them log S at the instants, (chances, instants)."""
    t = np.arange(STEPS, dtype=float) * (median_s / TO_MEDIAN)
    chances: Array = np.geomspace(LEAST_CHANCE, 1.0, CHANCES).astype(float)
    with np.errstate(divide="ignore"):
        law = normal_below(np.log(t / median_s) / sigma)
    law[0] = 0.0
    mass, missed = np.diff(law), 1.0 - chances
    back = mass[::-1].copy()
    none = np.ones((STEPS, CHANCES))
    # Over a step that a movement lies in, S is the mean of its ends; the first step is on both sides.
    mean = np.empty((STEPS, CHANCES))
    for k in range(1, STEPS):
        earlier = back[STEPS - 1 - k : STEPS - 2] @ mean[: k - 1] + mass[0] * none[k - 1] / 2
        none[k] = (1.0 - law[k] + missed * earlier) / (1.0 - missed * mass[0] / 2)
        mean[k - 1] = (none[k - 1] + none[k]) / 2
    log_none: Array = np.log(np.maximum(none.T, 1e-300))
    return t, np.asarray(np.log(chances), float), np.ascontiguousarray(log_none)
