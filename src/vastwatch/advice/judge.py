"""The one judge of a room: its own rehearsed weeks, under its own needs, at the settings that can really be set.

Many seeds are lived, WEEKS of days each, and every legal hold is reckoned in all of them. A hold meets the brief when
other weeks like these would meet it with confidence SURE, not when these weeks happened to: the bound is that of a
count which varies more than chance alone would have it (quasi-Poisson), for as many weeks again.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.stats import chi2

from vastwatch.advice.weeks import Lived, lived, tunable
from vastwatch.control.by_hand import AGAIN_S
from vastwatch.control.reactions import TRIES, WAVE_AFTER_S
from vastwatch.design.needs import RoomNeeds, needs_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.rehearsal.scores import arrivals
from vastwatch.site.building import RoomUse

Array = NDArray[np.float64]

# Days under each seed; the seeds a hold is chosen on, and others that show what it is worth.
DAYS = 28
CHOSEN_ON: tuple[int, ...] = tuple(range(1, 21))
HELD_OUT: tuple[int, ...] = tuple(range(1001, 1021))
# The confidence that other weeks meet a limit, and that they lie in the stated interval.
SURE, WITHIN = 0.95, 0.95
# Shorter holds are for testing on the ladder; none is legal in service, seconds, but where hands are full and visits
# short.
SHORTEST_SERVICE_S, SHORTEST_S = 30.0, 5.0
BRIEF_VISITS: tuple[RoomUse, ...] = ("store",)
# The longest hold that is tried at all, seconds.
LONGEST_S = 3600.0
# So little dark a day is nobody's complaint, minutes.
LEAST_DARK_MIN = 0.5


def settable_holds() -> Array:
    """Hold times as people set them: 5 s steps to a minute, 15 s to 5 min, 30 s to 10 min, then minutes."""
    return np.concatenate(
        [np.arange(5, 60, 5), np.arange(60, 300, 15), np.arange(300, 600, 30), np.arange(600, LONGEST_S + 1, 60)]
    ).astype(float)


def legal_holds(project: Project, room: str) -> Array:
    """The holds that can be set and that the brief allows, ascending; the least there is where it allows none."""
    record = find(project.rooms, room)
    shortest = SHORTEST_S if record.use in BRIEF_VISITS else SHORTEST_SERVICE_S
    holds = settable_holds()
    holds = holds[holds >= shortest]
    allowed = holds[holds <= needs_of(project, record).hold_max_s]
    return allowed if len(allowed) else holds[:1]


@dataclass(frozen=True)
class Met:
    """One need of a room: what it came to, the most it may be, and what other weeks would bring, [low, high]."""

    need: str
    value: float
    limit: float
    low: float
    high: float

    @property
    def met(self) -> bool:
        """Whether other weeks meet it, with confidence SURE."""
        return self.high <= self.limit + 1e-9


@dataclass(frozen=True)
class HeldOut:
    """What weeks that were not used to choose a hold gave with it."""

    seeds: tuple[int, ...]
    drops_per_week: float
    dark_min_per_day: float


@dataclass(frozen=True, eq=False)
class Judgement:
    """A room judged at every legal hold: (seeds, holds) arrays of drops a week, dark minutes, idle hours, waves and
    ways to the switch a day. `best_s`: the shortest legal hold that meets the needs, None where none does."""

    room: str
    seeds: tuple[int, ...]
    days: int
    needs: RoomNeeds
    holds: Array
    drops: Array
    dark_min: Array
    idle_h: Array
    waves: Array
    trips: Array
    arrivals_per_day: float
    best_s: float | None
    current_s: float

    def at(self, hold_s: float) -> tuple[Met, ...]:
        """Each need at a legal hold. Raises ValueError for another."""
        return self._needs_at(self._place(hold_s))

    def figures(self, hold_s: float) -> tuple[float, float, float]:
        """Drops a week, dark minutes and idle hours a day at a legal hold, over all seeds. Raises ValueError."""
        k = self._place(hold_s)
        return tuple(float(a[:, k].mean()) for a in (self.drops, self.dark_min, self.idle_h))  # type: ignore[return-value]

    def drops_within(self, hold_s: float) -> tuple[float, float]:
        """Where the drops a week of as many other weeks lie, with confidence WITHIN."""
        k = self._place(hold_s)
        tail = (1.0 - WITHIN) / 2.0
        weeks = self.days / 7.0
        return tuple(_bound(self.drops[:, k] * weeks, weeks, p) for p in (tail, 1.0 - tail))  # type: ignore[return-value]

    @property
    def dark_limit_min(self) -> float:
        """The dark a day that the needs allow: the notice time at each arrival, and for each drop allowed the waves
        that may be in vain and the way to the switch."""
        waved = self.needs.drops_per_week / 7.0 * (TRIES * WAVE_AFTER_S + AGAIN_S)
        return max((self.arrivals_per_day * self.needs.notice_s + waved) / 60.0, LEAST_DARK_MIN)

    def _place(self, hold_s: float) -> int:
        found = np.flatnonzero(np.abs(self.holds - hold_s) < 1e-6)
        if len(found) == 0:
            raise ValueError(f"{hold_s:g} s is no hold that is judged here")
        return int(found[0])

    def _needs_at(self, k: int) -> tuple[Met, ...]:
        weeks = self.days / 7.0
        counts = self.drops[:, k] * weeks
        dark = self.dark_min[:, k]
        spread = float(dark.std(ddof=1)) * math.sqrt(2.0 / len(dark)) if len(dark) > 1 else 0.0
        return (
            Met(
                "drops_per_week", float(self.drops[:, k].mean()), self.needs.drops_per_week,
                _bound(counts, weeks, 1.0 - SURE), _bound(counts, weeks, SURE),
            ),
            Met(
                "dark_min_per_day", float(dark.mean()), self.dark_limit_min,
                max(float(dark.mean()) - 1.7 * spread, 0.0), float(dark.mean()) + 1.7 * spread,
            ),
            Met(
                "hold_s", float(self.holds[k]), self.needs.hold_max_s, float(self.holds[k]), float(self.holds[k])
            ),
        )  # fmt: skip


def judge(
    project: Project,
    room: str,
    days: int = DAYS,
    seeds: Sequence[int] = CHOSEN_ON,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> Judgement:
    """Judge a room at every legal hold, over `days` under each seed.

    `should_continue` is asked between seeds; when it says no, what has been lived so far counts. Raises ValueError
    with a sentence where there is no hold to set.
    """
    presence = tunable(project, room)
    holds = legal_holds(project, room)
    now = hold_of(presence.expr) or 0.0
    if not (np.abs(holds - now) < 1e-6).any() and SHORTEST_S <= now <= LONGEST_S:
        # What is set today is judged as well, legal or not.
        holds = np.sort(np.append(holds, now))
    rows, came = [], []
    used = []
    for k, seed in enumerate(seeds):
        weeks = lived(project, room, days, seed)
        rows.append([_of(weeks, float(h)) for h in holds])
        came.append(_arrivals(weeks))
        used.append(seed)
        report_progress((k + 1) / len(seeds))
        if not should_continue():
            break
    table = np.array(rows).transpose(2, 0, 1)
    needs = needs_of(project, find(project.rooms, room))
    drops, dark, idle, waves, trips = table
    out = Judgement(
        room, tuple(used), days, needs, holds, drops * 7.0, dark, idle, waves, trips, float(np.mean(came)), None, now
    )
    legal = set(legal_holds(project, room).tolist())
    best = next((float(h) for h in holds if float(h) in legal and all(m.met for m in out.at(float(h)))), None)
    return Judgement(**{**out.__dict__, "best_s": best})


def held_out(project: Project, room: str, hold_s: float, days: int = DAYS, seeds: Sequence[int] = HELD_OUT) -> HeldOut:
    """What weeks that were not used to choose give with a hold. Raises ValueError as `judge`."""
    rows = np.array([_of(lived(project, room, days, seed), hold_s) for seed in seeds])
    return HeldOut(tuple(seeds), float(rows[:, 0].mean()) * 7.0, float(rows[:, 1].mean()))


def _of(weeks: Lived, hold_s: float) -> tuple[float, float, float, float, float]:
    """Drops, dark minutes, idle hours, waves and ways to the switch per day with a hold."""
    o = weeks.curve.outcome(hold_s)
    days = weeks.days
    return (
        len(o.drop_at) / days, o.dark_s / 60.0 / days, o.idle_s / 3600.0 / days, o.waves / days, o.trips / days
    )  # fmt: skip


def _arrivals(weeks: Lived) -> float:
    """Arrivals into the dark a day, were the light never on."""
    never = weeks.dark & ~weeks.dark
    came, _ = arrivals(never, weeks.awake, weeks.dark)
    return len(came) / weeks.days


def _bound(counts: Array, weeks: float, p: float) -> float:
    """The p-quantile of the drops a week in as many weeks again as `counts` were counted in, `weeks` each.

    Of a rate that was estimated from n weeks, the mean over m other weeks varies as that over 1 / (1/n + 1/m) weeks
    would about the true rate; a Poisson bound (Garwood 1936) there, its counts made as many times rarer as they vary
    more than Poisson's would.
    """
    n = len(counts)
    mean = float(counts.mean())
    over = 1.0
    if n > 1 and mean > 0:
        over = max(float(counts.var(ddof=1)) / mean, 1.0)
    exposure = n * weeks / 2.0
    k = mean * n / 2.0 / over
    if p >= 0.5:
        return float(chi2.ppf(p, 2.0 * k + 2.0)) / 2.0 * over / exposure
    return 0.0 if k <= 0 else float(chi2.ppf(p, 2.0 * k)) / 2.0 * over / exposure
