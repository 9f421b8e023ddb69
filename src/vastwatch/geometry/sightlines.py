"""What stands between one eye and many targets: the sweep by azimuth that every sensing model uses.

Targets are sorted once by their direction from the eye. A vertical screen or a prism then concerns one
contiguous run of them, so a floor of many thousand cells against a hundred obstacles costs a few short array
operations per obstacle instead of a test for each pair.

Heights matter only for obstacles that do not reach from floor to ceiling. Targets are vertical bodies sampled
at k heights; a ray runs straight from the eye to each sample.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]

# Two obstacles that share a corner must not leak a ray between them: angular pad in radians.
PAD = 1e-9
# A target that stands on the obstacle's own line is not behind it: metres.
TOUCH = 1e-6


class Screens(NamedTuple):
    """Vertical rectangles on the segments a[i]-b[i], from height z0[i] to z1[i]; (n, 2), (n, 2), (n,), (n,)."""

    a: Array
    b: Array
    z0: Array
    z1: Array


class Prism(NamedTuple):
    """A convex counter-clockwise footprint (m, 2) that fills the heights z0 to z1."""

    outline: Array
    z0: float
    z1: float


@dataclass(frozen=True, eq=False)
class Fan:
    """Targets in the order of their azimuth about the eye.

    `order` maps the sorted position to the caller's index; `azimuth` in radians within (-pi, pi]; (ux, uy) the
    unit direction and `r` the distance in the plan, all of shape (n,).
    """

    eye: tuple[float, float, float]
    order: NDArray[np.intp]
    azimuth: Array
    ux: Array
    uy: Array
    r: Array

    def keep(self, which: Bools) -> Fan:
        """The fan of only those targets (a mask in sorted order); the order stays sorted."""
        return Fan(self.eye, self.order[which], self.azimuth[which], self.ux[which], self.uy[which], self.r[which])


def fan(eye: tuple[float, float, float], points: Array, which: NDArray[np.intp] | None = None) -> Fan:
    """Sort (n, 2) points by azimuth about the eye; only those of the indices `which`, where it is given."""
    x, y = points[:, 0], points[:, 1]
    if which is not None:
        x, y = x[which], y[which]
    dx, dy = x - eye[0], y - eye[1]
    azimuth = np.arctan2(dy, dx)
    order = np.argsort(azimuth)
    dx, dy = dx[order], dy[order]
    r = np.maximum(np.sqrt(dx * dx + dy * dy), 1e-9)
    index = order if which is None else which[order]
    return Fan(eye, index, azimuth[order], dx / r, dy / r, r)


def _runs(azimuth: Array, start: float, end: float) -> list[slice]:
    """Sorted positions with azimuth in [start, end], an arc of less than a turn that may pass the cut at pi."""
    start -= PAD
    end += PAD
    if start < -np.pi:
        start, end = start + 2 * np.pi, end + 2 * np.pi
    i = int(azimuth.searchsorted(start))
    if end <= np.pi:
        j = int(azimuth.searchsorted(end, "right"))
        return [slice(i, j)] if j > i else []
    j = int(azimuth.searchsorted(end - 2 * np.pi, "right"))
    return [s for s in (slice(i, len(azimuth)), slice(0, j)) if s.stop > s.start]


def _arcs(eye: tuple[float, float, float], a: Array, b: Array) -> tuple[Array, Array, Array]:
    """Start azimuth, extent (< pi) and twice the signed triangle area of each segment as the eye sees it."""
    ax, ay = a[:, 0] - eye[0], a[:, 1] - eye[1]
    bx, by = b[:, 0] - eye[0], b[:, 1] - eye[1]
    cross = ax * by - ay * bx
    angle_a, angle_b = np.arctan2(ay, ax), np.arctan2(by, bx)
    start = np.where(cross > 0, angle_a, angle_b)
    extent = np.mod(np.where(cross > 0, angle_b - angle_a, angle_a - angle_b), 2 * np.pi)
    return start, extent, cross


def first_hit(view: Fan, screens: Screens) -> Array:
    """Distance in the plan to the nearest of the screens along each target's azimuth, inf where none; (n,).

    The heights of the screens are not looked at: use it for those from floor to ceiling.
    """
    depth = np.full(len(view.r), np.inf)
    start, extent, cross = _arcs(view.eye, screens.a, screens.b)
    d = screens.b - screens.a
    for k in np.flatnonzero(np.abs(cross) > 1e-12):
        for run in _runs(view.azimuth, start[k], start[k] + extent[k]):
            along = view.ux[run] * d[k, 1] - view.uy[run] * d[k, 0]
            # The pad lets a ray parallel to the screen slip in; it meets nothing.
            hit = cross[k] / np.where(np.abs(along) < 1e-12, np.nan, along)
            np.fmin(depth[run], np.where(hit > 0, hit, np.inf), out=depth[run])
    return depth


def visible(view: Fan, screens: Screens) -> Bools:
    """Targets with no floor-to-ceiling screen before them, in sorted order."""
    return first_hit(view, screens) >= view.r - TOUCH


def add_crossings(view: Fan, screens: Screens, weight: Array, out: Array) -> None:
    """Add weight[k] to out (n,) for every target behind floor-to-ceiling screen k."""
    start, extent, cross = _arcs(view.eye, screens.a, screens.b)
    d = screens.b - screens.a
    for k in np.flatnonzero((np.abs(cross) > 1e-12) & (weight > 0)):
        for run in _runs(view.azimuth, start[k], start[k] + extent[k]):
            along = view.ux[run] * d[k, 1] - view.uy[run] * d[k, 0]
            hit = cross[k] / np.where(np.abs(along) < 1e-12, np.nan, along)
            behind = (hit > 0) & (hit < view.r[run] - TOUCH)
            out[run] += np.where(behind, weight[k], 0.0)


def screen_hits(view: Fan, screens: Screens, k: int, heights: Array) -> list[tuple[slice, Bools]]:
    """Runs of targets, and for each sample height (h, run) whether screen k cuts the ray to it."""
    start, extent, cross = _arcs(view.eye, screens.a[k : k + 1], screens.b[k : k + 1])
    if abs(cross[0]) <= 1e-12:
        return []
    d = screens.b[k] - screens.a[k]
    out = []
    for run in _runs(view.azimuth, start[0], start[0] + extent[0]):
        along = view.ux[run] * d[1] - view.uy[run] * d[0]
        hit = cross[0] / np.where(np.abs(along) < 1e-12, np.nan, along)
        behind = (hit > 0) & (hit < view.r[run] - TOUCH)
        if behind.any():
            z = view.eye[2] + (heights[:, None] - view.eye[2]) * (hit / view.r[run])
            out.append((run, behind & (z > screens.z0[k]) & (z < screens.z1[k])))
    return out


def prism_hits(view: Fan, prism: Prism, heights: Array) -> list[tuple[NDArray[np.intp], Bools]]:
    """Positions of targets in the view, and for each sample height (h, m) whether the prism cuts the ray to it.

    A target inside the footprint is hidden where its own ray passes through the body before reaching it.
    """
    p = prism.outline - np.asarray(view.eye[:2])
    edge = np.concatenate([p[1:], p[:1]]) - p
    # Inward normals of a counter-clockwise polygon; offset < 0 means the eye lies outside that edge.
    nx, ny = -edge[:, 1], edge[:, 0]
    offset = -(nx * p[:, 0] + ny * p[:, 1])
    if (offset >= 0).all():
        runs, nearest = [slice(0, len(view.r))], 0.0
    else:
        along_edge = np.clip(-(p * edge).sum(axis=1) / (edge * edge).sum(axis=1), 0.0, 1.0)
        foot = p + along_edge[:, None] * edge
        nearest = math.sqrt(float((foot * foot).sum(axis=1).min()))
        angles = np.arctan2(p[:, 1], p[:, 0])
        swing = np.mod(angles - angles[0] + np.pi, 2 * np.pi) - np.pi
        runs = _runs(view.azimuth, angles[0] + swing.min(), angles[0] + swing.max())
    out = []
    for run in runs:
        # Only targets farther than the footprint's nearest point can have it before them.
        at = np.flatnonzero(view.r[run] > nearest) + run.start
        if len(at) == 0:
            continue
        ux, uy = view.ux[at], view.uy[at]
        enter, leave = np.zeros(len(at)), view.r[at]
        for i in range(len(p)):
            along = ux * nx[i] + uy * ny[i]
            # Exactly along the edge: never entered through it, and beside the body if the eye is outside it.
            along[along == 0] = 1e-300
            t = -offset[i] / along
            np.maximum(enter, t, out=enter, where=along > 0)
            np.minimum(leave, t, out=leave, where=along < 0)
        inside = np.flatnonzero(leave - enter > TOUCH)
        if len(inside) == 0:
            continue
        at, enter, leave = at[inside], enter[inside], leave[inside]
        slope = (heights[:, None] - view.eye[2]) / view.r[at]
        z_in, z_out = view.eye[2] + slope * enter, view.eye[2] + slope * leave
        cut = (np.minimum(z_in, z_out) < prism.z1) & (np.maximum(z_in, z_out) > prism.z0)
        out.append((at, cut))
    return out
