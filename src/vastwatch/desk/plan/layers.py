"""What is painted on the plan, layer by layer, from the ground up.

Each layer paints in scene coordinates (metres, y downward). Marks and words keep their size in pixels: for those the
painter's transform is set aside and the place mapped by hand.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING, Any, TypeVar

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetrics, QPainter, QPainterPath, QPen, QPolygonF, QRadialGradient
from PyQt6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor
from vastwatch.desk import glyphs
from vastwatch.desk.plan.contours import BANDS, band_paths
from vastwatch.desk.plan.shapes import name_place
from vastwatch.desk.theme import Theme, alpha, font, mix
from vastwatch.devices import AREA_FAMILIES, DeviceType, MatType
from vastwatch.geometry import polygons
from vastwatch.rehearsal.causes import Chain
from vastwatch.sensing import Figure, coverage
from vastwatch.site.building import Hazard, Opening, Room, Wall

if TYPE_CHECKING:
    from collections.abc import Iterator

T = TypeVar("T")

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
    hurried: bool = False
    stage: str = "Sensors"
    marked: frozenset[str] = frozenset()
    ghost: bool = True
    # Circuits whose wiring is shown: that of the selected switch or lamp.
    traced: frozenset[str] = frozenset()
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
def _polygon_of(record: Any) -> QPolygonF:
    """The outline of a room or furnishing as a scene polygon; records compare by identity."""
    return polygon(record.outline)


def _path_of(records: list[Any]) -> QPainterPath:
    """All outlines in one path; where they overlap, both are filled."""
    out = QPainterPath()
    out.setFillRule(Qt.FillRule.WindingFill)
    for r in records:
        out.addPolygon(_polygon_of(r))
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


# -- ground and light ------------------------------------------------------------------------------------------------


def draw_ground(p: QPainter, look: Look) -> None:
    """Rooms on the ground colour, a metre grid, and the light of burning lamps, clipped to their room."""
    built = kept(look, "rooms", (look.project.rooms, look.level), lambda: _path_of(look.rooms))
    p.setPen(Qt.PenStyle.NoPen)
    p.fillPath(built, look.ground)
    grid = mix(QColor("#EFEBE2") if look.theme.name == "light" else look.theme.faint, look.theme.night, look.night)
    known = look.made.get("grid")
    # While a wall moves on a large plan the faint grid is left out: laying it anew would cost a fifth of the frame.
    changing = look.hurried and known is not None and known[0][0] is not look.project.rooms
    if look.night < 0.6 and look.rooms and not changing:
        straight, bent = kept(look, "grid", (look.project.rooms, look.level), lambda: _grid(look.rooms))
        pen = cosmetic(alpha(grid, 0.9 * (1 - look.night)), 1)
        p.save()
        # The lines are upright and level: without smoothing they are sharper, and quicker.
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        p.setPen(pen)
        p.drawLines(*straight)
        for path, lines in bent:
            p.save()
            p.setClipPath(path, Qt.ClipOperation.IntersectClip)
            p.drawLines(*lines)
            p.restore()
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


def _grid(rooms: list[Room]) -> tuple[list[QLineF], list[tuple[QPainterPath, list[QLineF]]]]:
    """Metre lines within rectangular rooms; and for other rooms their outline to clip by, with its lines."""
    straight: list[QLineF] = []
    bent = []
    for room in rooms:
        xs, ys = [x for x, _ in room.outline], [-y for _, y in room.outline]
        x0, x1, y0, y1 = min(xs), max(xs), min(ys), max(ys)
        lines = [QLineF(x, y0, x, y1) for x in range(math.ceil(x0), math.floor(x1) + 1)]
        lines += [QLineF(x0, y, x1, y) for y in range(math.ceil(y0), math.floor(y1) + 1)]
        if polygons.area(room.outline) > 0.999 * (x1 - x0) * (y1 - y0):
            straight += lines
        elif lines:
            bent.append((_path_of([room]), lines))
    return _merged(straight) or [QLineF()], bent


def _merged(lines: list[QLineF]) -> list[QLineF]:
    """Upright and level lines, those that continue each other joined: a tenth as many on a plan of many rooms."""
    along: dict[tuple[bool, float], list[tuple[float, float]]] = {}
    for q in lines:
        upright = q.x1() == q.x2()
        key, ends = (True, q.x1()), (q.y1(), q.y2())
        if not upright:
            key, ends = (False, q.y1()), (q.x1(), q.x2())
        along.setdefault(key, []).append(ends)
    out = []
    for (upright, c), spans in along.items():
        spans.sort()
        joined = [list(spans[0])]
        for lo, hi in spans[1:]:
            if lo <= joined[-1][1] + 1e-6:
                joined[-1][1] = max(joined[-1][1], hi)
            else:
                joined.append([lo, hi])
        out += [QLineF(c, lo, c, hi) if upright else QLineF(lo, c, hi, c) for lo, hi in joined]
    return out


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
        if device.family not in AREA_FAMILIES:
            _pad(p, look, sensor, device)
            continue
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


def _pad(p: QPainter, look: Look, sensor: Sensor, device: DeviceType) -> None:
    """What a sensor watches that sees no area: a mat its pad; the others only what they are fixed to."""
    if not isinstance(device, MatType):
        return
    hue = look.theme.family(device.family)
    a, (w, d) = math.radians(sensor.yaw), device.pad
    u, v = (math.cos(a) * w / 2, math.sin(a) * w / 2), (-math.sin(a) * d / 2, math.cos(a) * d / 2)
    corners = [
        (sensor.at[0] + i * u[0] + j * v[0], sensor.at[1] + i * u[1] + j * v[1])
        for i, j in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    ]
    p.setPen(cosmetic(hue, 1.4))
    p.setBrush(alpha(hue, 0.35))
    p.drawPolygon(polygon(corners))


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


def special(look: Look) -> frozenset[str]:
    """Ids that are drawn apart: selected, marked, or blamed by the open chain of causes."""
    blamed = {ident for s in (look.chain.sights[:1] if look.chain else ()) for ident, _ in s.hidden_by[:1]}
    return frozenset(blamed | look.marked | ({look.selected} if look.selected else set()))


def draw_furniture(p: QPainter, look: Look) -> None:
    """All furniture that is not held."""
    apart = special(look)
    _furniture(p, look, [f for f in look.project.furnishings if f.level == look.level and f.id not in apart])


def draw_walls(p: QPainter, look: Look) -> None:
    """Walls with their openings."""
    _walls(p, look)


def draw_places(p: QPainter, look: Look) -> None:
    """The rooms' names, spots and lamps; on a bare level what to do first."""
    if not look.rooms:
        _first_words(p, look)
    _names(p, look)
    if not look.hurried:
        # On a large plan in motion spots and lamps wait until the hand rests.
        _places(p, look)


