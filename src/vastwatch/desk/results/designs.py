"""The design compared with a variant of it, whenever either changes."""

from __future__ import annotations

from typing import Any, NamedTuple

from vastwatch.advice.judging.comparison import RoomComparison, compare
from vastwatch.advice.judging.settings import settings
from vastwatch.design.project import Project, Variant
from vastwatch.design.variants import with_design_of
from vastwatch.desk.results.derived import Task
from vastwatch.desk.results.registry import DAYS, Kind, Results
from vastwatch.rehearsal import Rehearsal, rehearse

# Two designs are compared under so many seeds.
COMPARED_SEEDS = 8


class Designs(NamedTuple):
    """A variant of the design, then the design, simulated with the same people: every room of both in so many weeks,
    and one week of each."""

    rooms: list[RoomComparison]
    weeks: int
    pair: tuple[Rehearsal, Rehearsal]


def _designs(task: Task, project: Project, variant: Variant, seed: int) -> Designs:
    other = with_design_of(project, variant)
    # The copy first: it was kept before what came of the design since.
    pair = rehearse(other, DAYS, seed), rehearse(project, DAYS, seed)
    seeds = settings().chosen_on[:COMPARED_SEEDS]
    weeks = len(seeds) * settings().days // 7

    def show(rooms: list[RoomComparison]) -> None:
        task.show(Designs(rooms, weeks, pair))

    rooms = compare(
        other, project, seeds, should_continue=task.should_continue, report_progress=task.report_progress, show=show
    )
    return Designs(rooms, weeks, pair)


def _of_designs(results: Results, variant: Any) -> tuple[Project, Variant, int] | None:
    project = results.document.project
    found = next((v for v in project.variants if v.id == variant), None)
    return None if found is None else (project, found, results.seed)


# Wanted of it: the id of a variant; None: none is compared.
DESIGNS = Kind("designs", _of_designs, _designs, judging=True, forgetful=True)
