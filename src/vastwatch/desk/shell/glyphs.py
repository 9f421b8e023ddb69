"""Our own marks, drawn as vectors: the lamp, the person, the cat; those of the sensor families are in `family_style`.

Each is drawn about the origin within a circle of radius 1, so that nothing depends on colour alone.
"""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap

from vastwatch.desk.shell.theme import alpha


def lamp_mark(p: QPainter, centre: QPointF, radius: float, colour: QColor, level: float, ink: QColor) -> None:
    """A ring that fills with light by its level, 0 to 1."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(colour if level > 0 else ink, max(1.3, radius * 0.2)))
    p.setBrush(alpha(colour, 0.15) if level <= 0 else Qt.BrushStyle.NoBrush)
    p.drawEllipse(centre, radius, radius)
    if level > 0:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(colour)
        p.drawEllipse(centre, radius * 0.72 * level, radius * 0.72 * level)
    p.restore()


def lamp_marks_off(p: QPainter, rings: QPainterPath, radius: float, colour: QColor, ink: QColor) -> None:
    """Many lamps that are off, their rings in one path."""
    p.setPen(QPen(ink, max(1.3, radius * 0.2)))
    p.setBrush(alpha(colour, 0.15))
    p.drawPath(rings)


def person_mark(p: QPainter, centre: QPointF, radius: float, initial: str, fill: QColor, text: QColor, font) -> None:  # type: ignore[no-untyped-def]
    """A disc with an initial."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(text, 1.4))
    p.setBrush(fill)
    p.drawEllipse(centre, radius, radius)
    p.setFont(font)
    p.setPen(text)
    p.drawText(
        QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius), Qt.AlignmentFlag.AlignCenter, initial
    )
    p.restore()


def cat_mark(p: QPainter, centre: QPointF, radius: float, fill: QColor, line: QColor) -> None:
    """A small head with two ears."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    path = QPainterPath()
    r = radius
    path.moveTo(-r * 0.85, -r * 1.0)
    path.lineTo(-r * 0.3, -r * 0.6)
    path.lineTo(r * 0.3, -r * 0.6)
    path.lineTo(r * 0.85, -r * 1.0)
    path.lineTo(r * 0.8, r * 0.1)
    path.cubicTo(r * 0.7, r * 0.9, -r * 0.7, r * 0.9, -r * 0.8, r * 0.1)
    path.closeSubpath()
    p.translate(centre)
    p.setPen(QPen(line, 1.2))
    p.setBrush(fill)
    p.drawPath(path)
    p.restore()


def stage_lamp(p: QPainter, centre: QPointF, radius: float, state: str, amber: QColor, ring: QColor) -> None:
    """Unlit (nothing yet), half (open findings), lit (holds)."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(amber if state != "unlit" else ring, 1.4))
    p.setBrush(amber if state == "lit" else Qt.BrushStyle.NoBrush)
    p.drawEllipse(centre, radius, radius)
    if state == "half":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(amber)
        p.drawPie(QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius), 90 * 16, 180 * 16)
    p.restore()


def app_icon() -> QIcon:
    """A lit window in the dusk, with the fan of a watcher below it."""
    icon = QIcon()
    for size in (16, 24, 32, 48, 64, 128, 256):
        pixmap = QPixmap(size, size)
        pixmap.fill(Qt.GlobalColor.transparent)
        p = QPainter(pixmap)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.scale(size / 64, size / 64)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor("#171C31"))
        p.drawRoundedRect(QRectF(2, 2, 60, 60), 15, 15)
        p.setBrush(QColor("#E79A00"))
        p.drawEllipse(QPointF(32, 25), 9, 9)
        pen = QPen(QColor("#FFFEFB"), 3.4)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        p.setPen(pen)
        for degrees in (-54, -27, 0, 27, 54):
            a = math.radians(degrees)
            inner, outer = 16.0, 27.0
            p.drawLine(
                QPointF(32 + math.sin(a) * inner, 25 + math.cos(a) * inner),
                QPointF(32 + math.sin(a) * outer, 25 + math.cos(a) * outer),
            )
        p.end()
        icon.addPixmap(pixmap)
    return icon
