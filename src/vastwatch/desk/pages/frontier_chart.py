"""The frontier of a room as a chart that can be read at arm's length: on the desk, in a picture, on a page."""

from __future__ import annotations

import math
from itertools import pairwise
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QPointF, QRectF, QSize, QSizeF, Qt
from PyQt6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QImage,
    QPageLayout,
    QPageSize,
    QPainter,
    QPainterPath,
    QPdfWriter,
    QPen,
    QPolygonF,
)

from vastwatch.advice.judging.frontier import Frontier, Point, table
from vastwatch.desk.pages.plan_sheet import paper_font
from vastwatch.desk.shell.family_style import family_hue
from vastwatch.desk.shell.theme import LIGHT, Theme, alpha, font, mix
from vastwatch.devices.families import FAMILY_TYPES
from vastwatch.files.csv_cells import csv_text
from vastwatch.files.writing import write_atomically

# What is written beside the axes, minutes of dark and hours of light while empty a day; scales that are even below the
# first and follow ratios above it.
DARK_TICKS = (0.0, 0.1, 0.3, 1.0, 3.0, 10.0, 30.0, 100.0, 300.0)
BURN_TICKS = (0.0, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0)
DARK_EVEN, BURN_EVEN = 0.1, 0.05
# Sizes on the desk; a picture and a page are this many times as large.
PICTURE = QSize(1600, 1000)
PAGE_MM = QSizeF(297.0, 210.0)
# Labels are put at one of these angles from their point, the first that is free.
ANGLES = (0, 45, -45, 180, 135, -135, 90, -90)


def scaled(value: float, even: float) -> float:
    """Even near zero, by ratios above."""
    return math.log10(1.0 + value / even)


class Placed:
    """Where the points of a frontier stand on a chart of a size."""

    def __init__(self, found: Frontier, frame: QRectF) -> None:
        self.found, self.frame = found, frame
        self.points = _shown(found)
        darks = [p.figures.dark_min for p in self.points] + [found.limit_dark_min * 2]
        burns = [p.figures.idle_h for p in self.points] + [0.2]
        self._top, self._right = scaled(max(darks), DARK_EVEN) * 1.06, scaled(max(burns), BURN_EVEN) * 1.05

    def x(self, burn: float) -> float:
        """Pixel of hours lit while empty a day."""
        return self.frame.left() + self.frame.width() * scaled(burn, BURN_EVEN) / self._right

    def y(self, dark: float) -> float:
        """Pixel of minutes dark a day."""
        return self.frame.bottom() - self.frame.height() * scaled(dark, DARK_EVEN) / self._top

    def at(self, point: Point) -> QPointF:
        """Pixel of a point."""
        return QPointF(self.x(point.figures.idle_h), self.y(point.figures.dark_min))

    def nearest(self, pos: QPointF, within: float = 14.0) -> Point | None:
        """The point under the pointer."""
        best = min(self.points, key=lambda p: (self.at(p) - pos).manhattanLength(), default=None)
        return best if best is not None and (self.at(best) - pos).manhattanLength() <= within else None


def _shown(found: Frontier) -> list[Point]:
    """All but what a search evaluated and left behind."""
    best = {id(p) for p in found.pareto_points}
    return [p for p in found.points if p.kind != "search" or id(p) in best]


def frame_of(rect: QRectF, k: float) -> QRectF:
    """The part of a chart's place in which points stand; k: how many times as large as on the desk."""
    return rect.adjusted(64 * k, 12 * k, -16 * k, -46 * k)


