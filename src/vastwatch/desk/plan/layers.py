"""What is painted on the plan, layer by layer, from the ground up.

Each layer paints in scene coordinates (metres, y downward). Marks and words keep their size in pixels: for those the
painter's transform is set aside and the place mapped by hand.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen, QPolygonF, QRadialGradient
from PyQt6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.desk import glyphs
from vastwatch.desk.plan.contours import BANDS, band_paths
from vastwatch.desk.theme import Theme, alpha, font, mix
from vastwatch.geometry import polygons
from vastwatch.rehearsal.causes import Chain
from vastwatch.sensing import Figure, coverage
from vastwatch.site.building import Hazard, Opening, Room, Wall

if TYPE_CHECKING:
    from collections.abc import Iterator

SENSOR_RADIUS = 11.0
HANDLE_REACH = 34.0
# Pixels between the lines of a hatch.
HATCH = 7
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
    stage: str = "Sensors"
    marked: frozenset[str] = frozenset()
    ghost: bool = True
    # Circuits whose wiring is shown: that of the selected switch or lamp.
    traced: frozenset[str] = frozenset()
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


class Layer(QGraphicsItem):
    """One sheet over the whole plan that paints by a function of the look."""

    def __init__(self, look: Look, z: float, draw: Callable[[QPainter, Look], None], cached: bool = False) -> None:
        super().__init__()
        self.look, self.draw = look, draw
        self.setZValue(z)
        self.setAcceptedMouseButtons(Qt.MouseButton.NoButton)
        if cached:
            self.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        self.area = QRectF()

    def boundingRect(self) -> QRectF:
        return self.area

    def paint(self, p: QPainter | None, o: QStyleOptionGraphicsItem | None, w: QWidget | None = None) -> None:
        if p is not None:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
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


def polygon(outline) -> QPolygonF:  # type: ignore[no-untyped-def]
    """Plan vertices as a scene polygon."""
    return QPolygonF([QPointF(float(x), -float(y)) for x, y in outline])


def cosmetic(colour: QColor, width: float, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> QPen:
    """A pen as wide in pixels, whatever the zoom."""
    pen = QPen(colour, width, style)
    pen.setCosmetic(True)
    return pen


# -- ground and light ------------------------------------------------------------------------------------------------


def draw_ground(p: QPainter, look: Look) -> None:
    """Rooms on the ground colour, a metre grid, and the light of burning lamps, clipped to their room."""
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(look.ground)
    for room in look.rooms:
        p.drawPolygon(polygon(room.outline))
    grid = mix(QColor("#EFEBE2") if look.theme.name == "light" else look.theme.faint, look.theme.night, look.night)
    p.setPen(cosmetic(alpha(grid, 0.9 * (1 - look.night)), 1))
    if look.night < 0.6:
        for room in look.rooms:
            p.save()
            path = QPainterPath()
            path.addPolygon(polygon(room.outline))
            p.setClipPath(path, Qt.ClipOperation.IntersectClip)
            box = path.boundingRect()
            for x in range(math.floor(box.left()), math.ceil(box.right()) + 1):
                p.drawLine(QLineF(x, box.top(), x, box.bottom()))
            for y in range(math.floor(box.top()), math.ceil(box.bottom()) + 1):
                p.drawLine(QLineF(box.left(), y, box.right(), y))
            p.restore()
    for lamp in look.project.lamps:
        room = find(look.project.rooms, lamp.room)
        level = look.lit.get(lamp.id, 0.0)
        if room.level != look.level or level <= 0:
            continue
        path = QPainterPath()
        path.addPolygon(polygon(room.outline))
        box = path.boundingRect()
        reach = 0.62 * math.hypot(box.width(), box.height())
        glow = QRadialGradient(QPointF(lamp.at[0], -lamp.at[1]), reach)
        # By day a lamp hardly shows; at night it is the only thing that glows.
        strength = (0.25 + 0.6 * look.night) * level
        warm = QColor("#F6C667")
        glow.setColorAt(0.0, alpha(warm, strength))
        glow.setColorAt(0.45, alpha(look.theme.lamp, strength * 0.55))
        glow.setColorAt(1.0, alpha(look.theme.lamp, strength * 0.12))
        p.setPen(Qt.PenStyle.NoPen)
        p.fillPath(path, QBrush(glow))


# -- contours --------------------------------------------------------------------------------------------------------


def shown_sensors(look: Look) -> list[Sensor]:
    """Whose contours are laid out: the selected sensor's; else those that serve the selected room; else all."""
    here = look.sensors
    for s in here:
        if s.id == look.selected:
            return [s]
    serving = {
        r.sensor for presence in look.project.presences if presence.room == look.room for r in reports(presence.expr)
    }
    mine = [s for s in here if s.id in serving]
    return mine or here


