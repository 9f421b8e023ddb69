"""How much light lamps give at points of their room: direct, point by point, with the room's walls as shadows; and one
mean indirect term for all that is reflected.

Direct: I(C, gamma) cos(theta) / d^2, with I the lamp's intensity towards the point, d the distance, and theta the angle
between the ray and the normal of the surface, here always upright (inverse square and cosine law). A lamp without a
table spreads its lumens as I0 cos^m(gamma), with m such that the beam's edge has half of I0, and I0 = lumens (m + 1) /
(2 pi). Indirect: phi rho / (A (1 - rho)), phi the lumens, A all inner surfaces and rho their mean reflectance.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.control.light.daylight import REFLECTANCE, target_lux
from vastwatch.design.photometry import intensity
from vastwatch.design.project import Project, find
from vastwatch.design.records import Lamp, Photometry
from vastwatch.design.relations import lamps_in
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.site.building import Room, Spot

Array = NDArray[np.float64]

# What lies under a lamp that is mounted from the ceiling, metres below it.
UNDER_CEILING_M = 0.05
# The height of what people look at, metres: a table, a book in bed, the floor they walk on.
TASK_M, LYING_M = 0.75, 0.6
# Nearer than this to a lamp the square of the distance means nothing, metres.
NEAREST_M = 0.1
# Squares of the plan on which light is shown, metres.
CELL_M = 0.2


def exponent(beam_deg: float | None) -> float:
    """The m of a lamp that spreads its light as cos^m: half its strength at the edge of the beam; 1, a plain disc, for
    none."""
    if beam_deg is None:
        return 1.0
    return math.log(0.5) / math.log(math.cos(math.radians(beam_deg / 2.0)))


def height_of(project: Project, lamp: Lamp) -> float:
    """How high a lamp is mounted above its floor, metres."""
    if lamp.height_m is not None:
        return lamp.height_m
    return find(project.levels, find(project.rooms, lamp.room).level).height - UNDER_CEILING_M


def photometry_of(project: Project, lamp: Lamp) -> Photometry | None:
    """A lamp's table, where it has one."""
    return None if lamp.photometry is None else find(project.photometries, lamp.photometry)


def task_height(spot: Spot) -> float:
    """How high above the floor light is wanted at a spot, metres."""
    if spot.posture == "lying":
        return LYING_M
    return 0.0 if spot.activity == "passing" else TASK_M


def spot_target_lux(project: Project, spot: Spot) -> float:
    """What a spot asks for: its own figure, or its room's."""
    return target_lux(project, find(project.rooms, spot.room)) if spot.lux is None else spot.lux


def candela(lamp: Lamp, table: Photometry | None, c_deg: Array, gamma_deg: Array) -> Array:
    """A lamp's intensity at full level in some directions, candela."""
    if table is not None:
        return lamp.lumens / 1000.0 * intensity(table, c_deg - lamp.turned_deg, gamma_deg)
    m = exponent(lamp.beam_deg)
    down = np.cos(np.radians(gamma_deg))
    return np.where(down > 0, lamp.lumens * (m + 1.0) / (2.0 * math.pi) * np.maximum(down, 0.0) ** m, 0.0)


def direct_lux(
    lamp: Lamp, table: Photometry | None, height_m: float, outline: Array, points: Array
) -> Array:  # fmt: skip
    """What a lamp at full level gives directly at points (n, 3) of its room, lux on an upright surface, (n,). `outline`
    (k, 2): the room's walls, which cast shadows."""
    at = np.array([*lamp.at, height_m])
    ray = points - at
    across = np.hypot(ray[:, 0], ray[:, 1])
    drop = -ray[:, 2]
    distance = np.maximum(np.hypot(across, drop), NEAREST_M)
    gamma = np.degrees(np.arctan2(across, drop))
    c = np.degrees(np.arctan2(ray[:, 1], ray[:, 0]))
    lux = candela(lamp, table, c, gamma) * np.maximum(drop, 0.0) / distance**3
    return np.where(in_sight(np.array(lamp.at), points[:, :2], outline), lux, 0.0)


