"""The chance that a report of somebody falls into a zone, exactly, without drawing reports.

In the device's polar frame a report is a normal angle and, given it, a normal range (M13). On the ray at an angle a
zone is a stretch or a few, and the chance of those is a difference of the normal's integral; what is left is one
integral over the angle. It is taken piece by piece between the corners of the zone, where the integrand has its kinks.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.distributions import normal_cdf, normal_quantile
from vastwatch.geometry import polygons
from vastwatch.sensing.tracker import Pose, Scatter, to_device_frame

Array = NDArray[np.floating[Any]]

# Points of Gauss's rule on each piece, and how far out the angle is followed, spreads.
NODES, SPREADS = 12, 5.0
# Nearer than this on the plan the wander turns the angle by so much that it is integrated by itself, metres; at so
# many points each way.
CLOSE_M, WANDERS = 0.9, 10


class Spread(NamedTuple):
    """Where reports of some spots fall, each (n,): mean and spread of the angle (radians, to the right) and of the
    range (metres). `spot`, `weight`: which spot each row is a part of, and how much of it."""

    angle: Array
    angle_spread: Array
    range: Array
    range_spread: Array
    spot: NDArray[np.int64]
    weight: Array
    spots: int


def spread_of(pose: Pose, scatter: Scatter, points: ArrayLike, chest: ArrayLike) -> Spread:
    """How the reports of somebody at points of the plan, (n, 2), with the chest so high, scatter.

    The wander w of the body, of variance b^2 each way, turns the angle by w_t / (d + w_r) and lengthens the range: with
    q = b^2 / d^2 the angle's variance is sigma_az^2 + q (1 + q), the range's sigma_r^2 + (b d / s)^2, and its mean
    grows by b^2 / 2s (1 + dz^2 / s^2); d on the plan, s the slant range. Close to the device, where that does not
    serve, the wander is a grid of points of its own.
    """
    frame = to_device_frame(pose, points)
    dz = np.broadcast_to(np.asarray(chest, float) - pose.height, len(frame))
    d = np.hypot(frame[:, 0], frame[:, 1])
    b = scatter.wander_m
    far = np.flatnonzero((d >= CLOSE_M) | (b == 0.0))
    near = np.flatnonzero((d < CLOSE_M) & (b > 0.0))
    s = np.hypot(d, dz)[far]
    q = b * b / np.maximum(d[far], 1e-9) ** 2
    parts = [(
        np.arctan2(frame[far, 0], frame[far, 1]), np.sqrt(scatter.angle**2 + q * (1.0 + q)),
        pose.range_of(s + b * b / (2.0 * np.maximum(s, 1e-9)) * (1.0 + (dz[far] / np.maximum(s, 1e-9)) ** 2)),
        np.sqrt(scatter.range_m**2 + (pose.scale * b * d[far] / np.maximum(s, 1e-9)) ** 2), far, np.ones(len(far)),
    )]  # fmt: skip
    if len(near):
        x, w = np.polynomial.hermite_e.hermegauss(WANDERS)
        w = w / w.sum()
        wx, wy = (g.ravel() * b for g in np.meshgrid(x, x))
        weight = np.outer(w, w).ravel()
        u, v = (frame[near, None, 0] + wx).ravel(), (frame[near, None, 1] + wy).ravel()
        slant = np.hypot(np.hypot(u, v), np.repeat(dz[near], len(wx)))
        parts.append((
            np.arctan2(u, v), np.full(len(u), max(scatter.angle, 1e-6)), pose.range_of(slant),
            np.full(len(u), max(scatter.range_m, 1e-6)), np.repeat(near, len(wx)), np.tile(weight, len(near)),
        ))  # fmt: skip
    angle, angle_spread, mean, spread, of, weight = (np.concatenate(c) for c in zip(*parts))
    return Spread(
        angle, np.maximum(angle_spread, 1e-6), mean, np.maximum(spread, 1e-6), of.astype(np.int64), weight, len(frame)
    )


def zone_probabilities(spread: Spread, outlines: list[Array]) -> Array:
    """The chance, (n, m), that a report of each of n spots falls into each of m zones, given as outlines in the
    device's readings, (k, 2) each, of x to the right and y ahead."""
    out = np.empty((spread.spots, len(outlines)))
    for j, outline in enumerate(outlines):
        out[:, j] = _gathered(spread, _in_outline(spread, np.asarray(outline, float)))
    return out