def draw_contours(p: QPainter, look: Look) -> None:
    """Isochrones in the family's hue, the unseen part of the own room hatched."""
    if not look.contours:
        return
    built = QPainterPath()
    for room in look.rooms:
        built.addPolygon(polygon(room.outline))
    p.save()
    p.setClipPath(built, Qt.ClipOperation.IntersectClip)
    for sensor in shown_sensors(look):
        device = find(look.project.devices, sensor.device)
        hue = look.theme.family(device.family)
        paths = band_paths(
            coverage(look.project, sensor.id, look.figure, hurried=look.dragging and sensor.id == look.selected)
        )
        if sensor.id == look.selected:
            _hatch_unseen(p, look, sensor, paths[0])
        # Fills need no smooth edge, since each has its line; that halves the time they take.
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for path, (_, strength) in zip(paths, BANDS):
            p.fillPath(path, alpha(hue, strength))
        p.setRenderHint(QPainter.RenderHint.Antialiasing, not look.dragging)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(cosmetic(alpha(hue, 0.45), 1))
        for path in paths:
            p.drawPath(path)
    p.restore()


def _hatch_unseen(p: QPainter, look: Look, sensor: Sensor, seen: QPainterPath) -> None:
    """Hatch the sensor's own room, then give the seen part its ground back."""
    own = next((r for r in look.rooms if polygons.contains_point(r.outline, *sensor.at[:2])), None)
    if own is None:
        return
    room = QPainterPath()
    room.addPolygon(polygon(own.outline))
    box = p.worldTransform().map(room)
    with in_pixels(p):
        p.setClipPath(box, Qt.ClipOperation.IntersectClip)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.setPen(QPen(mix(look.ground, look.theme.dropped, 0.55), 1))
        r = box.boundingRect()
        first, last = math.floor((r.left() - r.height()) / HATCH), math.ceil(r.right() / HATCH)
        p.drawLines(*[QLineF(k * HATCH, r.bottom(), k * HATCH + r.height(), r.top()) for k in range(first, last)])
    p.save()
    p.setClipPath(room, Qt.ClipOperation.IntersectClip)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    p.fillPath(seen, look.ground)
    p.restore()


# -- the building ----------------------------------------------------------------------------------------------------


def draw_site(p: QPainter, look: Look) -> None:
    """Furniture, walls with their openings, the rooms' names, spots and lamps."""
    if not look.rooms:
        _first_words(p, look)
    _furniture(p, look)
    _walls(p, look)
    _names(p, look)
    _places(p, look)


def _first_words(p: QPainter, look: Look) -> None:
    """What to do on a bare level."""
    with in_pixels(p) as at:
        p.setFont(font(15, 500))
        p.setPen(look.ink)
        words = (
            "Nothing here yet. Choose Build at the left, type a room's name and its size, 4.2 x 3.6, and press Return."
        )
        c = at(5.0, 4.0)
        p.drawText(
            QRectF(c.x() - 190, c.y() - 50, 380, 100), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words
        )


def _names(p: QPainter, look: Look) -> None:
    with in_pixels(p) as at:
        for room in look.rooms:
            left = min(x for x, _ in room.outline)
            top = max(y for _, y in room.outline)
            selected = room.id == look.room
            p.setFont(font(13, 600 if selected else 500))
            p.setPen(mix(look.theme.ink, QColor("#E3E7F5"), look.night) if selected else look.ink)
            width = at(max(x for x, _ in room.outline), top).x() - at(left, top).x() - 20
            words = p.fontMetrics().elidedText(room.name, Qt.TextElideMode.ElideRight, int(width))
            p.drawText(at(left, top) + QPointF(11, 21), words)


