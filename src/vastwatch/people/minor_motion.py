"""The small movements of those who stay somewhere: log-normal gaps from their arrival on (M6), and how anybody who sits
or lies down settles and rises.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.memo import memoised
from vastwatch.rng import Keys, at_ms, normal, sub_keys, uniform
from vastwatch.sensing.bodies import LARGE_SHARE, MINOR_MOTION, SETTLING, SETTLING_S
from vastwatch.signals import DAY
from vastwatch.site.building import Spot

Array = NDArray[np.float64]
Ints = NDArray[np.int64]


class Stays(NamedTuple):
    """Stays cut at midnights, each a row, (n,): when anybody who stays comes and goes in all, the part of it from
    `part_begin` to `part_end` that is told, the day that is, where (place among the spots), and its name
    (`tracks.Track.tag`)."""

    arrive: Array
    leave: Array
    part_begin: Array
    part_end: Array
    day: Ints
    spot: Ints
    tag: Ints

    @property
    def since(self) -> Array:
        """From when on they are there, of what is told."""
        return np.maximum(self.arrive, self.part_begin)

    @property
    def until(self) -> Array:
        """Until when."""
        return np.minimum(self.leave, self.part_end)

    def at(self, some: Any) -> Stays:
        """Some of the rows."""
        return Stays(*(column[some] for column in self))


class MotionKeys(NamedTuple):
    """The keys of draws: of the gaps, of which movements are large, and of settling; one for all stays or one each."""

    gaps: Any
    large: Any
    settling: Any

    def at(self, some: Any) -> MotionKeys:
        """Of some of the stays."""
        return MotionKeys(*(key[some] if np.ndim(key) else key for key in self))


class _Laws(NamedTuple):
    """How those move who stay at each spot, (spots,): whether they are `here`, the law of the gaps between their small
    movements, and whether they sit or lie down."""

    here: NDArray[np.bool_]
    median_s: Array
    sigma: Array
    rate: Array
    down: NDArray[np.bool_]


@memoised
def _laws(spots: tuple[Spot, ...]) -> _Laws:
    laws = [MINOR_MOTION[s.activity] for s in spots]
    return _Laws(
        np.array([s.activity != "away" for s in spots], bool), np.array([m.median_s for m in laws], float),
        np.array([m.sigma for m in laws], float), np.array([m.rate for m in laws], float),
        np.array([s.posture in ("seated", "lying") for s in spots], bool),
    )  # fmt: skip


# Keys of stays, since when and for how long each lasts, from when on it is told, and the law of its gaps: instants, and
# of which stay each is.
Gaps = Callable[[Keys, Array, Array, Array, Array, Array, Array], tuple[Array, Ints]]


def motion_times(
    keys: Keys, since: Array, lasts: Array, dawn: Array, median: Array, sigma: Array, rate: Array
) -> tuple[Array, Ints]:
    """Instants from `part_begin` on at which those who stay somewhere `since` then, for so long, move, and of which
    stay each is, by keys of their own: gaps of a median and a spread; `rate` about how many there are a second."""
    reached, drawn = np.zeros(len(keys)), np.zeros(len(keys), int)
    times, whose = [np.empty(0)], [np.zeros(0, int)]
    left = np.arange(len(keys))
    while len(left):
        more = ((lasts[left] - reached[left]) * rate[left] * 1.2).astype(int) + 8
        first = np.cumsum(more) - more
        k = np.repeat(left, more)
        number = np.arange(len(k)) - np.repeat(first, more) + drawn[k]
        gaps = median[k] * np.exp(sigma[k] * normal(keys[k], number))
        # One long sum would round by what came before: each stay's gaps are summed from its own arrival.
        t = _sums(gaps, first, more) + reached[k]
        inside = (t < lasts[k]) & (since[k] + t >= dawn[k])
        times.append(since[k[inside]] + t[inside])
        whose.append(k[inside])
        reached[left] = t[first + more - 1]
        drawn[left] += more
        left = left[reached[left] < lasts[left]]
    return np.concatenate(times), np.concatenate(whose)


def minor_motion_events(
    spots: tuple[Spot, ...], stays: Stays, motion_keys: MotionKeys, gaps: Gaps = motion_times
) -> tuple[Array, Ints, NDArray[np.bool_]]:
    """When those who stay move, in no order, of which stay each movement is, and whether it is a large one; `gaps` says
    what lies between them."""
    laws = _laws(spots)
    here = np.flatnonzero(laws.here[stays.spot])
    if len(here) < len(stays.spot):
        stays, motion_keys = stays.at(here), motion_keys.at(here)
    spot = stays.spot
    keys = sub_keys(motion_keys.gaps, stays.tag)
    # A stay of more than a day is taken up anew at midnight: the gap that spans it is not told from another.
    long = stays.arrive < stays.part_begin - DAY
    since = np.where(long, stays.part_begin, stays.arrive)
    keys = np.where(long, sub_keys(keys, at_ms(stays.part_begin)), keys)
    law = laws.median_s[spot], laws.sigma[spot], laws.rate[spot]
    moved, whose = gaps(keys, since, stays.until - since, stays.part_begin, *law)
    settled, of = _settling(stays, np.flatnonzero(laws.down[spot]), motion_keys)
    by = motion_keys.at(whose).large
    large = np.concatenate([uniform(by, at_ms(moved)) < LARGE_SHARE, np.ones(len(settled), bool)])
    return np.concatenate([moved, settled]), here[np.concatenate([whose, of])], large


def _settling(stays: Stays, some: Ints, motion_keys: MotionKeys) -> tuple[Array, Ints]:
    """The large movements with which anybody who sits or lies down at some stays settles and rises, as far as they are
    told; and of which of the stays."""
    down = stays.at(some)
    keys = sub_keys(motion_keys.at(some).settling, down.tag)
    drawn = SETTLING_S * uniform(keys[:, None], np.arange(2 * SETTLING))
    t = np.concatenate([down.arrive[:, None] + drawn[:, :SETTLING], down.leave[:, None] - drawn[:, SETTLING:]], axis=1)
    inside = (t >= down.since[:, None]) & (t < down.until[:, None])
    return t[inside], np.repeat(some, inside.sum(axis=1))


def _sums(values: Array, first: Ints, count: Ints) -> Array:
    """Running sums within successive groups, each the same whatever the others are."""
    out = np.empty(len(values))
    for a, n in zip(first.tolist(), count.tolist()):
        np.cumsum(values[a : a + n], out=out[a : a + n])
    return out
