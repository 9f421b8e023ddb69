"""What is painted on the plan, layer by layer, from the ground up.

Each layer paints in scene coordinates (metres, y downward). Marks and words keep their size in pixels: for those the
painter's transform is set aside and the place mapped by hand.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING, Any, TypeVar

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.desk.shell.theme import Theme, mix
from vastwatch.devices import DeviceType
from vastwatch.rehearsal.causes import Chain
from vastwatch.sensing import Figure
from vastwatch.site.building import Hazard, Room

if TYPE_CHECKING:
    from collections.abc import Iterator

T = TypeVar("T")

SENSOR_RADIUS = 11.0
HANDLE_REACH = 34.0
LAMP_RADIUS = 7.5


@dataclass
class Look:
    """Everything a repaint of the plan needs to know; the view keeps it current."""

    project: Project
    theme: Theme
    level: str
    figure: Figure = "across"
    selected: str | None = None
    room: str | None = None
    contours: bool = True
    night: float = 0.0
    lit: dict[str, float] = field(default_factory=dict)
    people: list[tuple[str, str, tuple[float, float], bool]] = field(default_factory=list)
    chain: Chain | None = None
    reporting: frozenset[str] = frozenset()
    dragging: bool = False
    # How coarse the map of a dragged sensor is: 1, or 2 where the machine is slow (see `covered`).
    coarseness: int = 1
    hurried: bool = False
    shapes: str = "nothing"
    marked: frozenset[str] = frozenset()
    ghost: bool = True
    # Circuits whose wiring is shown: that of the selected switch or lamp.
    traced: frozenset[str] = frozenset()
    # Contours as they are painted: the sensor, its device type, and its paths (none for one that sees no area).
    laid: list[tuple[Sensor, DeviceType, tuple[QPainterPath, ...]]] = field(default_factory=list)
    # What was last made of which records: `kept` looks here.
    made: dict[str, tuple[tuple[object, ...], object]] = field(default_factory=dict)
    # The hazards of the shown level as they are on the rehearsed day.
    hazards: list[Hazard] = field(default_factory=list)

    @property
    def ground(self) -> QColor:
        """The ground at this hour: from paper to night."""
        return mix(self.theme.paper, self.theme.night, self.night)

    @property
    def ink(self) -> QColor:
        """Words on the ground."""
        return mix(self.theme.soft, QColor("#B9C1DD"), self.night)

    @property
    def wall(self) -> QColor:
        """Walls at this hour."""
        return mix(self.theme.wall, self.theme.night_wall, self.night)

    @property
    def sensors(self) -> list[Sensor]:
        """The sensors of the shown level."""
        return [s for s in self.project.sensors if s.level == self.level]

    @property
    def rooms(self) -> list[Room]:
        """The rooms of the shown level."""
        return [r for r in self.project.rooms if r.level == self.level]


def _same(a: object, b: object) -> bool:
    """The same record, or the same plain value; long lists of records are compared one by one, by identity."""
    if a is b:
        return True
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(x is y for x, y in zip(a, b))
    return isinstance(a, str | float | int | bool | frozenset | dict) and a == b


def kept(look: Look, name: str, sources: tuple[object, ...], make: Callable[[], T]) -> T:
    """What was made of the same sources before, compared by identity (words by value), else what is made now.

    A plan of hundreds of walls is painted as a few long paths; while the view moves they stay as they are.
    """
    known = look.made.get(name)
    if known is not None and all(_same(a, b) for a, b in zip(known[0], sources)):
        return known[1]  # type: ignore[return-value]
    out = make()
    look.made[name] = (sources, out)
    return out


class Layer(QGraphicsItem):
    """One sheet over the whole plan that paints by a function of the look."""

    def __init__(
        self, look: Look, z: float, draw: Callable[[QPainter, Look], None],
        reads: Callable[[Look], tuple[object, ...]] | None = None,
    ) -> None:  # fmt: skip
        """A layer that says what it `reads` keeps its picture until one of those is another; others paint always."""
        super().__init__()
        self.look, self.draw, self.reads = look, draw, reads
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
        if self.reads is not None:
            self.setCacheMode(QGraphicsItem.CacheMode.NoCache)
            self.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        self._read = ()
        self.update()

    def look_again(self) -> None:
        """Paint anew if what it reads has changed."""
        if self.reads is None:
            return
        now = self.reads(self.look)
        if len(now) != len(self._read) or not all(_same(a, b) for a, b in zip(now, self._read)):
            self._read = now
            self.update()

    def paint(self, p: QPainter | None, o: QStyleOptionGraphicsItem | None, w: QWidget | None = None) -> None:
        if p is not None:
            # While it zooms or a wall moves, smooth edges would cost more than the frame has.
            p.setRenderHint(QPainter.RenderHint.Antialiasing, not self.look.hurried)
            self.draw(p, self.look)


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


def special(look: Look) -> frozenset[str]:
    """Ids that are drawn apart: selected, marked, or blamed by the open chain of causes."""
    blamed = {ident for s in (look.chain.sights[:1] if look.chain else ()) for ident, _ in s.hidden_by[:1]}
    return frozenset(blamed | look.marked | ({look.selected} if look.selected else set()))


def ring(p: QPainter, c: QPointF, radius: float, colour: QColor) -> None:
    """A dashed ring around what is selected."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(colour, 1.5, Qt.PenStyle.DashLine))
    p.drawEllipse(c, radius, radius)