def _furniture(p: QPainter, look: Look) -> None:
    fill = mix(look.theme.furniture, look.theme.night_furniture, look.night)
    line = mix(QColor("#C9BFAF") if look.theme.name == "light" else QColor("#5A6272"), QColor("#3E4A78"), look.night)
    hiding = {ident for s in (look.chain.sights[:1] if look.chain else ()) for ident, _ in s.hidden_by[:1]}
    for f in look.project.furnishings:
        if f.level != look.level:
            continue
        blamed = f.id in hiding
        p.setBrush(alpha(look.theme.dropped, 0.28) if blamed else alpha(fill, 0.85))
        chosen = f.id == look.selected or f.id in look.marked
        colour = look.theme.dropped if blamed else look.theme.ink if chosen else line
        p.setPen(cosmetic(colour, 1.6 if blamed or chosen else 1))
        p.drawPolygon(polygon(f.outline))
        if f.kind == "stair":
            _treads(p, f.outline, f.climb or 0.0, line, look.ink)
        elif f.kind == "bed":
            _pillows(p, f.outline)


def _treads(p: QPainter, outline, climb: float, line: QColor, ink: QColor) -> None:  # type: ignore[no-untyped-def]
    """Treads across the climb, and an arrow up."""
    xs, ys = [x for x, _ in outline], [-y for _, y in outline]
    x0, x1, y0, y1 = min(xs), max(xs), min(ys), max(ys)
    dx, dy = math.cos(math.radians(climb)), -math.sin(math.radians(climb))
    p.setPen(cosmetic(line, 1))
    steps = 12
    for k in range(1, steps):
        if abs(dy) > abs(dx):
            y = y0 + (y1 - y0) * k / steps
            p.drawLine(QLineF(x0, y, x1, y))
        else:
            x = x0 + (x1 - x0) * k / steps
            p.drawLine(QLineF(x, y0, x, y1))
    p.setPen(cosmetic(ink, 1.3))
    centre = QPointF((x0 + x1) / 2, (y0 + y1) / 2)
    half = 0.36 * (abs(dx) * (x1 - x0) + abs(dy) * (y1 - y0))
    tip = centre + QPointF(dx, dy) * half
    p.drawLine(centre - QPointF(dx, dy) * half, tip)
    for turn in (150, -150):
        a = math.atan2(dy, dx) + math.radians(turn)
        p.drawLine(tip, tip + QPointF(math.cos(a), math.sin(a)) * 0.16)


def _pillows(p: QPainter, outline) -> None:  # type: ignore[no-untyped-def]
    xs, ys = [x for x, _ in outline], [-y for _, y in outline]
    x0, x1, y0 = min(xs), max(xs), min(ys)
    w = (x1 - x0) / 2
    for k in (0, 1):
        p.drawRoundedRect(QRectF(x0 + k * w + 0.08, y0 + 0.08, w - 0.16, 0.36), 0.08, 0.08)


def _walls(p: QPainter, look: Look) -> None:
    by_wall: dict[str, list[Opening]] = {}
    for o in look.project.openings:
        by_wall.setdefault(o.wall, []).append(o)
    for wall in look.project.walls:
        if wall.level != look.level:
            continue
        if wall.id == look.selected or wall.id in look.marked:
            length = math.dist(wall.a, wall.b)
            _halo(p, look, wall, _along(wall, 0, length), _along(wall, length, length))
        openings = sorted(by_wall.get(wall.id, []), key=lambda o: o.offset)
        pen = QPen(look.wall, wall.thickness)
        pen.setCapStyle(Qt.PenCapStyle.SquareCap if not openings else Qt.PenCapStyle.FlatCap)
        length = math.dist(wall.a, wall.b)
        s = 0.0
        for o in openings:
            _piece(p, wall, s, o.offset, pen, length)
            s = max(s, o.offset + o.width)
        _piece(p, wall, s, length, pen, length)
        for o in openings:
            _opening(p, look, wall, o, length)


def _halo(p: QPainter, look: Look, wall: Wall, a: QPointF, b: QPointF) -> None:
    """Marks a selected stretch of wall."""
    pen = QPen(alpha(look.ink, 0.4), wall.thickness + 0.16)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    p.setPen(pen)
    p.drawLine(a, b)


def _along(wall: Wall, s: float, length: float) -> QPointF:
    k = s / length
    return QPointF(wall.a[0] + k * (wall.b[0] - wall.a[0]), -(wall.a[1] + k * (wall.b[1] - wall.a[1])))


