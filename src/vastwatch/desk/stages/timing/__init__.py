"""The Timing stage: roles in presence, and the timing curve."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from vastwatch.design.needs import needs_of
from vastwatch.design.project import find
from vastwatch.desk.stages.stage import Stage, Standing

if TYPE_CHECKING:
    from vastwatch.desk.shell.surroundings import Surroundings
    from vastwatch.desk.stages.timing.panel import TimingPanel


def _make(around: Surroundings) -> TimingPanel:
    # The charts are loaded when they are first wanted.
    from vastwatch.desk.stages.timing.panel import TimingPanel

    panel = TimingPanel(around.document, around.focus, around.results, around.theme)
    panel.say.connect(around.say)
    return panel


def _lamp(standing: Standing) -> Literal["unlit", "half", "lit"]:
    r = standing.rehearsal
    if not standing.project.sensors or r is None or not r.scores:
        return "unlit"
    allowed = {room: needs_of(r.project, find(r.project.rooms, room)).drops_per_week / 7 for room in r.scores}
    return "half" if any(s.drops > allowed[room] + 1e-9 for room, s in r.scores.items()) else "lit"


STAGE = Stage(
    "Timing", _make, _lamp, "drag the mark along the curve   N next room", width=348, narrow=318, covers=True,
    has_roles=True, results=frozenset({"curve"}),
)  # fmt: skip
