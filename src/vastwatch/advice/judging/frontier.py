"""The frontier of a room: how little it can be lit while empty at each amount of being left in the dark, whatever is
set; and on the same weeks, what is set today, what people usually do, and what the judge recommends.

Every point is simulated: the seeds and weeks of the judge, people's reactions included. Over one hold all is tried.
Over several parameters at once all figures of the conclusion are first looked at in one replicate in which nobody
reacts, which costs next to nothing; those that promise most are simulated. From there the search goes outward, always
from that point of the frontier so far which has the most to gain beside it, to its neighbours one step and several
along each parameter (a Pareto local search): what decides is found in a small part of the evaluations that a grid would
take.
"""

from __future__ import annotations

import dataclasses
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from vastwatch.advice.judging.judge import LONGEST_S, Judgement, all_met, count_quantile, dark_limit_min, judge
from vastwatch.advice.judging.parameters import Parameter, parameters
from vastwatch.advice.judging.requirements import SURE, mean_margin
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.simulation.curve_batch import Outcomes, curve_batch
from vastwatch.advice.simulation.hold_curves import AnyConclusionCurve
from vastwatch.advice.simulation.room_simulation import (
    dark_arrivals,
    lighting_conclusion,
    simulate_room,
    simulate_room_batch,
)
from vastwatch.control.evaluation import evaluate_with
from vastwatch.design.edits.sensors import readable_sensors
from vastwatch.design.expressions import AnyOf, Belief, Expr, Hold, Report, StartKeep, every_part
from vastwatch.design.needs import RoomNeeds, needs_of
from vastwatch.design.presence import hold_of, with_hold
from vastwatch.design.project import Project, find, put
from vastwatch.devices import PirType
from vastwatch.files.csv_cells import escape_formula
from vastwatch.words import duration_words

Array = NDArray[np.float64]

# Holds along the curve, and those that people swear by, seconds.
CURVE_S = (15.0, 30.0, 45.0, 60.0, 90.0, 120.0, 180.0, 240.0, 300.0, 420.0, 600.0, 900.0, 1200.0, 1800.0)
SWORN_BY_S = (300.0, 900.0, 1200.0)
# A search looks at so many settings, and steps so far along a parameter, in places.
EVALUATIONS = 80
STRIDES = (1, 3, 8)
# So large a share of the settings that are simulated is taken from a look at them in which nobody reacts, at so many.
SCREENED_SHARE, MOST_SCREENED = 0.75, 3000
# Occupancy probabilities that are shown: until how improbable somebody is estimated to be there.
BELIEVED_BELOW = (0.1, 0.02)


class Metrics(NamedTuple):
    """Of some weeks: false-offs a week, dark minutes and hours lit while empty a day, on average; between which values
    the middle nine tenths of the seeds lie, dark and lit while empty; what false-offs and dark are at the most in as
    many other weeks, with the judge's confidence; and whether every need of the room is met in them, as the judge has
    it."""

    drops_per_week: float
    dark_min: float
    idle_h: float
    dark_within: tuple[float, float]
    idle_within: tuple[float, float]
    drops_high: float
    dark_high: float
    meets: bool


@dataclass(frozen=True, eq=False)
class Point:
    """One way to set a room: what it is called, the project with it, what is set, and what it comes to. `kind`: today,
    recommended, curve, school, search. `held_out`: what it comes to in weeks that nothing was chosen by, where that was
    asked."""

    name: str
    kind: str
    settings: dict[str, str]
    project: Project
    figures: Metrics
    held_out: Metrics | None = None


