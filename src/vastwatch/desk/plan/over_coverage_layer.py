"""What the selected sensor sees and should not, on the plan: rooms that it does not serve, dotted where a walker there
is noticed; how much of each that is, and how often a day somebody there sets it off."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from vastwatch.advice.detection.over_coverage import SEEN_S
from vastwatch.design.project import find
from vastwatch.desk.plan.contours import BANDS
from vastwatch.desk.plan.painting import in_pixels, polygon
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.results.detection import SPILL
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.theme import mix
from vastwatch.site.record import Point

# The band of the map within which a walker counts as seen; pixels between dots, and how large they are.
BAND = next(k for k, (limit, _) in enumerate(BANDS) if limit == SEEN_S)
APART, DOT = 7, 2.0
# Oftener a day than that is told as bad.
OFTEN = 1.0


def show_beyond(state: PlanState, focus: Focus, results: Results) -> None:
    """Set what of a state is seen that should not be, where sensors are chosen and their reach is shown."""
    shown = focus.here.chooses and state.contours and results[SPILL].value is not None and not state.dragging
    spills = results[SPILL].value or () if shown else ()
    state.spills = tuple(s for s in spills if s.sensor == state.selected)


def draw_beyond(p: QPainter, state: PlanState) -> None:
    """The part of each other room that the selected sensor sees, and its figures."""
    paths = next((paths for sensor, _, paths in state.laid if sensor.id == state.selected), ())
    if not state.spills or not paths or state.hurried:
        return
    ink = mix(state.ground, state.theme.dropped, 0.75)
    for spill in state.spills:
        room = QPainterPath()
        room.addPolygon(polygon(find(state.project.rooms, spill.room).outline))
        box = p.worldTransform().map(room.intersected(paths[BAND]))
        with in_pixels(p):
            p.setClipPath(box, Qt.ClipOperation.IntersectClip)
            p.setPen(QPen(ink, DOT, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            p.drawPoints(_dots(box))


def beyond_words(state: PlanState) -> list[tuple[Point, str, bool]]:
    """What is said of each such room, where, and whether it is no harm."""
    out = []
    for spill in state.spills:
        words = f"{spill.area_m2:.1f} m²"
        if spill.false_ons_per_day > 0:
            words += f", {spill.false_ons_per_day:.1f} × a day"
        out.append((spill.at, words, spill.false_ons_per_day < OFTEN))
    return out


def _dots(box: QPainterPath) -> QPolygonF:
    """Points in rows, every other row between those of the last."""
    r = box.boundingRect()
    rows = range(math.floor(r.top() / APART), math.ceil(r.bottom() / APART) + 1)
    columns = range(math.floor(r.left() / APART), math.ceil(r.right() / APART) + 1)
    return QPolygonF([QPointF((c + (k % 2) / 2) * APART, k * APART) for k in rows for c in columns])
