"""Notice-time contours: from a coverage map to painter paths, fast enough to follow the hand.

Scene coordinates are metres with y downward, so plan (x, y) is drawn at (x, -y).
"""

from __future__ import annotations

import math

import contourpy
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QByteArray, QDataStream
from PyQt6.QtGui import QPainterPath

from vastwatch.memo import memoised
from vastwatch.sensing import CoverageMap

# Bands of the map: noticed within so many seconds, and how strongly each is laid on the ground.
BANDS = ((300.0, 0.15), (30.0, 0.20), (5.0, 0.24), (1.0, 0.33))

_POINT = np.dtype([("kind", ">i4"), ("x", ">f8"), ("y", ">f8")])


def array_path(points: NDArray[np.float64], starts: NDArray[np.intp]) -> QPainterPath:
    """A path with one closed polygon from each start to the next, through Qt's own stream format.

    Building a path point by point from Python costs a microsecond each; this costs one copy for all.
    """
    path = QPainterPath()
    n = len(points)
    if n == 0:
        return path
    body = np.empty(n, _POINT)
    body["kind"] = 1
    body["kind"][starts] = 0
    body["x"], body["y"] = points[:, 0], -points[:, 1]
    head = np.array([n], ">i4").tobytes()
    tail = np.array([int(starts[-1]), 0], ">i4").tobytes()
    stream = QDataStream(QByteArray(head + body.tobytes() + tail))
    stream >> path  # type: ignore[operator]
    return path


@memoised
def band_paths(map_: CoverageMap) -> tuple[QPainterPath, ...]:
    """For each of BANDS the region noticed within its time."""
    finite = np.isfinite(map_.notice_s)
    rows, columns = np.flatnonzero(finite.any(axis=1)), np.flatnonzero(finite.any(axis=0))
    if len(rows) < 2 or len(columns) < 2:
        return tuple(QPainterPath() for _ in BANDS)
    # Only the part of the grid with anything in it, and one cell around.
    r = slice(max(rows[0] - 1, 0), rows[-1] + 2)
    c = slice(max(columns[0] - 1, 0), columns[-1] + 2)
    notice = map_.notice_s[r, c]
    log = np.log10(np.clip(notice, 0.05, 1e5))
    lines = contourpy.contour_generator(
        map_.grid.x[c], map_.grid.y[r], log, name="serial", fill_type=contourpy.FillType.OuterOffset
    )
    return tuple(_path(lines.filled(-2.0, math.log10(limit))) for limit, _ in BANDS)


def _path(filled) -> QPainterPath:  # type: ignore[no-untyped-def]
    points, offsets = filled
    if not points:
        return QPainterPath()
    starts, base = [], 0
    for p, o in zip(points, offsets):
        starts.append(np.asarray(o[:-1], np.intp) + base)
        base += len(p)
    return array_path(np.concatenate(points), np.concatenate(starts))