@dataclass(frozen=True, eq=False)
class Frontier:
    """All points of a room; `pareto_points` those that no other is better than in both ways, by dark time;
    `limit_dark_min` and `limit_drops` what the brief allows; `searched` how many settings were simulated."""

    room: str
    weeks: int
    points: tuple[Point, ...]
    limit_drops: float
    limit_dark_min: float
    searched: int

    @property
    def pareto_points(self) -> list[Point]:
        """The frontier itself."""
        return pareto_points(self.points)

    @property
    def recommended(self) -> Point | None:
        """Of all that keeps to the brief's limits the one that is lit least while empty; None where nothing does."""
        meets = [p for p in self.points if self.meets(p)]
        return min(meets, key=lambda p: (p.figures.idle_h, p.figures.dark_min)) if meets else None

    def meets(self, point: Point) -> bool:
        """Whether a point meets every need in other weeks too, with the judge's confidence."""
        return point.figures.meets

    def named(self, kind: str) -> list[Point]:
        """The points of a kind, in order."""
        return [p for p in self.points if p.kind == kind]


def table(found: Frontier) -> list[list[str]]:
    """All points of a frontier as rows under a heading, for whatever reads tables."""
    head = [
        "name",
        "kind",
        "false-offs a week",
        "dark, min a day",
        "lit while empty, h a day",
        "best trade-off",
        "meets the brief",
        "other weeks: false-offs a week",
        "other weeks: dark, min a day",
        "settings",
    ]
    best = {id(p) for p in found.pareto_points}
    rows = []
    for p in found.points:
        f = p.figures
        settings = "; ".join(f"{name}: {value}" for name, value in p.settings.items())
        figures = [f"{f.drops_per_week:.3f}", f"{f.dark_min:.4f}", f"{f.idle_h:.4f}"]
        said = ["yes" if x else "no" for x in (id(p) in best, found.meets(p))]
        o = p.held_out
        others = ["", ""] if o is None else [f"{o.drops_per_week:.3f}", f"{o.dark_min:.4f}"]
        rows.append([escape_formula(p.name), p.kind, *figures, *said, *others, escape_formula(settings)])
    return [head, *rows]


def pareto_points(points: Sequence[Point]) -> list[Point]:
    """Those points that none other is at least as good as in both ways and better in one, from the darkest on."""
    out: list[Point] = []
    for p in sorted(points, key=lambda p: (p.figures.idle_h, p.figures.dark_min)):
        if not out or p.figures.dark_min < out[-1].figures.dark_min - 1e-12:
            out.append(p)
    return out


def evaluate_room(
    project: Project, room: str, seeds: Sequence[int] | None = None, days: int | None = None
) -> tuple[Outcomes, Metrics]:
    """What a room's light comes to as it is set, over `days` under each seed. Raises ValueError as
    `lighting_conclusion`."""
    days = settings().days if days is None else days
    presence = lighting_conclusion(project, room)
    lives = simulate_room_batch(project, room, days, settings().chosen_on if seeds is None else seeds)
    together, hold = curve_batch(*(life.curve for life in lives)), hold_of(presence.expr) or 0.0
    out = together.outcomes(hold)
    record = find(project.rooms, room)
    meets = all_met(tuple(lives), together, hold, needs_of(project, record), record.control == "absence")
    return out, metrics_of(out, days, meets)


def metrics_of(o: Outcomes, days: int, meets: bool) -> Metrics:
    """The figures of some replicates, of so many days each."""
    dark, idle = o.dark_s / 60.0 / days, o.idle_s / 3600.0 / days

    def within(values: Array) -> tuple[float, float]:
        low, high = np.quantile(values, [0.05, 0.95])
        return float(low), float(high)

    weeks = days / 7.0
    return Metrics(
        float(o.drops.mean()) / weeks, float(dark.mean()), float(idle.mean()), within(dark), within(idle),
        float(count_quantile(o.drops[:, None], weeks, SURE)[0]), float(dark.mean() + mean_margin(dark)), meets,
    )  # fmt: skip


