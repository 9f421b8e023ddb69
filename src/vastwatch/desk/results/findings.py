"""What is found in the design, and because of what it goes wrong in the simulated week."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from vastwatch.advice.adviser.remedies import Remedy, remedies
from vastwatch.advice.checks.finding import Finding
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.judging.judge import Judgement
from vastwatch.causes.groups import Group, groups
from vastwatch.causes.investigation import Investigation, investigate
from vastwatch.design.project import Project
from vastwatch.desk.results.derived import Task
from vastwatch.desk.results.registry import Kind, Results
from vastwatch.rehearsal import Rehearsal
from vastwatch.rehearsal.scoring.incidents import Kind as Sort


class Causes(NamedTuple):
    """What a rehearsed room's incidents are because of: the inquiry into each kind, and the groups of all."""

    rehearsal: Rehearsal
    room: str
    inquiries: dict[Sort, Investigation]
    groups: list[Group]


def _found(task: Task, project: Project, judged: Mapping[str, Judgement]) -> list[Finding]:
    return findings(project, judged.get)


def _causes(task: Task, rehearsal: Rehearsal, room: str) -> Causes:
    found: dict[Sort, Investigation] = {}
    for kind in dict.fromkeys(i.kind for _, i in rehearsal.incidents_by_room.get(room, [])):
        inquiry = investigate(rehearsal, room, kind, task.should_continue)
        if inquiry is not None:
            found[kind] = inquiry
    return Causes(rehearsal, room, found, groups(rehearsal, found.values()))


def _remedies(task: Task, rehearsal: Rehearsal, room: str) -> list[Remedy]:
    return remedies(rehearsal, room, task.should_continue)


def _of_causes(results: Results, _: object) -> tuple[Rehearsal, str] | None:
    r, room = results.rehearsal, results.focus.room
    return None if r is None or room is None or results.week.state != "fresh" else (r, room)


def _of_remedies(results: Results, _: object) -> tuple[Rehearsal, str] | None:
    r, room = results.rehearsal, results.focus.room
    return None if r is None or room is None or room not in r.scores else (r, room)


FINDINGS = Kind("findings", lambda results, _: (results.document.project, results.judged), _found)
CAUSES = Kind(
    "causes", _of_causes, _causes, needed=lambda focus: focus.here.follows_time, follows=("room", "stage", "simulated")
)  # fmt: skip
REMEDIES = Kind("remedies", _of_remedies, _remedies, of_room=True, asked=True)


def causes_of(results: Results, rehearsal: Rehearsal, room: str) -> Causes | None:
    """The causes of a rehearsed room, as far as they are known."""
    found = results[CAUSES].value
    return found if found is not None and found.rehearsal is rehearsal and found.room == room else None
