"""The tuner: which hold time is right for a room, and why, from the curve of weeks its people live (M8, `curves`)."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.curves import Curve
from vastwatch.advice.judge import SHORTEST_SERVICE_S, settable_holds
from vastwatch.advice.weeks import Lived, lived_in, tunable
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.memo import kept
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.words import drops_words, duration_words

Array = NDArray[np.float64]

# Resamplings of the days for the interval around the recommendation.
RESAMPLES = 200
# Days a tuning rehearses when not told otherwise.
TUNING_DAYS = 28


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
    exact: Curve
    limit_per_week: float

    def at(self, hold: float) -> tuple[float, float, float]:
        """Drops, dark minutes and idle hours per day for any hold time up to two hours."""
        drop_at, dark_s, idle_s, *_ = self.exact.outcome(hold)
        return len(drop_at) / self.days, dark_s / 60.0 / self.days, idle_s / 3600.0 / self.days


def timing_curve(project: Project, room: str, days: int = TUNING_DAYS, seed: int = 1) -> TimingCurve:
    """Tune the hold time of a room's presence. Raises ValueError with a sentence where there is nothing to tune."""
    return curve_of(rehearse(project, days, seed), room)


def curve_of(rehearsal: Rehearsal, room: str) -> TimingCurve:
    """The timing curve from a rehearsal that has been run. Cached by presence, signals and brief."""
    weeks = lived_in(rehearsal.project, room, rehearsal.truth, rehearsal.recording)
    return _tuned(rehearsal.project, room, weeks)


def _tuned(project: Project, room: str, weeks: Lived) -> TimingCurve:
    presence, days, exact = tunable(project, room), weeks.days, weeks.curve
    holds = settable_holds()
    outcomes = [exact.outcome(float(h)) for h in holds]
    drops = np.array([len(o.drop_at) for o in outcomes]) / days
    dark = np.array([o.dark_s for o in outcomes]) / 60.0 / days
    idle = np.array([o.idle_s for o in outcomes]) / 3600.0 / days
    per_week = needs_of(project, find(project.rooms, room)).drops_per_week
    limit = per_week / 7.0
    knee = max(holds[_knee(idle, dark)], SHORTEST_SERVICE_S)
    i = _first_meeting(drops, limit, holds)
    recommended = float(knee if i is None else holds[i])
    by_day = np.array([np.bincount(weeks.calendar.days_of(o.drop_at), minlength=days) for o in outcomes]).T
    interval = _interval(by_day, holds, limit, recommended)
    curve = TimingCurve(
        room, presence.id, days, holds, drops, dark, idle, float(knee), recommended, interval, i is not None,
        hold_of(presence.expr) or 0.0, "", exact, per_week,
    )  # fmt: skip
    return _with_reason(curve, per_week)


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
