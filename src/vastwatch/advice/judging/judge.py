"""The one judge of a room: its own simulated weeks, under its own needs, at the settings that can really be set.

Many seeds are simulated, WEEKS of days each, and every legal hold is reckoned in all of them. A hold meets the brief
when other weeks like these would meet it with confidence SURE, not when these weeks happened to: the bound is that of a
count which varies more than chance alone would have it (quasi-Poisson), for as many weeks again.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.judging.requirements import (
    FALSE_STARTS_A_DAY,
    SURE,
    WITHIN,
    RequirementCheck,
    mean_margin,
    secondary_checks,
    secondary_outcomes,
    violation,
)
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.simulation.curve_batch import CurveBatch, curve_batch
from vastwatch.advice.simulation.hold_curves import KNOWN_S
from vastwatch.advice.simulation.room_simulation import (
    RoomReplicate,
    dark_arrivals,
    lighting_conclusion,
    nobody_there,
    simulate_room_batch,
)
from vastwatch.control.lighting import Makes, made_by
from vastwatch.control.manual.manual_switching import AGAIN_S
from vastwatch.control.manual.reactions import MAX_VAIN_WAVES
from vastwatch.design.needs import RoomNeeds, needs_of
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.distributions import chi_square_quantile
from vastwatch.memo import MEMO
from vastwatch.site.building import RoomUse
from vastwatch.site.people import WAVE_AFTER_S

Array = NDArray[np.float64]

# Shorter holds are for testing on the ladder; none is legal in service, seconds, but where hands are full and visits
# short.
SHORTEST_SERVICE_S, SHORTEST_S = 30.0, 5.0
BRIEF_VISITS: tuple[RoomUse, ...] = ("store",)
# Seeds are simulated in steps, up to so many each; once there are a few, holds of which it is settled with this
# confidence whether they could be chosen are looked at no more.
STEPS, A_FEW, SETTLED = (3, 8, 14), 3, 0.999
# Of those that show what it is worth so many are simulated at once.
AT_ONCE = 5
# A hold that goes off on somebody so many times and so many times too often in every seed is far off.
MANY, FAR_OFF = 20, 8.0
# So many holds that keep to the limits of false-offs, dark and light while empty are asked whether they meet all the
# rest.
FINE = 3
# The longest hold that is tried at all, seconds.
LONGEST_S = 3600.0
# So little dark a day is nobody's complaint, minutes.
LEAST_DARK_MIN = 0.5
# Of outcomes as they are told: dark in minutes, light while empty in hours.
IN_UNITS = 1.0, 60.0, 3600.0, 1.0, 1.0


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


def dark_limit_min(needs: RoomNeeds, arrivals_per_day: float) -> float:
    """The minutes of dark a day that a room's needs allow: the notice time at each arrival, and for each false-off
    allowed the waves that may be in vain and the trip to the switch."""
    waved = needs.drops_per_week / 7.0 * (MAX_VAIN_WAVES * WAVE_AFTER_S + AGAIN_S)
    return max((arrivals_per_day * needs.notice_s + waved) / 60.0, LEAST_DARK_MIN)


def idle_limit_h(needs: RoomNeeds, visits_per_day: float) -> float:
    """The hours a day that a room's light may be on while empty: as it is said, or else the longest hold that is
    allowed after each visit and each false-on that is."""
    if needs.idle_h is not None:
        return needs.idle_h
    return (visits_per_day + FALSE_STARTS_A_DAY) * needs.hold_max_s / 3600.0


@dataclass(frozen=True)
class HeldOut:
    """What weeks that were not used to choose a hold gave with it."""

    seeds: tuple[int, ...]
    drops_per_week: float
    dark_min_per_day: float
    days: int

    @property
    def weeks(self) -> int:
        """How many weeks were simulated, under all seeds."""
        return round(len(self.seeds) * self.days / 7)


# How often seeds are resampled.
RESAMPLES = 100


@dataclass(frozen=True, eq=False)
class Judgement:
    """A room judged at every legal hold, and at the one set: (seeds, holds) arrays of false-offs a week, dark minutes,
    hours lit while empty, waves and trips to the switch a day. `legal_s`: the holds that may be recommended; `best_s`:
    the shortest of them that meets every need, None where none does; `made_by`: what makes the light, of which the
    hold is only one."""

    room: str
    seeds: tuple[int, ...]
    days: int
    needs: RoomNeeds
    holds: Array
    false_offs: Array
    dark_min: Array
    wasted_h: Array
    waves: Array
    switch_trips: Array
    arrivals_per_day: float
    visits_per_day: float
    legal_s: tuple[float, ...]
    current_s: float
    best_s: float | None = None
    # Legal holds that drop far too often, by those longer than they: of these the figures are the longer ones'.
    skipped_s: frozenset[float] = frozenset()
    # At each hold that was looked at: the needs that depend little on it.
    secondary: Mapping[float, tuple[RequirementCheck, ...]] = field(default_factory=dict)
    made_by: Makes = "presence"

    def needs_at(self, hold_s: float) -> tuple[RequirementCheck, ...]:
        """Every need at a hold that is judged; of one that goes off on somebody far too often, those that tell so.
        Raises ValueError for another."""
        return self.checks_at(hold_s) + self.secondary.get(hold_s, ())

    @property
    def violation(self) -> float:
        """By how many times the needs are missed at the recommended hold, all together; 0 where they are met."""
        return violation(self.needs_at(self.recommended_s))

    @property
    def meets(self) -> bool:
        """Whether every need is met at some legal hold: the one that is recommended."""
        return self.best_s is not None

    @property
    def meets_now(self) -> bool:
        """Whether every need is met at the hold that is set."""
        return self.current_s in self.holds and self.meets_at(self.current_s)

    def cured_by_some_hold(self, need: str) -> bool:
        """Whether a need is met at any legal hold."""
        return any(m.passed for h in self.legal_s if h in self.secondary for m in self.needs_at(h) if m.need == need)

    def meets_at(self, hold_s: float) -> bool:
        """Whether every need is met at a hold; not at one that was not looked at, since it goes off on somebody far too
        often."""
        return hold_s in self.secondary and all(m.passed for m in self.needs_at(hold_s))

    def checks_at(self, hold_s: float) -> tuple[RequirementCheck, ...]:
        """The needs that the hold decides, at a legal hold. Raises ValueError for another."""
        return self._needs_at(self.place(hold_s))

    def metrics_at(self, hold_s: float) -> tuple[float, float, float]:
        """False-offs a week, dark minutes and hours lit while empty a day at a legal hold, over all seeds. Raises
        ValueError."""
        k = self.place(hold_s)
        return tuple(float(a[:, k].mean()) for a in (self.false_offs, self.dark_min, self.wasted_h))  # type: ignore[return-value]

    @property
    def weeks(self) -> int:
        """How many weeks were simulated, under all seeds."""
        return round(len(self.seeds) * self.days / 7)

    def waves_at(self, hold_s: float) -> float:
        """Waves a day at a legal hold, over all seeds. Raises ValueError."""
        return float(self.waves[:, self.place(hold_s)].mean())

    def false_off_interval(self, hold_s: float) -> tuple[float, float]:
        """Where the false-offs a week of as many other weeks lie, with confidence WITHIN."""
        k, tail = self.place(hold_s), (1.0 - WITHIN) / 2.0
        return float(self._drops_bound(tail)[k]), float(self._drops_bound(1.0 - tail)[k])

    def _drops_bound(self, p: float) -> Array:
        return count_quantile(self.false_offs * (self.days / 7.0), self.days / 7.0, p)

    @cached_property
    def _spreads(self) -> tuple[tuple[Array, Array], ...]:
        """What other weeks would bring at each hold, low and high: false-offs a week, dark minutes and hours lit while
        empty a day."""
        _, dark, idle = self._means
        drops = self._drops_bound(1.0 - SURE), self._drops_bound(SURE)
        off, burns = mean_margin(self.dark_min), mean_margin(self.wasted_h)
        return drops, (np.maximum(dark - off, 0.0), dark + off), (np.maximum(idle - burns, 0.0), idle + burns)

    @property
    def dark_limit_min(self) -> float:
        """The dark a day that the needs allow."""
        return dark_limit_min(self.needs, self.arrivals_per_day)

    @property
    def idle_limit_h(self) -> float:
        """The hours a day that its light may be on while empty."""
        return idle_limit_h(self.needs, self.visits_per_day)

    @cached_property
    def recommended_s(self) -> float:
        """The hold to set: the shortest that meets every need. Where none does, of the legal ones that drop no more
        than is allowed, or else as seldom as any but for noise, the one that misses fewest needs; of those that is on
        least; of those the shortest."""
        if self.best_s is not None:
            return self.best_s
        looked = [h for h in self.legal_s if h not in self.skipped_s and h in self.secondary] or [self.legal_s[-1]]
        seldom = [h for h in looked if self.checks_at(h)[0].passed] or self._as_seldom_as_any(looked)

        def missed(h: float) -> int:
            return sum(not m.passed for m in self.needs_at(h) if m.need != "drops_per_week")

        return min(seldom, key=lambda h: (missed(h), round(self.metrics_at(h)[2], 3), h))

    def _as_seldom_as_any(self, holds: Sequence[float]) -> list[float]:
        """The holds with no more false-offs than the one with the fewest, but for what the same
        seeds with both may differ by chance."""
        drops = self.false_offs[:, [self.place(h) for h in holds]]
        more = drops - drops[:, [int(np.argmin(drops.mean(axis=0)))]]
        return [h for h, m, off in zip(holds, more.mean(axis=0), mean_margin(more)) if m <= off + 1e-9]

    def recommended_interval_s(self) -> tuple[float, float]:
        """Where the recommendation lies in nine of ten resamplings of the seeds."""
        rng = np.random.default_rng(len(self.seeds))
        picks = (rng.integers(0, len(self.seeds), len(self.seeds)) for _ in range(RESAMPLES))
        found = [
            replace(self, false_offs=self.false_offs[p], dark_min=self.dark_min[p], wasted_h=self.wasted_h[p])
            .with_best_hold()
            .recommended_s
            for p in picks
        ]
        low, high = np.percentile(found, [5, 95], method="nearest")
        return float(low), float(high)

    def with_best_hold(self) -> Judgement:
        """With the shortest legal hold that meets every need as its best."""
        return replace(self, best_s=next(filter(self.meets_at, self.legal_s), None))

    def place(self, hold_s: float) -> int:
        """Which of the holds one is. Raises ValueError where it is not judged."""
        found = np.flatnonzero(np.abs(self.holds - hold_s) < 1e-6)
        if len(found) == 0:
            raise ValueError(f"{hold_s:g} s is not one of the hold times compared here")
        return int(found[0])

    @cached_property
    def _means(self) -> tuple[Array, Array, Array]:
        """False-offs a week, dark minutes and hours lit while empty a day at each hold, over all seeds."""
        return self.false_offs.mean(axis=0), self.dark_min.mean(axis=0), self.wasted_h.mean(axis=0)

    def _needs_at(self, k: int) -> tuple[RequirementCheck, ...]:
        (fewest, most), (least, dark), (little, much) = self._spreads
        drops, dark_min, idle_h = self._means
        hold, needs = float(self.holds[k]), self.needs
        return (
            RequirementCheck("drops_per_week", float(drops[k]), needs.drops_per_week, float(fewest[k]), float(most[k])),
            RequirementCheck(
                "dark_min_per_day", float(dark_min[k]), self.dark_limit_min, float(least[k]), float(dark[k])
            ),
            RequirementCheck("idle_h_per_day", float(idle_h[k]), self.idle_limit_h, float(little[k]), float(much[k])),
            RequirementCheck("hold_s", hold, needs.hold_max_s, hold, hold),
        )


def judge(
    project: Project,
    room: str,
    days: int | None = None,
    seeds: Sequence[int] | None = None,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> Judgement:
    """Judge a room at every legal hold, over `days` under each seed, by default those of the settings. Anybody who asks
    again hears the same.

    A conclusion without a single hold is judged as it is, at a hold of zero. `should_continue` is asked between
    some seeds and the next; when it says no, what has been simulated so far counts. Raises ValueError with a sentence
    where nothing lights the room by itself.
    """
    days = settings().days if days is None else days
    seeds = tuple(settings().chosen_on if seeds is None else seeds)
    key = judge, project, room, days, seeds

    def work() -> Judgement:
        return _judge(project, room, days, seeds, should_continue, report_progress)

    if MEMO.holds(key):
        report_progress(1.0)
        return MEMO.get(key, work)
    found = work()
    if len(found.seeds) == len(seeds):
        MEMO.put(key, found)
    return found


def _judge(
    project: Project, room: str, days: int, seeds: tuple[int, ...], should_continue: Callable[[], bool],
    report_progress: Callable[[float], None],
) -> Judgement:  # fmt: skip
    presence = lighting_conclusion(project, room)
    single = hold_of(presence.expr)
    makes = made_by(project, room)
    # What has no single hold is judged as it is concluded, and what asks nothing of it as it is on: with one hold.
    legal = np.zeros(1) if single is None else legal_holds(project, room)
    if makes != "presence":
        legal = np.array([single or 0.0])
    holds, now = legal, single or 0.0
    if not (np.abs(holds - now) < 1e-6).any() and 0.0 <= now < KNOWN_S:
        # What is set today is judged as well, legal or not.
        holds = np.sort(np.append(holds, now))
    # Where none does, the longest legal one may come nearest.
    longest = legal[-1]
    needs = needs_of(project, find(project.rooms, room))
    by_hand = find(project.rooms, room).control == "absence"
    lives: list[RoomReplicate] = []
    parts: list[tuple[tuple[RoomReplicate, ...], CurveBatch]] = []
    came: list[float] = []
    visits: list[float] = []

    def besides(hold_s: float) -> tuple[RequirementCheck, ...]:
        return secondary_checks([secondary_outcomes(*part, hold_s) for part in parts], needs, by_hand)

    table = np.empty((0, len(holds), 5))
    worth, told = np.ones(len(holds), bool), np.zeros(len(holds), bool)
    for upto in (*(n for n in STEPS if n < len(seeds)), len(seeds)):
        before = len(lives)
        lives += simulate_room_batch(project, room, days, seeds[before:upto])
        came += [dark_arrivals(weeks.there, weeks.dark) / weeks.days for weeks in lives[before:]]
        visits += [len(weeks.visits.came) / weeks.days for weeks in lives[before:]]
        report_progress(len(lives) / len(seeds))
        going_on = should_continue()
        if before >= A_FEW:
            limits = (
                dark_limit_min(needs, float(np.mean(came[:before]))),
                idle_limit_h(needs, float(np.mean(visits[:before]))),
            )
            kept = (np.abs(holds - now) < 1e-6) | (holds == longest)
            worth &= _worth_more(table, needs.drops_per_week, limits, days, lambda n: besides(float(holds[n]))) | kept
        parts.append((tuple(lives[before:]), curve_batch(*(weeks.curve for weeks in lives[before:]))))
        figures, seen = _figures(parts[-1][1], days, holds, worth, table, needs, now)
        table = np.concatenate([table, figures])
        told |= seen
        if not going_on:
            break
    if not any(weeks.there.awake.total() > 0 for weeks in lives):
        raise ValueError(nobody_there(project, room))
    drops, dark, idle, waves, trips = table.transpose(2, 0, 1)
    unseen = frozenset(holds[~told].tolist())
    return Judgement(
        room, seeds[: len(lives)], days, needs, holds, drops * 7.0, dark, idle, waves, trips, float(np.mean(came)),
        float(np.mean(visits)), tuple(legal.tolist()), now, None, unseen,
        {h: besides(h) for h in holds.tolist() if h not in unseen}, makes,
    ).with_best_hold()  # fmt: skip


def all_met(
    weeks: tuple[RoomReplicate, ...], batch: CurveBatch, hold_s: float, needs: RoomNeeds, by_hand: bool
) -> bool:
    """Whether simulated weeks, one replicate after the other in `batch`, meet every need of their room at a hold: as a
    `Judgement` of them says."""
    days = weeks[0].days
    drops, dark, idle, waves, trips = _of(batch, hold_s, days)[:, None].transpose(2, 0, 1)
    came = float(np.mean([dark_arrivals(x.there, x.dark) for x in weeks])) / days
    visits = float(np.mean([len(x.visits.came) for x in weeks])) / days
    j = Judgement(
        "", tuple(range(len(weeks))), days, needs, np.array([hold_s]), drops * 7.0, dark, idle, waves, trips, came,
        visits, (hold_s,), hold_s,
    )  # fmt: skip
    return all(m.passed for m in j.checks_at(hold_s)) and all(
        m.passed for m in secondary_checks([secondary_outcomes(weeks, batch, hold_s)], needs, by_hand)
    )


def _figures(
    together: CurveBatch, days: int, holds: Array, worth: NDArray[np.bool_], before: Array, needs: RoomNeeds, now: float
) -> tuple[Array, NDArray[np.bool_]]:
    """The figures of every hold in some replicates, (replicates, holds, figures), and which were looked at. What is not
    worth looking at has those of the seeds before; and where a hold has far too many false-offs, every shorter one does
    so at least as often: of those it is not asked how much more."""
    out = np.empty((len(together), len(holds), 5))
    seen = np.zeros(len(holds), bool)
    far: Array | None = None
    for n in reversed(range(len(holds))):
        if not worth[n]:
            out[:, n] = before[:, n].mean(axis=0)
        elif far is not None and abs(holds[n] - now) > 1e-6:
            out[:, n] = far
        else:
            out[:, n], seen[n] = _of(together, float(holds[n]), days), True
            drops = out[:, n, 0]
            if drops.min() * days > MANY and drops.min() * 7.0 > FAR_OFF * needs.drops_per_week:
                far = out[:, n]
    return out, seen


def _worth_more(
    rows: Array,
    drops_per_week: float,
    limits: tuple[float, float],
    days: int,
    besides: Callable[[int], tuple[RequirementCheck, ...]],
) -> NDArray[np.bool_]:
    """Which holds could still be chosen, by the seeds so far: (seeds, holds, figures). Of one that surely has too many
    false-offs, or that is longer than one which surely meets every need, more weeks would tell nothing: what is known
    of it stands for them. `limits`: of dark minutes and of hours lit while empty a day; `secondary`: the other needs
    at a hold."""
    counts, weeks = rows[:, :, 0] * days, days / 7.0
    hopeless = count_quantile(counts, weeks, 1.0 - SETTLED) > drops_per_week
    dark, idle = (rows[:, :, k].mean(axis=0) + mean_margin(rows[:, :, k], SETTLED) for k in (1, 2))
    fine = (count_quantile(counts, weeks, SETTLED) <= drops_per_week) & (dark <= limits[0]) & (idle <= limits[1])
    # The next may miss what the first one misses besides: so many are asked, each takes a look at all replicates.
    first = next((n for n in np.flatnonzero(fine)[:FINE] if all(m.passed for m in besides(n))), len(hopeless))
    return ~(hopeless | (np.arange(len(hopeless)) > first))


def held_out(
    project: Project,
    room: str,
    hold_s: float,
    days: int | None = None,
    seeds: Sequence[int] | None = None,
    should_continue: Callable[[], bool] = lambda: True,
) -> HeldOut:
    """What weeks that were not used to choose give with a hold, by default those of the settings. `should_continue` is
    asked after each AT_ONCE seeds; when it says no, what has been simulated so far counts. Raises ValueError as
    `judge`."""
    days = settings().days if days is None else days
    every = tuple(settings().held_out if seeds is None else seeds)
    lives: list[RoomReplicate] = []
    while len(lives) < len(every):
        lives += simulate_room_batch(project, room, days, every[len(lives) :][:AT_ONCE])
        if not should_continue():
            break
    drops, dark_min, *_ = _of(curve_batch(*(weeks.curve for weeks in lives)), hold_s, days).mean(axis=0)
    return HeldOut(every[: len(lives)], float(drops) * 7.0, float(dark_min), days)


def _of(together: CurveBatch, hold_s: float, days: int) -> Array:
    """False-offs, dark minutes, hours lit while empty, waves and trips to the switch per day with a hold, (replicates,
    5)."""
    return np.asarray(np.array(together.outcomes(hold_s)).T / IN_UNITS / days)


def count_quantile(counts: Array, weeks: float, p: float) -> Array:
    """The p-quantile of the false-offs a week to expect in as many new weeks; `counts` (seeds, holds), result (holds,).
    Garwood 1936, widened for overdispersion.

    Of a rate that was estimated from n weeks, the mean over m other weeks varies as that over 1 / (1/n + 1/m) weeks
    would about the true rate; a Poisson bound (Garwood 1936) there, its counts made as many times rarer as they vary
    more than Poisson's would.
    """
    n = len(counts)
    mean = counts.mean(axis=0)
    over = np.ones(len(mean))
    if n > 1:
        some = mean > 0
        over[some] = np.maximum(counts[:, some].var(axis=0, ddof=1) / mean[some], 1.0)
    exposure = n * weeks / 2.0
    k = mean * n / 2.0 / over
    if p >= 0.5:
        return np.asarray(chi_square_quantile(p, 2.0 * k + 2.0)) / 2.0 * over / exposure
    low = np.asarray(chi_square_quantile(p, np.maximum(2.0 * k, 1e-9))) / 2.0 * over / exposure
    # Other weeks have whole false-offs: half a false-off in all of them is none.
    return np.floor(low * n * weeks) / (n * weeks)
