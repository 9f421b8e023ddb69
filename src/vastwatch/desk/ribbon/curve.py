"""A number from 0 to 1 over the day, as a curve in a lane of the ribbon."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from vastwatch.desk.shell.theme import Theme
from vastwatch.signals import TimeSeries

# With more points than this within the day, those within half a pixel of each other are their least and greatest.
MOST_POINTS = 4000


def paint_curve(
    p: QPainter, t: Theme, frame: QRectF, levels: TimeSeries, marks: tuple[float, ...], span: tuple[float, float]
) -> None:
    """Paint a number over a span of time into a frame, with dashes at the levels that count."""

    def at(share: float) -> float:
        return frame.bottom() - frame.height() * share

    for share, style, colour in (
        (0.0, Qt.PenStyle.SolidLine, t.hairline), (1.0, Qt.PenStyle.SolidLine, t.hairline),
        *((mark, Qt.PenStyle.DashLine, t.soft) for mark in marks),
    ):  # fmt: skip
        p.setPen(QPen(colour, 1, style))
        p.drawLine(QPointF(frame.left(), at(share)), QPointF(frame.right(), at(share)))
    start, end = span
    inside = (levels.t > start) & (levels.t < end)
    x = frame.left() + (levels.t[inside] - start) * (frame.width() / (end - start))
    v = levels.v[inside]
    if len(x) > MOST_POINTS:
        heads = np.flatnonzero(np.diff(np.floor(x * 2), prepend=-1.0))
        low, most = np.minimum.reduceat(v, heads), np.maximum.reduceat(v, heads)
        x, v = np.repeat(x[heads], 2), np.column_stack([low, most]).ravel()
    points = [QPointF(frame.left(), at(float(levels.at(start))))]
    points += [QPointF(a, at(b)) for a, b in zip(x.tolist(), v.tolist())]
    points.append(QPointF(frame.right(), at(float(levels.before(end)))))
    p.setPen(QPen(t.ink, 1.4))
    p.drawPolyline(QPolygonF(points))