class Search:
    """Settings of a room by their places among each parameter's values, each simulated once."""

    def __init__(self, project: Project, room: str, over: Sequence[Parameter], seeds: Sequence[int], days: int) -> None:
        self.project, self.room, self.over, self.seeds, self.days = project, room, tuple(over), tuple(seeds), days
        self.known: dict[tuple[int, ...], Point] = {}

    @property
    def current(self) -> tuple[int, ...]:
        """What is set."""
        return tuple(p.index for p in self.over)

    def at(self, places: tuple[int, ...]) -> Point:
        """The point with those settings."""
        if places not in self.known:
            project = self.project
            told = {}
            for parameter, k in zip(self.over, places):
                if k != parameter.index:
                    project = parameter.set(project, parameter.values[k])
                told[parameter.name] = parameter.words(parameter.values[k])
            figures = evaluate_room(project, self.room, self.seeds, self.days)[1]
            name = ", ".join(f"{n} {v}" for n, v in told.items())
            self.known[places] = Point(name, "search", told, project, figures)
        return self.known[places]

    def neighbours(self, places: tuple[int, ...]) -> list[tuple[int, ...]]:
        """Settings that differ in one parameter, by a step or by several."""
        out = []
        for n, parameter in enumerate(self.over):
            for stride in STRIDES:
                for way in (-stride, stride):
                    k = places[n] + way
                    if 0 <= k < len(parameter.values):
                        out.append((*places[:n], k, *places[n + 1 :]))
        return list(dict.fromkeys(out))

    def run(
        self, evaluations: int, should_continue: Callable[[], bool], report_progress: Callable[[float], None]
    ) -> list[Point]:
        """Search; every point that was simulated."""
        self.at(self.current)
        for places in self._promising(round(SCREENED_SHARE * evaluations)):
            if len(self.known) >= evaluations or not should_continue():
                break
            self.at(places)
            report_progress(len(self.known) / evaluations)
        spent: set[tuple[int, ...]] = set()
        while len(self.known) < evaluations and should_continue():
            front = self._front()
            open_ = [places for places in front if places not in spent]
            if not open_:
                break
            here = max(open_, key=lambda places: _gain(places, front, self.known))
            nearest = [p for p in self.neighbours(here) if p not in self.known]
            if not nearest:
                spent.add(here)
                continue
            # A step each way along each parameter first; wider ones once those bring nothing.
            for places in nearest[: 2 * len(self.over)]:
                if len(self.known) >= evaluations or not should_continue():
                    break
                self.at(places)
                report_progress(len(self.known) / evaluations)
        return list(self.known.values())

    def _promising(self, most: int) -> list[tuple[int, ...]]:
        """Figures of the conclusion that are worth simulating, by what they come to in one replicate in which nobody
        reacts: that costs next to nothing. Those than which none is on less at as few false-offs, or at as little dark,
        some of them evenly along the time lit; none where the conclusion is so simple that it needs no such look."""
        curve = simulate_room(self.project, self.room, self.days, self.seeds[0]).curve
        figures = [k for k, p in enumerate(self.over) if p.figure]
        if not isinstance(curve, AnyConclusionCurve) or not figures:
            return []
        thin = [len(self.over[k].values) for k in figures]
        while np.prod(thin) > MOST_SCREENED:
            thin[int(np.argmax(thin))] -= 1
        axes = [_evenly(len(self.over[k].values), n) for k, n in zip(figures, thin)]
        rows: list[tuple[tuple[int, ...], float, tuple[float, float]]] = []
        needed = curve.there.asking & curve.dark
        presence = lighting_conclusion(self.project, self.room).id
        for chosen in itertools.product(*axes):
            places = list(self.current)
            project = self.project
            for k, place in zip(figures, chosen):
                places[k] = place
                if place != self.over[k].index:
                    project = self.over[k].set(project, self.over[k].values[place])
            lit = (
                evaluate_with(find(project.presences, presence).expr, curve.given.said, curve.given.chains) & curve.dark
            )
            wrong = float(needed.at(lit.falls).sum()), (needed - lit).total()
            rows.append((tuple(places), (lit - curve.there.awake).total(), wrong))
        picked: dict[tuple[int, ...], float] = {}
        for by in (0, 1):
            least = np.inf
            for there, burning, wrong in sorted(rows, key=lambda r: (r[1], r[2][by])):
                if wrong[by] < least:
                    least = wrong[by]
                    picked[there] = burning
        order = sorted(picked, key=lambda places: picked[places])
        return [order[k] for k in _evenly(len(order), most)]

    def _front(self) -> list[tuple[int, ...]]:
        best = {id(p) for p in pareto_points(list(self.known.values()))}
        front = [places for places, p in self.known.items() if id(p) in best]
        return sorted(front, key=lambda places: self.known[places].figures.dark_min)


