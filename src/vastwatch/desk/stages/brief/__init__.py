"""The Brief stage: what is wanted of each room, who lives there, how it is wired, and what may be spent."""

from __future__ import annotations

from typing import Literal

from vastwatch.desk.stages.stage import Stage, Standing


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    # Something is wanted once somebody lives there, and all of it is told once power can be reckoned with.
    project = standing.project
    return "unlit" if not project.people else "lit" if project.circuits or project.sockets else "half"


STAGE = Stage(
    "Brief", _lamp, "Return edits a cell   N next room   B purchases", width=432, narrow=372,
    shapes="fixtures",
)  # fmt: skip
