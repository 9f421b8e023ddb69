"""The Timing stage: roles in presence, and the timing curve."""

from __future__ import annotations

from typing import Literal

from vastwatch.design.needs import needs_of
from vastwatch.design.project import find
from vastwatch.desk.stages.stage import Stage, Standing


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    r = standing.rehearsal
    if not standing.project.sensors or r is None or not r.scores:
        return "unlit"
    allowed = {room: needs_of(r.project, find(r.project.rooms, room)).drops_per_week / 7 for room in r.scores}
    return "half" if any(s.false_offs > allowed[room] + 1e-9 for room, s in r.scores.items()) else "lit"


STAGE = Stage(
    "Timing", _lamp, "drag the marker along the curve   N next room", width=348, narrow=318, covers=True,
    has_roles=True, results=frozenset({"curve"}),
)  # fmt: skip
