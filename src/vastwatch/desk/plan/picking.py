"""What lies under a pixel of the plan: marks, what is built, and what a room shows in place of its marks."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

from PyQt6.QtCore import QPointF

from vastwatch.design.project import find
from vastwatch.desk.plan.builder import Builder
from vastwatch.desk.plan.distance import Group, mark_share
from vastwatch.desk.plan.edit_context import EditContext
from vastwatch.desk.plan.marks import groups_shown
from vastwatch.desk.plan.state import special
from vastwatch.geometry import polygons

# How near a pointer has to come to a mark of full size, pixels: a sensor, and the others by their collection.
GRIP = 15.0
GRIPS = {"lamps": 10.0, "outputs": 10.0, "buttons": 9.0, "spots": 8.0}
# A group of devices is as large as this to the pointer, pixels.
GROUP_PX = 11.0


class Picking:
    """Works on what the bench shows."""

    def __init__(self, bench: EditContext, builder: Builder) -> None:
        self.bench, self.builder = bench, builder

    def _near(self, pixel: QPointF, at: tuple[float, float]) -> float:
        q = self.bench.pixel_of(*at)
        return math.hypot(q.x() - pixel.x(), q.y() - pixel.y())

    def group(self, pixel: QPointF) -> Group | None:
        """The room that stands for its devices there, if any."""
        shown = groups_shown(self.bench.state, self.bench.scale_px).values()
        return next((g for g in shown if self._near(pixel, g.at) <= GROUP_PX), None)

    def marks(self, pixel: QPointF) -> list[str]:
        """The ids of the marks under a pixel, the nearest first."""
        state, project = self.bench.state, self.bench.project
        together = groups_shown(state, self.bench.scale_px)
        hidden = frozenset().union(*(g.members for g in together.values())) - special(state)
        least = mark_share(self.bench.scale_px)
        found = [(self._near(pixel, (s.at[0], s.at[1])), GRIP * least, s.id) for s in state.sensors]
        for collection, grip in GRIPS.items():
            for r in getattr(project, collection):
                if find(project.rooms, r.room).level == self.bench.level:
                    found.append((self._near(pixel, r.at), grip * least, r.id))
        return [ident for d, grip, ident in sorted(found) if d <= grip and ident not in hidden]

    def mark(self, pixel: QPointF) -> str | None:
        """The mark that a press takes: the selected one where it is under the pixel, else the nearest."""
        marks, selected = self.marks(pixel), self.bench.focus.selected
        return selected if selected in marks else next(iter(marks), None)

    def everything(self, pixel: QPointF) -> list[str]:
        """The ids of all that can be selected under a pixel: marks, where one builds what is built, and the room."""
        return list(dict.fromkeys([*self.marks(pixel), *self._built(pixel)]))

    def _built(self, pixel: QPointF) -> Iterator[str]:
        x, y = self.bench.plan_at(pixel)
        if self.bench.focus.here.shapes == "building":
            top = self.builder.under(pixel)
            if top is not None and top[0] not in ("corner", "room"):
                yield top[1].id
            shown: list[Any] = [*reversed(self.bench.project.furnishings), *reversed(self.bench.state.hazards)]
            for thing in shown:
                if thing.level == self.bench.level and polygons.contains_point(thing.outline, x, y):
                    yield thing.id
        for room in self.bench.rooms:
            if polygons.contains_point(room.outline, x, y):
                yield room.id

    def next_after(self, pixel: QPointF, ident: str | None) -> str | None:
        """What lies under a pixel after a thing that was selected there; None where nothing else does."""
        found = self.everything(pixel)
        if ident not in found or len(found) < 2:
            return None
        return found[(found.index(ident) + 1) % len(found)]
