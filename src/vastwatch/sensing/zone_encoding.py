"""From a zone as it is drawn to the numbers its device takes: the rectangle, polygon or bands, in the device's own
readings and on its own grid, that hold the spots of the zone and keep the others out.

People type what they measure on the floor, sit, look, and type again: a device reads along the slant and long, and its
axes are not the room's. Here the drawn outline is carried into readings first, for anybody who is in it; then each side
is moved on the device's grid to where the zone's own spots are held with HELD of their reports and the others with no
more than STRAY, and no farther than that needs.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from functools import cache
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.devices import RadarType
from vastwatch.devices.types import ZoneRules
from vastwatch.distributions import normal_quantile
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.sensing.tracker import Pose, positions_of, readings
from vastwatch.sensing.zones import Spread, band_probabilities, zone_probabilities

if TYPE_CHECKING:
    from shapely import Polygon

Array = NDArray[np.floating[Any]]
Bools = NDArray[np.bool_]

# Of reports of a zone's own spots it is to hold so many, of the others' no more than so many.
HELD, STRAY = 0.98, 0.01
# Somebody missed in their own zone counts as much as so many strays elsewhere.
MISSED = 3.0
# A side is moved by no more than this, metres; each metre costs as much as so much of a chance missed.
FARTHEST_M, A_METRE = 0.9, 0.02
# Quantiles each way that stand for the reports of a spot while sides are moved; of each part of one close by.
QUANTILES, FEW_QUANTILES = 80, 10
# Points along each side of a device's shape when it is drawn on the plan.
ALONG = 12


class Shape(NamedTuple):
    """What a device uses: an outline in its readings (metres, x to the right, y ahead), or bands of range; `numbers`
    in the device's unit and sign: (x least, x most, y least, y most), or x, y of each corner, or first and last
    band, counted from 1."""

    outline: tuple[tuple[float, float], ...]
    ring: tuple[float, float] | None
    numbers: tuple[int | float, ...]

    def probability(self, spread: Spread) -> Array:
        """The chance, (n,), that a report of each spot falls into it."""
        if self.ring is not None:
            return band_probabilities(spread, *self.ring)
        return zone_probabilities(spread, [np.array(self.outline)])[:, 0]

    def contains(self, read: Array) -> Bools:
        """Which reports, (n, 2), fall into it."""
        if self.ring is not None:
            r = np.hypot(read[:, 0], read[:, 1])
            return (r >= self.ring[0]) & (r < self.ring[1])
        corners, (x, y) = np.array(self.outline), read.T
        (x1, y1), (x2, y2) = corners.min(axis=0), corners.max(axis=0)
        out = (x >= x1) & (x <= x2) & (y >= y1) & (y <= y2)
        near = np.flatnonzero(out)
        out[near] = polygons.contains(corners, read[near])
        return out

    def on_plan(self, pose: Pose, chest: float, fov_h: float) -> Array:
        """Where on the plan somebody with the chest so high is whose reports, without scatter, lie on its edge."""
        return positions_of(pose, self._edge(fov_h), chest)

    def _edge(self, fov_h: float) -> Array:
        if self.ring is not None:
            az = np.radians(np.linspace(-0.5, 0.5, 4 * ALONG) * fov_h)
            out = np.column_stack([np.sin(az), np.cos(az)])
            return np.concatenate([out * self.ring[1], out[::-1] * self.ring[0]])
        corners = np.array(self.outline)
        step = np.arange(ALONG)[:, None] / ALONG
        return np.concatenate([a + (b - a) * step for a, b in zip(corners, np.roll(corners, -1, axis=0))])


class DrawnZone(NamedTuple):
    """A zone as it is drawn: its outline on the plan, and how high the chest is of anybody who is in it. `own`: which
    spots of the spread are its own; those of `others` are to stay out."""

    outline: tuple[tuple[float, float], ...]
    chest: float
    own: tuple[bool, ...]
    others: tuple[bool, ...]


def encode_zones(pose: Pose, device: RadarType, spread: Spread, wanted: list[DrawnZone]) -> list[Shape]:
    """What a device is told for each of some zones, in their order: each keeps its gap to those before it."""
    if device.zones == 0:
        return [_bands(device, spread, w, pose) for w in wanted]
    rules = device.zone_rules or ZoneRules()
    read = [readings(pose, np.array(w.outline), w.chest) for w in wanted]
    if rules.shape == "rectangle":
        return _Rectangles(rules, device, spread, wanted, read).shapes()
    # Loaded where a polygon is wanted: most devices take rectangles.
    from shapely import Polygon

    out: list[Shape] = []
    for w, r in zip(wanted, read):
        near = Polygon(r).buffer(2.0 * FARTHEST_M)
        taken = tuple(s.outline for s in out if near.intersects(Polygon(s.outline)))
        out.append(_polygon(rules, _key(spread), w, tuple(map(tuple, r.tolist())), taken, _Held(spread)))
    return out


def zone_error(held: Array, own: Bools, others: Bools) -> Array:
    """What is amiss with a zone that holds so many of each spot's reports, (n, ...): summed over spots."""
    missed = np.maximum(HELD - held[own], 0.0).sum(axis=0)
    return MISSED * missed + np.maximum(held[others] - STRAY, 0.0).sum(axis=0)