def _evenly(n: int, most: int) -> list[int]:
    """So many of n places at the most, evenly over all."""
    return np.unique(np.linspace(0, n - 1, min(n, most)).round().astype(int)).tolist() if n else []


def _gain(places: tuple[int, ...], front: list[tuple[int, ...]], known: dict[tuple[int, ...], Point]) -> float:
    """How large the gap beside a point of the frontier is, dark by light while empty, both as ratios: what a point
    there could gain."""
    k = front.index(places)
    f = known[places].figures
    gaps = []
    for other in (front[k - 1] if k else None, front[k + 1] if k + 1 < len(front) else None):
        if other is None:
            # Beyond the ends lies the unknown.
            gaps.append(0.5)
            continue
        g = known[other].figures
        gaps.append(_ratio(f.dark_min, g.dark_min, 0.05) * _ratio(f.idle_h, g.idle_h, 0.005))
    return max(gaps)


def _ratio(a: float, b: float, least: float) -> float:
    return abs(float(np.log((a + least) / (b + least))))


def frontier(
    project: Project,
    room: str,
    all_parameters: bool = False,
    seeds: Sequence[int] | None = None,
    days: int | None = None,
    evaluations: int = EVALUATIONS,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
) -> Frontier:
    """The frontier of a room: over its hold alone, or over all that can be set. What is found when `should_continue`
    says no is returned. Raises ValueError with a sentence where nothing lights the room by itself."""
    days = settings().days if days is None else days
    presence = lighting_conclusion(project, room)
    seeds = tuple(settings().chosen_on if seeds is None else seeds)
    needs = needs_of(project, find(project.rooms, room))
    today = Point("today", "today", _told(project, room), project, evaluate_room(project, room, seeds, days)[1])
    points = [today]
    ways = _ways(project, room, presence.expr, needs, all_parameters)
    for k, (name, kind, expr) in enumerate(ways):
        if not should_continue():
            break
        other = put(project, replace(presence, expr=expr))
        figures = evaluate_room(other, room, seeds, days)[1]
        points.append(Point(name, kind, _told(other, room), other, figures))
        report_progress((k + 1) / len(ways) * (0.45 if all_parameters else 0.8))
    if hold_of(presence.expr) is not None and should_continue():
        # The judge's own word, on all its weeks: on fewer it might be another.
        judged = judge(project, room, should_continue=should_continue)
        best = put(project, replace(presence, expr=with_hold(presence.expr, judged.recommended_s) or presence.expr))
        name = f"recommended, {duration_words(judged.recommended_s)}"
        points.append(Point(name, "recommended", _told(best, room), best, evaluate_room(best, room, seeds, days)[1]))
        points = [_as_judged(p, room, judged) for p in points]
    searched = len(points)
    if all_parameters and should_continue():
        search = Search(project, room, parameters(project, room), seeds, days)
        points += search.run(evaluations, should_continue, lambda share: report_progress(0.45 + 0.4 * share))
        searched += len(search.known)
    lives = [simulate_room(project, room, days, seed) for seed in seeds]
    limit = dark_limit_min(needs, float(np.mean([dark_arrivals(x.there, x.dark) for x in lives])) / days)
    found = Frontier(room, round(len(seeds) * days / 7), tuple(points), needs.drops_per_week, limit, searched)
    found = _held_out(found, settings().held_out[: len(seeds)], days, should_continue)
    report_progress(1.0)
    return found


def _as_judged(point: Point, room: str, judged: Judgement) -> Point:
    """A point that is today's conclusion with some hold, with the judge's verdict on that hold: of more weeks it is
    surer than those of a chart."""
    hold = hold_of(lighting_conclusion(point.project, room).expr)
    if hold is None or point.kind not in ("today", "curve", "recommended") or hold not in judged.holds:
        return point
    return dataclasses.replace(point, figures=point.figures._replace(meets=judged.meets_at(hold)))


