"""Walls of the lines that bound them: two parallel lines at a wall's distance, with nothing or a cavity between, are
one wall of that thickness; of a drawing that has no such pairs, each line is one.

Lines of one direction are looked at together: across them, a line's *offset* is its distance from the origin along the
normal; along them, it covers a stretch. Sweeping along, the offsets of the lines that cover a short stretch fall into
runs of near neighbours, and each run is a wall, a pattern, or nothing.
"""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass, field
from itertools import pairwise
from statistics import fmean, median, pstdev
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.site.record import Point

Array = NDArray[np.float64]

# Walls are so thick, metres.
THINNEST, THICKEST = 0.045, 0.62
# Lines within this many degrees are parallel; offsets and ends within this many metres are one.
PARALLEL_DEG, ALIKE = 0.5, 0.006
# Faces of a wall may stand forward or back by this from one piece to the next, metres.
STEP = 0.03
# A line shorter than this is no face, and a wall drawn as one line is no shorter, metres.
SHORTEST_FACE, SHORTEST_WALL = 0.03, 0.05
# Two lines and the space between thinner lines: a cupboard, and not a cavity, metres.
CUPBOARD = 0.25
# More lines than this in one bundle are a pattern.
MOST_IN_BUNDLE = 1500
# Where no thickness is drawn, metres.
DRAWN_THIN = 0.1
# Of the lines that may be walls, this share lies in pairs where walls are drawn as pairs.
PAIRED_SHARE = 0.35


class Span(NamedTuple):
    """A stretch of a track, from `begin` to `end` along it."""

    begin: float
    end: float


@dataclass
class WallLine:
    """Pieces of wall in one line: `along` is its direction (unit vector), `low` and `high` the offsets of its faces
    along the normal (to the left), `spans` where there is wall, in order. `slits` are the stretches with lines inside
    the wall: windows, where they do not run its whole length."""

    along: Array
    low: float
    high: float
    spans: list[Span]
    slits: list[Span] = field(default_factory=list)

    @property
    def normal(self) -> Array:
        """To the left of `along`."""
        return np.array([-self.along[1], self.along[0]])

    @property
    def middle(self) -> float:
        """The offset of the centre line."""
        return (self.low + self.high) / 2

    @property
    def thickness(self) -> float:
        """Metres; that of thin walls where it is drawn as one line."""
        return self.high - self.low if self.high - self.low >= THINNEST else DRAWN_THIN

    def place(self, point: Point) -> tuple[float, float]:
        """How far along the track a point lies, and how far to its left of the centre line."""
        p = np.asarray(point, float)
        return float(p @ self.along), float(p @ self.normal) - self.middle

    def point(self, s: float) -> Point:
        """The point of the centre line so far along."""
        x, y = self.along * s + self.normal * self.middle
        return float(x), float(y)


class Face(NamedTuple):
    """A line, or several in one, at one offset."""

    offset: float
    begin: float
    end: float


@dataclass
class WallsFound:
    """The tracks, whether walls are drawn as pairs of lines, and by direction (degrees) the faces that were looked
    at."""

    tracks: list[WallLine]
    paired: bool
    share: float


def directions(segments: Array) -> NDArray[np.float64]:
    """The direction of each segment (n, 4) in degrees, from 0 below 180."""
    return np.degrees(np.arctan2(segments[:, 3] - segments[:, 1], segments[:, 2] - segments[:, 0])) % 180.0


def lengths(segments: Array) -> NDArray[np.float64]:
    """Their lengths."""
    return np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])


def turn_of(segments: Array) -> float:
    """By how many degrees, from -45 to 45, a drawing is turned away from the axes: the direction that most of its
    length has, to a twentieth of a degree; 0 where nothing has a direction in common."""
    if len(segments) == 0:
        return 0.0
    angle, weight = directions(segments) % 90.0, lengths(segments)
    bins = np.bincount((angle * 20).astype(int) % 1800, weight, 1800)
    # Lines about the same direction count together, round the corner of the histogram too.
    summed = np.sum([np.roll(bins, k) for k in range(-2, 3)], axis=0)
    best = int(np.argmax(summed))
    if summed[best] < 0.3 * weight.sum():
        return 0.0
    away = (angle - best / 20.0 + 45.0) % 90.0 - 45.0
    near = np.abs(away) < 0.15
    turn = best / 20.0 + float(np.average(away[near], weights=weight[near])) if near.any() else best / 20.0
    return (turn + 45.0) % 90.0 - 45.0