# -- rectangles ----------------------------------------------------------------------------------------------------


class _Table(NamedTuple):
    """Of each spot, how many of its reports lie left of and below each line of a device's grid: (n, x, y), the lines
    from x0, y0 on, in steps."""

    x0: int
    y0: int
    below: Array


def _quantiled(spread: Spread) -> tuple[Array, Array, NDArray[np.int64], Array]:
    """Reports that stand for each spot: angle, range, of which spot, how much each weighs."""
    parts = []
    for few in (False, True):
        # Spots close to the device are many rows each.
        rows = np.flatnonzero((spread.weight < 1.0) == few)
        n = FEW_QUANTILES if few else QUANTILES
        z = normal_quantile((np.arange(n) + 0.5) / n)
        za, zr = (g.ravel() for g in np.meshgrid(z, z))
        theta = (spread.angle[rows, None] + spread.angle_spread[rows, None] * za).ravel()
        r = (spread.range[rows, None] + spread.range_spread[rows, None] * zr).ravel()
        parts.append((theta, r, np.repeat(spread.spot[rows], n * n), np.repeat(spread.weight[rows] / n**2, n * n)))
    theta, r, of, weight = (np.concatenate(c) for c in zip(*parts))
    return theta, r, of, weight


def _key(spread: Spread) -> tuple[bytes, ...]:
    return (*(np.ascontiguousarray(c).tobytes() for c in spread[:-1]), str(spread.spots).encode())


def _table(spread: Spread, step: float, far: float) -> _Table:
    return _tabled(_key(spread), step, far, _Held(spread))


class _Held:
    """A spread beside its key in the cache: equal to any other, for the key says all."""

    def __init__(self, spread: Spread) -> None:
        self.spread = spread

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Held)

    def __hash__(self) -> int:
        return 0


@memoised
def _tabled(key: tuple[bytes, ...], step: float, far: float, held: _Held) -> _Table:
    spread = held.spread
    theta, r, of, weight = _quantiled(spread)
    n = math.ceil((far + 1.0) / step)
    ix = np.clip(np.floor(r * np.sin(theta) / step).astype(int) + n, 0, 2 * n - 1)
    iy = np.clip(np.floor(r * np.cos(theta) / step).astype(int) + 1, 0, n)
    counts = np.bincount((of * 2 * n + ix) * (n + 1) + iy, weight, minlength=spread.spots * 2 * n * (n + 1))
    cells = counts.reshape(spread.spots, 2 * n, n + 1)
    below = np.zeros((spread.spots, 2 * n + 1, n + 2))
    below[:, 1:, 1:] = cells.cumsum(axis=1).cumsum(axis=2)
    return _Table(-n, -1, below)


