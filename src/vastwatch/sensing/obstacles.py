"""What stands between a sensor and a person on one level, as infrared and as radio see it.

For infrared everything is opaque, glass included. For radio each thing crossed costs decibels by its material and
the band (M3). A closed leaf counts, an open one is a gap under its lintel. Stairs are open work and hide nothing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project, find, on_level
from vastwatch.geometry import polygons
from vastwatch.geometry.sightlines import Prism, Screens
from vastwatch.memo import exclude_from_size, memoised
from vastwatch.site.building import Furnishing, Opening, Wall

Array = NDArray[np.float64]

# One-way loss in dB at 5.8, 24 and 60 GHz: typical values; metal blocks (M3).
LOSS_DB = {
    "plasterboard": (1.5, 3.0, 6.0),
    "timber-door": (1.5, 4.0, 8.0),
    "glass": (1.0, 3.0, 5.0),
    "brick": (8.0, 20.0, 40.0),
    "concrete": (12.0, 35.0, 60.0),
    "upholstery": (0.5, 1.5, 3.0),
    "timber": (2.0, 5.0, 10.0),
    "fabric": (0.1, 0.3, 0.6),
    "metal": (math.inf, math.inf, math.inf),
    "none": (0.0, 0.0, 0.0),
}
BANDS = ("5.8", "24", "60")
# What is seen through more than this is not seen, dB one way.
OPAQUE_DB = 200.0


@exclude_from_size
@dataclass(frozen=True, eq=False)
class Obstacles:
    """Obstacles of one kind of radiation, each with the id of its record and its one-way loss in dB.

    Compared by identity: the same records give the same object, so results can be cached by it.

    `full`: screens from floor to ceiling; `part`: screens that leave a gap; `prisms`: furnishings.
    """

    full: Screens
    full_ids: tuple[str, ...]
    full_db: Array
    part: Screens
    part_ids: tuple[str, ...]
    part_db: Array
    prisms: tuple[Prism, ...]
    prism_ids: tuple[str, ...]
    prism_db: Array
    # Around each prism: centre and radius, (n, 3).
    prism_circles: Array


def _circles(prisms: list[Prism]) -> Array:
    rows = np.zeros((len(prisms), 3))
    for k, prism in enumerate(prisms):
        rows[k, :2] = prism.outline.mean(axis=0)
        rows[k, 2] = np.hypot(*(prism.outline - rows[k, :2]).T).max()
    return rows


@dataclass(frozen=True)
class _Piece:
    owner: str
    a: tuple[float, float]
    b: tuple[float, float]
    z0: float
    z1: float
    material: str


def obstacles(project: Project, level: str, band: str) -> Obstacles:
    """Obstacles on a level for `band`: "infrared" or one of BANDS; cached by the records they come from."""
    height = find(project.levels, level).height
    walls = _on_level(project.walls, level)
    furnishings = _on_level(project.furnishings, level)
    return _obstacles(walls, project.openings, furnishings, height, band)


@memoised
def _on_level(records: tuple, level: str) -> tuple:
    return on_level(records, level)


@memoised
def _obstacles(
    walls: tuple[Wall, ...],
    openings: tuple[Opening, ...],
    furnishings: tuple[Furnishing, ...],
    height: float,
    band: str,
) -> Obstacles:
    by_wall: dict[str, list[Opening]] = {}
    for o in openings:
        by_wall.setdefault(o.wall, []).append(o)
    pieces: list[_Piece] = []
    for wall in walls:
        pieces += _wall_pieces(wall, by_wall.get(wall.id, []), height, infrared=band == "infrared")
    # By id, so that sums over what is crossed do not depend on the order of the records.
    pieces.sort(key=lambda p: (p.owner, p.a, p.b, p.z0))
    full = [p for p in pieces if p.z0 <= 0 and p.z1 >= height]
    part = [p for p in pieces if not (p.z0 <= 0 and p.z1 >= height)]
    prisms, prism_ids, prism_materials = [], [], []
    for f in sorted(furnishings, key=lambda f: f.id):
        if f.kind == "stair":
            continue
        for piece in polygons.convex_pieces(f.outline):
            prisms.append(Prism(piece, f.z0, f.z1))
            prism_ids.append(f.id)
            prism_materials.append(f.material)
    return Obstacles(
        _screens(full), tuple(p.owner for p in full), _losses([p.material for p in full], band),
        _screens(part), tuple(p.owner for p in part), _losses([p.material for p in part], band),
        tuple(prisms), tuple(prism_ids), _losses(prism_materials, band), _circles(prisms),
    )  # fmt: skip


def _wall_pieces(wall: Wall, openings: list[Opening], height: float, infrared: bool) -> list[_Piece]:
    """Cut a wall at its openings. To infrared a closed door or a window is as opaque as the wall around it."""
    length = math.dist(wall.a, wall.b)
    material: str = wall.material

    def at(s: float) -> tuple[float, float]:
        k = s / length
        return wall.a[0] + k * (wall.b[0] - wall.a[0]), wall.a[1] + k * (wall.b[1] - wall.a[1])

    if infrared:
        openings = [o for o in openings if _leaf(o) == "none"]
    pieces, s = [], 0.0
    for o in sorted(openings, key=lambda o: o.offset):
        if o.offset > s:
            pieces.append(_Piece(wall.id, at(s), at(o.offset), 0.0, height, material))
        start, end = max(o.offset, s), min(o.offset + o.width, length)
        s = max(s, end)
        if end <= start:
            continue
        leaf = _leaf(o)
        for z0, z1, stuff, owner in (
            (0.0, o.sill, material, wall.id),
            (o.sill, o.head, leaf, o.id),
            (o.head, height, material, wall.id),
        ):
            if z1 > z0 and stuff != "none":
                pieces.append(_Piece(owner, at(start), at(end), z0, z1, stuff))
    if s < length:
        pieces.append(_Piece(wall.id, at(s), wall.b, 0.0, height, material))
    return pieces


def _leaf(o: Opening) -> str:
    if o.kind == "archway" or o.leaf == "none" or (o.kind == "door" and o.rest == "open"):
        return "none"
    if o.kind == "window" and o.rest == "open":
        return "none"
    return "glass" if o.leaf == "glass" or o.kind == "window" else "timber-door"


def _screens(pieces: list[_Piece]) -> Screens:
    n = len(pieces)
    return Screens(
        np.array([p.a for p in pieces], float).reshape(n, 2),
        np.array([p.b for p in pieces], float).reshape(n, 2),
        np.array([p.z0 for p in pieces], float),
        np.array([p.z1 for p in pieces], float),
    )


def _losses(materials: Sequence[str], band: str) -> Array:
    if band == "infrared":
        return np.full(len(materials), math.inf)
    return np.array([LOSS_DB[m][BANDS.index(band)] for m in materials], float)


@memoised
def near(obstacle: Obstacles, x: float, y: float, reach: float) -> Obstacles:
    """Only the obstacles within `reach` metres of a point: the others cannot matter to a sensor there."""

    def close(screens: Screens) -> NDArray[np.bool_]:
        if len(screens.a) == 0:
            return np.zeros(0, bool)
        distance, _ = polygons.nearest_on_segments((x, y), screens.a, screens.b)
        return distance < reach

    full, part = close(obstacle.full), close(obstacle.part)
    circles = obstacle.prism_circles
    prism = np.flatnonzero(np.hypot(circles[:, 0] - x, circles[:, 1] - y) < reach + circles[:, 2])
    return _only(obstacle, full, part, prism)


@memoised
def within(obstacle: Obstacles, x0: float, y0: float, x1: float, y1: float) -> Obstacles:
    """Only the obstacles that reach into a frame. Exact for sight lines between points of the frame: it is convex, so
    that they never leave it."""

    def touching(screens: Screens) -> NDArray[np.bool_]:
        lo, hi = np.minimum(screens.a, screens.b), np.maximum(screens.a, screens.b)
        return (lo[:, 0] <= x1) & (hi[:, 0] >= x0) & (lo[:, 1] <= y1) & (hi[:, 1] >= y0)

    x, y, r = obstacle.prism_circles.T
    prism = np.flatnonzero((x - r <= x1) & (x + r >= x0) & (y - r <= y1) & (y + r >= y0))
    return _only(obstacle, touching(obstacle.full), touching(obstacle.part), prism)


def _only(obstacle: Obstacles, full: NDArray[np.bool_], part: NDArray[np.bool_], which: NDArray[np.intp]) -> Obstacles:
    def some(screens: Screens, chosen: NDArray[np.bool_]) -> Screens:
        return Screens(*(column[chosen] for column in screens))

    prism = which.tolist()
    return Obstacles(
        some(obstacle.full, full), tuple(np.array(obstacle.full_ids, object)[full]), obstacle.full_db[full],
        some(obstacle.part, part), tuple(np.array(obstacle.part_ids, object)[part]), obstacle.part_db[part],
        tuple(obstacle.prisms[i] for i in prism), tuple(obstacle.prism_ids[i] for i in prism),
        obstacle.prism_db[prism], obstacle.prism_circles[which],
    )  # fmt: skip
