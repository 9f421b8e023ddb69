"""M8: dark time against light while empty, for every hold time, exactly.

Without reactions all at once. Let K be what keeps the light (the merged reports under the hold) and S what starts it;
S is part of K. Each time K
falls silent at e, the light goes out at e + T, unless K speaks again within the hold T, and then stays out until the
next rise p of S. Of several silences before the same p only one can be the one that counts, for any T: the first
that is longer than T. So silence i counts for T in [lo, hi), with hi its own length and lo the longest silence
between the last rise of S and it; silences with lo >= hi never count. Where S is K, lo is 0 and p ends the silence,
and this is the plain curve of one merged report.

With the measures C (seconds of need up to t) and W (seconds of dark with nobody awake up to t), a counting silence
adds C(p) - C(e + T) to the dark time, takes W(p) - W(e + T) from the time lit while empty, and is a false-off if there
is need at e + T. All three are piecewise linear in T; their break points are lo, hi and the switchings of need and
nobody between e + lo and e + hi. Sorting them once gives the whole curve in O(n log n).

With reactions (`control.reactions`) a hold is walked through: what people do about each silence adds light within the
dark gaps of the plain case, so that its times of dark and of light follow from the plain ones and the measures of that
light, and its false-offs are counted one by one. It is the same walk that the rehearsal of that hold takes.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.control.manual.general_reactions import react_to_conclusion
from vastwatch.control.manual.manual_switching import (
    PRESS_S,
    PressTimes,
    SwitchPresses,
    manual_on,
    press_times,
    switch_presses,
)
from vastwatch.control.manual.reactions import OccupancyIntervals, Reaction, WaveSensor, react
from vastwatch.design.expressions import Expr
from vastwatch.design.presence import with_hold
from vastwatch.people.truth import There
from vastwatch.rehearsal.reaction_inputs import LeafInputs, WavedConclusion
from vastwatch.rehearsal.scoring.scores import false_offs
from vastwatch.signals import Signal
from vastwatch.signals.memoised_ops import both, difference

Array = NDArray[np.float64]

# The longest hold that is reckoned with, seconds.
KNOWN_S = 7201.0


class HoldGaps(NamedTuple):
    """Silences that count for some hold: end of the report `e`, next start `p`, and the holds [lo, hi); all (n,)."""

    e: Array
    p: Array
    lo: Array
    hi: Array


class PiecewiseLinear(NamedTuple):
    """A piecewise linear function of the hold time: at each sorted `t`, value and slope step by these amounts."""

    t: Array
    level: Array
    slope: Array
    slope_t: Array

    def __call__(self, hold: ArrayLike) -> Array:
        """Values at hold times, any shape."""
        hold = np.asarray(hold, float)
        i = np.searchsorted(self.t, hold, side="right")
        return self.level[i] + self.slope[i] * hold - self.slope_t[i]


def hold_gaps(start: Signal, keep: Signal) -> HoldGaps:
    """The silences of `keep` that count for some hold time, given what starts the light. `start` within `keep`."""
    rows = keep.intervals
    rises = start.rises
    if len(rows) == 0 or len(rises) == 0:
        return HoldGaps(*(np.empty(0) for _ in range(4)))
    e = rows[:, 1]
    e = e[e < keep.end]
    e = e[e > rises[0]]
    nxt = np.append(rows[1:, 0], np.inf)[rows[:, 1] < keep.end]
    nxt = nxt[len(nxt) - len(e) :]
    hi = nxt - e
    lo = np.zeros(len(e))
    if start.same_as(keep):
        p = np.minimum(nxt, keep.end)
    else:
        i = np.searchsorted(rises, e, side="left")
        p = np.where(i < len(rises), rises[np.minimum(i, len(rises) - 1)], keep.end)
        lo = _longest_before(hi, i)
    # A hold that outlasts the span leaves the light on to its end.
    hi = np.minimum(hi, keep.end - e)
    counts = hi > lo
    return HoldGaps(e[counts], p[counts], lo[counts], hi[counts])


def _longest_before(length: Array, group: NDArray[np.intp]) -> Array:
    """The longest of those before each within its group, 0 for the first; `group` ascending."""
    n = len(length)
    order = np.argsort(length, kind="stable")
    rank = np.empty(n, int)
    rank[order] = np.arange(n)
    # Ranks, a group's above those of the groups before it, so that one running maximum does for all.
    longest = length[order[np.maximum.accumulate(rank + n * group) - n * group]]
    first = np.diff(group, prepend=-1) != 0
    return np.where(first, 0.0, np.roll(longest, 1))


class Curves(NamedTuple):
    """False-offs, dark seconds and seconds lit while empty over the whole span, as functions of the hold time."""

    drops: PiecewiseLinear
    dark_s: PiecewiseLinear
    idle_s: PiecewiseLinear


def curves(start: Signal, keep: Signal, need: Signal, nobody: Signal, longest: float = KNOWN_S) -> Curves:
    """The exact curves for holds in [0, longest). `need`: somebody awake in the dark; `nobody`: dark without."""
    s = hold_gaps(start, keep)
    near = s.lo < longest
    if not near.all():
        s = HoldGaps(*(part[near] for part in s))
    s = s._replace(hi=np.minimum(s.hi, longest))
    first = float(start.rises[0]) if len(start.rises) else need.end
    idle_all = nobody.total() - float(nobody.cumulative(first))
    by_hi = np.argsort(s.hi)
    needed, wasted = _Events(_windows(need, s), s, by_hi), _Events(_windows(nobody, s), s, by_hi)
    dark = needed.remainders(float(need.cumulative(first)), +1.0)
    return Curves(needed.drops(), dark, wasted.remainders(idle_all, -1.0))


class Windows(NamedTuple):
    """A signal M over the window [e + lo, e + hi) of each silence: whether on (1 or 0) at its start and its end, the
    seconds on from each of them to p; and each switching inside: the silence, the hold at which e + T meets it, and
    whether it rises (+1) or falls (-1)."""

    on_lo: Array
    on_hi: Array
    left_lo: Array
    left_hi: Array
    at: Array
    step: Array


def _windows(signal: Signal, s: HoldGaps) -> Windows:
    switches = signal.switches
    # Seconds on up to each switching, and at the start; between switchings it grows only while on.
    edges = np.concatenate([[signal.start], switches])
    on = (np.arange(len(edges)) % 2 == 1) ^ signal.first
    so_far = np.concatenate([[0.0], np.cumsum(np.where(on[:-1], np.diff(edges), 0.0))])

    growth = on.astype(float)

    def measured(t: Array, k: NDArray[np.intp]) -> Array:
        return so_far[k] + growth[k] * (t - edges[k])

    lo_t, hi_t = s.e + s.lo, s.e + s.hi
    a = switches.searchsorted(lo_t, side="right")
    b = switches.searchsorted(s.p, side="left")
    to_p = measured(s.p, b)
    left_hi = np.zeros(len(s.p))
    # Most silences end with the next start; only those that do not need a look of their own.
    early = np.flatnonzero(hi_t < s.p - 1e-6)
    b[early] = switches.searchsorted(hi_t[early], side="left")
    left_hi[early] = to_p[early] - measured(hi_t[early], b[early])
    b = np.maximum(b, a)
    count = b - a
    which = np.repeat(np.arange(len(count)), count)
    index = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count) + a[which]
    rising = (index % 2 == 0) ^ signal.first
    return Windows(
        on[a].astype(float), on[b].astype(float), to_p - measured(lo_t, a), left_hi, switches[index] - s.e[which],
        np.where(rising, 1.0, -1.0),
    )  # fmt: skip


class _Events:
    """The holds at which anything changes, sorted for all the functions that step there.

    Nearly all of them are the ends `hi` of the silences, sorted once by the caller; the others are few and merged in.
    """

    def __init__(self, w: Windows, s: HoldGaps, by_hi: NDArray[np.intp]) -> None:
        self.w, self.by_hi = w, by_hi
        # Silences that count from no hold on are there from the beginning; only the others enter later.
        self.at_once = s.lo <= 0
        self.later = np.flatnonzero(~self.at_once)
        few, many = np.concatenate([s.lo[self.later], w.at]), s.hi[by_hi]
        self.few_order = np.argsort(few)
        few = few[self.few_order]
        self.few_at = many.searchsorted(few) + np.arange(len(few))
        self.many_at = np.ones(len(few) + len(many), bool)
        self.many_at[self.few_at] = False
        self.t = self._merged(few, many)

    def _merged(self, few: Array, many: Array) -> Array:
        out = np.empty(len(self.many_at))
        out[self.few_at], out[self.many_at] = few, many
        return out

    def _summed(self, at_once: Array, enters: Array, inside: Array, leaves: Array) -> tuple[float, Array]:
        few = np.concatenate([enters[self.later], inside])[self.few_order]
        return float(at_once[self.at_once].sum()), self._merged(few, leaves[self.by_hi])

    def drops(self) -> PiecewiseLinear:
        """How many silences count for T and have the signal on at e + T."""
        w = self.w
        base, jumps = self._summed(w.on_lo, w.on_lo, w.step, -w.on_hi)
        flat = np.zeros(len(self.t) + 1)
        return PiecewiseLinear(self.t, np.cumsum(np.concatenate([[base], jumps])), flat, flat)

    def remainders(self, base: float, sign: float) -> PiecewiseLinear:
        """base + sign * sum of the seconds from e + T to p over the silences that count for T.

        Within a window the seconds left fall with T while the signal is on, so the slope is minus the signal.
        """
        w = self.w
        more, jumps = self._summed(w.left_lo, w.left_lo, np.zeros(len(w.at)), -w.left_hi)
        steep, slopes = self._summed(w.on_lo, w.on_lo, w.step, -w.on_hi)
        slopes *= -sign
        return PiecewiseLinear(
            self.t,
            np.cumsum(np.concatenate([[base + sign * more], sign * jumps])),
            np.cumsum(np.concatenate([[-sign * steep], slopes])),
            np.cumsum(np.concatenate([[0.0], slopes * self.t])),
        )


# -- with people who react -----------------------------------------------------------------------------------------


class Outcome(NamedTuple):
    """What a hold comes to over the whole span: the instants of the false-offs, dark seconds and seconds lit while
    empty, and how often somebody waved and went to the switch."""

    false_off_at: Array
    dark_s: float
    wasted_s: float
    waves: int
    trips: int


class Curve(Protocol):
    """Whatever knows the outcome of every hold. `unlit_s`: dark seconds without supply, whatever the hold.

    Of a room with a ladder `dark` is while its light follows what is concluded; `unconditional`: while it is lit
    besides.
    """

    unlit_s: float

    def outcome(self, hold_s: float) -> Outcome:
        """Of a hold of less than KNOWN_S."""
        ...

    def light(self, hold_s: float) -> Signal:
        """The room's light with a hold."""
        ...

    def presence(self, hold_s: float) -> Signal:
        """While what lights the room holds, with a hold; where a hand switches on, what it switched."""
        ...


