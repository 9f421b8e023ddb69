"""The handle by which a selected spot is made to face another way, and a piece of furniture is turned."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

from msgspec.structs import replace
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPen

from vastwatch.design.edits.fittings import move_furnishing
from vastwatch.design.project import Project, find, put
from vastwatch.desk.plan.painting import in_pixels
from vastwatch.desk.plan.shapes import front_of, sides
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell.theme import mix
from vastwatch.geometry import polygons
from vastwatch.site.record import Point

# The dot stands so far out, and is as large, pixels; within GRIP_PX of its middle it is taken hold of.
OUT_PX, DOT_PX, GRIP_PX = 26.0, 4.5, 9.0
STEP_DEG = 5.0


class Handle(NamedTuple):
    """Whose it is, about which point it turns, which way it points, and how far out it begins, metres."""

    collection: str
    record: Any
    centre: Point
    bearing: float
    reach: float

    def tip(self, centre_px: QPointF, scale_px: float) -> QPointF:
        """Where the dot is, in pixels, for a centre in pixels."""
        a = math.radians(self.bearing)
        return centre_px + QPointF(math.cos(a), -math.sin(a)) * (self.reach * scale_px + OUT_PX)


def handle_of(state: PlanState) -> Handle | None:
    """The handle of what is selected alone where the building is shaped, if it has one."""
    if state.shapes != "building" or state.marked or state.selected is None:
        return None
    for spot in state.project.spots:
        if spot.id == state.selected and find(state.project.rooms, spot.room).level == state.level:
            return Handle("spots", spot, spot.at, spot.facing, 0.0)
    for piece in state.project.furnishings:
        if piece.id == state.selected and piece.level == state.level and len(piece.outline) == 4:
            front = front_of(piece.outline)
            return Handle("furnishings", piece, polygons.centroid(piece.outline), front, sides(piece.outline)[1] / 2)
    return None


def turned_to(project: Project, handle: Handle, bearing: float) -> Project:
    """The project with the handle's record turned to a bearing, from where it was when it was taken hold of."""
    if handle.collection == "spots":
        return put(project, replace(handle.record, facing=bearing % 360))
    return move_furnishing(project, handle.record.id, 0.0, 0.0, bearing - handle.bearing)


def draw_handle(p: QPainter, state: PlanState) -> None:
    """A thin line to a dot."""
    handle = handle_of(state)
    if handle is None:
        return
    scale = p.worldTransform().m11()
    with in_pixels(p) as at:
        c = at(*handle.centre)
        tip = handle.tip(c, scale)
        edge = c + (tip - c) * (1 - (OUT_PX - 6) / max(math.hypot(tip.x() - c.x(), tip.y() - c.y()), 1.0))
        p.setPen(QPen(mix(state.theme.ink, state.theme.paper, state.night), 1.3))
        p.drawLine(edge, tip)
        p.setBrush(state.theme.card)
        p.drawEllipse(tip, DOT_PX, DOT_PX)