def in_sight(at: Array, points: Array, outline: Array) -> NDArray[np.bool_]:
    """Whether no wall of an outline stands between a place (2,) and each of some points (n, 2)."""
    a, b = outline, np.roll(outline, -1, axis=0)
    if polygons.is_convex(outline):
        return np.ones(len(points), bool)
    u = points - at
    w = b - a
    # Where the sight line at + s u meets the wall a + t w, both within their lengths.
    cross = u[:, None, 0] * w[None, :, 1] - u[:, None, 1] * w[None, :, 0]
    d = a[None] - at[None, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        s = (d[..., 0] * w[None, :, 1] - d[..., 1] * w[None, :, 0]) / cross
        t = (d[..., 0] * u[:, None, 1] - d[..., 1] * u[:, None, 0]) / cross
    meets = (np.abs(cross) > 1e-12) & (s > 1e-6) & (s < 1 - 1e-6) & (t > 1e-9) & (t < 1 - 1e-9)
    return np.logical_not(meets.any(axis=1))


def surface_area_m2(room: Room, height_m: float) -> float:
    """All inner surfaces of a room: floor, ceiling, walls."""
    outline = np.asarray(room.outline, float)
    around = float(np.hypot(*(np.roll(outline, -1, axis=0) - outline).T).sum())
    return 2.0 * polygons.area(room.outline) + around * height_m


def indirect_lux(lumens: float, room: Room, height_m: float, rho: float = REFLECTANCE) -> float:
    """What is reflected about a room of so many lumens, lux."""
    return lumens * rho / (surface_area_m2(room, height_m) * (1.0 - rho))


class LitGrid(NamedTuple):
    """A room's floor in squares: their middles `x` (nx,) and `y` (ny,), which lie within, `inside` (ny, nx), and what
    each of its `lamps` gives there at full level, lux, (lamps, ny, nx)."""

    x: Array
    y: Array
    inside: NDArray[np.bool_]
    lamps: tuple[str, ...]
    full: Array

    def lux(self, levels: dict[str, float]) -> Array:
        """What lamps at these levels give together, (ny, nx)."""
        return np.tensordot(np.array([levels.get(lamp, 0.0) for lamp in self.lamps]), self.full, axes=1)


def lit_grid(project: Project, room: str, cell: float = CELL_M) -> LitGrid:
    """A room's floor, at the height of a table, with what its lamps give there."""
    record = find(project.rooms, room)
    lamps = lamps_in(project, room)
    return _lit_grid(
        record, find(project.levels, record.level).height, lamps, tuple(photometry_of(project, x) for x in lamps),
        tuple(height_of(project, x) for x in lamps), cell,
    )  # fmt: skip


@memoised
def _lit_grid(
    room: Room, height: float, lamps: tuple[Lamp, ...], tables: tuple[Photometry | None, ...],
    heights: tuple[float, ...], cell: float,
) -> LitGrid:  # fmt: skip
    outline = np.asarray(room.outline, float)
    (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
    x, y = np.arange(x0 + cell / 2, x1, cell), np.arange(y0 + cell / 2, y1, cell)
    xx, yy = np.meshgrid(x, y)
    inside = polygons.contains(outline, np.column_stack([xx.ravel(), yy.ravel()])).reshape(xx.shape)
    points = np.column_stack([xx[inside], yy[inside], np.full(int(inside.sum()), TASK_M)])
    full = np.zeros((len(lamps), *xx.shape))
    for k, (lamp, table, h) in enumerate(zip(lamps, tables, heights)):
        full[k][inside] = direct_lux(lamp, table, h, outline, points) + indirect_lux(lamp.lumens, room, height)
    return LitGrid(x, y, inside, tuple(lamp.id for lamp in lamps), full)


def spot_lux(project: Project, room: str) -> dict[str, dict[str, float]]:
    """By spot of a room, and by lamp of it, what that gives there at full level, lux."""
    spots = tuple(s for s in project.spots if s.room == room)
    lamps = lamps_in(project, room)
    record = find(project.rooms, room)
    table = _spot_lux(
        record, find(project.levels, record.level).height, lamps, tuple(photometry_of(project, x) for x in lamps),
        tuple(height_of(project, x) for x in lamps), spots,
    )  # fmt: skip
    return {s.id: dict(zip((x.id for x in lamps), row)) for s, row in zip(spots, table.tolist())}


@memoised
def _spot_lux(
    room: Room, height: float, lamps: tuple[Lamp, ...], tables: tuple[Photometry | None, ...],
    heights: tuple[float, ...], spots: tuple[Spot, ...],
) -> Array:  # fmt: skip
    outline = np.asarray(room.outline, float)
    points = np.array([[*s.at, task_height(s)] for s in spots]).reshape(-1, 3)
    out = np.zeros((len(spots), len(lamps)))
    for k, (lamp, table, h) in enumerate(zip(lamps, tables, heights)):
        out[:, k] = direct_lux(lamp, table, h, outline, points) + indirect_lux(lamp.lumens, room, height)
    return out