class WavingCurve:
    """`Curve` of a light that comes on by itself, while those left in the dark wave."""

    def __init__(
        self, start: Signal, keep: Signal, there: There, dark: Signal, who: OccupancyIntervals,
        sensors: tuple[WaveSensor, ...], unlit_s: float = 0.0, unconditional: Signal | None = None,
    ) -> None:  # fmt: skip
        self.unlit_s, self.unconditional = unlit_s, unconditional
        self.there = there
        self.start, self.keep, self.who, self.sensors = start, keep, who, sensors
        self.dark, self.need, self.nobody = dark, both(there.asking, dark), difference(dark, there.awake)
        self._known: dict[float, Outcome] = {}

    @cached_property
    def plain(self) -> Curves:
        """The curves without reactions."""
        return curves(self.start, self.keep, self.need, self.nobody)

    def outcome(self, hold_s: float) -> Outcome:
        """See Curve."""
        if hold_s not in self._known:
            did = react(self.start, self.keep, hold_s, self.who, self.sensors)
            lit, wasted = (
                float((signal.cumulative(did.light[:, 1]) - signal.cumulative(did.light[:, 0])).sum())
                for signal in (self.need, self.nobody)
            )
            drops = did.falls[self.need.at(did.falls)]
            idle_s = max(float(self.plain.idle_s(hold_s)) + wasted, 0.0)
            if self.unconditional is not None:
                drops = np.sort(
                    np.concatenate([drops, unnoticed_falls(self.unconditional, self._followed(did, hold_s), self.need)])
                )
                idle_s += (self.unconditional - self.there.awake).total()
            self._known[hold_s] = Outcome(
                drops,
                max(float(self.plain.dark_s(hold_s)) - lit, 0.0) + self.unlit_s,
                idle_s,
                len(did.waves),
                len(did.presses),
            )
        return self._known[hold_s]

    def light(self, hold_s: float) -> Signal:
        """See Curve."""
        lit = self._followed(react(self.start, self.keep, hold_s, self.who, self.sensors), hold_s)
        return lit if self.unconditional is None else lit | self.unconditional

    def presence(self, hold_s: float) -> Signal:
        """See Curve."""
        return self._concluded(react(self.start, self.keep, hold_s, self.who, self.sensors), hold_s)

    def _concluded(self, did: Reaction, hold_s: float) -> Signal:
        more = Signal.from_intervals(did.light, self.start.start, self.start.end)
        return self.start.start_keep(self.keep.hold(hold_s)) | more

    def _followed(self, did: Reaction, hold_s: float) -> Signal:
        """While it is lit by what is concluded."""
        return self._concluded(did, hold_s) & self.dark