def draw_held(p: QPainter, look: Look) -> None:
    """What is selected, marked or blamed, over the rest: it moves with the hand, and the rest need not be painted."""
    _held(p, look)


def reads_furniture(look: Look) -> tuple[object, ...]:
    """What the furniture layer shows."""
    apart = special(look)
    plain = [f for f in look.project.furnishings if f.level == look.level and f.id not in apart]
    return plain, look.night, look.theme, look.level


def reads_walls(look: Look) -> tuple[object, ...]:
    """What the walls layer shows."""
    return look.project.walls, look.project.openings, look.level, look.night, look.theme


def reads_places(look: Look) -> tuple[object, ...]:
    """What the names, spots and lamps layer shows."""
    apart = special(look)
    spots = [s for s in look.project.spots if s.id not in apart]
    return (
        look.project.rooms,
        spots,
        look.project.lamps,
        look.level,
        look.room,
        look.night,
        look.theme,
        dict(look.lit),
    )


def reads_ground(look: Look) -> tuple[object, ...]:
    """What the ground layer shows."""
    return look.project.rooms, look.level, look.night, look.theme, dict(look.lit), look.project.lamps


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


@lru_cache(maxsize=2048)
def _width(words: str, selected: bool) -> int:
    return QFontMetrics(font(13, 600 if selected else 500)).horizontalAdvance(words)


def _names(p: QPainter, look: Look) -> None:
    with in_pixels(p) as at:
        for room in look.rooms:
            left, level, wide = name_place(room.outline)
            selected = room.id == look.room
            p.setFont(font(13, 600 if selected else 500))
            p.setPen(mix(look.theme.ink, QColor("#E3E7F5"), look.night) if selected else look.ink)
            at_left = at(left, level)
            width = at(left + wide, level).x() - at_left.x() - 20
            words = room.name
            if _width(words, selected) > width:
                words = p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(width))
            p.drawText(at_left + QPointF(11, 4), words)


def _furniture_colours(look: Look) -> tuple[QColor, QColor]:
    fill = mix(look.theme.furniture, look.theme.night_furniture, look.night)
    line = mix(QColor("#C9BFAF") if look.theme.name == "light" else QColor("#5A6272"), QColor("#3E4A78"), look.night)
    return fill, line


