"""Walls and their openings on the plan."""

from __future__ import annotations

import math
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from vastwatch.design.project import Project
from vastwatch.desk.plan.painting import cosmetic, polygon
from vastwatch.desk.plan.state import PlanState, made_once
from vastwatch.desk.shell.theme import alpha, mix
from vastwatch.site.building import Opening, Wall


def draw_walls(p: QPainter, state: PlanState) -> None:
    """Walls with their openings."""
    project = state.project
    solid, openings = made_once(
        state, "walls", (project.walls, project.openings, state.level), lambda: _solid(project, state.level)
    )
    p.setPen(Qt.PenStyle.NoPen)
    p.fillPath(solid, state.wall)
    for wall, o in openings:
        _opening(p, state, wall, o, math.dist(wall.a, wall.b))


def reads_walls(state: PlanState) -> tuple[object, ...]:
    """What the walls layer shows."""
    return state.project.walls, state.project.openings, state.level, state.night, state.theme


def _solid(project: Project, level: str) -> tuple[QPainterPath, list[tuple[Wall, Opening]]]:
    """Every stretch of wall between openings as one path, and the openings with their walls."""
    by_wall: dict[str, list[Opening]] = {}
    for o in project.openings:
        by_wall.setdefault(o.wall, []).append(o)
    path, found = QPainterPath(), []
    path.setFillRule(Qt.FillRule.WindingFill)
    for wall in project.walls:
        if wall.level != level:
            continue
        mine = tuple(sorted(by_wall.get(wall.id, ()), key=lambda o: o.offset))
        for piece in _pieces(wall, mine):
            path.addPolygon(piece)
        found += [(wall, o) for o in mine]
    return path, found


@lru_cache(maxsize=8192)
def _pieces(wall: Wall, openings: tuple[Opening, ...]) -> list[QPolygonF]:
    """The stretches of one wall; records compare by identity, so a dragged wall is the only one made anew."""
    length, s = math.dist(wall.a, wall.b), 0.0
    spans = []
    for o in openings:
        spans.append((s, o.offset))
        s = max(s, o.offset + o.width)
    spans.append((s, length))
    return [_piece(wall, a, b, length) for a, b in spans if b - a > 1e-6]


def _piece(wall: Wall, s0: float, s1: float, length: float) -> QPolygonF:
    half = wall.thickness / 2
    # Outer ends reach over the corner; ends at an opening are cut square.
    s0 = s0 - half if s0 <= 1e-9 else s0
    s1 = s1 + half if s1 >= length - 1e-9 else s1
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    nx, ny = -uy * half, ux * half
    x0, y0, x1, y1 = wall.a[0] + s0 * ux, wall.a[1] + s0 * uy, wall.a[0] + s1 * ux, wall.a[1] + s1 * uy
    corners = ((x0 + nx, y0 + ny), (x1 + nx, y1 + ny), (x1 - nx, y1 - ny), (x0 - nx, y0 - ny), (x0 + nx, y0 + ny))
    return polygon(corners)


def along(wall: Wall, s: float, length: float) -> QPointF:
    k = s / length
    return QPointF(wall.a[0] + k * (wall.b[0] - wall.a[0]), -(wall.a[1] + k * (wall.b[1] - wall.a[1])))


def draw_halo(p: QPainter, state: PlanState, wall: Wall, a: QPointF, b: QPointF) -> None:
    """Marks a selected stretch of wall."""
    pen = QPen(alpha(state.ink, 0.4), wall.thickness + 0.16)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    p.setPen(pen)
    p.drawLine(a, b)


def _opening(p: QPainter, state: PlanState, wall: Wall, o: Opening, length: float) -> None:
    a, b = along(wall, o.offset, length), along(wall, min(o.offset + o.width, length), length)
    thin = mix(state.theme.soft, QColor("#6D779C"), state.night)
    if o.kind == "window":
        d = (b - a) / max(math.hypot(b.x() - a.x(), b.y() - a.y()), 1e-9)
        n = QPointF(-d.y(), d.x()) * (wall.thickness / 2)
        p.setPen(cosmetic(thin, 1))
        p.setBrush(
            mix(QColor("#E4EAF0") if state.theme.name == "light" else QColor("#45506A"), QColor("#2C3765"), state.night)
        )
        p.drawPolygon(QPolygonF([a + n, b + n, b - n, a - n]))
        p.drawLine(a, b)
        return
    if o.kind == "archway":
        p.setPen(cosmetic(thin, 1, Qt.PenStyle.DotLine))
        p.drawLine(a, b)
        return
    # Closed leaves lie in the wall; the quarter circle shows which way they swing.
    p.setPen(cosmetic(thin, 1.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    if o.rest == "closed":
        p.drawLine(a, b)
    pivot, end = (a, b) if o.hinge == "a" else (b, a)
    angle = math.degrees(math.atan2(-(end.y() - pivot.y()), end.x() - pivot.x()))
    # To the left of a-b is counter-clockwise from a, and clockwise from b.
    turn = 90.0 if (o.swings == "left") == (o.hinge == "a") else -90.0
    open_at = math.radians(angle + turn)
    p.setPen(cosmetic(thin, 1.4 if o.rest == "open" else 1))
    if o.rest == "open":
        p.drawLine(pivot, pivot + QPointF(math.cos(open_at), -math.sin(open_at)) * o.width)
    p.setPen(cosmetic(alpha(thin, 0.55), 1, Qt.PenStyle.SolidLine if o.rest == "open" else Qt.PenStyle.DotLine))
    box = QRectF(pivot.x() - o.width, pivot.y() - o.width, 2 * o.width, 2 * o.width)
    p.drawArc(box, round(angle * 16), round(turn * 16))