def _as_large(read: Array) -> Array:
    """The upright frame of an outline in readings, two corners of it, no larger than the outline itself: a device that
    is mounted askew would be given twice the area otherwise."""
    low, high = read.min(axis=0), read.max(axis=0)
    whole = float(np.prod(high - low))
    share = math.sqrt(polygons.area(read) / whole) if whole > 0 else 1.0
    middle, half = 0.5 * (low + high), 0.5 * (high - low) * min(share, 1.0)
    return np.vstack([middle - half, middle + half])


class _Rectangles:
    """Rectangles of one device, their sides in lines of its grid: `low` and `high` of each zone, (m, 2)."""

    def __init__(
        self, rules: ZoneRules, device: RadarType, spread: Spread, wanted: list[DrawnZone], read: list[Array]
    ) -> None:
        self.rules, self.step = rules, rules.step_m
        self.table = _table(spread, self.step, device.max_gate_m)
        self.own = [np.array(w.own, bool) for w in wanted]
        self.others = [np.array(w.others, bool) for w in wanted]
        self.least = max(1, math.ceil(rules.least_m / self.step - 1e-9))
        self.gap = math.ceil(rules.gap_m / self.step - 1e-9)
        self.reach = math.ceil(FARTHEST_M / self.step)
        self.lines = np.array([self.table.below.shape[1] - 1, self.table.below.shape[2] - 1])
        self.first = np.array([0, -self.table.y0])
        base = np.array([self.table.x0, self.table.y0])
        read = [_as_large(r) for r in read]
        low = [np.clip(np.round(r.min(axis=0) / self.step).astype(int) - base, self.first, self.lines - self.least)
               for r in read]  # fmt: skip
        high = [np.clip(np.round(r.max(axis=0) / self.step).astype(int) - base, a + self.least, self.lines)
                for r, a in zip(read, low)]  # fmt: skip
        self.drawn_low, self.drawn_high = np.array(low).reshape(-1, 2), np.array(high).reshape(-1, 2)
        self.low, self.high = self.drawn_low.copy(), self.drawn_high.copy()

    def shapes(self) -> list[Shape]:
        m = len(self.low)
        for k in range(m):
            self._fit(k, range(k))
        for _ in range(2):
            # What the first took the later may need more: sides that meet are moved together.
            moved = [self._share(i, j, axis) for i in range(m) for j in range(m) if i != j for axis in (0, 1)]
            if not any(moved):
                break
            for k in range(m):
                self._fit(k, [j for j in range(m) if j != k])
        return [self._shape(k) for k in range(m)]

    def _along(self, axis: int, low: int, high: int) -> Array:
        """Of each spot, how many reports lie below each line of an axis, between two lines of the other."""
        below = self.table.below
        return below[:, :, high] - below[:, :, low] if axis == 0 else below[:, high] - below[:, low]

    def _moved(self, k: int, axis: int, a: Array, b: Array) -> Array:
        moved = np.abs(a - self.drawn_low[k, axis]) + np.abs(b - self.drawn_high[k, axis])
        return moved * self.step * A_METRE

    def _meets(self, k: int, j: int, other: int) -> bool:
        """Whether two zones come too close along an axis, so that on the other one they have to keep apart."""
        return bool(self.low[k, other] < self.high[j, other] + self.gap
                    and self.high[k, other] > self.low[j, other] - self.gap)  # fmt: skip

    def _fit(self, k: int, taken: Iterable[int]) -> None:
        """Move the sides of one zone to where they serve best, clear of others that stay."""
        taken = list(taken)
        for _ in range(3):
            before = (*self.low[k], *self.high[k])
            for axis in (0, 1):
                other = 1 - axis
                line = self._along(axis, self.low[k, other], self.high[k, other])
                a, b = (
                    np.arange(max(self.first[axis], d - self.reach), min(self.lines[axis], d + self.reach) + 1)
                    for d in (self.drawn_low[k, axis], self.drawn_high[k, axis])
                )
                held = line[:, None, b] - line[:, a, None]
                cost = zone_error(held, self.own[k], self.others[k]) + self._moved(k, axis, a[:, None], b[None, :])
                bad = b[None, :] - a[:, None] < self.least
                for j in taken:
                    if self._meets(k, j, other):
                        lo, hi = self.low[j, axis], self.high[j, axis]
                        bad = bad | ((b[None, :] > lo - self.gap) & (a[:, None] < hi + self.gap))
                if not bad.all():
                    best = np.unravel_index(np.where(bad, math.inf, cost).argmin(), cost.shape)
                    self.low[k, axis], self.high[k, axis] = a[best[0]], b[best[1]]
            if (*self.low[k], *self.high[k]) == before:
                break

    def _share(self, i: int, j: int, axis: int) -> bool:
        """Move the far side of one zone and the near side of the next, which it meets, together; whether they moved."""
        other = 1 - axis
        near, far = self.high[i, axis], self.low[j, axis]
        if not self._meets(i, j, other) or not 0 <= far - near <= self.gap + 1:
            return False
        shift = np.arange(-self.reach, self.reach + 1)
        a, b = near + shift, far + shift
        ok = (a - self.low[i, axis] >= self.least) & (self.high[j, axis] - b >= self.least) & (b >= 0)
        ok &= (a <= self.lines[axis]) & (b <= self.lines[axis])
        for k, side in ((i, a), (j, b)):
            for m in range(len(self.low)):
                if m not in (i, j) and self._meets(k, m, other):
                    lo = self.low[k, axis] if k == i else side
                    hi = side if k == i else self.high[k, axis]
                    ok &= (hi <= self.low[m, axis] - self.gap) | (lo >= self.high[m, axis] + self.gap)
        if not ok.any():
            return False
        a, b = a[ok], b[ok]
        first = self._along(axis, self.low[i, other], self.high[i, other])
        second = self._along(axis, self.low[j, other], self.high[j, other])
        cost = zone_error(first[:, a] - first[:, [self.low[i, axis]]], self.own[i], self.others[i])
        cost = cost + zone_error(second[:, [self.high[j, axis]]] - second[:, b], self.own[j], self.others[j])
        cost = cost + self._moved(i, axis, self.low[i, axis], a) + self._moved(j, axis, b, self.high[j, axis])
        best = int(cost.argmin())
        self.high[i, axis], self.low[j, axis] = a[best], b[best]
        return bool(a[best] != near)

    def _shape(self, k: int) -> Shape:
        x1, y1 = (float(v) for v in (self.low[k] + (self.table.x0, self.table.y0)) * self.step)
        x2, y2 = (float(v) for v in (self.high[k] + (self.table.x0, self.table.y0)) * self.step)
        return Shape(((x1, y1), (x2, y1), (x2, y2), (x1, y2)), None, _box_numbers(self.rules, x1, x2, y1, y2))


