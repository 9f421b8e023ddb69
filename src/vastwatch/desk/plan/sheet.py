"""A sheet that pans and zooms, and knows which plan point lies under which pixel; nothing of what is drawn on it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPolygonF, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QGraphicsView

from vastwatch.site.record import Outline

# Zoom goes from the one to the other, pixels a metre.
FARTHEST, NEAREST = 8.0, 600.0
# From so near marks are told apart; a room that is gone to is shown so near, or takes such a part of the view.
NEAR_ENOUGH, COMFORTABLE, PART_OF_VIEW = 24.0, 56.0, 0.6


class Sheet(QGraphicsView):
    """`extent` is what fitting shows, in scene coordinates: metres, y downward."""

    resized = pyqtSignal()
    # Another part is shown, or from nearer or farther.
    moved = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.extent = QRectF(0, -8, 10, 8)
        # Whether the whole extent is shown, so that it is fitted again when the sheet is resized.
        self._fitted = False
        self.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.setFrameShape(QGraphicsView.Shape.NoFrame)
        self.setViewportUpdateMode(QGraphicsView.ViewportUpdateMode.FullViewportUpdate)
        self.setTransformationAnchor(QGraphicsView.ViewportAnchor.NoAnchor)
        self.setResizeAnchor(QGraphicsView.ViewportAnchor.NoAnchor)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def hurry(self) -> None:
        """The view is about to move; anybody who paints may want to know."""

    def pan(self, dx: int, dy: int) -> None:
        """Move what is shown by so many pixels."""
        h, v = self.horizontalScrollBar(), self.verticalScrollBar()
        assert h is not None and v is not None
        h.setValue(h.value() - dx)
        v.setValue(v.value() - dy)
        self._fitted = False
        self.moved.emit()

    @property
    def scale_px(self) -> float:
        """Pixels per metre."""
        return self.transform().m11()

    def show_whole(self, outline: Outline) -> None:
        """Fit the building where something new does not lie within the view."""
        view = QRectF(self.viewport().rect())  # type: ignore[union-attr]
        if self._fitted or not all(view.contains(self.pixel_of(*p)) for p in outline):
            self.fit()

    def bring_into_view(self, outline: Outline) -> None:
        """Show a room from as near as its marks are told apart, and leave the view as it is where it shows that."""
        box = QPolygonF([QPointF(x, -y) for x, y in outline]).boundingRect()
        view = QRectF(self.viewport().rect())  # type: ignore[union-attr]
        seen = all(view.contains(self.pixel_of(*p)) for p in outline)
        if seen and self.scale_px >= NEAR_ENOUGH:
            return
        fits = min(view.width() / max(box.width(), 0.1), view.height() / max(box.height(), 0.1)) * PART_OF_VIEW
        k = min(max(self.scale_px, min(fits, COMFORTABLE)), NEAREST)
        self.resetTransform()
        self.scale(k, k)
        self._put(box.center(), view.center())
        self._fitted = False
        self.moved.emit()

    def fit(self) -> None:
        """Show the whole building, with room for its front doors."""
        self._fitted = True
        box = self.extent.adjusted(-0.25, -0.25, 0.25, 0.25)
        view = self.viewport().rect()  # type: ignore[union-attr]
        usable = QRectF(6, 4, max(view.width() - 12, 50), max(view.height() - 8, 50))
        k = min(usable.width() / box.width(), usable.height() / box.height())
        self.resetTransform()
        self.scale(k, k)
        centre = usable.center()
        self._put(box.center(), centre)
        self.moved.emit()

    def look_at(self, scene: QPointF) -> None:
        """Bring a point of the scene into the middle, from as near as before."""
        self.hurry()
        self._put(scene, QPointF(self.viewport().rect().center()))  # type: ignore[union-attr]
        self._fitted = False
        self.moved.emit()

    def _put(self, scene: QPointF, pixel: QPointF) -> None:
        """Scroll so that a scene point lies under a pixel."""
        now = self.mapFromScene(scene)
        h, v = self.horizontalScrollBar(), self.verticalScrollBar()
        assert h is not None and v is not None
        h.setValue(h.value() + now.x() - round(pixel.x()))
        v.setValue(v.value() + now.y() - round(pixel.y()))

    def zoom(self, factor: float, pixel: QPointF | None = None) -> None:
        """Zoom about a pixel, by default the middle."""
        factor = min(max(self.scale_px * factor, FARTHEST), NEAREST) / self.scale_px
        self.hurry()
        pixel = pixel or QPointF(self.viewport().rect().center())  # type: ignore[union-attr]
        scene = self.mapToScene(pixel.toPoint())
        self.scale(factor, factor)
        self._put(scene, pixel)
        self._fitted = False
        self.moved.emit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.resized.emit()
        if self._fitted or self.scale_px == 1.0:
            self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.zoom(1.0015 ** event.angleDelta().y(), event.position())
            event.accept()

    def plan_at(self, pixel: QPointF) -> tuple[float, float]:
        """Plan coordinates under a pixel."""
        p = self.mapToScene(pixel.toPoint())
        return p.x(), -p.y()

    def pixel_of(self, x: float, y: float) -> QPointF:
        """Pixel of a plan point."""
        return QPointF(self.mapFromScene(QPointF(x, -y)))
