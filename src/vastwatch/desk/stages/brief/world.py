"""A small outline of the world to point at: where the building stands, to a degree or so."""

from __future__ import annotations

import json
from functools import cache
from importlib import resources

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from vastwatch.desk.shell.theme import Theme, mix

# The poles are left out: nobody builds there, and the rest is larger.
NORTH, SOUTH = 84.0, -58.0
# One press of an arrow key, degrees.
STEP_DEG = 1.0


@cache
def land() -> tuple[tuple[tuple[float, float], ...], ...]:
    """Outlines of the land as (degrees east, degrees north), rough."""
    raw = resources.files("vastwatch").joinpath("data/land.json").read_bytes()
    return tuple(tuple((float(x), float(y)) for x, y in ring) for ring in json.loads(raw))


class WorldMap(QWidget):
    """`picked` carries degrees north and east. The arrow keys move the mark by a degree."""

    picked = pyqtSignal(float, float)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.latitude, self.longitude = 0.0, 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)
        policy = QSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.setAccessibleName(self.tr("World map: location of the building"))
        self.setToolTip(self.tr("Click the location of the building; arrow keys move the marker by a degree."))

    def show_place(self, latitude: float, longitude: float) -> None:
        """Mark a place."""
        self.latitude, self.longitude = latitude, longitude
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(380, self.heightForWidth(380))

    def heightForWidth(self, width: int) -> int:
        return round(width * (NORTH - SOUTH) / 360.0)

    def hasHeightForWidth(self) -> bool:
        return True

    def at(self, latitude: float, longitude: float) -> QPointF:
        """Where a place is on the widget."""
        return QPointF((longitude + 180.0) / 360.0 * self.width(), (NORTH - latitude) / (NORTH - SOUTH) * self.height())

    def place_at(self, point: QPointF) -> tuple[float, float]:
        """Degrees north and east of a point of the widget, to a tenth."""
        x = min(max(point.x() / max(self.width(), 1), 0.0), 1.0)
        y = min(max(point.y() / max(self.height(), 1), 0.0), 1.0)
        return round(NORTH - y * (NORTH - SOUTH), 1), round(x * 360.0 - 180.0, 1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.picked.emit(*self.place_at(event.position()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        steps = {
            Qt.Key.Key_Up: (STEP_DEG, 0.0), Qt.Key.Key_Down: (-STEP_DEG, 0.0),
            Qt.Key.Key_Left: (0.0, -STEP_DEG), Qt.Key.Key_Right: (0.0, STEP_DEG),
        }  # fmt: skip
        if event is None:
            return
        if event.key() not in steps:
            super().keyPressEvent(event)
            return
        north, east = steps[Qt.Key(event.key())]
        latitude = min(max(self.latitude + north, -89.0), 89.0)
        longitude = (self.longitude + east + 180.0) % 360.0 - 180.0
        self.picked.emit(round(latitude, 4), round(longitude, 4))

    def paintEvent(self, _: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), mix(self.theme.card, self.theme.hairline, 0.25))
        p.setClipRect(self.rect())
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(mix(self.theme.hairline, self.theme.soft, 0.2))
        for ring in land():
            p.drawPolygon(QPolygonF([self.at(y, x) for x, y in ring]))
        for latitude in (66.6, 23.4, 0.0, -23.4):
            p.setPen(QPen(self.theme.hairline, 0.8, Qt.PenStyle.DotLine))
            y = self.at(latitude, 0).y()
            p.drawLine(QPointF(0, y), QPointF(self.width(), y))
        here = self.at(self.latitude, self.longitude)
        p.setPen(QPen(self.theme.ink, 1.0))
        p.drawLine(QPointF(here.x(), 0), QPointF(here.x(), self.height()))
        p.drawLine(QPointF(0, here.y()), QPointF(self.width(), here.y()))
        p.setBrush(self.theme.lamp)
        p.drawEllipse(here, 4.5, 4.5)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(self.theme.ink if self.hasFocus() else self.theme.hairline, 1.0))
        p.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
