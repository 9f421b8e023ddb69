"""What the adviser is asked: which types would do in a room, the four ways to do it, and what to buy."""

from __future__ import annotations

from typing import Any, NamedTuple

from vastwatch.advice.adviser.adviser import RoomAdvice, advise
from vastwatch.advice.adviser.baselines import Baseline, baselines
from vastwatch.advice.adviser.purchase import Purchase, purchases, retuning_gain, starter_set, without_sensors
from vastwatch.design.project import Project
from vastwatch.desk.results.derived import Task
from vastwatch.desk.results.registry import Kind, Results
from vastwatch.devices import DeviceType


class ToBuy(NamedTuple):
    """What to buy: the best single additions, or a set one after the other; and what better holds alone would save,
    minutes of dark and hours of light while empty a day."""

    found: list[Purchase]
    a_set: bool
    free: tuple[float, float]


def _offers(task: Task, project: Project, room: str, types: list[DeviceType]) -> RoomAdvice:
    return advise(project, room, types, task.should_continue, task.report_progress, task.show)


def _schools(task: Task, project: Project, room: str, types: list[DeviceType]) -> list[Baseline]:
    return baselines(project, room, types, task.should_continue, task.report_progress)


def _to_buy(task: Task, project: Project, types: list[DeviceType], budget: float | None) -> ToBuy:
    if budget is not None:
        found = starter_set(without_sensors(project), budget, types, task.should_continue, task.report_progress)
        return ToBuy(found, True, (0.0, 0.0))
    found = purchases(project, types, task.should_continue, report_progress=task.report_progress)
    task.show(ToBuy(found, False, (0.0, 0.0)))
    return ToBuy(found, False, retuning_gain(project, task.should_continue))


def _of_options(results: Results, _: object) -> tuple[Project, str, list[DeviceType]] | None:
    room, project = results.focus.room, results.document.project
    return None if room is None else (project, room, results.types(project))


def _of_purchases(results: Results, budget: Any) -> tuple[Project, list[DeviceType], float | None]:
    project = results.document.project
    return project, results.types(project), budget


OPTIONS = Kind("options", _of_options, _offers, of_room=True, asked=True, judging=True)
SCHOOLS = Kind("comparison of four strategies", _of_options, _schools, of_room=True, asked=True)
# Wanted of it: a budget, for a starter set in place of the next best purchase.
PURCHASES = Kind("purchases", _of_purchases, _to_buy, asked=True)
