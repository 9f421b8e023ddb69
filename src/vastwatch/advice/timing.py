"""M8: the timing curve. Dark time against burning for nobody, for every hold time at once and exactly.

Let K be what keeps the light (the merged reports under the hold) and S what starts it; S is part of K. Each time K
falls silent at e, the light goes out at e + T, unless K speaks again within the hold T, and then stays out until the
next rise p of S. Of several silences before the same p only one can be the one that counts, for any T: the first
that is longer than T. So silence i counts for T in [lo, hi), with hi its own length and lo the longest silence
between the last rise of S and it; silences with lo >= hi never count. Where S is K, lo is 0 and p ends the silence,
and this is the plain curve of one merged report.

With the measures C (seconds of need up to t) and W (seconds of dark with nobody awake up to t), a counting silence
adds C(p) - C(e + T) to the dark time, takes W(p) - W(e + T) from the burning for nobody, and is a drop if there is
need at e + T. All three are piecewise linear in T; their break points are lo, hi and the switchings of need and
nobody between e + lo and e + hi. Sorting them once gives the whole curve in O(n log n).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.control.house import concluded
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Expr, Hold, StartKeep
from vastwatch.design.relations import presence_of
from vastwatch.memo import kept
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.signals import Calendar, Signal
from vastwatch.words import drops_words, duration_words

Array = NDArray[np.float64]

# The longest hold time recommended, and the longest the curve is known for, seconds.
LONGEST_S = 3600.0
KNOWN_S = 7201.0
# Shorter holds are for testing on the ladder; none is recommended for service, seconds.
SHORTEST_SERVICE_S = 30.0
# Resamplings of the days for the interval around the recommendation.
RESAMPLES = 200
# Days a tuning rehearses when not told otherwise.
TUNING_DAYS = 28


def settable_holds() -> Array:
    """Hold times as people set them: 5 s steps to a minute, 15 s to 5 min, 30 s to 10 min, then minutes."""
    return np.concatenate(
        [
            np.arange(5, 60, 5),
            np.arange(60, 300, 15),
            np.arange(300, 600, 30),
            np.arange(600, LONGEST_S + 1, 60),
        ]
    ).astype(float)


class Silences(NamedTuple):
    """Silences that count for some hold: end of the report `e`, next start `p`, and the holds [lo, hi); all (n,)."""

    e: Array
    p: Array
    lo: Array
    hi: Array


class Steps(NamedTuple):
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


def silences(start: Signal, keep: Signal) -> Silences:
    """The silences of `keep` that count for some hold time, given what starts the light. `start` within `keep`."""
    rows = keep.intervals
    rises = start.rises
    if len(rows) == 0 or len(rises) == 0:
        return Silences(*(np.empty(0) for _ in range(4)))
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
        longest, group = 0.0, -1
        lows = []
        for k, length in zip(i.tolist(), hi.tolist()):
            if k != group:
                longest, group = 0.0, k
            lows.append(longest)
            longest = max(longest, length)
        lo = np.array(lows)
    # A hold that outlasts the span leaves the light burning to its end.
    hi = np.minimum(hi, keep.end - e)
    counts = hi > lo
    return Silences(e[counts], p[counts], lo[counts], hi[counts])


class Curves(NamedTuple):
    """Drops, dark seconds and idle seconds over the whole span, as functions of the hold time."""

    drops: Steps
    dark_s: Steps
    idle_s: Steps


def curves(start: Signal, keep: Signal, need: Signal, nobody: Signal, longest: float = KNOWN_S) -> Curves:
    """The exact curves for holds in [0, longest). `need`: somebody awake in the dark; `nobody`: dark without."""
    s = silences(start, keep)
    near = s.lo < longest
    if not near.all():
        s = Silences(*(part[near] for part in s))
    s = s._replace(hi=np.minimum(s.hi, longest))
    first = float(start.rises[0]) if len(start.rises) else need.end
    idle_all = nobody.total() - float(nobody.measure(first))
    by_hi = np.argsort(s.hi)
    needed, wasted = _Events(_windows(need, s), s, by_hi), _Events(_windows(nobody, s), s, by_hi)
    dark = needed.remainders(float(need.measure(first)), +1.0)
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


def _windows(signal: Signal, s: Silences) -> Windows:
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

    def __init__(self, w: Windows, s: Silences, by_hi: NDArray[np.intp]) -> None:
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

    def drops(self) -> Steps:
        """How many silences count for T and have the signal on at e + T."""
        w = self.w
        base, jumps = self._summed(w.on_lo, w.on_lo, w.step, -w.on_hi)
        flat = np.zeros(len(self.t) + 1)
        return Steps(self.t, np.cumsum(np.concatenate([[base], jumps])), flat, flat)

    def remainders(self, base: float, sign: float) -> Steps:
        """base + sign * sum of the seconds from e + T to p over the silences that count for T.

        Within a window the seconds left fall with T while the signal is on, so the slope is minus the signal.
        """
        w = self.w
        more, jumps = self._summed(w.left_lo, w.left_lo, np.zeros(len(w.at)), -w.left_hi)
        steep, slopes = self._summed(w.on_lo, w.on_lo, w.step, -w.on_hi)
        slopes *= -sign
        return Steps(
            self.t,
            np.cumsum(np.concatenate([[base + sign * more], sign * jumps])),
            np.cumsum(np.concatenate([[-sign * steep], slopes])),
            np.cumsum(np.concatenate([[0.0], slopes * self.t])),
        )


# -- the tuner -----------------------------------------------------------------------------------------------------


@dataclass(frozen=True, eq=False)
class TimingCurve:
    """The curve of one presence, per day, sampled at settable holds, with the knee and the recommended setting.

    `interval_s`: where nine of ten resamplings of the days put the recommendation. `meets_brief`:
    whether any settable hold keeps to `limit_per_week`, the drops a week that the brief allows.
    """

    room: str
    presence: str
    days: int
    hold_s: Array
    drops_per_day: Array
    dark_min_per_day: Array
    idle_h_per_day: Array
    knee_s: float
    recommended_s: float
    interval_s: tuple[float, float]
    meets_brief: bool
    current_s: float
    reason: str
    exact: Curves
    limit_per_week: float

    def at(self, hold: float) -> tuple[float, float, float]:
        """Drops, dark minutes and idle hours per day for any hold time up to two hours."""
        drops, dark_s, idle_s = (max(float(curve(hold)), 0.0) for curve in self.exact)
        return drops / self.days, dark_s / 60.0 / self.days, idle_s / 3600.0 / self.days


def tunable(expr: Expr) -> tuple[Expr, Expr] | None:
    """What starts and what keeps, for an expression with one hold time; None for another shape."""
    if isinstance(expr, Hold):
        return expr.of, expr.of
    if isinstance(expr, StartKeep) and isinstance(expr.keep, Hold):
        return expr.start, expr.keep.of
    return None


def timing_curve(project: Project, room: str, days: int = TUNING_DAYS, seed: int = 1) -> TimingCurve:
    """Tune the hold time of a room's presence. Raises ValueError with a sentence where there is nothing to tune."""
    return curve_of(rehearse(project, days, seed), room)


