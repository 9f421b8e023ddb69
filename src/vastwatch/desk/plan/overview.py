"""A small map of the level in a corner of the plan, while only a part of it is shown: where one is, and a way to go
elsewhere."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from vastwatch.desk.plan.painting import polygon_of
from vastwatch.desk.plan.sheet import Sheet
from vastwatch.desk.plan.state import PlanState
from vastwatch.desk.shell.theme import alpha

# It is no larger than this, and keeps so far from the corner and within its frame, pixels.
WIDE, HIGH, AWAY, WITHIN = 150, 104, 8, 5
# The map is shown once less than this share of the level can be seen.
SHOWN_BELOW = 0.8


class Overview(QWidget):
    """Click or drag on it to look elsewhere."""

    def __init__(self, sheet: Sheet, state: PlanState) -> None:
        super().__init__(sheet)
        self.sheet, self.state = sheet, state
        self.setAccessibleName(self.tr("Overview of the level"))
        self.setToolTip(self.tr("The level, and what you see of it. Click or drag to look elsewhere; F shows all."))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.hide()
        sheet.moved.connect(self.follow)
        sheet.resized.connect(self.follow)

    def _seen(self) -> QRectF:
        """What the view shows of the scene."""
        view = self.sheet.viewport()
        assert view is not None
        return self.sheet.mapToScene(view.rect()).boundingRect()

    def follow(self) -> None:
        """Show where one is, or nothing where all of the level is seen."""
        whole, seen = self.sheet.extent, self._seen()
        both = seen.intersected(whole)
        part = both.width() * both.height() / max(whole.width() * whole.height(), 1e-6)
        if part >= SHOWN_BELOW:
            self.hide()
            return
        k = self._scale()
        size = (round(whole.width() * k) + 2 * WITHIN, round(whole.height() * k) + 2 * WITHIN)
        self.setGeometry(
            self.sheet.width() - size[0] - AWAY, self.sheet.height() - size[1] - AWAY, size[0], size[1]
        )  # fmt: skip
        self.show()
        self.raise_()
        self.update()

    def _scale(self) -> float:
        whole = self.sheet.extent
        return min(WIDE / max(whole.width(), 0.1), HIGH / max(whole.height(), 0.1))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p, state = QPainter(self), self.state
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(state.line, 1))
        p.setBrush(state.ground)
        p.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        whole, k = self.sheet.extent, self._scale()
        p.translate(WITHIN, WITHIN)
        p.scale(k, k)
        p.translate(-whole.topLeft())
        p.setPen(QPen(alpha(state.line, 0.45), 0))
        for room in state.rooms:
            p.setBrush(alpha(state.theme.lamp, 0.45) if room.id == state.room else alpha(state.line, 0.12))
            p.drawPolygon(polygon_of(room))
        p.setBrush(Qt.BrushStyle.NoBrush)
        pen = QPen(state.line, 2.0)
        pen.setCosmetic(True)
        p.setPen(pen)
        p.drawRect(self._seen().intersected(whole))

    def _look(self, pixel: QPointF) -> None:
        scene = self.sheet.extent.topLeft() + (pixel - QPointF(WITHIN, WITHIN)) / self._scale()
        self.sheet.look_at(scene)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._look(event.position())
            event.accept()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._look(event.position())
