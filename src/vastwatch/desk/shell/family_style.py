"""How each sensor family looks: its hue and its own mark, so that nothing depends on colour alone.

A mark is drawn about the origin within a circle of radius 1 / 0.62 of the size it is given, pointing up.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap

from vastwatch.desk.shell.theme import Theme


class FamilyLook(NamedTuple):
    """The hue of a family in a theme, and its mark."""

    hue: Callable[[Theme], QColor]
    mark: Callable[[QPainter, float], None]


def family_hue(theme: Theme, family: str) -> QColor:
    """The colour of everything that belongs to a family."""
    return LOOKS[family].hue(theme)


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
    LOOKS[family].mark(p, radius * 0.62)
    p.restore()


def family_icon(family: str, size: int, colour: QColor, ground: QColor) -> QPixmap:
    """The family's mark as a pixmap."""
    pixmap = QPixmap(size * 2, size * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    p = QPainter(pixmap)
    family_mark(p, family, QPointF(size / 2, size / 2), size / 2 - 1.5, colour, ground)
    p.end()
    return pixmap


# -- marks --------------------------------------------------------------------------------------------------------


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


def _swell(p: QPainter, s: float) -> None:
    """Ultrasound: a wave that swells across."""
    path = QPainterPath(QPointF(-s * 0.95, 0.0))
    for k, height in enumerate((0.35, 0.7, 1.1)):
        x = -s * 0.95 + k * s * 0.66
        path.quadTo(QPointF(x + s * 0.16, -s * height), QPointF(x + s * 0.33, 0.0))
        path.quadTo(QPointF(x + s * 0.49, s * height), QPointF(x + s * 0.66, 0.0))
    p.drawPath(path)


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
    """Humidity: a droplet of water."""
    path = QPainterPath()
    path.moveTo(0, -s * 0.9)
    path.cubicTo(s * 0.9, s * 0.1, s * 0.5, s * 0.8, 0, s * 0.8)
    path.cubicTo(-s * 0.5, s * 0.8, -s * 0.9, s * 0.1, 0, -s * 0.9)
    p.drawPath(path)


def _lever(p: QPainter, s: float) -> None:
    """A switched line: a lever between two ends."""
    p.drawLine(QPointF(-s * 0.9, 0), QPointF(-s * 0.45, 0))
    p.drawLine(QPointF(-s * 0.45, 0), QPointF(s * 0.4, -s * 0.55))
    p.drawLine(QPointF(s * 0.45, 0), QPointF(s * 0.9, 0))


def _lever_on_prongs(p: QPainter, s: float) -> None:
    """A plug: the lever, over two prongs."""
    _lever(p, s)
    p.drawLine(QPointF(-s * 0.25, s * 0.4), QPointF(-s * 0.25, s * 0.85))
    p.drawLine(QPointF(s * 0.25, s * 0.4), QPointF(s * 0.25, s * 0.85))


def _reel(p: QPainter, s: float) -> None:
    """A media player: two reels in a box."""
    p.drawRect(QRectF(-s * 0.85, -s * 0.5, 1.7 * s, s))
    for x in (-0.4, 0.4):
        p.drawEllipse(QPointF(x * s, 0), s * 0.22, s * 0.22)


LOOKS: dict[str, FamilyLook] = {
    "pir": FamilyLook(lambda t: t.pir, _fingers),
    "radar": FamilyLook(lambda t: t.radar, _ripples),
    "ultrasonic": FamilyLook(lambda t: QColor("#A23B72") if t.name == "light" else QColor("#E08BBB"), _swell),
    "dual": FamilyLook(lambda t: t.radar, _finger_over_ripple),
    "mat": FamilyLook(lambda t: t.pressure, _weave),
    "contact": FamilyLook(lambda t: t.contact, _split_bar),
    "vibration": FamilyLook(lambda t: t.contact, _shake),
    "plug": FamilyLook(lambda t: t.soft, _lever_on_prongs),
    "humidity": FamilyLook(lambda t: t.soft, _drop),
    "player": FamilyLook(lambda t: t.soft, _reel),
    "light": FamilyLook(lambda t: t.soft, _half_disc),
    "module": FamilyLook(lambda t: t.soft, _lever),
}


def _blades(p: QPainter, s: float) -> None:
    """A fan: three swept blades about a hub."""
    p.drawEllipse(QPointF(0, 0), s * 0.14, s * 0.14)
    for k in range(3):
        p.save()
        p.rotate(120 * k)
        path = QPainterPath(QPointF(0, -s * 0.16))
        path.cubicTo(-s * 0.55, -s * 0.5, -s * 0.3, -s * 0.95, s * 0.25, -s * 0.85)
        path.cubicTo(s * 0.15, -s * 0.55, s * 0.1, -s * 0.35, 0, -s * 0.16)
        p.drawPath(path)
        p.restore()


def _hum(p: QPainter, s: float) -> None:
    """A machine that hums: a box on two feet, with a wave in it."""
    p.drawRect(QRectF(-s * 0.7, -s * 0.65, 1.4 * s, 1.1 * s))
    p.drawLine(QPointF(-s * 0.45, s * 0.45), QPointF(-s * 0.45, s * 0.75))
    p.drawLine(QPointF(s * 0.45, s * 0.45), QPointF(s * 0.45, s * 0.75))
    path = QPainterPath(QPointF(-s * 0.45, -s * 0.1))
    path.cubicTo(-s * 0.2, -s * 0.6, s * 0.2, s * 0.4, s * 0.45, -s * 0.1)
    p.drawPath(path)


def _sweep(p: QPainter, s: float) -> None:
    """A floor cleaner: a disc with a brush before it."""
    p.drawEllipse(QPointF(0, s * 0.15), s * 0.6, s * 0.6)
    for x in (-0.5, 0.0, 0.5):
        p.drawLine(QPointF(x * s * 0.7, -s * 0.5), QPointF(x * s, -s * 0.95))


def _plate(p: QPainter, s: float) -> None:
    """A sign: a plate under a hook."""
    p.drawRect(QRectF(-s * 0.8, -s * 0.2, 1.6 * s, s * 0.9))
    p.drawLine(QPointF(-s * 0.6, -s * 0.2), QPointF(0, -s * 0.9))
    p.drawLine(QPointF(s * 0.6, -s * 0.2), QPointF(0, -s * 0.9))


def _lowered(p: QPainter, s: float) -> None:
    """Heat let down: ribs, and an arrow downward."""
    for x in (-0.75, -0.35):
        p.drawLine(QPointF(x * s, -s * 0.7), QPointF(x * s, s * 0.7))
    p.drawLine(QPointF(s * 0.4, -s * 0.75), QPointF(s * 0.4, s * 0.7))
    p.drawLine(QPointF(s * 0.1, s * 0.35), QPointF(s * 0.4, s * 0.75))
    p.drawLine(QPointF(s * 0.7, s * 0.35), QPointF(s * 0.4, s * 0.75))


def _slats(p: QPainter, s: float) -> None:
    """A cover: slats under a rail."""
    p.drawLine(QPointF(-s * 0.85, -s * 0.8), QPointF(s * 0.85, -s * 0.8))
    for y in (-0.35, 0.1, 0.55):
        p.drawLine(QPointF(-s * 0.7, y * s), QPointF(s * 0.7, y * s))


def _word(p: QPainter, s: float) -> None:
    """A notice: a leaf with two lines and a corner turned in."""
    path = QPainterPath(QPointF(-s * 0.6, -s * 0.8))
    for x, y in ((0.25, -0.8), (0.6, -0.45), (0.6, 0.8), (-0.6, 0.8), (-0.6, -0.8)):
        path.lineTo(QPointF(x * s, y * s))
    p.drawPath(path)
    p.drawLine(QPointF(-s * 0.3, -s * 0.1), QPointF(s * 0.3, -s * 0.1))
    p.drawLine(QPointF(-s * 0.3, s * 0.3), QPointF(s * 0.3, s * 0.3))


# Outputs that are no lamps, by what they are called: a mark in a chip, in the colour of words.
OUTPUT_MARKS: dict[str, Callable[[QPainter, float], None]] = {
    "fan": _blades, "quiet machine": _hum, "vacuum": _sweep, "sign": _plate, "heating setback": _lowered,
    "blind": _slats, "alert": _word,
}  # fmt: skip