def paint(p: QPainter, t: Theme, rect: QRectF, found: Frontier, marked: Point | None = None, k: float = 1.0) -> Placed:
    """Paint the chart into a place."""
    placed = Placed(found, frame_of(rect, k))
    frame = placed.frame

    def face(size: int, weight: int = 400) -> QFont:
        return paper_font(round(size * k), weight) if k != 1.0 else font(size, weight)

    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.fillRect(rect, t.card)
    low = placed.y(found.limit_dark_min)
    p.fillRect(QRectF(frame.left(), low, frame.width(), frame.bottom() - low), alpha(t.good, 0.10))
    p.setFont(face(12))
    for value in DARK_TICKS:
        y = placed.y(value)
        if y < frame.top() - 1:
            break
        p.setPen(QPen(t.hairline, 1 * k))
        p.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))
        p.setPen(t.soft)
        box = QRectF(rect.left(), y - 9 * k, frame.left() - rect.left() - 6 * k, 18 * k)
        p.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{value:g}")
    for value in BURN_TICKS:
        x = placed.x(value)
        if x > frame.right() + 1:
            break
        p.setPen(QPen(t.hairline, 1 * k))
        p.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()))
        p.setPen(t.soft)
        box = QRectF(x - 24 * k, frame.bottom() + 3 * k, 48 * k, 16 * k)
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{value:g}")
    p.setFont(face(13, 600))
    p.setPen(t.dropped)
    p.save()
    p.translate(rect.left() + 12 * k, frame.center().y())
    p.rotate(-90)
    half = frame.height() / 2
    p.drawText(QRectF(-half, -10 * k, 2 * half, 20 * k), Qt.AlignmentFlag.AlignCenter, "left in the dark, min a day")
    p.restore()
    p.setPen(mix(t.lamp, t.ink, 0.35))
    box = QRectF(frame.left(), frame.bottom() + 20 * k, frame.width(), 20 * k)
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, "lit while empty, h a day")
    taken = _lines(p, t, placed, k)
    for point in placed.points:
        c = placed.at(point)
        taken.append(QRectF(c.x() - 6 * k, c.y() - 6 * k, 12 * k, 12 * k))
    for point in placed.points:
        _mark(p, t, placed.at(point), point, point is marked, k)
    p.setFont(face(13, 500))
    metrics = QFontMetricsF(p.font())
    for point in sorted(placed.points, key=_order):
        if not _named(point, found):
            continue
        label = _free(metrics, point.name, placed.at(point), frame, taken, k)
        if label is not None:
            taken.append(label)
            p.setPen(t.ink)
            p.drawText(label, Qt.AlignmentFlag.AlignCenter, point.name)
    words = "dark time allowed by the brief"
    p.setFont(face(12))
    label = _free(QFontMetricsF(p.font()), words, QPointF(frame.left() + 2 * k, low), frame, taken, k)
    if label is not None and words:
        p.setPen(t.good)
        p.drawText(label, Qt.AlignmentFlag.AlignCenter, words)
    return placed


def _order(point: Point) -> int:
    return ["recommended", "today", "belief", "school", "search", "curve"].index(point.kind)


def _named(point: Point, found: Frontier) -> bool:
    """Of the points along the hold only some are named; of what was searched none."""
    if point.kind == "search":
        return False
    return point.kind != "curve" or point.name in ("30 s", "1 min", "2 min", "5 min", "10 min", "15 min", "20 min")


def _lines(p: QPainter, t: Theme, placed: Placed, k: float) -> list[QRectF]:
    """The lines along the hold and along the frontier; what they cover, in small pieces."""
    covered: list[QRectF] = []
    along = [placed.at(x) for x in placed.points if x.kind in ("curve", "today")]
    if len(along) > 1:
        along.sort(key=lambda c: c.x())
        p.setPen(QPen(t.soft, 1.6 * k))
        p.drawPolyline(QPolygonF(along))
    best = [placed.at(x) for x in placed.found.pareto_points]
    if len(best) > 1:
        p.setPen(QPen(t.ink, 2.6 * k, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
        p.drawPolyline(QPolygonF(best))
    for line in (along, best):
        for a, b in pairwise(line):
            n = max(int((b - a).manhattanLength() / (8 * k)), 1)
            for i in range(n + 1):
                c = a + (b - a) * (i / n)
                covered.append(QRectF(c.x() - 2 * k, c.y() - 2 * k, 4 * k, 4 * k))
    return covered


def _technology_of(point: Point) -> str | None:
    """The family whose technology a way is called by; None for one that is called otherwise."""
    called = {f.technology or f.family: f.family for f in FAMILY_TYPES if f.watches != "nobody"}
    return next((family for name, family in called.items() if point.name.startswith(name)), None)


def _mark(p: QPainter, t: Theme, c: QPointF, point: Point, marked: bool, k: float) -> None:
    """Shape before colour: today filled, the recommendation a lozenge, other ways rings, occupancy probabilities
    squares."""
    r = (7.0 if point.kind in ("today", "recommended") else 3.0 if point.kind in ("curve", "search") else 5.5) * k
    pen = QPen(t.ink, (2.6 if marked else 1.6) * k)
    fill: QColor = t.card
    if point.kind == "today":
        fill = t.ink
    elif (family := _technology_of(point)) is not None:
        fill = family_hue(t, family)
    elif point.kind in ("curve", "search"):
        fill = t.soft
        pen = QPen(t.soft, 1 * k)
    p.setPen(pen)
    p.setBrush(fill)
    if point.kind == "recommended":
        path = QPainterPath(c + QPointF(0, -r - 1))
        for dx, dy in ((r + 1, 0), (0, r + 1), (-r - 1, 0), (0, -r - 1)):
            path.lineTo(c + QPointF(dx, dy))
        p.drawPath(path)
    elif point.kind == "belief":
        p.drawRect(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r))
    else:
        p.drawEllipse(c, r, r)
    if marked:
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.ink, 1.2 * k, Qt.PenStyle.DotLine))
        p.drawEllipse(c, r + 5 * k, r + 5 * k)


