"""The Zones stage: zones of tracking radars, drawn and as their devices use them."""

from __future__ import annotations

from typing import Literal

from vastwatch.desk.stages.stage import Stage, Standing
from vastwatch.sensing.zoned_sensor import tracking_part


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    project = standing.project
    trackers = {d.id for d in project.devices if tracking_part(d) is not None}
    if not project.zones or all(s.device not in trackers for s in project.sensors):
        return "unlit"
    return "half" if any(rule.startswith("zone") for rule in standing.rules) else "lit"


STAGE = Stage(
    "Zones", _lamp, "drag a zone or its corners   R L turn the sensor   Ctrl+C copies the values",
    {"zones": "drag it or its corners   arrows nudge   Del deletes   Ctrl+C copies the values"},
    width=300, narrow=276, zones=True, follows_time=False, results=frozenset({"zones"}),
)  # fmt: skip
