"""The rooms' names, the spots where people stop, and the lamps."""

from __future__ import annotations

import math
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QGraphicsView

from vastwatch.design.project import find
from vastwatch.desk.plan.look import LAMP_RADIUS, Look, in_pixels, special
from vastwatch.desk.plan.shapes import name_place
from vastwatch.desk.shell import glyphs
from vastwatch.desk.shell.theme import alpha, font, mix
from vastwatch.site.building import Room


def draw_places(p: QPainter, look: Look) -> None:
    """The rooms' names, spots and lamps."""
    _names(p, look)
    if not look.hurried:
        # On a large plan in motion spots and lamps wait until the hand rests.
        _places(p, look)


def reads_places(look: Look) -> tuple[object, ...]:
    """What the names, spots and lamps layer shows."""
    apart = special(look)
    spots = [s for s in look.project.spots if s.id not in apart]
    return (
        look.project.rooms,
        spots,
        look.project.lamps,
        look.level,
        look.room,
        look.night,
        look.theme,
        dict(look.lit),
    )


@lru_cache(maxsize=2048)
def _width(words: str, selected: bool) -> int:
    return QFontMetrics(font(13, 600 if selected else 500)).horizontalAdvance(words)


def name_frame(room: Room, view: QGraphicsView) -> QRectF:
    """Where a room's name stands, in pixels of a view: what takes hold of the room."""
    left, level, wide = name_place(room.outline)
    k = view.transform().m11()
    at = view.mapFromScene(QPointF(left, -level))
    width = min(_width(room.name, True), max(wide * k - 20, 0))
    return QRectF(at.x() + 9, at.y() - 9, width + 4, 17)


def _names(p: QPainter, look: Look) -> None:
    plain, chosen = look.ink, mix(look.theme.ink, QColor("#E3E7F5"), look.night)
    written: bool | None = None
    with in_pixels(p) as at:
        # The focused room's last, so that pen and font change once.
        for room in sorted(look.rooms, key=lambda r: r.id == look.room):
            left, level, wide = name_place(room.outline)
            selected = room.id == look.room
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


def _places(p: QPainter, look: Look) -> None:
    """Spots and lamps, in pixels."""
    project, theme = look.project, look.theme
    with in_pixels(p) as at:
        apart = special(look)
        rings, wedges = QPainterPath(), QPainterPath()
        for spot in project.spots:
            if spot.id not in apart and find(project.rooms, spot.room).level == look.level:
                add_spot(rings, wedges, at(*spot.at), spot.facing)
        draw_spots(p, look, rings, wedges, look.ink, 1.1)
        dark = QPainterPath()
        ink = mix(theme.lamp, QColor("#C9AE72"), look.night)
        colour = theme.lamp if look.night < 0.5 else QColor("#FFC74D")
        for lamp in project.lamps:
            if find(project.rooms, lamp.room).level != look.level:
                continue
            level = look.lit.get(lamp.id, 0.0)
            if level <= 0:
                dark.addEllipse(at(*lamp.at), LAMP_RADIUS, LAMP_RADIUS)
            else:
                glyphs.lamp_mark(p, at(*lamp.at), LAMP_RADIUS, colour, level, ink)
        glyphs.lamp_marks_off(p, dark, LAMP_RADIUS, colour, ink)


def draw_spots(
    p: QPainter, look: Look, rings: QPainterPath, wedges: QPainterPath, colour: QColor, width: float
) -> None:
    p.setPen(QPen(colour, width))
    p.setBrush(alpha(look.ground, 0.8))
    p.drawPath(rings)
    p.fillPath(wedges, colour)


def add_spot(rings: QPainterPath, wedges: QPainterPath, c: QPointF, facing: float) -> None:
    """A ring, and beyond it a small wedge that shows which way somebody here faces."""
    rings.addEllipse(c, 4.2, 4.2)
    a = math.radians(facing)
    u, v = QPointF(math.cos(a), -math.sin(a)), QPointF(math.sin(a), math.cos(a))
    wedges.addPolygon(QPolygonF([c + u * 10, c + u * 6.2 - v * 3.4, c + u * 6.2 + v * 3.4]))