def band_probabilities(spread: Spread, near: float, far: float) -> Array:
    """The chance, (n,), that a report of each spot reads a range within a band."""
    below_far, below_near = (normal_cdf((edge - spread.range) / spread.range_spread) for edge in (far, near))
    inside = below_far - below_near
    return _gathered(spread, inside)


def _gathered(spread: Spread, each: Array) -> Array:
    return np.asarray(np.bincount(spread.spot, spread.weight * each, minlength=spread.spots), float)


def _in_outline(spread: Spread, outline: Array) -> Array:
    """For each row of a spread the chance of a report within an outline."""
    if polygons.signed_area(outline) < 0:
        outline = outline[::-1]
    out = np.zeros(len(spread.angle))
    # Only those near it: the circle about it that holds all of it, and all that a report may be off.
    middle = outline.mean(axis=0)
    reach = np.hypot(*(outline - middle).T).max()
    x, y = spread.range * np.sin(spread.angle), spread.range * np.cos(spread.angle)
    off = SPREADS * np.hypot(spread.range_spread, spread.range * spread.angle_spread)
    near = np.flatnonzero(np.hypot(x - middle[0], y - middle[1]) <= reach + off)
    if len(near) == 0:
        return out
    mean, sigma = spread.angle[near], spread.angle_spread[near]
    # Corners as spreads from each mean; pieces between them.
    corner = np.arctan2(outline[:, 0], outline[:, 1])
    turned = (corner[None, :] - mean[:, None] + math.pi) % (2.0 * math.pi) - math.pi
    at = np.clip(turned / sigma[:, None], -SPREADS, SPREADS)
    ends = np.full((len(near), 1), SPREADS)
    breaks = np.sort(np.concatenate([-ends, at, ends], axis=1), axis=1)
    node, weight = _GAUSS
    half = 0.5 * np.diff(breaks, axis=1)
    z = (0.5 * (breaks[:, 1:] + breaks[:, :-1]))[:, :, None] + half[:, :, None] * node
    density = np.exp(-0.5 * z * z) / math.sqrt(2.0 * math.pi) * half[:, :, None] * weight
    rows, z, density = _worthwhile(z, density)
    theta = mean[rows] + sigma[rows] * z
    along = _along_rays(
        np.sin(theta), np.cos(theta), outline, spread.range[near][rows], spread.range_spread[near][rows]
    )
    out[near] = np.bincount(rows, along * density, minlength=len(near))
    return out


def _worthwhile(z: Array, density: Array) -> tuple[NDArray[np.int64], Array, Array]:
    """Rows, places and weights of those points that weigh anything."""
    n = z.shape[0]
    z, density = z.reshape(n, -1), density.reshape(n, -1)
    row, column = np.nonzero(density > 1e-9)
    return row, z[row, column], density[row, column]


def _along_rays(ex: Array, ey: Array, outline: Array, mean: Array, sigma: Array) -> Array:
    """The chance that a range falls where each ray (ex, ey) is within an outline that turns against the clock."""
    out = np.zeros(len(ex))
    for (px, py), (qx, qy) in zip(outline, np.roll(outline, -1, axis=0)):
        dx, dy = qx - px, qy - py
        turn = ex * dy - ey * dx
        with np.errstate(divide="ignore", invalid="ignore"):
            t = (px * dy - py * dx) / turn
            s = (px * ey - py * ex) / turn
        crossed = (s >= 0.0) & (s < 1.0) & (t > 0.0) & (turn != 0.0)
        # A ray that crosses a side outwards leaves the outline there.
        k = np.flatnonzero(crossed)
        out[k] += np.sign(turn[k]) * normal_cdf((t[k] - mean[k]) / sigma[k])
    return np.clip(out, 0.0, 1.0)


_GAUSS = np.polynomial.legendre.leggauss(NODES)


def sample_readings(spread: Spread, spot: int, n: int = 60) -> Array:
    """Some reports of a spot, (n, 2), spread evenly over how they scatter and the same each time: for a picture."""
    mine = np.flatnonzero(spread.spot == spot)
    # Points of a low-discrepancy sequence through the normal's quantiles.
    k = np.arange(1, n + 1)
    golden, plastic = (k * 0.7548776662466927) % 1.0, (k * 0.5698402909980532) % 1.0
    row = mine[np.searchsorted(np.cumsum(spread.weight[mine]), ((k * 0.6180339887) % 1.0) * 0.999999)]
    theta = spread.angle[row] + spread.angle_spread[row] * normal_quantile(golden)
    r = spread.range[row] + spread.range_spread[row] * normal_quantile(plastic)
    return np.column_stack([r * np.sin(theta), r * np.cos(theta)])
