"""The Sensors stage: the shelf, types of one's own, types side by side."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from vastwatch.desk.stages.plan import PLAN_RULES
from vastwatch.desk.stages.stage import Stage, Standing

if TYPE_CHECKING:
    from vastwatch.desk.shell.surroundings import Surroundings
    from vastwatch.desk.stages.sensors.shelf import Shelf


def _make(around: Surroundings) -> Shelf:
    from vastwatch.desk.stages.sensors.shelf import Shelf

    shelf = Shelf(around.document, around.focus, around.own, around.theme)
    shelf.say.connect(around.say)
    return shelf


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    return "unlit" if not standing.project.sensors else "half" if standing.rules - PLAN_RULES else "lit"


STAGE = Stage(
    "Sensors", _make, _lamp, "click a room or a sensor   M next sensor   F fits",
    {"sensors": "arrows nudge   R L turn   Del deletes   V next figure"}, covers=True, chooses=True,
)  # fmt: skip
