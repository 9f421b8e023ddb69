"""`Signal`: one on/off fact over a stretch of time, as its sorted switching instants.

Everything that happens in time is a Signal: a sensor's report, presence, a lamp. A signal is defined on the half
open span [start, end); it holds its first value from `start` on, and flips at each instant in `switches`. Signals
are values: every operation returns a new one. All of it works on whole arrays; `n` switchings cost O(n log n).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Signal:
    """On/off over [start, end) seconds; `switches` strictly increasing within (start, end)."""

    start: float
    end: float
    first: bool
    switches: Array

    # -- making ------------------------------------------------------------------------------------------------

    @staticmethod
    def from_intervals(intervals: ArrayLike, start: float, end: float) -> Signal:
        """On during the union of [a, b) rows, shape (n, 2), in any order, overlapping or not, clipped to the span.

        Raises ValueError for an end before its start, or for NaN.
        """
        rows = np.asarray(intervals, float).reshape(-1, 2)
        if len(rows) == 0:
            return Signal.constant(False, start, end)
        a, b = rows.T.copy()
        if not (a <= b).all():
            raise ValueError("an interval ends before it starts")
        if a.min() < start or b.max() > end:
            a, b = np.clip(a, start, end), np.clip(b, start, end)
        real = b > a
        if not real.all():
            a, b = a[real], b[real]
        if (a[1:] < a[:-1]).any():
            order = np.argsort(a, kind="stable")
            a, b = a[order], b[order]
        return _joined(a, b, start, end)

    @staticmethod
    def constant(value: bool, start: float, end: float) -> Signal:
        """The same value for the whole span."""
        if not start < end:
            raise ValueError("a signal's span must have a start before its end")
        return Signal(float(start), float(end), bool(value), np.empty(0))

    # -- reading -----------------------------------------------------------------------------------------------

    @cached_property
    def intervals(self) -> Array:
        """The on-intervals [a, b), shape (n, 2), sorted and apart."""
        edges = self.switches
        if self.first:
            edges = np.concatenate([[self.start], edges])
        if len(edges) % 2:
            edges = np.concatenate([edges, [self.end]])
        return edges.reshape(-1, 2)

    @property
    def rises(self) -> Array:
        """Instants at which it turns on; the start of the span counts when it is on there."""
        rows = self.intervals
        return rows[:, 0]

    @property
    def falls(self) -> Array:
        """Instants at which it turns off within the span."""
        return self.switches[0 if self.first else 1 :: 2]

    def at(self, t: ArrayLike) -> NDArray[np.bool_]:
        """Value at each instant (at a switch: the new value); outside the span: off."""
        t = np.asarray(t, float)
        count = np.searchsorted(self.switches, t, side="right")
        return ((count % 2 == 1) ^ self.first) & (t >= self.start) & (t < self.end)

    def total(self) -> float:
        """Seconds on."""
        rows = self.intervals
        return float((rows[:, 1] - rows[:, 0]).sum())

    def cumulative(self, t: ArrayLike) -> Array:
        """Seconds on within [start, t), for each t; constant outside the span."""
        rows = self.intervals
        t = np.asarray(t, float)
        if len(rows) == 0:
            return np.zeros(t.shape)
        before = np.concatenate([[0.0], np.cumsum(rows[:, 1] - rows[:, 0])])
        i = np.searchsorted(rows[:, 0], t, side="right")
        last = np.maximum(i - 1, 0)
        within = np.minimum(t - rows[last, 0], rows[last, 1] - rows[last, 0])
        return np.where(i > 0, before[last] + within, 0.0)

    def clip(self, start: float, end: float) -> Signal:
        """The same fact on a shorter (or longer, then off) span."""
        return Signal.from_intervals(self.intervals, start, end)

    def __len__(self) -> int:
        """Number of switchings."""
        return len(self.switches)

    def __iter__(self) -> Iterator[tuple[float, float]]:
        return ((float(a), float(b)) for a, b in self.intervals)

    def same_as(self, other: Signal, tolerance: float = 0.0) -> bool:
        """Equal in span and in every switching, within a tolerance in seconds."""
        return (
            (self.start, self.end, self.first) == (other.start, other.end, other.first)
            and len(self.switches) == len(other.switches)
            and bool((np.abs(self.switches - other.switches) <= tolerance).all())
        )

    # -- algebra -----------------------------------------------------------------------------------------------

    def __or__(self, other: Signal) -> Signal:
        return any_of([self, other])

    def __and__(self, other: Signal) -> Signal:
        return all_of([self, other])

    def __invert__(self) -> Signal:
        return Signal(self.start, self.end, not self.first, self.switches)

    def __sub__(self, other: Signal) -> Signal:
        return self & ~other

    def hold(self, seconds: float) -> Signal:
        """Each on-interval lasts `seconds` longer, merged where they meet: hold time, or off-delay."""
        if seconds < 0:
            raise ValueError("a hold time cannot be negative")
        rows = self.intervals
        if seconds == 0 or len(rows) == 0:
            return self
        return _joined(rows[:, 0], np.minimum(rows[:, 1] + seconds, self.end), self.start, self.end)

    def on_delay(self, seconds: float) -> Signal:
        """Each on-interval starts `seconds` later; those shorter than that vanish."""
        if seconds < 0:
            raise ValueError("an on-delay cannot be negative")
        rows = self.intervals
        if seconds == 0 or len(rows) == 0:
            return self
        # By the very instants: a difference may round to more than what is left of it.
        begins = rows[:, 0] + seconds
        lasting = begins < rows[:, 1]
        return _joined(begins[lasting], rows[lasting, 1], self.start, self.end)

    def minimum_on(self, seconds: float) -> Signal:
        """On from each rise for `seconds` at the least; what comes meanwhile does not begin it anew."""
        if seconds < 0:
            raise ValueError("a minimum time cannot be negative")
        rows = self.intervals
        if seconds == 0 or len(rows) == 0:
            return self
        until = rows[:, 0] + seconds
        # The last interval that begins by then; on-intervals lie apart, so none follows on its end.
        last = rows[:, 0].searchsorted(until, side="right") - 1
        after, heads, k = (last + 1).tolist(), [], 0
        while k < len(after):
            heads.append(k)
            k = after[k]
        first = np.array(heads)
        ends = np.minimum(np.maximum(until[first], rows[last[first], 1]), self.end)
        return _joined(rows[first, 0], ends, self.start, self.end)

    def door_latch(self, door: Signal, hold: float, settle: float = 0.0) -> Signal:
        """Somebody is in, as motion in a room with one `door` tells (on while that is open).

        Motion seen with the door shut, and `settle` seconds after that, latches until the door opens. From then on, as
        ever with the door open, motion must be renewed within `hold`.
        """
        shut = ~door
        inside = (self & shut.on_delay(settle)).start_keep(shut)
        return (self | inside).hold(hold)

    def start_keep(self, keep: Signal) -> Signal:
        """On from a rise of this signal until neither it nor `keep` is on.

        What only `keep` says never turns it on: the usual pairing of a quick starter with a patient keeper.
        """
        active = (self | keep).intervals
        rises = self.rises
        if len(active) == 0 or len(rises) == 0:
            return Signal.constant(False, self.start, self.end)
        i = np.searchsorted(rises, active[:, 0], side="left")
        candidate = rises[np.minimum(i, len(rises) - 1)]
        begun = (i < len(rises)) & (candidate < active[:, 1])
        return _joined(candidate[begun], active[begun, 1], self.start, self.end)


def _joined(a: Array, b: Array, start: float, end: float, ends_sorted: bool = False) -> Signal:
    """Signal of non-empty intervals sorted by start and within the span, merged where they overlap or touch."""
    if len(a) == 0:
        return Signal.constant(False, start, end)
    reach = b if ends_sorted else np.maximum.accumulate(b)
    # Between which of them it is off.
    apart = np.flatnonzero(a[1:] > reach[:-1])
    edges = np.empty(2 * len(apart) + 2)
    edges[0], edges[-1] = a[0], reach[-1]
    edges[1:-1:2], edges[2::2] = reach[apart], a[apart + 1]
    first = bool(edges[0] <= start)
    lo = 1 if first else 0
    hi = len(edges) - (1 if edges[-1] >= end else 0)
    return Signal(float(start), float(end), first, edges[lo:hi])


def _counted(signals: list[Signal], need: int) -> Signal:
    """On where at least `need` of the signals are.

    With all starts S and all ends E sorted, each on its own, the count is at least k at t exactly when some j has
    S[k-1+j] <= t < E[j] (j of the intervals have ended, k+j have begun). Two sorts and no merge; the
    sort is one that thrives on sorted stretches, since each signal comes sorted.
    """
    start, end = signals[0].start, signals[0].end
    for s in signals[1:]:
        if (s.start, s.end) != (start, end):
            raise ValueError("signals of different spans cannot be combined; clip them first")
    rows = np.concatenate([s.intervals for s in signals])
    starts, ends = np.sort(rows[:, 0], kind="stable"), np.sort(rows[:, 1], kind="stable")
    a, b = starts[need - 1 :], ends[: max(len(ends) - need + 1, 0)]
    real = a < b
    if not real.all():
        a, b = a[real], b[real]
    return _joined(a, b, start, end, ends_sorted=True)


def any_of(signals: Iterable[Signal]) -> Signal:
    """Union: on while at least one is. Raises ValueError for none, or for different spans."""
    return at_least(1, signals)


def all_of(signals: Iterable[Signal]) -> Signal:
    """Intersection: on while every one is. Raises ValueError for none, or for different spans."""
    every = list(signals)
    return at_least(len(every), every)


def at_least(k: int, signals: Iterable[Signal]) -> Signal:
    """On while at least k are. Raises ValueError for no signals, or for different spans."""
    every = list(signals)
    if not every:
        raise ValueError("no signals to combine")
    if len(every) == 1 and k == 1:
        return every[0]
    return _counted(every, k)