def _furniture(p: QPainter, look: Look, pieces: list[Any]) -> None:
    fill, line = _furniture_colours(look)
    plain = kept(look, "furniture", (pieces,), lambda: _path_of(pieces))
    p.setBrush(alpha(fill, 0.85))
    p.setPen(cosmetic(line, 1))
    p.drawPath(plain)
    for f in pieces:
        _details(p, look, f, line)


def _details(p: QPainter, look: Look, f: Any, line: QColor) -> None:
    if f.kind == "stair":
        _treads(p, f.outline, f.climb or 0.0, line, look.ink)
    elif f.kind == "bed":
        p.setPen(cosmetic(line, 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        _pillows(p, f.outline)


def _held(p: QPainter, look: Look) -> None:
    apart = special(look)
    if not apart:
        return
    fill, line = _furniture_colours(look)
    chosen = look.marked | {look.selected}
    for f in look.project.furnishings:
        if f.id in apart and f.level == look.level:
            blamed = f.id not in chosen
            p.setBrush(alpha(look.theme.dropped, 0.28) if blamed else alpha(fill, 0.85))
            p.setPen(cosmetic(look.theme.dropped if blamed else look.theme.ink, 1.6))
            p.drawPolygon(_polygon_of(f))
            _details(p, look, f, line)
    for wall in look.project.walls:
        if wall.level == look.level and wall.id in chosen:
            length = math.dist(wall.a, wall.b)
            _halo(p, look, wall, _along(wall, 0, length), _along(wall, length, length))
    walls = {w.id: w for w in look.project.walls if w.level == look.level} if apart else {}
    for o in look.project.openings:
        if o.id in chosen and o.wall in walls:
            wall = walls[o.wall]
            length = math.dist(wall.a, wall.b)
            end = min(o.offset + o.width, length)
            _halo(p, look, wall, _along(wall, o.offset, length), _along(wall, end, length))
    with in_pixels(p) as at:
        for spot in look.project.spots:
            if spot.id in apart and find(look.project.rooms, spot.room).level == look.level:
                rings, wedges = QPainterPath(), QPainterPath()
                _add_spot(rings, wedges, at(*spot.at), spot.facing)
                _spot_marks(p, look, rings, wedges, look.theme.ink, 1.6)
        for lamp in look.project.lamps:
            if lamp.id in chosen and find(look.project.rooms, lamp.room).level == look.level:
                ring(p, at(*lamp.at), LAMP_RADIUS + 5, look.theme.ink)


def _add_spot(rings: QPainterPath, wedges: QPainterPath, c: QPointF, facing: float) -> None:
    """A ring, and beyond it a small wedge that shows which way somebody here faces."""
    rings.addEllipse(c, 4.2, 4.2)
    a = math.radians(facing)
    u, v = QPointF(math.cos(a), -math.sin(a)), QPointF(math.sin(a), math.cos(a))
    wedges.addPolygon(QPolygonF([c + u * 10, c + u * 6.2 - v * 3.4, c + u * 6.2 + v * 3.4]))


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
    project = look.project
    solid, openings = kept(
        look, "walls", (project.walls, project.openings, look.level), lambda: _solid(project, look.level)
    )
    p.setPen(Qt.PenStyle.NoPen)
    p.fillPath(solid, look.wall)
    for wall, o in openings:
        _opening(p, look, wall, o, math.dist(wall.a, wall.b))


def _solid(project: Project, level: str) -> tuple[QPainterPath, list[tuple[Wall, Opening]]]:
    """Every stretch of wall between openings as one path, and the openings with their walls."""
    by_wall: dict[str, list[Opening]] = {}
    for o in project.openings:
        by_wall.setdefault(o.wall, []).append(o)
    path, found = QPainterPath(), []
    path.setFillRule(Qt.FillRule.WindingFill)
    for wall in project.walls:
        if wall.level != level:
            continue
        mine = tuple(sorted(by_wall.get(wall.id, ()), key=lambda o: o.offset))
        for piece in _pieces(wall, mine):
            path.addPolygon(piece)
        found += [(wall, o) for o in mine]
    return path, found


@lru_cache(maxsize=8192)
def _pieces(wall: Wall, openings: tuple[Opening, ...]) -> list[QPolygonF]:
    """The stretches of one wall; records compare by identity, so a dragged wall is the only one made anew."""
    length, s = math.dist(wall.a, wall.b), 0.0
    spans = []
    for o in openings:
        spans.append((s, o.offset))
        s = max(s, o.offset + o.width)
    spans.append((s, length))
    return [_piece(wall, a, b, length) for a, b in spans if b - a > 1e-6]


def _halo(p: QPainter, look: Look, wall: Wall, a: QPointF, b: QPointF) -> None:
    """Marks a selected stretch of wall."""
    pen = QPen(alpha(look.ink, 0.4), wall.thickness + 0.16)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    p.setPen(pen)
    p.drawLine(a, b)


def _along(wall: Wall, s: float, length: float) -> QPointF:
    k = s / length
    return QPointF(wall.a[0] + k * (wall.b[0] - wall.a[0]), -(wall.a[1] + k * (wall.b[1] - wall.a[1])))


def _piece(wall: Wall, s0: float, s1: float, length: float) -> QPolygonF:
    half = wall.thickness / 2
    # Outer ends reach over the corner; ends at an opening are cut square.
    s0 = s0 - half if s0 <= 1e-9 else s0
    s1 = s1 + half if s1 >= length - 1e-9 else s1
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    nx, ny = -uy * half, ux * half
    x0, y0, x1, y1 = wall.a[0] + s0 * ux, wall.a[1] + s0 * uy, wall.a[0] + s1 * ux, wall.a[1] + s1 * uy
    corners = ((x0 + nx, y0 + ny), (x1 + nx, y1 + ny), (x1 - nx, y1 - ny), (x0 - nx, y0 - ny), (x0 + nx, y0 + ny))
    return polygon(corners)


def _opening(p: QPainter, look: Look, wall: Wall, o: Opening, length: float) -> None:
    a, b = _along(wall, o.offset, length), _along(wall, min(o.offset + o.width, length), length)
    thin = mix(look.theme.soft, QColor("#6D779C"), look.night)
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
    # Closed leaves lie in the wall; the quarter circle shows which way they swing.
    p.setPen(cosmetic(thin, 1.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    if o.rest == "closed":
        p.drawLine(a, b)
    pivot, end = (a, b) if o.hinge == "a" else (b, a)
    angle = math.degrees(math.atan2(-(end.y() - pivot.y()), end.x() - pivot.x()))
    # To the left of a-b is counter-clockwise from a, and clockwise from b.
    turn = 90.0 if (o.swings == "left") == (o.hinge == "a") else -90.0
    open_at = math.radians(angle + turn)
    p.setPen(cosmetic(thin, 1.4 if o.rest == "open" else 1))
    if o.rest == "open":
        p.drawLine(pivot, pivot + QPointF(math.cos(open_at), -math.sin(open_at)) * o.width)
    p.setPen(cosmetic(alpha(thin, 0.55), 1, Qt.PenStyle.SolidLine if o.rest == "open" else Qt.PenStyle.DotLine))
    box = QRectF(pivot.x() - o.width, pivot.y() - o.width, 2 * o.width, 2 * o.width)
    p.drawArc(box, round(angle * 16), round(turn * 16))


# -- marks -----------------------------------------------------------------------------------------------------------


def _places(p: QPainter, look: Look) -> None:
    """Spots and lamps, in pixels."""
    project, theme = look.project, look.theme
    with in_pixels(p) as at:
        apart = special(look)
        rings, wedges = QPainterPath(), QPainterPath()
        for spot in project.spots:
            if spot.id not in apart and find(project.rooms, spot.room).level == look.level:
                _add_spot(rings, wedges, at(*spot.at), spot.facing)
        _spot_marks(p, look, rings, wedges, look.ink, 1.1)
        dark = QPainterPath()
        ink = mix(theme.lamp, QColor("#C9AE72"), look.night)
        colour = theme.lamp if look.night < 0.5 else QColor("#FFC74D")
        for lamp in project.lamps:
            if find(project.rooms, lamp.room).level != look.level:
                continue
            level = look.lit.get(lamp.id, 0.0)
            if level <= 0:
                dark.addEllipse(at(*lamp.at), LAMP_RADIUS, LAMP_RADIUS)
            else:
                glyphs.lamp_mark(p, at(*lamp.at), LAMP_RADIUS, colour, level, ink)
        glyphs.lamp_marks_off(p, dark, LAMP_RADIUS, colour, ink)


def _spot_marks(
    p: QPainter, look: Look, rings: QPainterPath, wedges: QPainterPath, colour: QColor, width: float
) -> None:
    p.setPen(QPen(colour, width))
    p.setBrush(alpha(look.ground, 0.8))
    p.drawPath(rings)
    p.fillPath(wedges, colour)


def ring(p: QPainter, c: QPointF, radius: float, colour: QColor) -> None:
    """A dashed ring around what is selected."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(colour, 1.5, Qt.PenStyle.DashLine))
    p.drawEllipse(c, radius, radius)
