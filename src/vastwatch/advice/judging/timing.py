"""The tuner: which hold time is right for a room, and why, from the curve of simulated weeks (M8, `hold_curves`)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.judging.delays import Delays, delays
from vastwatch.advice.judging.judge import (
    SHORTEST_SERVICE_S,
    HeldOut,
    Judgement,
    held_out,
    judge,
    legal_holds,
    settable_holds,
)
from vastwatch.advice.judging.requirements import in_words
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.simulation.hold_curves import AnyConclusionCurve, Curve, Outcome
from vastwatch.advice.simulation.room_simulation import nobody_there, room_replicate, tunable_conclusion
from vastwatch.control.lighting import made_by
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.memo import memoised
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.words import and_list, duration_words, false_off_limit_words, figure

Array = NDArray[np.float64]


# So many false-offs a day are beyond all hope; of so many holds the curve tells at the least.
HOPELESS_A_DAY, LEAST_HOLDS = 30.0, 12


@dataclass(frozen=True, eq=False)
class TimingCurve:
    """The curve of one presence, per day, sampled at settable holds, with the knee and the recommended setting.

    From some days of one seed alone it is a first look; `with_judgement` by the judge it recommends what other weeks
    bear out. `interval_s`: where nine of ten resamplings of the judge's seeds put the recommendation. `meets_brief`:
    whether a legal hold keeps to `limit_per_week`, the false-offs a week that the brief allows. `delays`: what to set
    instead, where the hold has no effect.
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
    judged: Judgement | None = None
    held_out: HeldOut | None = None
    delays: Delays | None = None

    def at(self, hold: float) -> tuple[float, float, float]:
        """False-offs, dark minutes and hours lit while empty per day for any hold time up to two hours."""
        drop_at, dark_s, idle_s, *_ = self.exact.outcome(hold)
        return len(drop_at) / self.days, dark_s / 60.0 / self.days, idle_s / 3600.0 / self.days

    def figures(self, hold: float) -> tuple[float, float, float]:
        """False-offs a week, dark minutes and hours lit while empty a day with a hold: the judge's, of all its weeks,
        where it has judged that hold, else those of the curve's own days."""
        j = self.judged
        if j is not None and hold in j.secondary:
            return j.metrics_at(hold)
        drops, dark, idle = self.at(hold)
        return drops * 7.0, dark, idle


def timing_curve(project: Project, room: str, days: int | None = None, seed: int = 1) -> TimingCurve:
    """A first look at the hold time of a room's presence. Raises ValueError with a sentence where there is nothing to
    tune."""
    days = settings().days if days is None else days
    return curve_of(rehearse(project, days, seed), room)


def curve_of(rehearsal: Rehearsal, room: str) -> TimingCurve:
    """The timing curve from a rehearsal that has been run."""
    project = rehearsal.project
    weeks = room_replicate(project, room, rehearsal.truth, rehearsal.recording)
    if weeks.there.awake.total() == 0:
        raise ValueError(nobody_there(project, room))
    presence, days, exact = tunable_conclusion(project, room), weeks.days, weeks.curve
    holds = settable_holds()
    if isinstance(exact, AnyConclusionCurve):
        outcomes = _until_hopeless(exact, holds, days)
        holds = holds[-len(outcomes) :]
    else:
        outcomes = [exact.outcome(float(h)) for h in holds]
    drops = np.array([len(o.false_off_at) for o in outcomes]) / days
    dark = np.array([o.dark_s for o in outcomes]) / 60.0 / days
    idle = np.array([o.wasted_s for o in outcomes]) / 3600.0 / days
    per_week = needs_of(project, find(project.rooms, room)).drops_per_week
    knee = float(max(holds[_knee(idle, dark)], SHORTEST_SERVICE_S))
    legal = np.flatnonzero(np.isin(holds, legal_holds(project, room)))
    meets = legal[drops[legal] <= per_week / 7.0 + 1e-12]
    best = int(meets[0] if len(meets) else legal[np.argmin(drops[legal])])
    recommended = float(holds[best])
    words = duration_words(recommended)
    often = figure(7 * drops[best])
    look = f"First estimate from {days} days: with {words} {often} false-offs a week. Other weeks decide."
    makes = made_by(project, room)
    reason = look if makes == "presence" else f"{MADE_BY[makes]} Other weeks decide what to set instead."
    return TimingCurve(
        room, presence.id, days, holds, drops, dark, idle, knee, recommended, (recommended, recommended),
        len(meets) > 0, hold_of(presence.expr) or 0.0, reason, exact, per_week,
    )  # fmt: skip