def curve_of(rehearsal: Rehearsal, room: str) -> TimingCurve:
    """The timing curve from a rehearsal that has been run. Cached by presence, signals and brief."""
    project = rehearsal.project
    name = find(project.rooms, room).name
    presence = presence_of(project, room)
    if presence is None:
        raise ValueError(f"{name} has no presence to tune: place a sensor in it first")
    if rehearsal.house.served(room) is None:
        raise ValueError(f"{name} has no lamp that presence could light")
    parts = tunable(presence.expr)
    if parts is None:
        raise ValueError(f"the presence of {name} has no single hold time to tune")
    start, keep = (concluded(p, rehearsal.recording) for p in parts)
    if (start - keep).total() > 0:
        raise ValueError(f"{name}: what starts the light must also keep it before its hold time can be tuned")
    awake, dark = rehearsal.awake(room), rehearsal.house.dark(room)
    exact = curves(start, keep, rehearsal.needs_light(room), dark - awake)
    return _tuned(rehearsal, room, presence.id, hold_of(presence.expr) or 0.0, exact, start, keep)


def _tuned(
    r: Rehearsal, room: str, presence: str, current: float, exact: Curves, start: Signal, keep: Signal
) -> TimingCurve:
    days = r.days
    holds = settable_holds()
    drops = exact.drops(holds) / days
    dark = exact.dark_s(holds) / 60.0 / days
    idle = exact.idle_s(holds) / 3600.0 / days
    per_week = needs_of(r.project, find(r.project.rooms, room)).drops_per_week
    limit = per_week / 7.0
    knee = max(holds[_knee(idle, dark)], SHORTEST_SERVICE_S)
    i = _first_meeting(drops, limit, holds)
    recommended = float(knee if i is None else holds[i])
    by_day = _by_day(start, keep, r.needs_light(room), holds, r.calendar)
    interval = _interval(by_day, holds, limit, recommended)
    curve = TimingCurve(
        room, presence, days, holds, drops, dark, idle, float(knee), recommended, interval, i is not None, current,
        "", exact, per_week,
    )  # fmt: skip
    curve = _with_reason(curve, per_week)
    if find(r.project.rooms, room).control == "absence":
        # The curve reckons with a light that comes on by itself; by hand it never comes on for a passer-by.
        note = "The light is switched on by hand here, so it burns for nobody less than the curve says."
        curve = replace(curve, reason=f"{curve.reason} {note}")
    return curve