def unnoticed_falls(unconditional: Signal, lit: Signal, need: Signal) -> Array:
    """The instants at which light that was on anyway goes out on somebody whom nothing has noticed."""
    falls = unconditional.falls
    return falls[need.at(falls) & ~lit.at(falls)]


class AnyConclusionCurve:
    """`Curve` of a light that follows a conclusion of whatever shape: each hold is concluded, and reacted to, by
    itself."""

    def __init__(
        self, expr: Expr, given: LeafInputs, there: There, dark: Signal, who: OccupancyIntervals,
        sensors: tuple[WaveSensor, ...], unlit_s: float = 0.0, unconditional: Signal | None = None,
    ) -> None:  # fmt: skip
        self.unlit_s, self.unconditional = unlit_s, unconditional
        self.expr, self.given, self.there, self.dark, self.who, self.sensors = expr, given, there, dark, who, sensors
        self._known: dict[float, Outcome] = {}

    def outcome(self, hold_s: float) -> Outcome:
        """See Curve."""
        if hold_s not in self._known:
            did, lit = self._lit(hold_s)
            need = light_demand(self.there, self.dark, self.unconditional)
            self._known[hold_s] = Outcome(
                false_offs(lit, need), (need - lit).total() + self.unlit_s, (lit - self.there.awake).total(),
                len(did.waves), len(did.presses),
            )  # fmt: skip
        return self._known[hold_s]

    def light(self, hold_s: float) -> Signal:
        """See Curve."""
        return self._lit(hold_s)[1]

    def presence(self, hold_s: float) -> Signal:
        """See Curve."""
        conclude = WavedConclusion(with_hold(self.expr, hold_s) or self.expr, self.given)
        did = react_to_conclusion(conclude, self.who, self.sensors)
        return conclude(did.reports, np.column_stack([did.presses, did.presses + PRESS_S]))

    def _lit(self, hold_s: float) -> tuple[Reaction, Signal]:
        expr = with_hold(self.expr, hold_s) or self.expr
        return reactive_light(expr, self.given, self.dark, self.who, self.sensors, self.unconditional)


