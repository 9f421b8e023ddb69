"""The zones of all tracking radars of a level, as they are drawn: for pages and pictures, where none is in hand."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from vastwatch.desk.plan.painting import cosmetic, in_pixels, polygon
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.results.active_tracker import trackers
from vastwatch.desk.shell.theme import alpha, font
from vastwatch.geometry import polygons
from vastwatch.sensing.zoned_sensor import programmed_zones


def draw_zones_on_paper(p: QPainter, state: PlanState) -> None:
    """Outlines with their names: solid for who stays, dashed for who comes in, dotted for what is ignored."""
    t = state.theme
    lines = {"detect": Qt.PenStyle.SolidLine, "entry": Qt.PenStyle.DashLine, "ignore": Qt.PenStyle.DotLine}
    zones = [z for s in trackers(state.project, state.level) for z in programmed_zones(state.project, s)]
    for zone in zones:
        # Over contours in any hue: light within, dark around.
        p.setBrush(Qt.BrushStyle.NoBrush if zone.role == "ignore" else alpha(t.paper, 0.25))
        p.setPen(cosmetic(t.ink, 1.4, lines[zone.role]))
        p.drawPolygon(polygon(zone.outline))
    with in_pixels(p) as at:
        p.setFont(font(9, 500))
        for zone in zones:
            c = at(*polygons.centroid(zone.outline))
            wide = p.fontMetrics().horizontalAdvance(zone.name) + 4
            box = QRectF(c - QPointF(wide / 2, 7), c + QPointF(wide / 2, 7))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(alpha(t.paper, 0.85))
            p.drawRoundedRect(box, 3, 3)
            p.setPen(t.ink)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, zone.name)
