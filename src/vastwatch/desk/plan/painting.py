"""What is painted on the plan, layer by layer, from the ground up.

Each layer paints in scene coordinates (metres, y downward). Marks and words keep their size in pixels: for those the
painter's transform is set aside and the place mapped by hand.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import contextmanager
from functools import lru_cache
from typing import TYPE_CHECKING, Any, TypeVar

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from vastwatch.desk.plan.state import PlanState, same

if TYPE_CHECKING:
    from collections.abc import Iterator

T = TypeVar("T")

SENSOR_RADIUS = 11.0
HANDLE_REACH = 34.0
LAMP_RADIUS = 7.5


class Layer(QGraphicsItem):
    """One sheet over the whole plan that paints by a function of the state."""

    def __init__(
        self, state: PlanState, z: float, draw: Callable[[QPainter, PlanState], None],
        reads: Callable[[PlanState], tuple[object, ...]] | None = None,
    ) -> None:  # fmt: skip
        """A layer that says what it `reads` keeps its picture until one of those is another; others paint always."""
        super().__init__()
        self.state, self.draw, self.reads = state, draw, reads
        self._read: tuple[object, ...] = ()
        self.setZValue(z)
        self.setAcceptedMouseButtons(Qt.MouseButton.NoButton)
        if reads is not None:
            self.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        self.area = QRectF()

    def boundingRect(self) -> QRectF:
        return self.area

    def spread(self, area: QRectF) -> None:
        """Cover another area. The kept picture is dropped: shifted pieces of it would stay about otherwise."""
        self.prepareGeometryChange()
        self.area = area
        self._read = ()
        self._drop()

    def look_again(self) -> None:
        """Paint anew if what it reads has changed."""
        if self.reads is None:
            return
        now = self.reads(self.state)
        if len(now) != len(self._read) or not all(same(a, b) for a, b in zip(now, self._read)):
            self._read = now
            self._drop()

    def _drop(self) -> None:
        """Forget the kept picture. Marked as outdated it would be shifted where the view is scrolled before it is next
        painted, as when another stage leaves it other room, and only its new edge painted."""
        if self.reads is not None:
            self.setCacheMode(QGraphicsItem.CacheMode.NoCache)
            self.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        self.update()

    def paint(self, p: QPainter | None, o: QStyleOptionGraphicsItem | None, w: QWidget | None = None) -> None:
        if p is not None:
            # While it zooms or a wall moves, smooth edges would cost more than the frame has.
            p.setRenderHint(QPainter.RenderHint.Antialiasing, not self.state.hurried)
            self.draw(p, self.state)


@contextmanager
def in_pixels(p: QPainter) -> Iterator[Callable[[float, float], QPointF]]:
    """Paint in pixels; yields the map from plan metres to pixels."""
    world = p.worldTransform()
    p.save()
    p.resetTransform()
    try:
        yield lambda x, y: world.map(QPointF(x, -y))
    finally:
        p.restore()


@lru_cache(maxsize=8192)
def polygon_of(record: Any) -> QPolygonF:
    """The outline of a room or furnishing as a scene polygon; records compare by identity."""
    return polygon(record.outline)


def path_of(records: list[Any]) -> QPainterPath:
    """All outlines in one path; where they overlap, both are filled."""
    out = QPainterPath()
    out.setFillRule(Qt.FillRule.WindingFill)
    for r in records:
        out.addPolygon(polygon_of(r))
        out.closeSubpath()
    return out


def polygon(outline) -> QPolygonF:  # type: ignore[no-untyped-def]
    """Plan vertices as a scene polygon."""
    return QPolygonF([QPointF(float(x), -float(y)) for x, y in outline])


def cosmetic(colour: QColor, width: float, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
    """A pen as wide in pixels, whatever the zoom."""
    pen = QPen(colour, width, style)
    pen.setCosmetic(True)
    return pen


def scale_of(p: QPainter) -> float:
    """Pixels a metre of what is painted now, within plan coordinates."""
    return abs(p.worldTransform().m11())


def ring(p: QPainter, c: QPointF, radius: float, colour: QColor) -> None:
    """A dashed ring around what is selected."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(colour, 1.5, Qt.PenStyle.DashLine))
    p.drawEllipse(c, radius, radius)
