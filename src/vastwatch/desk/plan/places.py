"""The rooms' names, the spots where people stop, and the lamps."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QGraphicsView

from vastwatch.design.project import find
from vastwatch.desk.plan.painting import LAMP_RADIUS, in_pixels
from vastwatch.desk.plan.shapes import name_place
from vastwatch.desk.plan.state import PlanState, special
from vastwatch.desk.shell import glyphs
from vastwatch.desk.shell.theme import alpha, font, mix
from vastwatch.memo import kept
from vastwatch.site.building import Room


def draw_places(p: QPainter, state: PlanState) -> None:
    """The rooms' names, spots and lamps."""
    _names(p, state)
    if not state.hurried:
        # On a large plan in motion spots and lamps wait until the hand rests.
        _places(p, state)


def reads_places(state: PlanState) -> tuple[object, ...]:
    """What the names, spots and lamps layer shows."""
    apart = special(state)
    spots = [s for s in state.project.spots if s.id not in apart]
    return (
        state.project.rooms,
        spots,
        state.project.lamps,
        state.level,
        state.room,
        state.night,
        state.theme,
        dict(state.lit),
    )


@kept
def _width(words: str, selected: bool) -> int:
    return QFontMetrics(font(13, 600 if selected else 500)).horizontalAdvance(words)


def name_frame(room: Room, view: QGraphicsView) -> QRectF:
    """Where a room's name stands, in pixels of a view: what takes hold of the room."""
    left, level, wide = name_place(room.outline)
    k = view.transform().m11()
    at = view.mapFromScene(QPointF(left, -level))
    width = min(_width(room.name, True), max(wide * k - 20, 0))
    return QRectF(at.x() + 9, at.y() - 9, width + 4, 17)


def _names(p: QPainter, state: PlanState) -> None:
    plain, chosen = state.ink, mix(state.theme.ink, QColor("#E3E7F5"), state.night)
    written: bool | None = None
    with in_pixels(p) as at:
        # The focused room's last, so that pen and font change once.
        for room in sorted(state.rooms, key=lambda r: r.id == state.room):
            left, level, wide = name_place(room.outline)
            selected = room.id == state.room
            if selected is not written:
                written = selected
                p.setFont(font(13, 600 if selected else 500))
                p.setPen(chosen if selected else plain)
            at_left = at(left, level)
            width = at(left + wide, level).x() - at_left.x() - 20
            words = room.name
            if _width(words, selected) > width:
                words = p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(width))
            p.drawText(at_left + QPointF(11, 4), words)


def _places(p: QPainter, state: PlanState) -> None:
    """Spots and lamps, in pixels."""
    project, theme = state.project, state.theme
    with in_pixels(p) as at:
        apart = special(state)
        rings, wedges = QPainterPath(), QPainterPath()
        for spot in project.spots:
            if spot.id not in apart and find(project.rooms, spot.room).level == state.level:
                add_spot(rings, wedges, at(*spot.at), spot.facing)
        draw_spots(p, state, rings, wedges, state.ink, 1.1)
        dark = QPainterPath()
        ink = mix(theme.lamp, QColor("#C9AE72"), state.night)
        colour = theme.lamp if state.night < 0.5 else QColor("#FFC74D")
        for lamp in project.lamps:
            if find(project.rooms, lamp.room).level != state.level:
                continue
            level = state.lit.get(lamp.id, 0.0)
            if level <= 0:
                dark.addEllipse(at(*lamp.at), LAMP_RADIUS, LAMP_RADIUS)
            else:
                glyphs.lamp_mark(p, at(*lamp.at), LAMP_RADIUS, colour, level, ink)
        glyphs.lamp_marks_off(p, dark, LAMP_RADIUS, colour, ink)


def draw_spots(
    p: QPainter, state: PlanState, rings: QPainterPath, wedges: QPainterPath, colour: QColor, width: float
) -> None:
    p.setPen(QPen(colour, width))
    p.setBrush(alpha(state.ground, 0.8))
    p.drawPath(rings)
    p.fillPath(wedges, colour)


def add_spot(rings: QPainterPath, wedges: QPainterPath, c: QPointF, facing: float) -> None:
    """A ring, and beyond it a small wedge that shows which way somebody here faces."""
    rings.addEllipse(c, 4.2, 4.2)
    a = math.radians(facing)
    u, v = QPointF(math.cos(a), -math.sin(a)), QPointF(math.sin(a), math.cos(a))
    wedges.addPolygon(QPolygonF([c + u * 10, c + u * 6.2 - v * 3.4, c + u * 6.2 + v * 3.4]))
