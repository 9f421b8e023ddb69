"""Concatenated batch: several replicates of one room on one time line, so that a hold is evaluated for all in one pass.

Between one replicate and the next lies a pause in which nobody is there, no sensor reports and nothing counts, longer
than any hold: so each comes to exactly what it comes to alone. What is done in arrays costs hardly more for all than
for one.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, partial
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.simulation.hold_curves import (
    KNOWN_S,
    AnyConclusionCurve,
    Curve,
    ManualOnCurve,
    WavingCurve,
    light_demand,
    reactive_light,
)
from vastwatch.control.manual.reactions import (
    OccupancyIntervals,
    ReactionKeys,
    habits,
    occupancy_arrays,
    wave_sensor_arrays,
)
from vastwatch.design.expressions import Expr
from vastwatch.design.presence import with_hold
from vastwatch.memo import memoised
from vastwatch.people.truth import There
from vastwatch.rehearsal.scoring.scores import false_offs
from vastwatch.signals import Signal
from vastwatch.signals.memoised_ops import always, never
from vastwatch.yielding import yield_to_interface

if TYPE_CHECKING:
    from vastwatch.loops import reactions as loops

Array = NDArray[np.float64]

# A day: longer than any hold and any report.
PAUSE_S = 86_400.0
assert PAUSE_S > KNOWN_S
# Of reports that lie close together most holds make one: they are joined for all holds from one of these on, seconds.
JOINED_S = (0.0, 30.0, 120.0, 480.0)


class Outcomes(NamedTuple):
    """Outcomes of one hold by replicate, (replicates,) each: false-offs, dark and wasted seconds, waves, trips to the
    switch."""

    drops: Array
    dark_s: Array
    idle_s: Array
    waves: Array
    switch_trips: Array


class CurveBatch:
    """The curves of some replicates of one room, all of the same span, with the same sensors and people."""

    def __init__(self, curves: Sequence[Curve]) -> None:
        self._many = len(curves)
        waving = [c for c in curves if isinstance(c, WavingCurve)]
        any_ = [c for c in curves if isinstance(c, AnyConclusionCurve)]
        by_hand = [c for c in curves if isinstance(c, ManualOnCurve) and c.parts is not None]
        self._line: _Line | AnyConclusionBatch | _HandLine | None = None
        if len(waving) == len(curves) > 0:
            self._line = _Line(waving)
        elif len(any_) == len(curves) > 1:
            self._line = AnyConclusionBatch(any_)
        elif len(by_hand) == len(curves) > 1:
            self._line = _HandLine(by_hand)
        # What is laid on a line need not be held besides.
        self._curves = () if self._line is not None else tuple(curves)
        self._known: dict[float, Outcomes] = {}

    def __len__(self) -> int:
        """How many replicates."""
        return self._many

    def outcomes(self, hold_s: float) -> Outcomes:
        """Of a hold of less than KNOWN_S: in each replicate what its own `Curve.outcome` says."""
        if hold_s not in self._known:
            self._known[hold_s] = self._each(hold_s) if self._line is None else self._line.outcomes(hold_s)
        return self._known[hold_s]

    def _each(self, hold_s: float) -> Outcomes:
        each = [c.outcome(hold_s) for c in self._curves]
        rows = [(len(o.false_off_at), o.dark_s, o.wasted_s, o.waves, o.trips) for o in each]
        return Outcomes(*np.array(rows, float).reshape(-1, 5).T)

    def light(self, hold_s: float) -> Signal:
        """The light in each replicate, as its own `Curve.light` says, laid end to end."""
        if self._line is None:
            return concatenate(tuple(c.light(hold_s) for c in self._curves))
        return self._line.light(hold_s)

    def light_per_replicate(self, hold_s: float) -> list[Signal]:
        """The same, replicate by replicate."""
        if self._line is None:
            return [c.light(hold_s) for c in self._curves]
        return self._line.apart(self._line.light(hold_s))


@memoised
def curve_batch(*curves: Curve) -> CurveBatch:
    """Return the concatenated batch of some replicates' curves; memoised by the identity of the curves."""
    return CurveBatch(curves)


def replicate_step_s(signal: Signal) -> float:
    """Seconds between the starts of consecutive replicates on the common time line, by any of their signals."""
    return signal.end + PAUSE_S