def _with_reason(c: TimingCurve, per_week: float) -> TimingCurve:
    now, best = c.at(c.current_s), c.at(c.recommended_s)
    limit = drops_words(per_week)
    parts = []
    if c.meets_brief:
        parts.append(
            f"{duration_words(c.recommended_s)} is the shortest hold fit for service that meets the brief's {limit}: "
            f"{best[0] * 7:.1f} a week, {best[2]:.1f} h a day burning for nobody."
        )
    else:
        parts.append(
            f"No hold up to an hour meets the brief's {limit}; {duration_words(c.recommended_s)} is the knee, with "
            f"{best[0] * 7:.1f} drops a week. A sensor that sees stillness would help more than a longer hold."
        )
    if abs(c.current_s - c.recommended_s) > 0.5:
        parts.append(
            f"Now, at {duration_words(c.current_s)}, it is {now[0] * 7:.1f} drops a week, "
            f"{now[1]:.1f} min a day in the dark and {now[2]:.1f} h burning."
        )
    more = c.at(c.recommended_s + 60)
    parts.append(
        f"One minute more would spare {max(best[1] - more[1], 0):.1f} min of dark a day "
        f"and burn {max(more[2] - best[2], 0) * 60:.0f} min more."
    )
    lo, hi = c.interval_s
    if hi > lo:
        parts.append(f"Other days like these would put it between {duration_words(lo)} and {duration_words(hi)}.")
    return replace(c, reason=" ".join(parts))


def _first_meeting(drops: Array, limit: float, holds: Array) -> int | None:
    """Index of the first hold fit for service from which on the drops stay within the limit."""
    over = np.flatnonzero(drops > limit + 1e-12)
    i = max(int(over[-1]) + 1 if len(over) else 0, int(np.searchsorted(holds, SHORTEST_SERVICE_S)))
    return i if i < len(drops) else None


def _knee(x: Array, y: Array) -> int:
    """The point of a falling curve farthest below the chord of its ends, both axes scaled to their range."""
    xs, ys = np.ptp(x), np.ptp(y)
    if xs <= 0 or ys <= 0:
        return 0
    u, v = (x - x.min()) / xs, (y - y.min()) / ys
    du, dv = u[-1] - u[0], v[-1] - v[0]
    distance = (u - u[0]) * dv - (v - v[0]) * du
    return int(np.argmax(np.abs(distance)))


def _by_day(start: Signal, keep: Signal, need: Signal, holds: Array, calendar: Calendar) -> Array:
    """Drops by day of the silence and hold time, (days, holds)."""
    s, days = silences(start, keep), calendar.days
    day = np.minimum(calendar.days_of(s.e), days - 1)
    out = np.zeros((days, len(holds)))
    for k, hold in enumerate(holds):
        hit = (s.lo <= hold) & (hold < s.hi)
        hit[hit] = need.at(s.e[hit] + hold)
        out[:, k] = np.bincount(day[hit], minlength=days)
    return out


def _interval(by_day: Array, holds: Array, limit: float, centre: float) -> tuple[float, float]:
    """5 % and 95 % of the recommendation over resampled days."""
    days = len(by_day)
    if days < 4:
        return centre, centre
    rng = np.random.default_rng(days)
    picks = rng.integers(0, days, (RESAMPLES, days))
    found = []
    for pick in picks:
        i = _first_meeting(by_day[pick].mean(axis=0), limit, holds)
        found.append(holds[-1] if i is None else holds[i])
    lo, hi = np.percentile(found, [5, 95], method="nearest")
    return float(lo), float(hi)


@kept
def cached_curve(rehearsal: Rehearsal, room: str) -> TimingCurve:
    """`curve_of`, kept by the identity of the rehearsal."""
    return curve_of(rehearsal, room)