def find_walls(segments: Array) -> WallsFound:
    """The walls of straight lines (n, 4) that may be faces of walls, metres."""
    segments = segments[lengths(segments) >= SHORTEST_FACE]
    tracks: list[WallLine] = []
    paired, total = 0.0, float(lengths(segments).sum())
    bundles = [(along, _faces(group, along)) for along, group in _by_direction(segments)]
    for along, faces in bundles:
        found, used = _pairs(along, faces)
        tracks += found
        paired += used
    share = paired / total if total else 0.0
    if share >= PAIRED_SHARE:
        return WallsFound(tracks, True, share)
    singles = [t for along, faces in bundles for t in _singles(along, faces)]
    return WallsFound(singles, False, share)


def _by_direction(segments: Array) -> list[tuple[Array, Array]]:
    """Segments in groups of one direction each, with that direction as a unit vector."""
    if len(segments) == 0:
        return []
    angle, weight = directions(segments), lengths(segments)
    # Just below 180 is just above 0.
    angle = np.where(angle > 180.0 - PARALLEL_DEG, angle - 180.0, angle)
    order = np.argsort(angle)
    out, at = [], 0
    while at < len(order):
        first = angle[order[at]]
        upto = int(np.searchsorted(angle[order], first + 2 * PARALLEL_DEG, side="right"))
        members = order[at:upto]
        mean = math.radians(float(np.average(angle[members], weights=weight[members])))
        out.append((np.array([math.cos(mean), math.sin(mean)]), segments[members]))
        at = upto
    return out


def _faces(segments: Array, along: Array) -> list[Face]:
    """Lines of one direction, those in one line and touching joined, by offset."""
    normal = np.array([-along[1], along[0]])
    a, b = segments[:, :2], segments[:, 2:]
    offset = ((a + b) / 2) @ normal
    s = np.sort(np.column_stack([a @ along, b @ along]), axis=1)
    order = np.argsort(offset)
    out: list[Face] = []
    at = 0
    while at < len(order):
        upto = at + 1
        while upto < len(order) and offset[order[upto]] - offset[order[at]] <= ALIKE:
            upto += 1
        members = order[at:upto][np.argsort(s[order[at:upto], 0])]
        level = float(np.mean(offset[members]))
        begin, end = s[members[0]]
        for k in members[1:]:
            if s[k, 0] <= end + ALIKE:
                end = max(end, s[k, 1])
            else:
                out.append(Face(level, float(begin), float(end)))
                begin, end = s[k]
        out.append(Face(level, float(begin), float(end)))
        at = upto
    return out


def _bundles(faces: list[Face]) -> list[list[Face]]:
    """Faces in groups within which each is a wall's thickness or less beside another that it overlaps."""
    parent = list(range(len(faces)))

    def root(k: int) -> int:
        while parent[k] != k:
            parent[k] = parent[parent[k]]
            k = parent[k]
        return k

    offsets = np.array([f.offset for f in faces])
    begins, ends = np.array([f.begin for f in faces]), np.array([f.end for f in faces])
    for k, f in enumerate(faces):
        upto = int(np.searchsorted(offsets, f.offset + THICKEST, side="right"))
        beside = np.arange(k + 1, upto)
        beside = beside[(begins[beside] < f.end) & (ends[beside] > f.begin)]
        for j in beside.tolist():
            parent[root(j)] = root(k)
    groups: dict[int, list[Face]] = defaultdict(list)
    for k, f in enumerate(faces):
        groups[root(k)].append(f)
    return list(groups.values())


def _pairs(along: Array, faces: list[Face]) -> tuple[list[WallLine], float]:
    """Tracks of the walls between parallel faces, and how much length of faces bounds them."""
    strips: dict[tuple[float, float], list[tuple[float, float, bool]]] = defaultdict(list)
    used = 0.0
    for bundle in _bundles(faces):
        if not 2 <= len(bundle) <= MOST_IN_BUNDLE:
            continue
        cuts = np.unique(np.array([x for f in bundle for x in (f.begin, f.end)]))
        cuts = cuts[np.r_[True, np.diff(cuts) > ALIKE]]
        offsets = np.array([f.offset for f in bundle])
        middles = (cuts[:-1] + cuts[1:]) / 2
        covers = (np.array([f.begin for f in bundle])[:, None] <= middles) & (
            np.array([f.end for f in bundle])[:, None] >= middles
        )
        known: dict[bytes, list[tuple[float, float, bool]]] = {}
        for k in range(len(middles)):
            key = covers[:, k].tobytes()
            if key not in known:
                known[key] = _walls_across(sorted(set(offsets[covers[:, k]].tolist())))
            for low, high, inside in known[key]:
                strips[round(low, 4), round(high, 4)].append((float(cuts[k]), float(cuts[k + 1]), inside))
                used += 2 * float(cuts[k + 1] - cuts[k])
    return _tracks(along, strips), used


