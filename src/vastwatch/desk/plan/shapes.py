"""Sizes of four-cornered furniture, whichever way it is turned. Plain geometry; no Qt."""

from __future__ import annotations

import math

from vastwatch.site.record import Outline


def sides(outline: Outline) -> tuple[float, float]:
    """Length of the first side and of the next, metres."""
    return round(math.dist(outline[0], outline[1]), 3), round(math.dist(outline[1], outline[2]), 3)


def resized(outline: Outline, side: int, metres: float) -> Outline:
    """A four-cornered outline with its first or next side made so long, about its middle, its turn kept."""
    k = metres / max(sides(outline)[side], 1e-6)
    cx = sum(p[0] for p in outline) / 4
    cy = sum(p[1] for p in outline) / 4
    a, b = outline[side], outline[side + 1]
    length = math.dist(a, b)
    ux, uy = (b[0] - a[0]) / length, (b[1] - a[1]) / length
    out = []
    for x, y in outline:
        along = (x - cx) * ux + (y - cy) * uy
        out.append((round(x + (k - 1) * along * ux, 4), round(y + (k - 1) * along * uy, 4)))
    return tuple(out)
