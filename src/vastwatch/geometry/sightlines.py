"""What stands between one eye and many targets: the sweep by azimuth that every sensing model uses.

Targets are sorted once by their direction from the eye. A vertical screen or a prism then concerns one
contiguous run of them, so a floor of many thousand cells against a hundred obstacles costs a few short array
operations per obstacle instead of a test for each pair.

Heights matter only for obstacles that do not reach from floor to ceiling. Targets are vertical bodies sampled
at k heights; a ray runs straight from the eye to each sample.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]

# Two obstacles that share a corner must not leak a ray between them: angular pad in radians.
PAD = 1e-9
# Twice the area of a triangle of eye and screen below which the screen is seen edge on, m2.
EDGE_ON = 1e-12
# A target that stands on the obstacle's own line is not behind it: metres.
TOUCH = 1e-6


class Screens(NamedTuple):
    """Vertical rectangles on the segments a[i]-b[i], from height z0[i] to z1[i]; (n, 2), (n, 2), (n,), (n,)."""

    a: Array
    b: Array
    z0: Array
    z1: Array


class Hits(NamedTuple):
    """What one obstacle cuts: positions `at` of targets in a view, and of each the samples lo to hi - 1; all (m,)."""

    at: NDArray[np.intp]
    lo: NDArray[np.intp]
    hi: NDArray[np.intp]


# Of no more targets than this it is looked at first which footprints any ray comes near, within a hair, metres.
FEW_TARGETS, HAIR = 400, 1e-6


class Prism(NamedTuple):
    """A convex counter-clockwise footprint (m, 2) that fills the heights z0 to z1."""

    outline: Array
    z0: float
    z1: float


@dataclass(frozen=True, eq=False)
class AzimuthOrder:
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

    def keep(self, which: Bools) -> AzimuthOrder:
        """The fan of only those targets (a mask in sorted order); the order stays sorted."""
        return AzimuthOrder(
            self.eye, self.order[which], self.azimuth[which], self.ux[which], self.uy[which], self.r[which]
        )


def sort_by_azimuth(
    eye: tuple[float, float, float], points: Array, which: NDArray[np.intp] | None = None
) -> AzimuthOrder:
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
    return AzimuthOrder(eye, index, azimuth[order], dx / r, dy / r, r)


Runs = list[tuple[slice, ...]]


def _runs(azimuth: Array, start: Array, extent: Array) -> Runs:
    """For each arc from `start` on, (n,) radians: the sorted positions with azimuth in it, as no, one or two slices.

    An arc that passes the cut at pi has two.
    """
    start = start - PAD
    end = start + extent + 2 * PAD
    under = start < -np.pi
    start, end = np.where(under, start + 2 * np.pi, start), np.where(under, end + 2 * np.pi, end)
    over = end > np.pi
    first = azimuth.searchsorted(start).tolist()
    last = azimuth.searchsorted(np.where(over, end - 2 * np.pi, end), side="right").tolist()
    n = len(azimuth)
    out: Runs = []
    for i, j, wraps in zip(first, last, over.tolist()):
        if not wraps:
            out.append((slice(i, j),) if j > i else ())
        else:
            out.append(tuple(run for run in (slice(i, n), slice(0, j)) if run.stop > run.start))
    return out


def _arcs(eye: tuple[float, float, float], a: Array, b: Array) -> tuple[Array, Array, Array]:
    """Start azimuth, extent (< pi) and twice the signed triangle area of each segment as the eye sees it."""
    ax, ay = a[:, 0] - eye[0], a[:, 1] - eye[1]
    bx, by = b[:, 0] - eye[0], b[:, 1] - eye[1]
    cross = ax * by - ay * bx
    angle_a, angle_b = np.arctan2(ay, ax), np.arctan2(by, bx)
    start = np.where(cross > 0, angle_a, angle_b)
    extent = np.mod(np.where(cross > 0, angle_b - angle_a, angle_a - angle_b), 2 * np.pi)
    return start, extent, cross


def first_hit(view: AzimuthOrder, screens: Screens) -> Array:
    """Distance in the plan to the nearest of the screens along each target's azimuth, inf where none; (n,).

    The heights of the screens are not looked at: use it for those from floor to ceiling.
    """
    depth = np.full(len(view.r), np.inf)
    start, extent, cross = _arcs(view.eye, screens.a, screens.b)
    d = screens.b - screens.a
    for k, runs in enumerate(_runs(view.azimuth, start, extent)):
        if abs(cross[k]) > EDGE_ON:
            for run in runs:
                np.minimum(depth[run], _distances(view, run, d[k], cross[k]), out=depth[run])
    return depth


def visible(view: AzimuthOrder, screens: Screens) -> Bools:
    """Targets with no floor-to-ceiling screen before them, in sorted order."""
    return first_hit(view, screens) >= view.r - TOUCH


def add_crossings(view: AzimuthOrder, screens: Screens, weight: Array, out: Array) -> None:
    """Add weight[k] to out (n,) for every target behind floor-to-ceiling screen k."""
    start, extent, cross = _arcs(view.eye, screens.a, screens.b)
    d = screens.b - screens.a
    for k, runs in enumerate(_runs(view.azimuth, start, extent)):
        if abs(cross[k]) > EDGE_ON and weight[k] > 0:
            for run in runs:
                out[run] += weight[k] * (_distances(view, run, d[k], cross[k]) < view.r[run] - TOUCH)


def screen_hits(view: AzimuthOrder, screens: Screens, heights: Array) -> Iterator[tuple[int, Hits]]:
    """Of which targets each screen cuts which samples: pairs of screen and hits; `heights` ascending."""
    start, extent, cross = _arcs(view.eye, screens.a, screens.b)
    d = screens.b - screens.a
    crossable = _crossable(view.eye[2], heights, screens.z0, screens.z1) & (np.abs(cross) > EDGE_ON)
    for k, runs in enumerate(_runs(view.azimuth, start, extent)):
        if not crossable[k]:
            continue
        for run in runs:
            hit = _distances(view, run, d[k], cross[k])
            at = np.flatnonzero(hit < view.r[run] - TOUCH)
            if len(at):
                along = hit[at] / view.r[run][at]
                lo, hi = _cut(view.eye[2], heights, along, along, float(screens.z0[k]), float(screens.z1[k]))
                if (some := hi > lo).any():
                    yield k, Hits(at[some] + run.start, lo[some], hi[some])


def _near_rays(view: AzimuthOrder, circles: Array) -> Bools:
    """Which circles any ray comes to within a hair of, (m,)."""
    x, y = circles[:, 0, None] - view.eye[0], circles[:, 1, None] - view.eye[1]
    along = np.clip(x * view.ux + y * view.uy, 0.0, view.r)
    aside = np.hypot(x - along * view.ux, y - along * view.uy)
    return np.asarray((aside <= circles[:, 2, None] + HAIR).any(axis=1))


def _crossable(eye: float, heights: Array, z0: Array, z1: Array) -> Bools:
    """Which obstacles reach into the heights that any ray runs through."""
    return (z0 < max(eye, heights[-1])) & (z1 > min(eye, heights[0]))


def _distances(view: AzimuthOrder, run: slice, d: Array, cross: float) -> Array:
    """Distance along each target's azimuth to a segment with direction d, for targets within the arc it spans.

    Within that arc the distance is positive; the pad lets in rays parallel to the segment, which meet it far away.
    """
    along = np.abs(view.ux[run] * d[1] - view.uy[run] * d[0])
    return abs(cross) / np.maximum(along, 1e-12)


def _cut(
    eye: float, heights: Array, enter: Array, leave: Array, z0: float, z1: float
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Which samples' rays pass between the heights z0 and z1 on their way from `enter` to `leave`, both shares of
    the whole way: those from index lo up to, not including, hi; each (m,).

    A ray to height h runs at eye + (h - eye) s. Over s in [enter, leave] it gets below z1 exactly when h is below
    eye + (z1 - eye) / s at the later s for z1 under the eye, at the earlier for z1 above it; likewise for z0. So the
    samples that are cut are a run of neighbours, and no sample has to be looked at by itself.
    """
    below = eye + (z1 - eye) / (np.maximum(enter, 1e-12) if z1 > eye else leave)
    hi = heights.searchsorted(below, side="left")
    if z0 <= 0:
        return np.zeros(len(hi), np.intp), hi
    above = eye + (z0 - eye) / (np.maximum(enter, 1e-12) if z0 < eye else leave)
    return heights.searchsorted(above, side="right"), hi