def _box_numbers(rules: ZoneRules, x1: float, x2: float, y1: float, y2: float) -> tuple[int | float, ...]:
    if rules.x_grows == "left":
        x1, x2 = -x2, -x1
    return tuple(_number(rules, v) for v in (x1, x2, y1, y2))


def _number(rules: ZoneRules, metres: float) -> int | float:
    value = round(round(metres / rules.step_m) * rules.step, 6)
    return int(value) if float(value).is_integer() else value


# -- polygons ------------------------------------------------------------------------------------------------------


@memoised
def _polygon(
    rules: ZoneRules, key: tuple[bytes, ...], w: DrawnZone, read: tuple[tuple[float, float], ...],
    taken: tuple[tuple[tuple[float, float], ...], ...], held: _Held,
) -> Shape:  # fmt: skip
    """The outline that was drawn, with no more corners than may be, all sides moved out or in alike."""
    from shapely import Polygon

    step, spread = rules.step_m, held.spread
    drawn = _fewer(Polygon(read), rules.corners)
    own, others = np.array(w.own, bool), np.array(w.others, bool)
    barred = [Polygon(t).buffer(rules.gap_m) for t in taken]

    @cache
    def moved(k: int) -> tuple[float, Array | None]:
        """What it costs to move all sides by so many steps, and the corners then."""
        grown = _fewer(drawn.buffer(k * step, join_style="mitre"), rules.corners)
        for b in barred:
            grown = _largest(grown.difference(b))
        if grown.is_empty:
            return math.inf, None
        corners = np.round(np.array(_fewer(grown, rules.corners).exterior.coords)[:-1] / step) * step
        if len(corners) < 3 or not Polygon(corners).is_valid or Polygon(corners).area < rules.least_m**2:
            return math.inf, None
        held = zone_probabilities(spread, [corners])[:, 0]
        return float(zone_error(held, own, others)) + 4 * abs(k) * step * A_METRE, corners

    def cost(k: int) -> float:
        return moved(k)[0]

    # Coarsely first: what is amiss falls and rises again as a zone grows.
    coarse = max(1, round(0.2 / step))
    best = min(range(-coarse, math.ceil(FARTHEST_M / step) + 1, coarse), key=cost)
    while coarse > 1:
        coarse = max(1, coarse // 2)
        best = min((best - coarse, best, best + coarse), key=cost)
    found = moved(best)[1]
    corners = np.array(read) if found is None else found
    # Nothing is read behind the device.
    corners[:, 1] = np.maximum(corners[:, 1], 0.0)
    sign = -1.0 if rules.x_grows == "left" else 1.0
    numbers = tuple(_number(rules, v) for x, y in corners for v in (sign * x, y))
    return Shape(tuple((float(x), float(y)) for x, y in corners), None, numbers)


def _largest(shape: object) -> Polygon:
    from shapely import Polygon

    parts = [p for p in getattr(shape, "geoms", [shape]) if isinstance(p, Polygon)]
    return max(parts, key=lambda p: p.area, default=Polygon())


def _fewer(shape: object, corners: int) -> Polygon:
    """A polygon with so many corners at most, as like it as can be."""
    polygon = _largest(shape)
    for tolerance in (0.0, 0.02, 0.05, 0.1, 0.2, 0.4):
        if polygon.is_empty:
            return polygon
        simple = _largest(polygon.simplify(tolerance)) if tolerance else polygon
        if len(simple.exterior.coords) - 1 <= corners and not simple.is_empty:
            return simple
    return _largest(polygon.minimum_rotated_rectangle)


# -- bands ---------------------------------------------------------------------------------------------------------


def _bands(device: RadarType, spread: Spread, w: DrawnZone, pose: Pose) -> Shape:
    """The run of bands that holds the zone's own spots."""
    own, others = np.array(w.own, bool), np.array(w.others, bool)
    edges = np.arange(device.bands + 1) * device.band_m
    read = np.hypot(*readings(pose, np.array(w.outline), w.chest).T)
    best: tuple[float, int, int] | None = None
    for i in range(device.bands):
        for j in range(i, device.bands):
            p = band_probabilities(spread, edges[i], edges[j + 1])
            cost = float(zone_error(p, own, others))
            cost += A_METRE * (abs(edges[i] - read.min()) + abs(edges[j + 1] - read.max()))
            if best is None or cost < best[0] - 1e-12:
                best = float(cost), i, j
    assert best is not None
    _, i, j = best
    return Shape((), (float(edges[i]), float(edges[j + 1])), (i + 1, j + 1))
