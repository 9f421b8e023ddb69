"""The Plan stage: building, furnishing, levels, drawings imported."""

from __future__ import annotations

from typing import Literal

from vastwatch.desk.stages.stage import Stage, Standing

# Findings that speak of the building and not of the sensors.
PLAN_RULES = frozenset({"no-way", "room-open", "rooms-overlap", "door-nowhere", "spot-inside", "room-unreachable"})


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    return "unlit" if not standing.project.rooms else "half" if standing.rules & PLAN_RULES else "lit"


STAGE = Stage(
    "Plan", _lamp, "drag furniture, walls, corners, or rooms by their name   Shift selects several", width=252,
    shapes="building",
)  # fmt: skip
