"""Furniture on the plan, with the details by which a piece is known."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter

from vastwatch.desk.plan.distance import clearness
from vastwatch.desk.plan.painting import cosmetic, path_of, scale_of
from vastwatch.desk.plan.state import PlanState, made_once, special
from vastwatch.desk.shell.theme import alpha, mix


def draw_furniture(p: QPainter, state: PlanState) -> None:
    """All furniture that is not held."""
    apart, clear = special(state), clearness(scale_of(p))
    if clear <= 0:
        return
    p.setOpacity(clear)
    pieces = [f for f in state.project.furnishings if f.level == state.level and f.id not in apart]
    fill, line = furniture_colours(state)
    plain = made_once(state, "furniture", (pieces,), lambda: path_of(pieces))
    p.setBrush(alpha(fill, 0.85))
    p.setPen(cosmetic(line, 1))
    p.drawPath(plain)
    for f in pieces:
        draw_details(p, state, f, line)
    p.setOpacity(1.0)


def reads_furniture(state: PlanState) -> tuple[object, ...]:
    """What the furniture layer shows."""
    apart = special(state)
    plain = [f for f in state.project.furnishings if f.level == state.level and f.id not in apart]
    return plain, state.night, state.theme, state.level


def furniture_colours(state: PlanState) -> tuple[QColor, QColor]:
    fill = mix(state.theme.furniture, state.theme.night_furniture, state.night)
    line = mix(QColor("#C9BFAF") if state.theme.name == "light" else QColor("#5A6272"), QColor("#3E4A78"), state.night)
    return fill, line


def draw_details(p: QPainter, state: PlanState, f: Any, line: QColor) -> None:
    if f.kind == "stair":
        _treads(p, f.outline, f.climb or 0.0, line, state.ink)
    elif f.kind == "bed":
        p.setPen(cosmetic(line, 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        _pillows(p, f.outline)


def _treads(p: QPainter, outline, climb: float, line: QColor, ink: QColor) -> None:  # type: ignore[no-untyped-def]
    """Treads across the climb, and an arrow up."""
    xs, ys = [x for x, _ in outline], [-y for _, y in outline]
    x0, x1, y0, y1 = min(xs), max(xs), min(ys), max(ys)
    dx, dy = math.cos(math.radians(climb)), -math.sin(math.radians(climb))
    p.setPen(cosmetic(line, 1))
    steps = 12
    for k in range(1, steps):
        if abs(dy) > abs(dx):
            y = y0 + (y1 - y0) * k / steps
            p.drawLine(QLineF(x0, y, x1, y))
        else:
            x = x0 + (x1 - x0) * k / steps
            p.drawLine(QLineF(x, y0, x, y1))
    p.setPen(cosmetic(ink, 1.3))
    centre = QPointF((x0 + x1) / 2, (y0 + y1) / 2)
    half = 0.36 * (abs(dx) * (x1 - x0) + abs(dy) * (y1 - y0))
    tip = centre + QPointF(dx, dy) * half
    p.drawLine(centre - QPointF(dx, dy) * half, tip)
    for turn in (150, -150):
        a = math.atan2(dy, dx) + math.radians(turn)
        p.drawLine(tip, tip + QPointF(math.cos(a), math.sin(a)) * 0.16)


def _pillows(p: QPainter, outline) -> None:  # type: ignore[no-untyped-def]
    xs, ys = [x for x, _ in outline], [-y for _, y in outline]
    x0, x1, y0 = min(xs), max(xs), min(ys)
    w = (x1 - x0) / 2
    for k in (0, 1):
        p.drawRoundedRect(QRectF(x0 + k * w + 0.08, y0 + 0.08, w - 0.16, 0.36), 0.08, 0.08)
