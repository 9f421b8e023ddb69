"""What is computed in the background for the desk, each from what it reads: functions of a `Task` and of records."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from vastwatch.advice.adviser.offers import Offers, offers
from vastwatch.advice.adviser.purchase import Purchase, bare, free_gain, purchases, starter_set
from vastwatch.advice.adviser.remedies import Remedy, remedies
from vastwatch.advice.adviser.schools import School, schools
from vastwatch.advice.checks.finding import Finding
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.judging.compared import RoomCompared, compared
from vastwatch.advice.judging.frontier import Frontier, frontier
from vastwatch.advice.judging.judge import Judgement
from vastwatch.advice.judging.robust import Effect, Otherwise, effects, otherwise
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.judging.timing import TimingCurve, cached_curve, tuned
from vastwatch.causes.groups import Group, groups
from vastwatch.causes.inquiry import Inquiry, inquire
from vastwatch.design.project import Project, Variant
from vastwatch.design.variants import designed_as
from vastwatch.desk.shell.derived import Task
from vastwatch.devices import DeviceType
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.rehearsal.scoring.incidents import Kind

# The rehearsed week: its days, and its seed.
DAYS, SEED = 7, 1
# What is rehearsed where a month is looked at: four weeks, of which the first is that week.
MONTH = 28
# A frontier looks at so many settings.
FRONTIER_SETTINGS = 40
# Two designs are compared under so many.
COMPARED_SEEDS = 8
# And what matters, under so many.
MATTER_SEEDS = 3


class ToBuy(NamedTuple):
    """What to buy: the best single additions, or a set one after the other; and what better holds alone would save,
    minutes of dark and hours of burning a day."""

    found: list[Purchase]
    a_set: bool
    free: tuple[float, float]


class Causes(NamedTuple):
    """What a rehearsed room's incidents are because of: the inquiry into each kind, and the groups of all."""

    rehearsal: Rehearsal
    room: str
    inquiries: dict[Kind, Inquiry]
    groups: list[Group]


def curve_of(task: Task, project: Project, room: str) -> TimingCurve:
    return cached_curve(rehearse(project, settings().days, SEED), room)


def settled_of(task: Task, project: Project, room: str) -> TimingCurve:
    return tuned(project, room, settings().days, SEED, task.should_continue, task.report_progress)


def findings_of(task: Task, project: Project, judged: Mapping[str, Judgement]) -> list[Finding]:
    return findings(project, judged.get)


def offers_of(task: Task, project: Project, room: str, types: list[DeviceType]) -> Offers:
    return offers(project, room, types, task.should_continue, task.report_progress, task.show)


def schools_of(task: Task, project: Project, room: str, types: list[DeviceType]) -> list[School]:
    return schools(project, room, types, task.should_continue, task.report_progress)


def frontier_of(task: Task, project: Project, room: str) -> Frontier:
    return frontier(
        project, room, True, settings().chosen_on[: settings().frontier_seeds], evaluations=FRONTIER_SETTINGS,
        should_continue=task.should_continue, report_progress=task.report_progress,
    )  # fmt: skip


class Designs(NamedTuple):
    """The design and a variant of it, lived by the same people: every room of both in so many weeks, and one week as it
    went in each."""

    rooms: list[RoomCompared]
    weeks: int
    pair: tuple[Rehearsal, Rehearsal]


def designs_of(task: Task, project: Project, variant: Variant, seed: int) -> Designs:
    other = designed_as(project, variant)
    pair = rehearse(project, DAYS, seed), rehearse(other, DAYS, seed)
    seeds = settings().chosen_on[:COMPARED_SEEDS]
    weeks = len(seeds) * settings().days // 7

    def show(rooms: list[RoomCompared]) -> None:
        task.show(Designs(rooms, weeks, pair))

    rooms = compared(
        project, other, seeds, should_continue=task.should_continue, report_progress=task.report_progress, show=show
    )
    return Designs(rooms, weeks, pair)


class Matters(NamedTuple):
    """What a step of each setting changes in a room, and what the same setting comes to when things are otherwise."""

    steps: list[Effect]
    others: list[Otherwise]


def matters_of(task: Task, project: Project, room: str) -> Matters:
    seeds = settings().chosen_on[:MATTER_SEEDS]
    steps = effects(
        project, room, seeds, should_continue=task.should_continue,
        report_progress=lambda share: task.report_progress(0.6 * share),
    )  # fmt: skip
    others = otherwise(
        project, room, seeds, should_continue=task.should_continue,
        report_progress=lambda share: task.report_progress(0.6 + 0.4 * share),
    )  # fmt: skip
    return Matters(steps, others)


def causes_of(task: Task, rehearsal: Rehearsal, room: str) -> Causes:
    found: dict[Kind, Inquiry] = {}
    for kind in dict.fromkeys(i.kind for _, i in rehearsal.incidents_by_room.get(room, [])):
        inquiry = inquire(rehearsal, room, kind, task.should_continue)
        if inquiry is not None:
            found[kind] = inquiry
    return Causes(rehearsal, room, found, groups(rehearsal, found.values()))


def remedies_of(task: Task, rehearsal: Rehearsal, room: str) -> list[Remedy]:
    return remedies(rehearsal, room, task.should_continue)


def to_buy_of(task: Task, project: Project, types: list[DeviceType], budget: float | None) -> ToBuy:
    if budget is not None:
        found = starter_set(bare(project), budget, types, task.should_continue, task.report_progress)
        return ToBuy(found, True, (0.0, 0.0))
    found = purchases(project, types, task.should_continue, report_progress=task.report_progress)
    task.show(ToBuy(found, False, (0.0, 0.0)))
    return ToBuy(found, False, free_gain(project, task.should_continue))
