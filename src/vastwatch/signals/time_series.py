"""`TimeSeries`: a number over a stretch of time, straight between its instants: a lamp's level, lux, a speed, an
occupancy probability.

It runs through points (t, v) in order of time, from the start of its span to the end. Two points of the same instant
are a step: the later one holds from that instant on. Like a Signal it is a value, and every operation gives a new one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.signals.signal import Signal

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class TimeSeries:
    """Points `t` (n,), never falling, t[0] the start and t[-1] the end of the span, and the numbers `v` (n,) there."""

    t: Array
    v: Array

    # -- making ------------------------------------------------------------------------------------------------

    @staticmethod
    def constant(value: float, start: float, end: float) -> TimeSeries:
        """The same number for the whole span. Raises ValueError for a span without length."""
        if not start < end:
            raise ValueError("levels need a start before their end")
        return TimeSeries(np.array([start, end], float), np.array([value, value], float))

    @staticmethod
    def of(points: ArrayLike) -> TimeSeries:
        """Through (t, v) rows, (n, 2). Raises ValueError for fewer than two, or where time runs backwards."""
        rows = np.asarray(points, float).reshape(-1, 2)
        if len(rows) < 2 or not rows[0, 0] < rows[-1, 0] or not (np.diff(rows[:, 0]) >= 0).all():
            raise ValueError("levels need points in order of time, over a span with some length")
        return TimeSeries(rows[:, 0].copy(), rows[:, 1].copy())

    @staticmethod
    def steps(signal: Signal, on: float = 1.0, off: float = 0.0) -> TimeSeries:
        """`on` while a signal is, else `off`."""
        n = len(signal.switches)
        t = np.concatenate([[signal.start], np.repeat(signal.switches, 2), [signal.end]])
        pieces = np.where((np.arange(n + 1) % 2 == 1) ^ signal.first, on, off)
        return TimeSeries(t, np.repeat(pieces, 2))

    # -- reading -----------------------------------------------------------------------------------------------

    @property
    def start(self) -> float:
        """Start of the span."""
        return float(self.t[0])

    @property
    def end(self) -> float:
        """End of the span."""
        return float(self.t[-1])

    def at(self, t: ArrayLike) -> Array:
        """The number at each instant, at a step the new one; outside the span: 0."""
        t = np.asarray(t, float)
        i = np.clip(np.searchsorted(self.t, t, side="right"), 1, len(self.t) - 1)
        return np.where((t >= self.start) & (t < self.end), self._between(i, t), 0.0)

    def before(self, t: ArrayLike) -> Array:
        """The number just before each instant; at a step the old one."""
        t = np.asarray(t, float)
        i = np.clip(np.searchsorted(self.t, t, side="left"), 1, len(self.t) - 1)
        return np.where((t > self.start) & (t <= self.end), self._between(i, t), 0.0)

    def _between(self, i: NDArray[np.intp], t: Array) -> Array:
        """On the straight piece that ends with point i."""
        t0, t1, v0, v1 = self.t[i - 1], self.t[i], self.v[i - 1], self.v[i]
        run = t1 - t0
        share = np.divide(t - t0, run, out=np.ones(np.broadcast(t, run).shape), where=run > 0)
        return v0 + (v1 - v0) * share

    def integral(self, a: float | None = None, b: float | None = None) -> float:
        """The area under it from a to b, by default over the whole span; outside the span it is 0."""
        lo, hi = self.start if a is None else a, self.end if b is None else b
        if hi <= lo:
            return 0.0
        begin, end = self.cumulative([lo, hi])
        return float(end - begin)

    def cumulative(self, t: ArrayLike) -> Array:
        """The area under it from its start to each instant; constant outside the span."""
        at: Array = np.clip(np.asarray(t, float), self.start, self.end)
        so_far: Array = np.concatenate([[0.0], np.cumsum(np.diff(self.t) * 0.5 * (self.v[1:] + self.v[:-1]))])
        i = np.clip(np.searchsorted(self.t, at, side="left"), 1, len(self.t) - 1)
        return so_far[i - 1] + (at - self.t[i - 1]) * 0.5 * (self.v[i - 1] + self._between(i, at))

    def integral_while(self, signal: Signal) -> float:
        """The area under it while a signal of its span is on."""
        rows = signal.intervals
        return float((self.cumulative(rows[:, 1]) - self.cumulative(rows[:, 0])).sum())

    def same_as(self, other: TimeSeries, tolerance: float = 0.0) -> bool:
        """The same number everywhere, within a tolerance, over the same span."""
        if (self.start, self.end) != (other.start, other.end):
            return False
        t = np.union1d(self.t, other.t)
        inner, late = t[:-1], t[1:]
        return bool(
            (np.abs(self.at(inner) - other.at(inner)) <= tolerance).all()
            and (np.abs(self.before(late) - other.before(late)) <= tolerance).all()
        )

    # -- algebra -----------------------------------------------------------------------------------------------

    def scaled(self, factor: float, plus: float = 0.0) -> TimeSeries:
        """factor * level + plus."""
        return TimeSeries(self.t, self.v * factor + plus)

    def __add__(self, other: TimeSeries) -> TimeSeries:
        return _joined([self, other], lambda rows: rows.sum(axis=0))

    def clip(self, start: float, end: float) -> TimeSeries:
        """The same on a shorter span. Raises ValueError for one that reaches beyond its own."""
        if not self.start <= start < end <= self.end:
            raise ValueError("levels can only be cut shorter")
        inside = self.t[(self.t > start) & (self.t < end)]
        v = self.v[(self.t > start) & (self.t < end)]
        return TimeSeries(
            np.concatenate([[start], inside, [end]]),
            np.concatenate([[float(self.at(start))], v, [float(self.before(end))]]),
        )

    def above(self, x: float, until: float | None = None) -> Signal:
        """On from where it passes above x until it falls to `until`, by default x itself (hysteresis).

        Raises ValueError for an `until` above x.
        """
        low = x if until is None else until
        if low > x:
            raise ValueError("what turns on above a threshold turns off at the same or a lower one")
        rises, falls = self._over(x).rises, self._over(low).falls
        if low == x:
            return self._over(x)
        rows = []
        since, end = -np.inf, self.end
        for t in rises.tolist():
            if t < since:
                continue
            i = int(np.searchsorted(falls, t, side="right"))
            since = float(falls[i]) if i < len(falls) else end
            rows.append((t, since))
        return Signal.from_intervals(rows, self.start, self.end)

    def _over(self, x: float) -> Signal:
        """While it is above x."""
        t0, t1, v0, v1 = self.t[:-1], self.t[1:], self.v[:-1], self.v[1:]
        with np.errstate(divide="ignore", invalid="ignore"):
            cross = t0 + (x - v0) / (v1 - v0) * (t1 - t0)
        a = np.where(v0 > x, t0, np.where(v1 > x, cross, t1))
        b = np.where(v1 > x, t1, np.where(v0 > x, cross, t1))
        real = (b > a) & (t1 > t0) & ((v0 > x) | (v1 > x))
        return Signal.from_intervals(np.column_stack([a[real], b[real]]), self.start, self.end)

    def rate_limited(self, seconds: float) -> TimeSeries:
        """Every step taken over so many seconds, in a straight line from where it is by then; 0 leaves it as it is.

        Between steps it must be level. Raises ValueError where it is not, or for a negative time.
        """
        if seconds < 0:
            raise ValueError("a fade time cannot be negative")
        if seconds == 0:
            return self
        if not np.array_equal(self.v[:-1][np.diff(self.t) > 0], self.v[1:][np.diff(self.t) > 0]):
            raise ValueError("only levels that change in steps can be faded")
        step = np.flatnonzero(np.diff(self.v) != 0)
        points = [(self.start, float(self.v[0]))]
        goal, arrives = float(self.v[0]), self.start
        for k in step.tolist():
            t, wanted = float(self.t[k]), float(self.v[k + 1])
            (t0, v0), now = points[-1], goal
            if t < arrives:
                now = v0 + (goal - v0) * (t - t0) / (arrives - t0)
            elif arrives > t0:
                points.append((arrives, goal))
            points.append((t, now))
            goal, arrives = wanted, t + seconds
        t0, v0 = points[-1]
        if arrives <= t0:
            points.append((self.end, goal))
        elif arrives >= self.end:
            points.append((self.end, v0 + (goal - v0) * (self.end - t0) / (arrives - t0)))
        else:
            points += [(arrives, goal), (self.end, goal)]
        return TimeSeries.of(points)


def first_active(rows: Sequence[tuple[Signal, TimeSeries]], otherwise: TimeSeries) -> TimeSeries:
    """At every instant the levels of the first row whose signal is on; where none is, `otherwise`.

    Raises ValueError for different spans.
    """
    span = otherwise.start, otherwise.end
    if any((s.start, s.end) != span or (x.start, x.end) != span for s, x in rows):
        raise ValueError("rows of different spans cannot be combined; clip them first")
    edges = np.unique(np.concatenate([[span[0]], *(s.switches for s, _ in rows), [span[1]]]))
    winner = np.full(len(edges) - 1, len(rows))
    for k in range(len(rows) - 1, -1, -1):
        winner[rows[k][0].at(edges[:-1])] = k
    every = [x for _, x in rows] + [otherwise]
    turn = np.flatnonzero(np.concatenate([[True], winner[1:] != winner[:-1]]))
    starts, ends, won = edges[turn], np.append(edges[turn[1:]], span[1]), winner[turn]
    t, v, piece = [], [], []
    for k, levels in enumerate(every):
        mine = np.flatnonzero(won == k)
        if not len(mine):
            continue
        # Of its own points those that lie within a piece that it wins.
        within = np.searchsorted(starts[mine], levels.t, side="left") - 1
        inside = (within >= 0) & (levels.t < ends[mine][within])
        for at, number, of in (
            (starts[mine], levels.at(starts[mine]), mine),
            (levels.t[inside], levels.v[inside], mine[within[inside]]),
            (ends[mine], levels.before(ends[mine]), mine),
        ):
            t.append(at)
            v.append(number)
            piece.append(of)
    # Piece after piece, each in the order in which its points were put down.
    order = np.argsort(np.concatenate(piece), kind="stable")
    return TimeSeries(np.concatenate(t)[order], np.concatenate(v)[order])


def pointwise_max(levels: Iterable[TimeSeries]) -> TimeSeries:
    """At every instant the greatest of them. Raises ValueError for none, or for different spans."""
    every = list(levels)
    if not every:
        raise ValueError("no levels to combine")
    out = every[0]
    for other in every[1:]:
        out = _greater(out, other)
    return out


def _greater(a: TimeSeries, b: TimeSeries) -> TimeSeries:
    """The upper of two; where they cross between points, the crossing becomes a point."""
    if (a.start, a.end) != (b.start, b.end):
        raise ValueError("levels of different spans cannot be combined; clip them first")
    t = np.union1d(a.t, b.t)
    d0, d1 = a.at(t[:-1]) - b.at(t[:-1]), a.before(t[1:]) - b.before(t[1:])
    crosses = d0 * d1 < 0
    at = t[:-1][crosses] + np.diff(t)[crosses] * d0[crosses] / (d0[crosses] - d1[crosses])
    t = np.union1d(t, at)
    return _rejoined(t, np.maximum(a.at(t[:-1]), b.at(t[:-1])), np.maximum(a.before(t[1:]), b.before(t[1:])))


def _joined(levels: list[TimeSeries], join) -> TimeSeries:  # type: ignore[no-untyped-def]
    """Combined point by point, by a function of the rows of their numbers that keeps straight pieces straight."""
    first = levels[0]
    if any((x.start, x.end) != (first.start, first.end) for x in levels):
        raise ValueError("levels of different spans cannot be combined; clip them first")
    t = np.unique(np.concatenate([x.t for x in levels]))
    begin = join(np.array([x.at(t[:-1]) for x in levels]))
    end = join(np.array([x.before(t[1:]) for x in levels]))
    return _rejoined(t, begin, end)


def _rejoined(t: Array, begin: Array, end: Array) -> TimeSeries:
    """From the numbers at both ends of each piece between successive instants."""
    pieces = np.empty(2 * len(begin))
    pieces[0::2], pieces[1::2] = begin, end
    return TimeSeries(np.concatenate([[t[0]], np.repeat(t[1:-1], 2), [t[-1]]]), pieces)
