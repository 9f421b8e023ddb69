"""What any output that is no lamp does by its own rows, and what it keeps to whatever they say: it runs and rests for a
while at the least, and starts so often a day at the most."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.ladder import levels_of, winners
from vastwatch.control.outputs.handler import OutputContext
from vastwatch.design.records import GuardedOutput
from vastwatch.signals import Calendar, Signal, TimeSeries

Array = NDArray[np.float64]


def by_rows(output: GuardedOutput, rows: tuple[Signal, ...], calendar: Calendar) -> TimeSeries:
    """How far an output runs by its rows and its guards, 0 to 1; off where it has none."""
    if not rows:
        return TimeSeries.constant(0.0, 0.0, calendar.end)
    won = winners(rows, 0.0, calendar.end)
    goals = np.append([row.level for row in output.rows], 0.0)
    return apply_guards(levels_of(won, goals, np.zeros(len(goals))), output, calendar)


def apply_guards(wanted: TimeSeries, output: GuardedOutput, calendar: Calendar) -> TimeSeries:
    """A level that steps, kept to the guards of an output. Through a rest it is off; what it has to run on for it does
    at the level it had last."""
    if output.least_run_s == 0 and output.least_rest_s == 0 and output.moves_a_day is None:
        return wanted
    on = apply_run_limits(wanted.above(0.0), output, calendar)
    t = np.unique(np.concatenate([wanted.t[:-1], on.switches, [wanted.start]]))
    v = np.where(wanted.at(t) > 0, wanted.at(t), np.nan)
    last = np.maximum.accumulate(np.where(np.isnan(v), -1, np.arange(len(v))))
    level = np.where(last >= 0, v[np.maximum(last, 0)], 0.0) * on.at(t)
    ends = np.append(t[1:], wanted.end)
    return TimeSeries(np.column_stack([t, ends]).ravel(), np.repeat(level, 2))


def apply_run_limits(wanted: Signal, output: GuardedOutput, calendar: Calendar) -> Signal:
    """While an output runs that is wanted so: each run is as long as the least run, each rest as the least rest, and
    starts are as few a day as its budget; a run that its budget forbids begins with the next day, if it is wanted then.
    """
    rows: list[tuple[float, float]] = []
    midnights = [calendar.midnight(d) for d in range(calendar.days + 1)]
    today, starts, free_from = 0, 0, -math.inf
    for a, b in wanted.intervals.tolist():
        if rows and a <= rows[-1][1]:
            # It still runs, by its least run.
            rows[-1] = (rows[-1][0], max(rows[-1][1], b))
            free_from = rows[-1][1] + output.least_rest_s
            continue
        start = max(a, free_from)
        while start < b:
            while today + 1 < calendar.days and start >= midnights[today + 1]:
                today, starts = today + 1, 0
            if output.moves_a_day is None or starts < output.moves_a_day:
                break
            start = midnights[today + 1] if today + 1 < calendar.days else math.inf
        if start >= b:
            continue
        starts += 1
        rows.append((start, max(b, start + output.least_run_s)))
        free_from = rows[-1][1] + output.least_rest_s
    return Signal.from_intervals(rows, wanted.start, wanted.end)


class RowHandler:
    """What the handlers of outputs that are no lamps share: the rows of one decide where it has any, else what is usual
    for its kind; its guards are kept to either way; and it draws its watts as far as it runs."""

    lights = False

    def default_signal(self, output: Any, context: OutputContext) -> Signal | None:
        """While one without rows runs; None for a kind that does nothing by itself."""
        return None

    def run(self, output: Any, context: OutputContext) -> TimeSeries:
        """Its level from 0 to 1 over the span."""
        assert context.calendar is not None
        usual = None if output.rows else self.default_signal(output, context)
        if usual is None:
            return by_rows(output, context.rows, context.calendar)
        return apply_guards(TimeSeries.steps(usual), output, context.calendar)

    def watts(self, output: Any, levels: TimeSeries) -> TimeSeries:
        """What it draws meanwhile."""
        return levels.scaled(output.watts)


# A cleaner comes out between these hours of the day, and at no other.
DAY_FROM_S, DAY_TO_S = 9 * 3600.0, 20 * 3600.0


def daytime(calendar: Calendar) -> Signal:
    """While it is day, by the clock."""
    rows = [(calendar.instant(d, DAY_FROM_S), calendar.instant(d, DAY_TO_S)) for d in range(calendar.days)]
    return Signal.from_intervals(rows, 0.0, calendar.end)
