"""The walk test on the plan: how soon somebody who sways in a door is noticed, and a way that was walked; and the
figures of what the selected sensor sees beyond."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from vastwatch.design.project import find
from vastwatch.desk.plan.over_coverage_layer import beyond_words
from vastwatch.desk.plan.painting import in_pixels
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.results.detection import SWAYS, WALK
from vastwatch.desk.results.registry import Results
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.focus import Focus
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
    doors = results[SWAYS].value if tested else None
    state.sways = tuple(s for s in doors or () if s.room == focus.room and _on_level(state, s.room))
    state.walk = results[WALK].value if tested else None


def _on_level(state: PlanState, room: str) -> bool:
    return any(r.id == room and r.level == state.level for r in state.project.rooms)


def draw_walked(p: QPainter, state: PlanState) -> None:
    """The doors of the room in hand, the way that was drawn last, and figures: of what is seen beyond as well."""
    if state.hurried:
        return
    with in_pixels(p) as at:
        words = [_way(p, state, at)] if state.walk is not None and state.walk.level == state.level else []
        for sway in state.sways:
            words.append((at(*sway.door), f"{sway.p90_s:.1f} s" if math.isfinite(sway.p90_s) else "never", sway.good))
        words += [(at(*point), said, good) for point, said, good in beyond_words(state)]
        p.setFont(font(11, 600))
        taken: list[QRectF] = []
        for c, said, good in words:
            _label(p, state, c, said, good, taken)


Words = tuple[QPointF, str, bool]


def _way(p: QPainter, state: PlanState, at: Callable[[float, float], QPointF]) -> Words:
    """The way that was walked, and where sensors first notice; what is to be said of the first of them."""
    walk = state.walk
    assert walk is not None
    points = [at(*q) for q in walk.points]
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(mix(state.theme.ink, state.theme.paper, state.night), 2.0, Qt.PenStyle.DotLine))
    p.drawPolyline(QPolygonF(points))
    said = [(points[0], "never", False)]
    for noticing in walk.noticings[:MARKED]:
        sensor = next((s for s in state.project.sensors if s.id == noticing.sensor), None)
        if sensor is None:
            continue
        c = at(*_along(walk.points, noticing.metres))
        p.setPen(QPen(QColor("#FFFFFF"), 1.5))
        p.setBrush(family_hue(state.theme, find(state.project.devices, sensor.device).family))
        p.drawEllipse(c, DOT, DOT)
        said.append((c + QPointF(0, -16), f"{noticing.seconds:.1f} s", True))
    return said[min(1, len(said) - 1)]


def _label(p: QPainter, state: PlanState, c: QPointF, words: str, good: bool, taken: list[QRectF]) -> None:
    """Words on a ground of their own, red where it is bad; beside what is `taken`, and that is taken then."""
    wide = p.fontMetrics().horizontalAdvance(words) + 10.0
    box = beside(QRectF(c.x() - wide / 2, c.y() - LABEL_H / 2, wide, LABEL_H), taken)
    taken.append(box)
    p.setPen(Qt.PenStyle.NoPen if not good else QPen(state.theme.hairline, 1.0))
    p.setBrush(state.theme.card if good else state.theme.dropped)
    p.drawRoundedRect(box, 4, 4)
    p.setPen(state.theme.ink if good else QColor("#FFFFFF"))
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def beside(box: QRectF, taken: list[QRectF]) -> QRectF:
    """A box moved up or down to where it lies on none that is taken, as near as can be."""
    moved = (box.translated(0.0, k * (LABEL_H + 2.0)) for k in STEPS)
    return next((b for b in moved if not any(b.intersects(t) for t in taken)), box)


def _along(points: tuple[tuple[float, float], ...], metres: float) -> tuple[float, float]:
    """The place so far along a way."""
    for a, b in pairwise(points):
        long = math.dist(a, b)
        if metres <= long and long > 0:
            return a[0] + (b[0] - a[0]) * metres / long, a[1] + (b[1] - a[1]) * metres / long
        metres -= long
    return points[-1]
