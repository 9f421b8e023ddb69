"""M11: a ladder. Of its rows the first whose condition holds wins, at every instant; what wins says how far each lamp
is on. So what is on is a function of signals, and nothing can stick.

The rows come as signals, and what they ask for as a table: nothing here knows where either is from.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.signals import Signal, TimeSeries

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Winners:
    """Which row wins when: `row` (n,) from each of `edges` (n + 1,) to the next, `len(rows)` for none of them. No two
    neighbours are the same."""

    edges: Array
    row: NDArray[np.intp]

    def row_at(self, t: Array) -> NDArray[np.intp]:
        """The row that wins at each of some instants; before and after the span that at its ends."""
        return self.row[np.clip(np.searchsorted(self.edges, t, side="right") - 1, 0, len(self.row) - 1)]

    def at(self, t: float) -> int:
        """The row that wins at an instant of the span."""
        return int(self.row_at(np.asarray(t)))

    def share(self, rows: int) -> Array:
        """Of the span, the share of time that each of the rows wins, and last that none does, (rows + 1,)."""
        spent = np.bincount(self.row, np.diff(self.edges), rows + 1)
        return spent / (self.edges[-1] - self.edges[0])

    def while_on(self, wanted: NDArray[np.bool_]) -> Signal:
        """While a row wins that is `wanted`, (rows + 1,) with the last for none."""
        on = wanted[self.row]
        rows = np.column_stack([self.edges[:-1], self.edges[1:]])[on]
        return Signal.from_intervals(rows, float(self.edges[0]), float(self.edges[-1]))


def while_above(parts: Sequence[tuple[Winners, Array]], limit: float) -> Signal:
    """While what the winners of some ladders give together is more than a limit; of each ladder what its rows give,
    (rows + 1,) with the last for none. A billionth more is not more. Raises ValueError for no ladder."""
    if not parts:
        raise ValueError("a ladder needs at least one row")
    edges = np.unique(np.concatenate([won.edges for won, _ in parts]))
    on = np.sum([gives[won.row_at(edges[:-1])] for won, gives in parts], axis=0) > limit + 1e-9
    return Signal.from_intervals(np.column_stack([edges[:-1], edges[1:]])[on], float(edges[0]), float(edges[-1]))


def winners(rows: Sequence[Signal], start: float, end: float) -> Winners:
    """The first of some rows that holds, at every instant of a span. Raises ValueError for rows of another span."""
    if any((r.start, r.end) != (start, end) for r in rows):
        raise ValueError("rows of different spans cannot be combined; clip them first")
    edges = np.unique(np.concatenate([[start], *(r.switches for r in rows)]))
    row = np.full(len(edges), len(rows))
    for k in reversed(range(len(rows))):
        row[rows[k].at(edges)] = k
    turn = np.concatenate([[True], row[1:] != row[:-1]])
    return Winners(np.append(edges[turn], end), row[turn])


# No fade is shorter than this, seconds.
SHORTEST_S = 1e-9


def levels_of(won: Winners, goals: Array, fades: Array) -> TimeSeries:
    """How far a lamp is on: `goals` (rows + 1,) what each row asks of it, `fades` (rows + 1,) within how many seconds.

    It goes in a straight line from where it is by then; a row that asks for what is asked already changes nothing.
    """
    goal, fade = goals[won.row], fades[won.row]
    step = np.concatenate([[True], goal[1:] != goal[:-1]])
    return ramped(won.edges[:-1][step], goal[step], fade[step], float(won.edges[-1]))


def ramped(begin: Array, goal: Array, fade: Array, end: float) -> TimeSeries:
    """A number that from each of some instants on goes to a goal within so many seconds; the first is there at once.

    Shapes (n,) each, `begin` rising, the first the start of the span.
    """
    arrive = np.minimum(begin + fade, end)
    arrive[0] = begin[0]
    until = np.append(begin[1:], end)
    now = np.concatenate([goal[:1], goal[:-1]])
    if (arrive > until).any():
        now = _interrupted(begin, goal, fade)
    reached = np.minimum(arrive, until)
    # A fade of next to no time must not overflow what is divided by it.
    run = np.maximum(fade, SHORTEST_S)
    there = np.where(arrive > until, now + (goal - now) * (until - begin) / run, goal)
    # A fade that the end of the span cuts short has not reached its goal.
    cut = (begin + fade > end) & (arrive <= until)
    cut[0] = False
    there = np.where(cut, now + (goal - now) * (end - begin) / run, there)
    t = np.column_stack([begin, reached, until]).ravel()
    v = np.column_stack([now, there, there]).ravel()
    return TimeSeries(np.maximum.accumulate(t), v)


def _interrupted(begin: Array, goal: Array, fade: Array) -> Array:
    """Where the number is when each goal is set, where some are set before the last is reached."""
    now = [float(goal[0])]
    for k in range(1, len(begin)):
        before, passed = fade[k - 1] if k > 1 else 0.0, begin[k] - begin[k - 1]
        done = 1.0 if before <= passed else passed / before
        now.append(now[-1] + (goal[k - 1] - now[-1]) * done)
    return np.array(now)