def replicate_of(at: Array, step: float) -> NDArray[np.int64]:
    """Which replicate each instant on the line lies in."""
    return np.asarray(at // step, np.int64)


@memoised
def concatenate(signals: tuple[Signal, ...]) -> Signal:
    """The signals of some replicates on one line of time: replicate k from k `replicate_step_s` on, and off in the
    pauses."""
    step = replicate_step_s(signals[0])
    rows = [s.intervals + k * step for k, s in enumerate(signals)]
    return Signal.from_intervals(np.concatenate(rows), 0.0, len(signals) * step)


def laid_there(each: tuple[There, ...]) -> There:
    """The people of some replicates on one line of time."""
    awake, asking = (concatenate(column) for column in zip(*each))
    return There(awake, asking)


class _Lives:
    """Lives end to end, as signals of one line of time."""

    def __init__(self, each: Sequence[WavingCurve] | Sequence[AnyConclusionCurve] | Sequence[ManualOnCurve]) -> None:
        self._many = len(each)
        self._span, self._step = each[0].dark.end, replicate_step_s(each[0].dark)
        self._unlit_s = np.array([c.unlit_s for c in each])
        self._end = len(each) * self._step

    def _by_life(self, at: Array, weights: Array | None = None) -> Array:
        """How many instants, or how much, lie in each replicate."""
        return np.bincount(replicate_of(at, self._step), weights, self._many).astype(float)

    def _seconds(self, signal: Signal) -> Array:
        """How long a signal that is off in the pauses is on in each replicate."""
        rows = signal.intervals
        return self._by_life(rows[:, 0], rows[:, 1] - rows[:, 0])

    def apart(self, light: Signal) -> list[Signal]:
        """A light that is off in the pauses, replicate by replicate."""
        rows = light.intervals
        bounds = rows[:, 0].searchsorted(self._step * np.arange(self._many + 1))
        return [
            Signal.from_intervals(rows[a:b] - k * self._step, 0.0, self._span)
            for k, (a, b) in enumerate(pairwise(bounds))
        ]

    def _unconditional(
        self, lives: Sequence[WavingCurve] | Sequence[AnyConclusionCurve] | Sequence[ManualOnCurve]
    ) -> Signal | None:
        """While the replicates' light is on whatever is concluded."""
        each = [c.unconditional for c in lives]
        if all(a is None for a in each):
            return None
        return concatenate(tuple(never(self._span) if a is None else a for a in each))

    def _all_of_them(self, lives: Sequence[WavingCurve] | Sequence[AnyConclusionCurve]) -> OccupancyIntervals:
        each = [c.who for c in lives]
        begins: Array = self._step * np.arange(len(each), dtype=float)
        of = np.repeat(np.arange(len(each)), [len(who.begin) for who in each])
        keys = np.array([[s.key for s in c.sensors] for c in lives], np.uint64).reshape(len(each), -1).T
        return OccupancyIntervals(
            np.concatenate([who.begin for who in each]) + begins[of],
            np.concatenate([who.end for who in each]) + begins[of],
            np.concatenate([who.after_s for who in each]),
            np.concatenate([who.chance for who in each], axis=1),
            ReactionKeys(keys[:, of], begins[of]),
        )


class AnyConclusionBatch(_Lives):
    """The replicates of people who wave at a light that follows any conclusion."""

    def __init__(self, lives: Sequence[AnyConclusionCurve]) -> None:
        super().__init__(lives)
        first = lives[0]
        self._expr, self._sensors = first.expr, first.sensors
        alive = concatenate((always(self._span),) * len(lives))
        said = tuple(map(concatenate, zip(*(c.given.said for c in lives))))
        self._given = first.given._replace(said=said, alive=alive)
        self._there, self._dark = laid_there(tuple(c.there for c in lives)), concatenate(tuple(c.dark for c in lives))
        self.unconditional = self._unconditional(lives)
        self._need = light_demand(self._there, self._dark, self.unconditional)
        self._who = self._all_of_them(lives)

    def outcomes(self, hold_s: float) -> Outcomes:
        """Of a hold, in each replicate."""
        return self.outcomes_of(with_hold(self._expr, hold_s) or self._expr)

    def outcomes_of(self, expr: Expr) -> Outcomes:
        """Of the same conclusion with other figures, in each replicate."""
        did, lit = reactive_light(expr, self._given, self._dark, self._who, self._sensors, self.unconditional)
        return Outcomes(
            self._by_life(false_offs(lit, self._need)), self._seconds(self._need - lit) + self._unlit_s,
            self._seconds(lit - self._there.awake), self._by_life(did.waves), self._by_life(did.presses),
        )  # fmt: skip

    def light(self, hold_s: float) -> Signal:
        """The light, replicate after replicate."""
        expr = with_hold(self._expr, hold_s) or self._expr
        return reactive_light(expr, self._given, self._dark, self._who, self._sensors, self.unconditional)[1]


class _HandLine(_Lives):
    """The replicates of people who switch a light on by hand that one hold of some reports keeps."""

    def __init__(self, lives: Sequence[ManualOnCurve]) -> None:
        super().__init__(lives)
        start, keep = map(concatenate, zip(*(c.parts for c in lives if c.parts is not None)))
        there, dark = laid_there(tuple(c.there for c in lives)), concatenate(tuple(c.dark for c in lives))
        self.unconditional = self._unconditional(lives)
        # Loaded where many replicates are walked through: the compiler takes a moment.
        from vastwatch.loops.reactions import pressed_at

        self._curve = ManualOnCurve(
            (start, keep), there, dark, unconditional=self.unconditional, pressed=partial(pressed_at, habits=habits())
        )
        self._need = light_demand(there, dark, self.unconditional)

    def outcomes(self, hold_s: float) -> Outcomes:
        """Of a hold, in each replicate."""
        yield_to_interface()
        lit, pressed = self._curve.lit(hold_s)
        return Outcomes(
            self._by_life(false_offs(lit, self._need)), self._seconds(self._need - lit) + self._unlit_s,
            self._seconds(lit - self._curve.there.awake), np.zeros(self._many), self._by_life(pressed.again),
        )  # fmt: skip

    def light(self, hold_s: float) -> Signal:
        """The light, replicate after replicate."""
        return self._curve.lit(hold_s)[0]


class _Line(_Lives):
    """The replicates of people who wave at one hold of some reports."""

    def __init__(self, lives: Sequence[WavingCurve]) -> None:
        super().__init__(lives)
        self._sensors = lives[0].sensors
        each = ((c.start, c.keep, c.dark, c.need, c.nobody) for c in lives)
        self._start, self._keep, self._dark, self._need, self._nobody = map(concatenate, zip(*each))
        self._joined: dict[float, tuple[Array, Array]] = {}
        self.unconditional = self._unconditional(lives)
        self._who = self._all_of_them(lives)
        # Where other light goes out on somebody while this light may be on; and while it never does: how often.
        self._left, self._left_anyhow = np.empty(0), np.zeros(len(lives))
        if self.unconditional is not None:
            awake = concatenate(tuple(c.there.awake for c in lives))
            self._burns_anyway_s = self._seconds(self.unconditional - awake)
            left = self.unconditional.falls[self._need.at(self.unconditional.falls)]
            follows = self._dark.at(left)
            self._left, self._left_anyhow = left[follows], self._by_life(left[~follows])

    @cached_property
    def _there(self) -> tuple[loops.Habits, loops.OccupancyArrays, loops.WaveSensorArrays]:
        return habits(), occupancy_arrays(self._who, self._sensors), wave_sensor_arrays(self._sensors)

    def _reports(self, hold_s: float) -> tuple[Array, Array]:
        """What starts the light and what keeps it, as far as it matters to a hold: reports that it joins anyway are
        joined, and of what starts only the first among them counts."""
        least = max(x for x in JOINED_S if x <= hold_s)
        if least not in self._joined:
            from vastwatch.loops.reactions import merge_within, start_keep_rows

            rises, keep = np.ascontiguousarray(self._start.rises), self._keep.intervals
            if least > 0:
                keep = merge_within(keep, least)
                rises = np.ascontiguousarray(start_keep_rows(rises, keep)[:, 0])
            self._joined[least] = rises, keep
        return self._joined[least]

    def outcomes(self, hold_s: float) -> Outcomes:
        """Of a hold, in each replicate."""
        # Loaded where many replicates are walked through: the compiler takes a moment.
        from vastwatch.loops.outcomes import outcomes

        yield_to_interface()
        rises, keep = self._reports(hold_s)
        drops, dark, idle, waves, trips = outcomes(
            rises, keep, float(hold_s), self._end, *self._there, self._need.intervals, self._nobody.intervals,
            self._left, self._step, self._many,
        ).T  # fmt: skip
        if self.unconditional is not None:
            idle = idle + self._burns_anyway_s
        return Outcomes(drops + self._left_anyhow, dark + self._unlit_s, idle, waves, trips)

    def light(self, hold_s: float) -> Signal:
        """The light, replicate after replicate."""
        from vastwatch.loops.outcomes import lit_intervals

        yield_to_interface()
        rises, keep = self._reports(hold_s)
        rows = lit_intervals(rises, keep, float(hold_s), self._end, *self._there, self._dark.intervals)
        lit = Signal.from_intervals(rows, 0.0, self._end)
        return lit if self.unconditional is None else lit | self.unconditional
