"""Simple polygons as (n, 2) arrays of vertices: area, containment, self-crossing, convex pieces.

Knows nothing of rooms or furniture. Vertices are in metres; the closing edge is implied.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def next_vertices(p: Array) -> Array:
    """The next vertex after each: rolled by one, at a tenth of what `np.roll` takes."""
    return np.concatenate((p[1:], p[:1]))


def signed_area(outline: ArrayLike) -> float:
    """Area of a simple polygon, positive when counter-clockwise (shoelace formula)."""
    p = np.asarray(outline, float)
    q = next_vertices(p)
    return float(0.5 * np.sum(p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]))


def area(outline: ArrayLike) -> float:
    """Unsigned area of a simple polygon."""
    return abs(signed_area(outline))


def counter_clockwise(outline: ArrayLike) -> Array:
    """The same polygon with its vertices in counter-clockwise order."""
    p = np.asarray(outline, float)
    return p if signed_area(p) >= 0 else p[::-1]


def centroid(outline: ArrayLike) -> tuple[float, float]:
    """Centre of mass; the mean of the vertices where the area vanishes."""
    p = np.asarray(outline, float)
    q = next_vertices(p)
    cross = p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]
    total = cross.sum()
    if abs(total) < 1e-12:
        x, y = p.mean(axis=0)
        return float(x), float(y)
    x, y = ((p + q) * cross[:, None]).sum(axis=0) / (3 * total)
    return float(x), float(y)


def contains(outline: ArrayLike, points: ArrayLike) -> NDArray[np.bool_]:
    """Which of (n, 2) points lie inside (even-odd rule); points on the edge may fall either way."""
    p = np.asarray(outline, float)
    pts = np.atleast_2d(np.asarray(points, float))
    x, y = pts[:, 0], pts[:, 1]
    inside = np.zeros(len(pts), bool)
    for (x1, y1), (x2, y2) in zip(p.tolist(), next_vertices(p).tolist()):
        if y1 == y2:
            continue
        straddles = (y1 > y) != (y2 > y)
        inside ^= straddles & (x < (x2 - x1) * (y - y1) / (y2 - y1) + x1)
    return inside


def contains_point(outline: Sequence[Sequence[float]], x: float, y: float) -> bool:
    """`contains` for one point and a short outline, in plain Python: a microsecond instead of a hundred."""
    inside = False
    x1, y1 = outline[-1]
    for x2, y2 in outline:
        if (y1 > y) != (y2 > y) and x < (x2 - x1) * (y - y1) / (y2 - y1) + x1:
            inside = not inside
        x1, y1 = x2, y2
    return inside


def bounds(points: Sequence[Sequence[float]], margin: float = 0.0) -> tuple[float, float, float, float]:
    """Least x and y, greatest x and y, each so far out; plain Python, for short outlines."""
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return min(xs) - margin, min(ys) - margin, max(xs) + margin, max(ys) + margin


def in_box(box: tuple[float, float, float, float], point: Sequence[float]) -> bool:
    """Whether a point lies in a frame."""
    return box[0] <= point[0] <= box[2] and box[1] <= point[1] <= box[3]


def self_crossing(outline: ArrayLike) -> tuple[int, int] | None:
    """Indices of two edges that cross or touch improperly, or None for a simple polygon.

    O(n^2) in the vertices, vectorised by row.
    """
    p = np.asarray(outline, float)
    q = next_vertices(p)
    n = len(p)
    for i in range(n):
        j = np.arange(i + 1, n)
        j = j[(j != (i + 1) % n) & ((j + 1) % n != i)]
        if len(j) == 0:
            continue
        a, b, c, d = p[i], q[i], p[j], q[j]
        s1, s2 = _side(a, b, c), _side(a, b, d)
        s3, s4 = _side(c, d, a), _side(c, d, b)
        hit = (s1 * s2 <= 0) & (s3 * s4 <= 0)
        # Collinear edges count only when they overlap.
        flat = (s1 == 0) & (s2 == 0)
        if flat.any():
            lo, hi = np.minimum(a, b), np.maximum(a, b)
            overlap = (np.minimum(c, d) <= hi).all(axis=1) & (np.maximum(c, d) >= lo).all(axis=1)
            hit = np.where(flat, overlap, hit)
        if hit.any():
            return i, int(j[np.argmax(hit)])
    return None


def _side(a: Array, b: Array, c: Array) -> Array:
    ab, ac = b - a, c - a
    return ab[..., 0] * ac[..., 1] - ab[..., 1] * ac[..., 0]


def is_convex(outline: ArrayLike) -> bool:
    """True when every turn of the counter-clockwise polygon is to the left or straight."""
    p = counter_clockwise(outline)
    turns = _side(p, next_vertices(p), next_vertices(next_vertices(p)))
    return bool((turns >= -1e-12).all())


def convex_pieces(outline: ArrayLike) -> list[Array]:
    """The polygon as counter-clockwise convex pieces: itself if convex, otherwise ear-clipped triangles."""
    p = counter_clockwise(outline)
    if is_convex(p):
        return [p]
    left = list(range(len(p)))
    pieces = []
    while len(left) > 3:
        for k in range(len(left)):
            i, j, m = left[k - 1], left[k], left[(k + 1) % len(left)]
            if _side(p[i], p[j], p[m]) <= 1e-12:
                continue
            others = [o for o in left if o not in (i, j, m)]
            ear = np.stack([p[i], p[j], p[m]])
            if not contains(ear, p[others]).any():
                pieces.append(ear)
                left.pop(k)
                break
        else:
            # Only degenerate slivers remain; drop one vertex and go on.
            left.pop()
    pieces.append(p[left])
    return pieces


def nearest_on_segments(point: ArrayLike, a: ArrayLike, b: ArrayLike) -> tuple[Array, Array]:
    """For segments a[i]-b[i], shape (n, 2): distance (n,) from the point, and foot points (n, 2)."""
    p = np.asarray(point, float)
    a, b = np.atleast_2d(np.asarray(a, float)), np.atleast_2d(np.asarray(b, float))
    ab = b - a
    length2 = np.maximum((ab**2).sum(axis=1), 1e-18)
    t = np.clip(((p - a) * ab).sum(axis=1) / length2, 0.0, 1.0)
    foot = a + t[:, None] * ab
    return np.hypot(*(foot - p).T), foot


def clip_convex(outline: ArrayLike, convex: ArrayLike) -> Array:
    """What of a convex outline lies within another convex one, (n, 2), by cutting at each of its sides in turn
    (Sutherland and Hodgman 1974); of length 0 where nothing does."""
    points = np.asarray(outline, float).reshape(-1, 2)
    frame = counter_clockwise(convex)
    for a, b in zip(frame, next_vertices(frame)):
        if len(points) == 0:
            break
        side = (b[0] - a[0]) * (points[:, 1] - a[1]) - (b[1] - a[1]) * (points[:, 0] - a[0])
        kept = []
        for k in range(len(points)):
            p, q, s, t = points[k - 1], points[k], side[k - 1], side[k]
            if (s < 0) != (t < 0):
                kept.append(p + (q - p) * (s / (s - t)))
            if t >= 0:
                kept.append(q)
        points = np.array(kept).reshape(-1, 2)
    return points