def _until_hopeless(exact: AnyConclusionCurve, holds: Array, days: int) -> list[Outcome]:
    """What holds come to, from the longest down to where it is hopeless: each is simulated by itself, and the shorter
    the longer that takes."""
    out: list[Outcome] = []
    for hold in reversed(holds.tolist()):
        out.append(exact.outcome(hold))
        if len(out) >= LEAST_HOLDS and len(out[-1].false_off_at) > HOPELESS_A_DAY * days:
            break
    return out[::-1]


def with_judgement(
    project: Project, curve: TimingCurve, judged: Judgement, held: HeldOut, instead: Delays | None = None
) -> TimingCurve:
    """A curve with the recommendation of the judge, what weeks that were not used to choose gave with it, and why;
    `instead`: what to set where the hold has no effect."""
    curve = replace(
        curve, recommended_s=judged.recommended_s, interval_s=judged.recommended_interval_s(),
        meets_brief=judged.best_s is not None, judged=judged, held_out=held, delays=instead,
    )  # fmt: skip
    by_hold = judged.made_by == "presence"
    return replace(curve, reason=_reason(project, curve, judged, held) if by_hold else _reason_instead(curve, judged))


def tune(
    project: Project,
    room: str,
    days: int | None = None,
    seed: int = 1,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> TimingCurve:
    """The timing curve of some days under a seed, settled by the judge. Raises ValueError as `timing_curve`."""
    days = settings().days if days is None else days
    curve = cached_curve(rehearse(project, days, seed), room)
    by_hold = made_by(project, room) == "presence"
    share = 0.7 if by_hold else 0.2
    judged = judge(project, room, settings().days, None, should_continue, lambda s: report_progress(share * s))
    held = held_out(project, room, judged.recommended_s, settings().days, None, should_continue)
    rest = delays(project, room, should_continue, lambda s: report_progress(share + (1.0 - share) * s))
    report_progress(1.0)
    return with_judgement(project, curve, judged, held, rest)


# Why no hold is recommended where the light asks nothing of what is concluded of its room.
MADE_BY = {
    "zones": "Its lamps follow zones, so the room's hold time has no effect.",
    "rows": "Its rows do not use the room's conclusion, so its hold time has no effect.",
}


def _reason_instead(c: TimingCurve, j: Judgement) -> str:
    """What is recommended where the hold has no effect."""
    parts = [MADE_BY[j.made_by]]
    drops, dark, idle = j.metrics_at(j.current_s)
    now = (
        f"{figure(drops)} false-offs a week, {figure(dark)} min a day in the dark and {figure(idle)} h lit while empty"
    )
    d = c.delays
    if d is None:
        parts.append(f"Nothing they use has a delay to set. Now: {now}.")
        missed = [m for m in j.needs_at(j.current_s) if not m.passed]
    else:
        drops, dark, idle = d.judged.metrics_at(d.judged.current_s)
        then = (
            f"{figure(drops)} false-offs a week in {d.judged.weeks} simulated weeks, "
            f"{figure(d.held.drops_per_week)} in {d.held.weeks} other weeks, {figure(dark)} min a day in the dark "
            f"and {figure(idle)} h lit while empty"
        )
        whole = ", which meets every need" if d.judged.meets_now else ""
        if d.changes:
            set_to = and_list(
                [f"the {x.name} to {duration_words(x.seconds)} (now {duration_words(x.before_s)})" for x in d.changes]
            )
            parts.append(f"Set {set_to}: {then}{whole}. Now: {now}.")
        else:
            parts.append(f"Its delays are best as they are: {then}{whole}.")
        missed = [m for m in d.judged.needs_at(d.judged.current_s) if not m.passed]
    if missed:
        parts.append(f"Not fixed by any delay: {'; '.join(map(in_words, missed))}.")
    return " ".join(parts)


def _reason(project: Project, c: TimingCurve, j: Judgement, held: HeldOut) -> str:
    limit, best = false_off_limit_words(c.limit_per_week), duration_words(c.recommended_s)
    drops, dark, idle = j.metrics_at(c.recommended_s)
    checked = f"{figure(held.drops_per_week)} in {held.weeks} other weeks"
    parts = []
    if c.meets_brief:
        parts.append(
            f"{best} is the shortest hold time that meets the brief's limit of {limit}, also in other weeks: "
            f"{figure(drops)} a week in {j.weeks} simulated weeks, {checked}; {figure(idle)} h a day lit while empty."
        )
    elif not j.checks_at(c.recommended_s)[0].passed:
        longest = duration_words(j.legal_s[-1])
        parts.append(
            f"No hold time up to the {longest} allowed by the brief reliably meets its limit of {limit}; {best} "
            f"comes closest, with {figure(drops)} false-offs a week and {figure(dark)} min a day in the dark "
            f"({checked}). A sensor that notices people at rest would help more than a longer hold time."
        )
    else:
        longest = duration_words(j.legal_s[-1])
        parts.append(
            f"No hold time up to the {longest} allowed by the brief meets every need; {best} fails on fewest, with "
            f"{figure(drops)} false-offs a week ({checked}) and {figure(idle)} h a day lit while empty."
        )
    missed = [m for m in j.needs_at(c.recommended_s) if not m.passed and m.need != "hold_s"]
    uncured = [m for m in missed if not j.cured_by_some_hold(m.need)]
    by_others = [m for m in missed if m not in uncured]
    if by_others:
        parts.append(
            f"Not met at this hold time, but at others that fail on more: {'; '.join(map(in_words, by_others))}."
        )
    if uncured and (len(uncured) > 1 or uncured[0].need != "drops_per_week"):
        parts.append(f"Not fixed by any hold time: {'; '.join(map(in_words, uncured))}.")
    if abs(c.current_s - c.recommended_s) > 0.5 and c.current_s in j.holds.tolist():
        now = j.metrics_at(c.current_s)
        parts.append(
            f"Now, at {duration_words(c.current_s)}: {figure(now[0])} false-offs a week, {figure(now[1])} min a day in "
            f"the dark and {figure(now[2])} h lit while empty."
        )
    here, more = c.at(c.recommended_s), c.at(c.recommended_s + 60)
    parts.append(
        f"One minute more would save {figure(max(here[1] - more[1], 0))} min of dark a day and add "
        f"{max(more[2] - here[2], 0) * 60:.0f} min lit while empty."
    )
    lo, hi = c.interval_s
    if hi > lo:
        parts.append(
            f"Based on other weeks, the recommendation would be between {duration_words(lo)} and {duration_words(hi)}."
        )
    if find(project.rooms, c.room).control == "absence":
        parts.append("The light is switched on by hand here, and again after each false-off.")
    return " ".join(parts)


def _knee(x: Array, y: Array) -> int:
    """The point of a falling curve farthest below the chord of its ends, both axes scaled to their range."""
    xs, ys = np.ptp(x), np.ptp(y)
    if xs <= 0 or ys <= 0:
        return 0
    u, v = (x - x.min()) / xs, (y - y.min()) / ys
    du, dv = u[-1] - u[0], v[-1] - v[0]
    distance = (u - u[0]) * dv - (v - v[0]) * du
    return int(np.argmax(np.abs(distance)))


@memoised
def cached_curve(rehearsal: Rehearsal, room: str) -> TimingCurve:
    """`curve_of`, kept by the identity of the rehearsal."""
    return curve_of(rehearsal, room)
