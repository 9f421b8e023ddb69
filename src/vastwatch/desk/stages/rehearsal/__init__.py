"""The Rehearsal stage: the days at the left, and the moment of the playhead on the plan."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from vastwatch.desk.stages.stage import Stage, Standing

if TYPE_CHECKING:
    from vastwatch.desk.shell.surroundings import Surroundings
    from vastwatch.desk.stages.rehearsal.days import DaysPanel


def _make(around: Surroundings) -> DaysPanel:
    from vastwatch.desk.stages.rehearsal.days import DaysPanel

    return DaysPanel(around)


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    r = standing.rehearsal
    if not standing.project.sensors or r is None or not r.scores:
        return "unlit"
    return "half" if any(i.dark for i in r.incidents) else "lit"


STAGE = Stage(
    "Rehearsal", _make, _lamp, "Space runs   , . incidents   [ ] a minute   D a day", follows_time=True
)  # fmt: skip