def light_demand(there: There, dark: Signal, unconditional: Signal | None) -> Signal:
    """While somebody is to have the light they ask for."""
    return there.asking & (dark if unconditional is None else dark | unconditional)


def reactive_light(
    expr: Expr, given: LeafInputs, dark: Signal, who: OccupancyIntervals, sensors: tuple[WaveSensor, ...],
    unconditional: Signal | None = None,
) -> tuple[Reaction, Signal]:  # fmt: skip
    """What people do about a light that follows an expression, and that light."""
    conclude = WavedConclusion(expr, given)
    did = react_to_conclusion(conclude, who, sensors)
    lit = conclude(did.reports, np.column_stack([did.presses, did.presses + PRESS_S])) & dark
    return did, lit if unconditional is None else lit | unconditional


class ManualOnCurve:
    """`Curve` of a light that a hand switches on, and again when it has gone off on somebody; by what presence comes to
    at a hold, or else the `parts` that start it and that keep it for the hold. `pressed` walks through the presses;
    `press_s`: how long a press keeps it on at a hold, where the conclusion has no single one."""

    def __init__(
        self, presence: Callable[[float], Signal] | tuple[Signal, Signal], there: There, dark: Signal,
        unlit_s: float = 0.0, unconditional: Signal | None = None, pressed: PressTimes = press_times,
        press_s: Callable[[float], float] = lambda hold_s: hold_s,
    ) -> None:  # fmt: skip
        self.unlit_s, self.unconditional, self._pressed, self._press_s = unlit_s, unconditional, pressed, press_s
        self.there, self.dark = there, dark
        self.parts = None if callable(presence) else presence
        self._concluded = presence if callable(presence) else self._of_parts
        self._known: dict[float, Outcome] = {}

    def outcome(self, hold_s: float) -> Outcome:
        """See Curve."""
        if hold_s not in self._known:
            lit, pressed = self.lit(hold_s)
            need = light_demand(self.there, self.dark, self.unconditional)
            self._known[hold_s] = Outcome(
                false_offs(lit, need), (need - lit).total() + self.unlit_s, (lit - self.there.awake).total(), 0,
                len(pressed.again),
            )  # fmt: skip
        return self._known[hold_s]

    def light(self, hold_s: float) -> Signal:
        """See Curve."""
        return self.lit(hold_s)[0]

    def presence(self, hold_s: float) -> Signal:
        """See Curve."""
        presence = self._concluded(hold_s)
        lasts = self._press_s(hold_s)
        return manual_on(
            presence, switch_presses(presence, self.there.asking, self.dark, lasts, self._pressed).signal, lasts
        )

    def _of_parts(self, hold_s: float) -> Signal:
        assert self.parts is not None
        start, keep = self.parts
        return start.start_keep(keep.hold(hold_s))

    def lit(self, hold_s: float) -> tuple[Signal, SwitchPresses]:
        """The light with a hold, and the presses that it takes."""
        presence = self._concluded(hold_s)
        lasts = self._press_s(hold_s)
        pressed = switch_presses(presence, self.there.asking, self.dark, lasts, self._pressed)
        lit = manual_on(presence, pressed.signal, lasts) & self.dark
        return lit if self.unconditional is None else lit | self.unconditional, pressed


