"""Sizes of four-cornered furniture, whichever way it is turned, and where a room's name has place. Plain geometry; no
Qt."""

from __future__ import annotations

import math
from typing import NamedTuple

from vastwatch.memo import memoised
from vastwatch.site.record import Outline


def sides(outline: Outline) -> tuple[float, float]:
    """Length of the first side and of the next, metres."""
    return round(math.dist(outline[0], outline[1]), 3), round(math.dist(outline[1], outline[2]), 3)


def front_of(outline: Outline) -> float:
    """Which way the front of a four-cornered piece looks, degrees: its first side runs along its back."""
    (x0, y0), (x1, y1) = outline[:2]
    return round((math.degrees(math.atan2(y1 - y0, x1 - x0)) + 90.0) % 360, 2) % 360


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


# A name stands this far below the top of its room, and wants so much width to stand in where it is not told, metres.
BELOW_M, WANTED_M, STEP_M = 0.35, 1.2, 0.15

# Left, bottom, right and top of a thing that covers the floor, metres.
Cover = tuple[float, float, float, float]


class NamePlace(NamedTuple):
    """Where a room's name has place: its left end, the height of its middle, and how wide it can be; metres."""

    left: float
    level: float
    wide: float


@memoised
def name_place(
    outline: Outline, walls: tuple[Cover, ...] = (), covers: tuple[Cover, ...] = (), wide: float = WANTED_M,
    high: float = 0.0,
) -> NamePlace:  # fmt: skip
    """The highest level stretch inside a room that is wide enough for its name and that nothing covers; else the
    highest, or the widest, that no wall covers.

    outline: the room, metres. covers: what stands there. wide, high: what the name takes, metres.
    """
    found = _free_stretch(outline, walls + covers, wide, high)
    return found if found.wide >= wide or not covers else _free_stretch(outline, walls, wide, high)


def _free_stretch(outline: Outline, covers: tuple[Cover, ...], wide: float, high: float) -> NamePlace:
    top, bottom = max(p[1] for p in outline), min(p[1] for p in outline)
    best = NamePlace(outline[0][0], top, 0.0)
    y = top - min(BELOW_M, (top - bottom) / 2)
    while y > bottom:
        xs = sorted(
            a[0] + (y - a[1]) / (b[1] - a[1]) * (b[0] - a[0])
            for a, b in zip(outline, outline[1:] + outline[:1])
            if (a[1] > y) != (b[1] > y)
        )
        here = sorted((x0, x1) for x0, y0, x1, y1 in covers if y0 < y + high / 2 and y1 > y - high / 2)
        for left, right in zip(xs[::2], xs[1::2]):
            for begins, ends in here:
                if begins > right:
                    break
                if begins - left > best.wide:
                    best = NamePlace(left, y, begins - left)
                if best.wide >= wide:
                    return best
                left = max(left, ends)
            if right - left > best.wide:
                best = NamePlace(left, y, right - left)
        if best.wide >= wide:
            break
        y -= STEP_M
    return best
