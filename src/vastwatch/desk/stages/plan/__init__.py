"""The Plan stage: building, furnishing, levels, drawings brought in."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from vastwatch.desk.stages.stage import Stage, Standing

if TYPE_CHECKING:
    from vastwatch.desk.shell.surroundings import Surroundings
    from vastwatch.desk.stages.plan.panel import PlanPanel

# Findings that speak of the building and not of the sensors.
PLAN_RULES = frozenset({"no-way", "room-open", "rooms-overlap", "door-nowhere", "spot-inside", "room-unreachable"})


def _make(around: Surroundings) -> PlanPanel:
    from vastwatch.desk.stages.plan.panel import PlanPanel

    return PlanPanel(around)


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    return "unlit" if not standing.project.rooms else "half" if standing.rules & PLAN_RULES else "lit"


STAGE = Stage(
    "Plan", _make, _lamp, "drag furniture, walls, corners, rooms by their name   Shift for many", width=244,
    shapes="building",
)  # fmt: skip