def _walls_across(offsets: list[float]) -> list[tuple[float, float, bool]]:
    """The walls among lines at some offsets in order, all of which cover one stretch: faces, and whether lines lie
    inside. Plain numbers: there are few at a time, and very many times."""
    out = []
    at = 0
    for k in range(1, len(offsets) + 1):
        if k == len(offsets) or offsets[k] - offsets[k - 1] > THICKEST:
            out += _wall_of_run(offsets[at:k])
            at = k
    return out


def _wall_of_run(run: list[float]) -> list[tuple[float, float, bool]]:
    if len(run) < 2:
        return []
    gaps = [b - a for a, b in pairwise(run)]
    total = run[-1] - run[0]
    if len(run) > 4 and pstdev(gaps) < 0.15 * fmean(gaps):
        # Evenly spaced: steps of a stair, or hatching.
        return []
    cupboard = len(run) >= 4 and max(gaps) >= CUPBOARD and max(gaps) > 2.5 * median(gaps)
    if total <= THICKEST and not cupboard:
        return [(run[0], run[-1], len(run) > 2)] if total >= THINNEST else []
    widest = gaps.index(max(gaps))
    if gaps[widest] <= 1.2 * min(gaps):
        return []
    return _wall_of_run(run[: widest + 1]) + _wall_of_run(run[widest + 1 :])


def _tracks(along: Array, strips: dict[tuple[float, float], list[tuple[float, float, bool]]]) -> list[WallLine]:
    """Strips with about the same faces in one track each; a short one with lines inside, standing forward a little, is
    a window in the track it lies in."""
    tracks: list[WallLine] = []
    by_length = sorted(strips.items(), key=lambda item: -sum(e - b for b, e, _ in item[1]))
    for (low, high), stretches in by_length:
        home = next((t for t in tracks if abs(t.low - low) <= STEP and abs(t.high - high) <= STEP), None)
        if home is None:
            home = next((t for t in tracks if _fills(t, low, high, stretches)), None)
        if home is None:
            home = WallLine(along, low, high, [])
            tracks.append(home)
        for begin, end, inside in stretches:
            home.spans.append(Span(begin, end))
            if inside:
                home.slits.append(Span(begin, end))
    for track in tracks:
        track.spans, track.slits = joined(track.spans), joined(track.slits)
    return tracks


def _fills(track: WallLine, low: float, high: float, stretches: list[tuple[float, float, bool]]) -> bool:
    """Whether strips overlap the band of a track and lie in its gaps."""
    overlap = min(track.high, high) - max(track.low, low)
    if overlap < 0.5 * min(track.high - track.low, high - low):
        return False
    if all(end - begin <= THICKEST for begin, end, _ in stretches):
        # Where walls meet, one face of a wall with a cavity is missing for a wall's thickness.
        return True
    spans = joined(track.spans)
    ends = [s.begin for s in spans] + [s.end for s in spans]
    return all(
        any(abs(x - begin) < 0.05 for x in ends) and any(abs(x - end) < 0.05 for x in ends)
        for begin, end, _ in stretches
    )


def joined(spans: list[Span], gap: float = 2 * ALIKE) -> list[Span]:
    """Spans in order, those that touch as one."""
    out: list[Span] = []
    for span in sorted(spans):
        if out and span.begin <= out[-1].end + gap:
            out[-1] = Span(out[-1].begin, max(out[-1].end, span.end))
        else:
            out.append(span)
    return out


def _singles(along: Array, faces: list[Face]) -> list[WallLine]:
    """Each line as a wall of its own; those at one offset in one track."""
    by_offset: dict[float, list[Span]] = defaultdict(list)
    for f in faces:
        if f.end - f.begin >= SHORTEST_WALL:
            by_offset[round(f.offset, 4)].append(Span(f.begin, f.end))
    return [WallLine(along, offset, offset, joined(spans)) for offset, spans in by_offset.items()]
