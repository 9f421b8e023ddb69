"""What can be tried of a placing: a stay at a spot, doors, a way that is walked, and what is seen beyond the room."""

from __future__ import annotations

from typing import Any

from vastwatch.advice.detection.over_coverage import OverCoverage, over_coverages
from vastwatch.advice.detection.stay_trial import StayTrial, run_stay_trial
from vastwatch.advice.detection.walk_test import SidestepTest, Walk, entrances, in_and_out, sidestep_tests, walk
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.desk.results.registry import Kind, Results
from vastwatch.desk.shell.focus import Focus
from vastwatch.site.record import Point


def tried_spot(results: Results, _: object = None) -> tuple[Project, str] | None:
    """The design and the selected spot, where a stay there can be tried."""
    project = results.document.project
    spot = next((s for s in project.spots if s.id == results.focus.selected), None)
    if spot is None or spot.activity == "away" or presence_of(project, spot.room) is None:
        return None
    return project, spot.id


def tried_doors(results: Results, _: object = None) -> tuple[Project, str] | None:
    """The design and the room in hand, where that has a presence whose doors can be tried."""
    room, project = results.focus.room, results.document.project
    return None if room is None or presence_of(project, room) is None else (project, room)


def _of_spill(results: Results, _: object) -> tuple[Project, str] | None:
    project, ident = results.document.project, results.focus.selected
    return (project, ident) if ident is not None and any(s.id == ident for s in project.sensors) else None


def _of_way(results: Results, way: Any) -> tuple[Project, str, tuple[Point, ...]] | None:
    return None if way is None else (results.document.project, *way)


def _placing(focus: Focus) -> bool:
    return focus.here.chooses


TRIAL: Kind[StayTrial] = Kind(
    "trial", tried_spot, lambda task, project, spot: run_stay_trial(project, spot), follows=("selected",)
)  # fmt: skip
SWAYS: Kind[list[SidestepTest]] = Kind(
    "doors", tried_doors, lambda task, project, room: sidestep_tests(project, room), _placing, ("room", "stage")
)  # fmt: skip
SPILL: Kind[list[OverCoverage]] = Kind(
    "detection next door", _of_spill, lambda task, project, sensor: over_coverages(project, sensor), _placing,
    ("selected", "room", "stage"), forgetful=True,
)  # fmt: skip
WALK: Kind[Walk] = Kind("way", _of_way, lambda task, project, level, points: walk(project, level, points))


def walk_way(results: Results, points: tuple[Point, ...]) -> None:
    """Walk a way on the shown level, and again whenever the design changes."""
    results[WALK].want((results.focus.level, points))


def walk_in_and_out(results: Results) -> None:
    """Walk into the room in hand by its first door, and out again."""
    project, room = results.document.project, results.focus.room
    doors = [] if room is None else entrances(project, find(project.rooms, room))
    if room is not None and doors:
        results.focus.set(placing=None)
        walk_way(results, in_and_out(project, room, doors[0][0].id))
