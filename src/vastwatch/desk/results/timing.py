"""What there is to know of the timing of the room in hand: its curve, every way to set it, and what matters."""

from __future__ import annotations

from typing import NamedTuple

from vastwatch.advice.judging.frontier import Frontier, frontier
from vastwatch.advice.judging.robustness import Effect, StressScenario, effects, stress_scenarios
from vastwatch.advice.judging.settings import settings
from vastwatch.advice.judging.timing import TimingCurve, cached_curve, tune
from vastwatch.design.project import Project
from vastwatch.desk.results.derived import Task
from vastwatch.desk.results.registry import SEED, Kind, Results
from vastwatch.desk.shell.focus import Focus
from vastwatch.rehearsal import rehearse

# A frontier looks at so many settings.
FRONTIER_SETTINGS = 40
# What matters is found under so many seeds.
MATTER_SEEDS = 3


class Matters(NamedTuple):
    """What a step of each setting changes in a room, and what the same setting comes to when things are otherwise."""

    steps: list[Effect]
    others: list[StressScenario]


def _of_room(results: Results, _: object) -> tuple[Project, str] | None:
    room = results.focus.room
    return None if room is None else (results.document.project, room)


def _curve(task: Task, project: Project, room: str) -> TimingCurve:
    return cached_curve(rehearse(project, settings().days, SEED), room)


def _settled(task: Task, project: Project, room: str) -> TimingCurve:
    return tune(project, room, settings().days, SEED, task.should_continue, task.report_progress)


def _frontier(task: Task, project: Project, room: str) -> Frontier:
    return frontier(
        project, room, True, settings().chosen_on[: settings().frontier_seeds], evaluations=FRONTIER_SETTINGS,
        should_continue=task.should_continue, report_progress=task.report_progress,
    )  # fmt: skip


def _matters(task: Task, project: Project, room: str) -> Matters:
    seeds = settings().chosen_on[:MATTER_SEEDS]
    steps = effects(
        project, room, seeds, should_continue=task.should_continue,
        report_progress=lambda share: task.report_progress(0.6 * share),
    )  # fmt: skip
    others = stress_scenarios(
        project, room, seeds, should_continue=task.should_continue,
        report_progress=lambda share: task.report_progress(0.6 + 0.4 * share),
    )  # fmt: skip
    return Matters(steps, others)


def _on_timing(focus: Focus) -> bool:
    return "curve" in focus.here.results


CURVE = Kind("curve", _of_room, _curve, _on_timing, ("room", "stage"), of_room=True)
SETTLED = Kind("recommendation", _of_room, _settled, _on_timing, ("room", "stage"), of_room=True, judging=True)
FRONTIER = Kind("trade-off chart", _of_room, _frontier, asked=True, judging=True)
MATTERS = Kind("effect of each setting", _of_room, _matters, asked=True, judging=True)


def best_curve(results: Results) -> TimingCurve | None:
    """The first look at the room's curve; once the judge has settled it, and while nothing that it reads has
    changed, that."""
    first, settled = results[CURVE].value, results[SETTLED].value
    if settled is None or first is None or settled.room != first.room:
        return first
    # A fresh result is of this very project, even if the memo has dropped its simulated weeks and computed them again.
    return settled if results[SETTLED].state == "fresh" or settled.exact is first.exact else first