def _free(
    metrics: QFontMetricsF, words: str, c: QPointF, frame: QRectF, taken: list[QRectF], k: float
) -> QRectF | None:
    """Where words beside a point cover nothing else; None where nowhere is free."""
    if not words:
        return None
    wide, high = metrics.horizontalAdvance(words) + 4 * k, metrics.height()
    for far in (10 * k, 18 * k, 30 * k):
        for angle in ANGLES:
            dx, dy = math.cos(math.radians(angle)), -math.sin(math.radians(angle))
            x = c.x() + dx * far + (0 if dx > 0.1 else -wide if dx < -0.1 else -wide / 2)
            y = c.y() + dy * far - high / 2
            box = QRectF(x, y, wide, high)
            if frame.adjusted(-2, -2, 2, 2).contains(box) and not any(box.intersects(other) for other in taken):
                return box
    return None


# -- going out -----------------------------------------------------------------------------------------------------


def save(found: Frontier, path: Path, title: str) -> None:
    """Write the chart as .png or .pdf, or its points as .csv. Raises ProjectError where that cannot be written,
    ValueError for another ending."""
    kind = path.suffix.lower()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if kind == ".csv":
        buffer.write(csv_text([[str(cell) for cell in row] for row in table(found)]).encode())
    elif kind == ".png":
        image = QImage(PICTURE, QImage.Format.Format_RGB32)
        image.fill(LIGHT.card)
        p = QPainter(image)
        _whole(p, QRectF(0, 0, PICTURE.width(), PICTURE.height()), found, title, 2.0)
        p.end()
        image.save(buffer, "PNG")
    elif kind == ".pdf":
        writer = QPdfWriter(buffer)
        writer.setTitle(title)
        page = QPageSize(PAGE_MM, QPageSize.Unit.Millimeter)
        writer.setPageLayout(QPageLayout(page, QPageLayout.Orientation.Portrait, QMarginsF(0, 0, 0, 0)))
        writer.setResolution(96)
        p = QPainter(writer)
        _whole(p, QRectF(0, 0, writer.width(), writer.height()).adjusted(36, 36, -36, -36), found, title, 1.4)
        p.end()
    else:
        raise ValueError(f"'{path.name}' must end in .pdf, .png or .csv")
    write_atomically(path, bytes(buffer.data().data()))


def _whole(p: QPainter, rect: QRectF, found: Frontier, title: str, k: float) -> None:
    p.setFont(paper_font(round(18 * k), 600))
    p.setPen(LIGHT.ink)
    box = QRectF(rect.left() + 12 * k, rect.top() + 8 * k, rect.width(), 26 * k)
    p.drawText(box, Qt.AlignmentFlag.AlignLeft, title)
    p.setFont(paper_font(round(12 * k)))
    p.setPen(LIGHT.soft)
    words = f"{found.weeks} simulated weeks, the same for every point. Dark line: the best trade-offs between the two."
    box = QRectF(rect.left() + 12 * k, rect.top() + 34 * k, rect.width(), 20 * k)
    p.drawText(box, Qt.AlignmentFlag.AlignLeft, words)
    paint(p, LIGHT, rect.adjusted(0, 56 * k, 0, 0), found, None, k)
