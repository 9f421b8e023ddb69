"""Our own marks, drawn as vectors: one shape for each sensor family, the lamp, the person, the cat.

Each is drawn about the origin within a circle of radius 1, so that nothing depends on colour alone.
"""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap

from vastwatch.desk.theme import alpha


def family_mark(p: QPainter, family: str, centre: QPointF, radius: float, colour: QColor, ground: QColor) -> None:
    """A disc of the ground colour, ringed, with the family's mark in it, pointing up."""
    p.save()
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(centre)
    p.setBrush(ground)
    p.setPen(QPen(colour, max(1.3, radius * 0.13)))
    p.drawEllipse(QPointF(0, 0), radius, radius)
    p.setBrush(Qt.BrushStyle.NoBrush)
    pen = QPen(colour, max(1.2, radius * 0.14))
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    p.setPen(pen)
    s = radius * 0.62
    if family == "pir":
        _fingers(p, s)
    elif family == "radar":
        _ripples(p, s)
    elif family == "dual":
        _finger_over_ripple(p, s)
    elif family == "mat":
        _weave(p, s)
    elif family == "vibration":
        _shake(p, s)
    elif family == "light":
        _half_disc(p, s)
    elif family == "humidity":
        _drop(p, s)
    elif family in ("plug", "module"):
        _lever(p, s, two=family == "plug")
    else:
        _split_bar(p, s)
    p.restore()


def _fingers(p: QPainter, s: float) -> None:
    """PIR: a fan of fingers from one point."""
    foot = QPointF(0, s * 0.75)
    for degrees in (-48, -16, 16, 48):
        a = math.radians(degrees)
        p.drawLine(foot, QPointF(foot.x() + math.sin(a) * s * 1.45, foot.y() - math.cos(a) * s * 1.45))


def _ripples(p: QPainter, s: float) -> None:
    """Radar: nested ripples over a point."""
    for k in (0.5, 1.0, 1.5):
        r = s * k
        p.drawArc(QRectF(-r, s * 0.7 - r, 2 * r, 2 * r), 35 * 16, 110 * 16)
    p.setBrush(p.pen().color())
    p.drawEllipse(QPointF(0, s * 0.7), s * 0.08, s * 0.08)


def _weave(p: QPainter, s: float) -> None:
    """Pressure: a weave."""
    for k in (-0.5, 0.0, 0.5):
        p.drawLine(QPointF(-s * 0.8, k * s), QPointF(s * 0.8, k * s))
        p.drawLine(QPointF(k * s, -s * 0.8), QPointF(k * s, s * 0.8))


def _split_bar(p: QPainter, s: float) -> None:
    """Contact: a bar in two halves."""
    p.drawLine(QPointF(-s * 0.85, 0), QPointF(-s * 0.2, 0))
    p.drawLine(QPointF(s * 0.2, 0), QPointF(s * 0.85, 0))


def _finger_over_ripple(p: QPainter, s: float) -> None:
    """PIR and radar: one ripple, and two fingers out of it."""
    p.drawArc(QRectF(-s * 0.9, s * 0.7 - s * 0.9, 1.8 * s, 1.8 * s), 25 * 16, 130 * 16)
    foot = QPointF(0, s * 0.7)
    for degrees in (-24, 24):
        a = math.radians(degrees)
        p.drawLine(foot, QPointF(foot.x() + math.sin(a) * s * 1.6, foot.y() - math.cos(a) * s * 1.6))


def _shake(p: QPainter, s: float) -> None:
    """Vibration: a block between two bows."""
    p.drawRect(QRectF(-s * 0.3, -s * 0.45, 0.6 * s, 0.9 * s))
    for side in (-1, 1):
        p.drawLine(QPointF(side * s * 0.75, -s * 0.5), QPointF(side * s * 0.75, s * 0.5))


def _half_disc(p: QPainter, s: float) -> None:
    """Light level: a half disc."""
    p.drawEllipse(QPointF(0, 0), s * 0.75, s * 0.75)
    p.setBrush(p.pen().color())
    p.drawPie(QRectF(-s * 0.75, -s * 0.75, 1.5 * s, 1.5 * s), -90 * 16, 180 * 16)


def _drop(p: QPainter, s: float) -> None:
    """Humidity: a drop."""
    path = QPainterPath()
    path.moveTo(0, -s * 0.9)
    path.cubicTo(s * 0.9, s * 0.1, s * 0.5, s * 0.8, 0, s * 0.8)
    path.cubicTo(-s * 0.5, s * 0.8, -s * 0.9, s * 0.1, 0, -s * 0.9)
    p.drawPath(path)


def _lever(p: QPainter, s: float, two: bool) -> None:
    """A switched line: a lever between two ends; with two prongs below for a plug."""
    p.drawLine(QPointF(-s * 0.9, 0), QPointF(-s * 0.45, 0))
    p.drawLine(QPointF(-s * 0.45, 0), QPointF(s * 0.4, -s * 0.55))
    p.drawLine(QPointF(s * 0.45, 0), QPointF(s * 0.9, 0))
    if two:
        p.drawLine(QPointF(-s * 0.25, s * 0.4), QPointF(-s * 0.25, s * 0.85))
        p.drawLine(QPointF(s * 0.25, s * 0.4), QPointF(s * 0.25, s * 0.85))


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
    """Many lamps that do not burn, their rings in one path."""
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


def family_icon(family: str, size: int, colour: QColor, ground: QColor) -> QPixmap:
    """The family's mark as a pixmap."""
    pixmap = QPixmap(size * 2, size * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    p = QPainter(pixmap)
    family_mark(p, family, QPointF(size / 2, size / 2), size / 2 - 1.5, colour, ground)
    p.end()
    return pixmap
