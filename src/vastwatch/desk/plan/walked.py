"""The walk test on the plan: how soon somebody who sways in a door is noticed, and a way that was walked; and the
figures of what the selected sensor sees beyond."""

from __future__ import annotations

import math
from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from vastwatch.design.project import find
from vastwatch.desk.plan.beyond import beyond_words
from vastwatch.desk.plan.painting import in_pixels
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.looks import family_hue
from vastwatch.desk.shell.results import Results
from vastwatch.desk.shell.theme import font, mix

# The label at a door, pixels; and the dot where a sensor first notices.
LABEL_H, DOT = 16.0, 5.0
# A label that would lie on another is moved by so many of its heights, the nearest that is free.
STEPS = (0, 1, -1, 2, -2, 3, -3)
# Of a way the first so many sensors are marked.
MARKED = 4


def show_walked(state: PlanState, focus: Focus, results: Results) -> None:
    """Set what of a state belongs to the walk test, where sensors are chosen."""
    tested = focus.here.chooses
    doors = results.sways.value if tested else None
    state.sways = tuple(s for s in doors or () if s.room == focus.room and _on_level(state, s.room))
    state.walk = results.walk.value if tested else None


def _on_level(state: PlanState, room: str) -> bool:
    return any(r.id == room and r.level == state.level for r in state.project.rooms)


def draw_walked(p: QPainter, state: PlanState) -> None:
    """The doors of the room in hand, and the way that was drawn last."""
    if state.hurried:
        return
    with in_pixels(p) as at:
        p.setFont(font(11, 600))
        taken: list[QRectF] = []
        for sway in state.sways:
            words = f"{sway.nearly_s:.1f} s" if math.isfinite(sway.nearly_s) else "never"
            _label(p, state, at(*sway.door), words, sway.good, taken)
        for at_m, words, good in beyond_words(state):
            _label(p, state, at(*at_m), words, good, taken)
        walk = state.walk
        if walk is None or walk.level != state.level:
            return
        ink = mix(state.theme.ink, state.theme.paper, state.night)
        points = [at(*q) for q in walk.points]
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(ink, 2.0, Qt.PenStyle.DotLine))
        p.drawPolyline(QPolygonF(points))
        for k, noticing in enumerate(walk.noticings[:MARKED]):
            sensor = next((s for s in state.project.sensors if s.id == noticing.sensor), None)
            if sensor is None:
                continue
            c = at(*_along(walk.points, noticing.metres))
            p.setPen(QPen(QColor("#FFFFFF"), 1.5))
            p.setBrush(family_hue(state.theme, find(state.project.devices, sensor.device).family))
            p.drawEllipse(c, DOT, DOT)
            if k == 0:
                _label(p, state, c + QPointF(0, -16), f"{noticing.seconds:.1f} s", True, taken)


def _label(p: QPainter, state: PlanState, c: QPointF, words: str, good: bool, taken: list[QRectF]) -> None:
    """Words on a ground of their own, red where it is bad; beside what is `taken`, and that is taken then."""
    wide = p.fontMetrics().horizontalAdvance(words) + 10.0
    box = QRectF(c.x() - wide / 2, c.y() - LABEL_H / 2, wide, LABEL_H)
    free = (box.translated(0.0, k * (LABEL_H + 2.0)) for k in STEPS)
    box = next((b for b in free if not any(b.intersects(t) for t in taken)), box)
    taken.append(box)
    p.setPen(Qt.PenStyle.NoPen if not good else QPen(state.theme.hairline, 1.0))
    p.setBrush(state.theme.card if good else state.theme.dropped)
    p.drawRoundedRect(box, 4, 4)
    p.setPen(state.theme.ink if good else QColor("#FFFFFF"))
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _along(points: tuple[tuple[float, float], ...], metres: float) -> tuple[float, float]:
    """The place so far along a way."""
    for a, b in pairwise(points):
        long = math.dist(a, b)
        if metres <= long and long > 0:
            return a[0] + (b[0] - a[0]) * metres / long, a[1] + (b[1] - a[1]) * metres / long
        metres -= long
    return points[-1]
