"""What a drawing will become, before it does: every stroke in the hue of what it was understood as, rooms with their
names, and the key to it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from vastwatch.desk.shell.theme import Theme, alpha, mix
from vastwatch.files.drawing.interpretation import Interpretation, Role
from vastwatch.geometry import polygons
from vastwatch.site.use_guess import guess_use

MARGIN_PX = 16
# A picture of what was not understood has so many pixels along its longer side.
TRACED_PX = 2000


class Stroke(NamedTuple):
    """How lines of a role are drawn: hue, width in pixels, and whether broken."""

    colour: QColor
    width: float
    dashed: bool = False


def strokes(theme: Theme) -> dict[Role, Stroke]:
    """Hue, width and pattern of each role; the patterns tell apart what the hues might not."""
    return {
        "left out": Stroke(mix(theme.faint, theme.soft, 0.35), 0.8),
        "room": Stroke(theme.good, 1.2, True),
        "furniture": Stroke(theme.contact, 1.2),
        "not recognised": Stroke(theme.dropped, 1.0, True),
        "wall": Stroke(theme.ink, 1.6),
        "window": Stroke(theme.pir, 2.2),
        "door": Stroke(theme.lamp, 1.8),
    }


# The key, in reading order.
KEY: tuple[Role, ...] = ("wall", "door", "window", "room", "furniture", "left out", "not recognised")


class Preview(QWidget):
    """Shows an `Interpretation`, as large as there is room."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.found: Interpretation | None = None
        self.setMinimumSize(360, 280)
        self.setAccessibleName(self.tr("Preview of the import"))

    def show_found(self, found: Interpretation | None) -> None:
        """Show this; None while it is being worked out."""
        self.found = found
        if found is not None:
            counts = ", ".join(f"{len(lines)} {role}" for role, lines in found.roles.items() if len(lines))
            self.setAccessibleDescription(counts)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.paper)
        if self.found is None:
            painter.setPen(self.theme.soft)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.tr("Analysing the drawing…"))
            return
        frame = _frame(self.found)
        if frame is None:
            painter.setPen(self.theme.soft)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.tr("The chosen layers are empty."))
            return
        room = QRectF(self.rect()).adjusted(MARGIN_PX, MARGIN_PX, -MARGIN_PX, -MARGIN_PX)
        k = min(room.width() / max(frame.width(), 1e-6), room.height() / max(frame.height(), 1e-6))
        middle, target = frame.center(), room.center()

        def at(x: float, y: float) -> QPointF:
            return QPointF(target.x() + (x - middle.x()) * k, target.y() - (y - middle.y()) * k)

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(alpha(self.theme.good, 0.1))
        for found in self.found.rooms:
            painter.drawPolygon(QPolygonF([at(*p) for p in found.outline]))
        for role, stroke in strokes(self.theme).items():
            lines = self.found.roles.get(role)
            if lines is not None and len(lines):
                pen = QPen(stroke.colour, stroke.width)
                if stroke.dashed:
                    pen.setDashPattern([4, 3])
                painter.setPen(pen)
                painter.drawLines(*[QLineF(at(a, b), at(c, d)) for a, b, c, d in lines.tolist()])
        painter.setPen(self.theme.ink)
        font = QFont(self.font())
        painter.setFont(font)
        for found in self.found.rooms:
            if found.name:
                p = at(*polygons.centroid(found.outline))
                painter.setPen(self.theme.ink)
                painter.drawText(QRectF(p.x() - 70, p.y() - 10, 140, 20), Qt.AlignmentFlag.AlignCenter, found.name)
                painter.setPen(self.theme.soft)
                use = guess_use(found.name) or self.tr("use unknown")
                painter.drawText(QRectF(p.x() - 70, p.y() + 5, 140, 20), Qt.AlignmentFlag.AlignCenter, use)


class KeyMark(QWidget):
    """A short piece of a role's line, for the key."""

    def __init__(self, stroke: Stroke) -> None:
        super().__init__()
        self.stroke = stroke
        self.setFixedSize(26, 14)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(self.stroke.colour, max(self.stroke.width, 1.4))
        if self.stroke.dashed:
            pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.drawLine(2, 7, 24, 7)


def _frame(found: Interpretation) -> QRectF | None:
    """What is shown: what is built with a little around it; of a drawing without anything built, all of it."""
    built = [np.array([(*w.a, *w.b)]) for w in found.walls]
    built += [np.hstack([np.asarray(r.outline)] * 2) for r in found.rooms]
    rows = built or [lines for lines in found.roles.values() if len(lines)]
    if not rows:
        return None
    every = np.vstack(rows).reshape(-1, 2)
    (x0, y0), (x1, y1) = every.min(axis=0), every.max(axis=0)
    edge = 0.06 * max(x1 - x0, y1 - y0, 1.0)
    return QRectF(x0 - edge, y0 - edge, x1 - x0 + 2 * edge, y1 - y0 + 2 * edge)


def traced(found: Interpretation) -> tuple[QImage, tuple[float, float], float] | None:
    """What was not understood as a picture to draw over: the picture, where its lower left corner lies in the
    coordinates of what was found, and metres per pixel. None where nothing was left, or nothing is known of where it
    belongs."""
    lines = found.roles.get("not recognised")
    frame = _frame(found)
    if lines is None or len(lines) == 0 or frame is None:
        return None
    k = TRACED_PX / max(frame.width(), frame.height())
    image = QImage(max(round(frame.width() * k), 2), max(round(frame.height() * k), 2), QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor("#555555"), 2))
    x0, top = frame.left(), frame.top() + frame.height()
    painter.drawLines(
        *[QLineF((a - x0) * k, (top - b) * k, (c - x0) * k, (top - d) * k) for a, b, c, d in lines.tolist()]
    )
    painter.end()
    return image, (frame.left(), frame.top()), 1.0 / k