def sample_mask(hits: Hits, samples: int) -> Bools:
    """The hits as a mask over samples and targets, (samples, m)."""
    rows = np.arange(samples)[:, None]
    return (rows >= hits.lo) & (rows < hits.hi)


def prism_hits(
    view: AzimuthOrder, prisms: Sequence[Prism], heights: Array, circles: Array | None = None
) -> Iterator[tuple[int, Hits]]:
    """Of which targets each prism cuts which samples: pairs of prism and hits; `heights` ascending. `circles`: rows of
    centre and radius, (m, 3), that the footprints lie within; for few targets they tell which can matter at all.

    A ray enters a convex footprint through an edge that faces the eye and leaves it through one that does not, so
    each edge concerns only its own run of targets. A target inside the footprint is hidden where its own ray passes
    through the body before reaching it.
    """
    if circles is not None and len(view.r) <= FEW_TARGETS:
        near = np.flatnonzero(_near_rays(view, circles)).tolist()
        for k, hits in prism_hits(view, [prisms[k] for k in near], heights):
            yield near[k], hits
        return
    if not prisms:
        return
    z0, z1 = np.array([p.z0 for p in prisms]), np.array([p.z1 for p in prisms])
    crossable = _crossable(view.eye[2], heights, z0, z1)
    a = np.concatenate([p.outline for p in prisms])
    b = np.concatenate([np.concatenate([p.outline[1:], p.outline[:1]]) for p in prisms])
    start, extent, cross = _arcs(view.eye, a, b)
    runs, d = _runs(view.azimuth, start, extent), b - a
    enter, leave = np.full(len(view.r), np.inf), view.r.copy()
    last = 0
    for k, prism in enumerate(prisms):
        first, last = last, last + len(prism.outline)
        if not crossable[k]:
            continue
        edges = [e for e in range(first, last) if abs(cross[e]) > EDGE_ON]
        facing = [e for e in edges if cross[e] < 0]
        away = [e for e in edges if cross[e] > 0]
        for e in facing:
            for run in runs[e]:
                enter[run] = _distances(view, run, d[e], cross[e])
        for e in away:
            for run in runs[e]:
                np.minimum(view.r[run], _distances(view, run, d[e], cross[e]), out=leave[run])
                if not facing:
                    # The eye is inside the footprint.
                    enter[run] = 0.0
        for e in facing or away:
            for run in runs[e]:
                at = np.flatnonzero(leave[run] - enter[run] > TOUCH)
                if len(at):
                    r = view.r[run][at]
                    cut = _cut(view.eye[2], heights, enter[run][at] / r, leave[run][at] / r, prism.z0, prism.z1)
                    if (some := cut[1] > cut[0]).any():
                        yield k, Hits(at[some] + run.start, cut[0][some], cut[1][some])
                # A target on the corner of two edges counts once.
                enter[run] = np.inf
        for e in away:
            for run in runs[e]:
                leave[run] = view.r[run]