def _piece(p: QPainter, wall: Wall, s0: float, s1: float, pen: QPen, length: float) -> None:
    if s1 - s0 <= 1e-6:
        return
    half = wall.thickness / 2
    # Outer ends reach over the corner; ends at an opening are cut square.
    s0 = s0 - half if s0 <= 1e-9 else s0
    s1 = s1 + half if s1 >= length - 1e-9 else s1
    flat = QPen(pen)
    flat.setCapStyle(Qt.PenCapStyle.FlatCap)
    p.setPen(flat)
    p.drawLine(_along(wall, s0, length), _along(wall, s1, length))


def _opening(p: QPainter, look: Look, wall: Wall, o: Opening, length: float) -> None:
    a, b = _along(wall, o.offset, length), _along(wall, min(o.offset + o.width, length), length)
    thin = mix(look.theme.soft, QColor("#6D779C"), look.night)
    if o.id == look.selected:
        _halo(p, look, wall, a, b)
    if o.kind == "window":
        d = (b - a) / max(math.hypot(b.x() - a.x(), b.y() - a.y()), 1e-9)
        n = QPointF(-d.y(), d.x()) * (wall.thickness / 2)
        p.setPen(cosmetic(thin, 1))
        p.setBrush(
            mix(QColor("#E4EAF0") if look.theme.name == "light" else QColor("#45506A"), QColor("#2C3765"), look.night)
        )
        p.drawPolygon(QPolygonF([a + n, b + n, b - n, a - n]))
        p.drawLine(a, b)
        return
    if o.kind == "archway":
        p.setPen(cosmetic(thin, 1, Qt.PenStyle.DotLine))
        p.drawLine(a, b)
        return
    # A leaf hinged at the end nearer a, swinging to the left of a-b; closed leaves lie in the wall.
    angle = math.atan2(b.y() - a.y(), b.x() - a.x())
    p.setPen(cosmetic(thin, 1.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    if o.rest == "closed":
        p.drawLine(a, b)
    swing = QPointF(math.cos(angle - math.pi / 2), math.sin(angle - math.pi / 2)) * o.width
    p.setPen(cosmetic(thin, 1.4 if o.rest == "open" else 1))
    if o.rest == "open":
        p.drawLine(a, a + swing)
    p.setPen(cosmetic(alpha(thin, 0.55), 1, Qt.PenStyle.SolidLine if o.rest == "open" else Qt.PenStyle.DotLine))
    box = QRectF(a.x() - o.width, a.y() - o.width, 2 * o.width, 2 * o.width)
    p.drawArc(box, round(-math.degrees(angle) * 16), 90 * 16)


# -- marks -----------------------------------------------------------------------------------------------------------


def _places(p: QPainter, look: Look) -> None:
    """Spots and lamps, in pixels."""
    project, theme = look.project, look.theme
    with in_pixels(p) as at:
        for spot in project.spots:
            if find(project.rooms, spot.room).level != look.level:
                continue
            c = at(*spot.at)
            chosen = spot.id == look.selected or spot.id in look.marked
            p.setPen(QPen(theme.ink if chosen else look.ink, 1.6 if chosen else 1.1))
            p.setBrush(alpha(look.ground, 0.8))
            p.drawEllipse(c, 4.2, 4.2)
            # A small wedge beyond the ring shows which way somebody here faces.
            p.save()
            p.translate(c)
            p.rotate(-spot.facing)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.ink if chosen else look.ink)
            p.drawPolygon(QPolygonF([QPointF(10, 0), QPointF(6.2, -3.4), QPointF(6.2, 3.4)]))
            p.restore()
        for lamp in project.lamps:
            if find(project.rooms, lamp.room).level != look.level:
                continue
            level = look.lit.get(lamp.id, 0.0)
            colour = theme.lamp if look.night < 0.5 else QColor("#FFC74D")
            glyphs.lamp_mark(
                p, at(*lamp.at), LAMP_RADIUS, colour, level, mix(theme.lamp, QColor("#C9AE72"), look.night)
            )
            if lamp.id == look.selected or lamp.id in look.marked:
                ring(p, at(*lamp.at), LAMP_RADIUS + 5, theme.ink)


def ring(p: QPainter, c: QPointF, radius: float, colour: QColor) -> None:
    """A dashed ring around what is selected."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(colour, 1.5, Qt.PenStyle.DashLine))
    p.drawEllipse(c, radius, radius)