class FixedCurve:
    """`Curve` of a light that does not depend on what is concluded of its room: the same at every hold."""

    def __init__(self, lit: Signal, there: There, due: Signal, concluded: Callable[[float], Signal]) -> None:
        self.unlit_s, self.unconditional = 0.0, lit
        self._concluded, need = concluded, there.asking & due
        self._outcome = Outcome(false_offs(lit, need), (need - lit).total(), (lit - there.awake).total(), 0, 0)

    def outcome(self, hold_s: float) -> Outcome:
        """See Curve."""
        return self._outcome

    def light(self, hold_s: float) -> Signal:
        """See Curve."""
        return self.unconditional

    def presence(self, hold_s: float) -> Signal:
        """See Curve."""
        return self._concluded(hold_s)


class ButtonCurve:
    """`Curve` of a light that people also override with buttons: `below` is the curve without them, `lit` the light for
    a presence signal, `pressed` whether anybody could press."""

    def __init__(
        self, below: Curve, lit: Callable[[Signal], Signal], there: There, due: Signal,
        pressed: Callable[[Signal], bool],
    ) -> None:  # fmt: skip
        self._pressed = pressed
        self.unlit_s, self.unconditional = below.unlit_s, None
        self._below, self._light, self._awake, self._need = below, lit, there.awake, there.asking & due
        self._known: dict[float, Outcome] = {}

    def outcome(self, hold_s: float) -> Outcome:
        """See Curve."""
        if hold_s not in self._known:
            own, below = self._below.presence(hold_s), self._below.outcome(hold_s)
            if not self._pressed(own):
                self._known[hold_s] = below
                return below
            lit = self._light(own)
            dark_s, idle_s = (self._need - lit).total(), (lit - self._awake).total()
            self._known[hold_s] = Outcome(false_offs(lit, self._need), dark_s, idle_s, below.waves, below.trips)
        return self._known[hold_s]

    def light(self, hold_s: float) -> Signal:
        """See Curve."""
        return self._light(self._below.presence(hold_s))

    def presence(self, hold_s: float) -> Signal:
        """See Curve."""
        return self._below.presence(hold_s)