def _held_out(found: Frontier, seeds: Sequence[int], days: int, should_continue: Callable[[], bool]) -> Frontier:
    """The same with what those points come to in other weeks that somebody would set: the frontier, what is set today,
    what is recommended, and what the limits choose."""
    shown = {id(p) for p in (*found.pareto_points, *found.named("today"), *found.named("recommended"))}
    if found.recommended is not None:
        shown.add(id(found.recommended))
    points = []
    for p in found.points:
        if id(p) in shown and should_continue():
            p = dataclasses.replace(p, held_out=evaluate_room(p.project, found.room, seeds, days)[1])
        points.append(p)
    return dataclasses.replace(found, points=tuple(points))


def _told(project: Project, room: str) -> dict[str, str]:
    """What is set, in words."""
    return {p.name: p.words(p.values[p.index]) for p in parameters(project, room)}


def _ways(project: Project, room: str, expr: Expr, needs: RoomNeeds, believe: bool) -> list[tuple[str, str, Expr]]:
    """Other ways to conclude with the sensors that are there: along the hold; as people swear by; with one technology
    alone; by occupancy probability."""
    out: list[tuple[str, str, Expr]] = []
    longest = min(needs.hold_max_s, LONGEST_S)
    now = hold_of(expr)
    if now is not None:
        for hold in CURVE_S:
            if hold <= max(longest, now):
                out.append((duration_words(hold), "curve", with_hold(expr, hold) or expr))
    by_kind = _by_technology(project, room, expr)
    for hold in SWORN_BY_S:
        of = tuple(r for reports in by_kind.values() for r in reports)
        if of:
            out.append((f"{duration_words(hold)}, any sensor", "school", Hold(of=_any(of), seconds=hold)))
    if len(by_kind) > 1:
        for name, reports in by_kind.items():
            for hold in (now or 60.0, 300.0):
                words = f"{name} alone, {duration_words(hold)}"
                out.append((words, "school", Hold(of=_any(reports), seconds=hold)))
        if "PIR" in by_kind:
            pir = by_kind["PIR"]
            rest = tuple(r for name, reports in by_kind.items() if name != PirType.technology for r in reports)
            for hold in (now or 60.0, 300.0):
                both = StartKeep(start=_any(pir), keep=Hold(of=_any((*pir, *rest)), seconds=hold))
                out.append((f"PIR turns on, all keep on, {duration_words(hold)}", "school", both))
    every = tuple(r for reports in by_kind.values() for r in reports)
    if every and believe:
        for below in BELIEVED_BELOW:
            out.append((f"occupancy probability, until {100 * below:g} %", "belief", Belief(of=every, off_below=below)))
    # One of those that conclude the same is enough: with a single sensor several do. What is set is a point already.
    unique: dict[str, tuple[str, str, Expr]] = {}
    for name, kind, each in out:
        unique.setdefault(repr(each), (name, kind, each))
    unique.pop(repr(expr), None)
    return list(unique.values())


def _by_technology(project: Project, room: str, expr: Expr) -> dict[str, tuple[Report, ...]]:
    """What tells of people in a room, by technology: of what the conclusion reads, and as it reads it."""
    mine = {s.id for s in readable_sensors(project, room)}
    out: dict[str, list[Report]] = {}
    for part in every_part(expr):
        if isinstance(part, Report) and part.sensor in mine:
            device = find(project.devices, find(project.sensors, part.sensor).device)
            if device.presence:
                reports = out.setdefault(device.technology or device.family, [])
                if all((r.sensor, r.part) != (part.sensor, part.part) for r in reports):
                    reports.append(part)
    return {name: tuple(reports) for name, reports in out.items()}


def _any(reports: tuple[Report, ...]) -> Expr:
    return reports[0] if len(reports) == 1 else AnyOf(of=reports)
