"""The Sensors stage: the shelf, types of one's own, types side by side."""

from __future__ import annotations

from typing import Literal

from vastwatch.desk.stages.plan import PLAN_RULES
from vastwatch.desk.stages.stage import Stage, Standing


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    return "unlit" if not standing.project.sensors else "half" if standing.rules - PLAN_RULES else "lit"


STAGE = Stage(
    "Sensors", _lamp, "click a room or a sensor   M next sensor   F zoom to fit",
    {"sensors": "arrows nudge   R L turn   Del deletes   V next contour type"}, covers=True, chooses=True,
)  # fmt: skip
