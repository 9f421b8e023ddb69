"""Another answer to what tells of a room, in place of the one there is: for everybody who tries what else could be
mounted there. Anybody who follows the room's conclusion goes on doing so, whatever stands behind it."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from msgspec.structs import replace

from vastwatch.design.edits.removing import removed
from vastwatch.design.expressions import Belief, ConclusionRef, Expr, Report, rewritten
from vastwatch.design.project import Project
from vastwatch.design.references import ids_of, untold
from vastwatch.design.relations import presence_of, sensors_of


def without_what_tells(project: Project, room: str) -> Project:
    """The project with nothing mounted that the conclusion of a room reads. Rows and outputs that name that conclusion
    go on naming it: what is mounted next tells for it; and those that read one of its sensors themselves name it from
    then on."""
    lighting = presence_of(project, room)
    if lighting is None:
        return project
    mine = {s for s in sensors_of(lighting) if s in ids_of(project.sensors)}
    return untold(removed(_by_conclusion(project, mine, lighting.id), *mine), room)


def _by_conclusion(project: Project, sensors: Collection[str], conclusion: str) -> Project:
    """Rows and outputs that name a conclusion in place of what its sensors report."""
    named = ConclusionRef(presence=conclusion)

    def instead(part: Expr) -> Expr:
        if isinstance(part, Report):
            return named if part.sensor in sensors else part
        # An occupancy probability weighs sensors alone.
        return named if isinstance(part, Belief) and any(r.sensor in sensors for r in part.of) else part

    def by(record: Any) -> Any:
        when = rewritten(record.when, instead)
        return record if when is record.when else replace(record, when=when)

    def guarded(output: Any) -> Any:
        rows = tuple(map(by, output.rows))
        locks = tuple(rewritten(lock, instead) for lock in output.locks)
        same = all(a is b for a, b in zip((*rows, *locks), (*output.rows, *output.locks)))
        return output if same else replace(output, rows=rows, locks=locks)

    rules, outputs = tuple(map(by, project.rules)), tuple(map(guarded, project.outputs))
    return replace(project, rules=rules, outputs=outputs)
