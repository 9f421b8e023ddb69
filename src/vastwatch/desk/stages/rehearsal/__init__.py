"""The Rehearsal stage: the days at the left, and the moment of the playhead on the plan."""

from __future__ import annotations

from typing import Literal

from vastwatch.desk.stages.stage import Stage, Standing


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    r = standing.rehearsal
    if not standing.project.sensors or r is None or not r.scores:
        return "unlit"
    return "half" if any(i.dark for i in r.incidents) else "lit"


STAGE = Stage(
    "Rehearsal", _lamp, "Space plays   , . incidents   [ ] a minute   D a day", follows_time=True
)  # fmt: skip
