"""Openings in walls of a drawing: the swings of doors, lines within a wall's thickness, symbols, and gaps between
jambs.

Each kind of sign finds its track and the stretch it opens; a gap that is thus explained is closed, so that the wall
runs on across its opening. Gaps where a wall only crosses, or of whose faces one runs on, are closed without an
opening."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.files.drawing.walls import STEP, THICKEST, THINNEST, Span, WallLine, joined
from vastwatch.site.record import Point

Array = NDArray[np.float64]
Kind = Literal["door", "window", "archway"]

# A sign lies so near to the wall's faces, and a swing's ends so near to their wall's line, metres.
NEAR, NEAR_SWING = 0.15, 0.2
# A swing or symbol begins no farther from the wall it belongs to, metres.
REACH = 0.45
# A door's frame is no wider at either side of its swing, metres.
FRAME = 0.12
# The middle of a symbol lies no farther from its wall than that, besides, metres.
SYMBOL_REACH = 2.0
# Two leaves that come so near to each other are one door, no wider than that, metres.
LEAVES_MEET, DOUBLE_WIDEST = 0.06, 2.8
# Openings are so wide, metres.
NARROWEST, WIDEST = 0.3, 8.0
# Without any sign, the widest gap between jambs that is an archway, and between ends that nothing closes, metres.
ARCHWAY, FREE_ARCHWAY = 6.0, 2.5
# Lines within a wall along this share of a span are its cavity.
WHOLE = 0.9


class Swing(NamedTuple):
    """A quarter of a circle, metres: the hinge, and the two ends of the arc."""

    hinge: Point
    a: Point
    b: Point

    @property
    def radius(self) -> float:
        """How wide the leaf is."""
        return math.dist(self.hinge, self.a)


class Symbol(NamedTuple):
    """A drawn door or window without a swing: what it is, and the corners of its frame (4, 2)."""

    kind: Kind
    corners: Array


class FoundOpening(NamedTuple):
    """An opening of a track, from `begin` to `end` along it. The hinge is at its begin or end; the leaf swings to the
    left or right of the track; `swung` where a swing was drawn, which says how wide it is."""

    kind: Kind
    begin: float
    end: float
    hinge: Literal["a", "b"] = "a"
    swings: Literal["left", "right"] = "left"
    swung: bool = False


def find_openings(
    tracks: list[WallLine], swings: list[Swing], symbols: list[Symbol], panes: Array, lines: Array, faces: Array
) -> list[list[FoundOpening]]:
    """The openings of each track, whose spans are joined across them. All (n, 4): `panes` are lines of windows for
    sure, `lines` those that may be, `faces` those that may be faces and jambs of walls."""
    out: list[list[FoundOpening]] = [[] for _ in tracks]
    for track in tracks:
        # Lines that run within a wall from end to end are its cavity.
        track.slits = [s for s in track.slits if not _whole(track, s)]
    for swing in swings:
        _take_swing(tracks, out, swing)
    for symbol in symbols:
        _take_symbol(tracks, out, symbol)
    for k, track in enumerate(tracks):
        out[k] = _merged(track, out[k])
        _take_panes(track, out[k], panes)
        _take_slits(track, out[k])
    spans = _Spans(tracks)
    for k, track in enumerate(tracks):
        _take_gaps(spans, k, track, out[k], lines, faces)
        out[k] = [f for f in _apart(out[k]) if f.end - f.begin >= NARROWEST]
    return out


def _whole(track: WallLine, slit: Span) -> bool:
    """Whether a stretch is nearly the whole of the wall it lies in."""
    inside = [s for s in track.spans if s.begin - 0.01 <= slit.begin and slit.end <= s.end + 0.01]
    return any(slit.end - slit.begin >= WHOLE * (s.end - s.begin) for s in inside)


def _near(tracks: list[WallLine], point: Point, more: float = 0.0) -> list[int]:
    """The numbers of the tracks whose lines pass near a point."""
    if not tracks:
        return []
    along = np.array([t.along for t in tracks])
    offset = point[1] * along[:, 0] - point[0] * along[:, 1]
    middle, half = np.array([t.middle for t in tracks]), np.array([t.thickness for t in tracks]) / 2
    return np.flatnonzero(np.abs(offset - middle) <= half + NEAR_SWING + more).tolist()


def _gaps(track: WallLine) -> list[Span]:
    return [Span(a.end, b.begin) for a, b in zip(track.spans, track.spans[1:])]


def _gap_at(track: WallLine, begin: float, end: float) -> Span | None:
    """The gap that most of a stretch lies in, or None."""
    for gap in _gaps(track):
        if min(end, gap.end) - max(begin, gap.begin) >= 0.6 * (end - begin):
            return gap
    return None


def _uncovered(track: WallLine, begin: float, end: float) -> float:
    """The share of a stretch in which there is no wall."""
    covered = sum(max(min(end, s.end) - max(begin, s.begin), 0.0) for s in track.spans)
    return 1.0 - covered / max(end - begin, 1e-9)


def _beside_wall(track: WallLine, begin: float, end: float) -> bool:
    """Whether there is wall within reach of a stretch."""
    return any(s.begin - REACH <= end and begin <= s.end + REACH for s in track.spans)


def _take_swing(tracks: list[WallLine], out: list[list[FoundOpening]], swing: Swing) -> None:
    best: tuple[float, int, float, float, Point] | None = None
    for k in _near(tracks, swing.hinge):
        track = tracks[k]
        s0, d0 = track.place(swing.hinge)
        allowed = track.thickness / 2 + NEAR_SWING
        if abs(d0) > allowed:
            continue
        for tip, leaf in ((swing.a, swing.b), (swing.b, swing.a)):
            s1, d1 = track.place(tip)
            along = abs(s1 - s0)
            if abs(d1) > allowed or abs(along - swing.radius) > 0.15 * swing.radius:
                continue
            begin, end = min(s0, s1), max(s0, s1)
            if not _beside_wall(track, begin, end):
                continue
            score = 2 * _uncovered(track, begin, end) - abs(d0) - abs(d1)
            if best is None or score > best[0]:
                best = score, k, s0, s1, leaf
    if best is None:
        return
    _, k, s0, s1, leaf = best
    track = tracks[k]
    # The leaf stands open to the side it swings to.
    side: Literal["left", "right"] = "left" if track.place(leaf)[1] > 0 else "right"
    out[k].append(FoundOpening("door", min(s0, s1), max(s0, s1), "a" if s0 < s1 else "b", side, True))


def _take_symbol(tracks: list[WallLine], out: list[list[FoundOpening]], symbol: Symbol) -> None:
    middle = symbol.corners.mean(axis=0)
    best: tuple[float, int, float, float] | None = None
    for k in _near(tracks, (float(middle[0]), float(middle[1])), SYMBOL_REACH):
        track = tracks[k]
        d = track.place((float(middle[0]), float(middle[1])))[1]
        along = symbol.corners @ track.along
        across = np.ptp(symbol.corners @ track.normal)
        begin, end = float(along.min()), float(along.max())
        if abs(d) > track.thickness / 2 + max(NEAR, across / 2) or across > end - begin:
            continue
        if (
            NARROWEST <= end - begin <= WIDEST
            and _beside_wall(track, begin, end)
            and (best is None or abs(d) < best[0])
        ):
            best = abs(d), k, begin, end
    if best is None:
        return
    _, k, begin, end = best
    if not any(f.begin < end - 0.05 and begin < f.end - 0.05 for f in out[k]):
        gap = _gap_at(tracks[k], begin, end)
        if gap is not None and gap.end - gap.begin <= WIDEST:
            begin, end = gap
        out[k].append(FoundOpening(symbol.kind, begin, end))


def _merged(track: WallLine, found: list[FoundOpening]) -> list[FoundOpening]:
    """What signs opened, fitted to the gaps they lie in: two leaves in one gap are one door. The wall then runs
    across."""
    out: list[FoundOpening] = []
    left = sorted(found, key=lambda f: f.begin)
    for gap in _gaps(track):
        inside = [f for f in left if min(f.end, gap.end) - max(f.begin, gap.begin) >= 0.6 * (f.end - f.begin)]
        if not inside:
            continue
        left = [f for f in left if f not in inside]
        wide = max(f.end for f in inside) - min(f.begin for f in inside)
        if gap.end - gap.begin <= 1.35 * wide + 0.1:
            first, last = min(f.begin for f in inside), max(f.end for f in inside)
            swung = all(f.swung for f in inside)
            # A swing says how wide its door is: what is left beside it by more than a frame is wall that is too short
            # to be drawn apart from the one it meets.
            begin = first if swung and first - gap.begin > FRAME else gap.begin
            end = last if swung and gap.end - last > FRAME else gap.end
            out.append(inside[0]._replace(begin=begin, end=end))
            track.spans.append(Span(*gap))
            continue
        # A crossing wall lies in the gap too, or nothing does: the opening alone is closed, and what is left beside it
        # where that is no more than a wall's thickness.
        first, last = min(f.begin for f in inside), max(f.end for f in inside)
        out += inside
        track.spans.append(
            Span(
                gap.begin if first - gap.begin <= THICKEST else first,
                gap.end if gap.end - last <= THICKEST else last,
            )
        )
    for f in left:
        # Symbols on walls that are drawn through, or beyond the end of one.
        track.spans.append(Span(f.begin, f.end))
        before = max((s.end for s in track.spans if s.end <= f.begin), default=None)
        after = min((s.begin for s in track.spans if s.begin >= f.end), default=None)
        if before is not None and f.begin - before <= REACH:
            track.spans.append(Span(before, f.begin))
        if after is not None and after - f.end <= REACH:
            track.spans.append(Span(f.end, after))
        out.append(f)
    track.spans = joined(track.spans)
    return _double(out)


def _double(found: list[FoundOpening]) -> list[FoundOpening]:
    """Two leaves that meet are one door."""
    out: list[FoundOpening] = []
    for f in sorted(found, key=lambda f: f.begin):
        last = out[-1] if out else None
        meets = last is not None and f.kind == last.kind == "door" and abs(f.begin - last.end) < LEAVES_MEET
        if last is not None and meets and last.hinge == "a" and f.hinge == "b" and f.end - last.begin <= DOUBLE_WIDEST:
            out[-1] = last._replace(end=f.end)
        else:
            out.append(f)
    return out


def _take_panes(track: WallLine, out: list[FoundOpening], panes: Array) -> None:
    """Windows drawn into a wall whose faces run on."""
    if len(panes) == 0:
        return
    _, begin, end = _along(track, panes, 0.02)
    stretches = joined([Span(b, e) for b, e in zip(begin.tolist(), end.tolist()) if e - b >= NARROWEST])
    for b, e in stretches:
        inside = any(s.begin - 0.02 <= b and e <= s.end + 0.02 for s in track.spans)
        if inside and e - b <= WIDEST and not any(f.begin < e - 0.02 and b < f.end - 0.02 for f in out):
            out.append(FoundOpening("window", b, e))


def _take_slits(track: WallLine, out: list[FoundOpening]) -> None:
    for slit in track.slits:
        span = next((s for s in track.spans if s.begin - 0.01 <= slit.begin and slit.end <= s.end + 0.01), None)
        if span is None or slit.end - slit.begin > WIDEST:
            continue
        if not any(f.begin < slit.end - 0.02 and slit.begin < f.end - 0.02 for f in out):
            out.append(FoundOpening("window", slit.begin, slit.end))


def _take_gaps(
    spans: _Spans, number: int, track: WallLine, out: list[FoundOpening], lines: Array, faces: Array
) -> None:
    """Explain the gaps that are left, and close those that are explained."""
    for gap in _gaps(track):
        width = gap.end - gap.begin
        if width > WIDEST:
            continue
        thin = track.high - track.low < THINNEST
        if width >= NARROWEST and _glass(track, gap, lines):
            out.append(FoundOpening("window", *gap))
        elif (not thin and _face_runs_on(track, gap, faces)) or (
            width <= THICKEST and (width <= NARROWEST or _crossed(spans, track, gap))
        ):
            pass
        elif (
            NARROWEST <= width <= ARCHWAY
            and _free_ends(spans, number, track, gap)
            and (2 * NARROWEST <= width <= FREE_ARCHWAY or (not thin and _jambs(track, gap, faces)))
        ):
            out.append(FoundOpening("archway", *gap))
        else:
            continue
        track.spans = joined([*track.spans, Span(*gap)])


def _along(track: WallLine, lines: Array, beside: float) -> tuple[Array, Array, Array]:
    """Of lines parallel to a track and within `beside` of its faces: offsets, begins and ends."""
    a, b = lines[:, :2], lines[:, 2:]
    n = track.normal
    oa, ob = a @ n, b @ n
    near = (np.abs(oa - ob) <= 0.01) & (oa >= track.low - beside) & (oa <= track.high + beside)
    s = np.sort(np.column_stack([a[near] @ track.along, b[near] @ track.along]), axis=1)
    return oa[near], s[:, 0], s[:, 1]


def _glass(track: WallLine, gap: Span, lines: Array) -> bool:
    """Whether lines run along within the wall's thickness, most of the gap, and not only on its faces."""
    if len(lines) == 0:
        return False
    offset, begin, end = _along(track, lines, 0.03)
    covers = np.minimum(end, gap.end) - np.maximum(begin, gap.begin) >= 0.7 * (gap.end - gap.begin)
    thin = track.high - track.low < THINNEST
    inside = thin | (offset > track.low + 0.01) & (offset < track.high - 0.01)
    within = end - begin <= (gap.end - gap.begin) + 0.3
    return bool((covers & inside & within).any())


def _face_runs_on(track: WallLine, gap: Span, faces: Array) -> bool:
    offset, begin, end = _along(track, faces, STEP)
    on_face = (np.abs(offset - track.low) <= STEP) | (np.abs(offset - track.high) <= STEP)
    return bool((on_face & (begin <= gap.begin + 0.02) & (end >= gap.end - 0.02)).any())


class _Spans:
    """The spans of all tracks as arrays, one row each, for what is asked of all of them."""

    def __init__(self, tracks: list[WallLine]) -> None:
        rows = [(k, span) for k, track in enumerate(tracks) for span in track.spans]
        self.track = np.array([k for k, _ in rows], int)
        self.along = np.array([tracks[k].along for k, _ in rows], float).reshape(-1, 2)
        self.middle = np.array([tracks[k].middle for k, _ in rows], float)
        self.thickness = np.array([tracks[k].thickness for k, _ in rows], float)
        self.begin = np.array([span.begin for _, span in rows], float)
        self.end = np.array([span.end for _, span in rows], float)
        self.normal = np.column_stack([-self.along[:, 1], self.along[:, 0]])

    def meetings(self, track: WallLine) -> tuple[Array, Array, Array]:
        """The sine of the angle to each span, and how far along the track and along each span their centre lines meet;
        not finite where they are parallel."""
        sine = track.along[0] * self.along[:, 1] - track.along[1] * self.along[:, 0]
        d = self.normal * self.middle[:, None] - track.normal * track.middle
        with np.errstate(divide="ignore", invalid="ignore"):
            s = (d[:, 0] * self.along[:, 1] - d[:, 1] * self.along[:, 0]) / sine
            t = (d[:, 0] * track.along[1] - d[:, 1] * track.along[0]) / sine
        return sine, s, t


def _crossed(spans: _Spans, track: WallLine, gap: Span) -> bool:
    """Whether another wall crosses, or meets, in a gap."""
    sine, s, t = spans.meetings(track)
    reach = track.thickness / 2 + 0.06
    hit = (np.abs(sine) >= 0.2) & (s >= gap.begin) & (s <= gap.end)
    return bool((hit & (spans.begin - reach <= t) & (t <= spans.end + reach)).any())


def _jambs(track: WallLine, gap: Span, faces: Array) -> bool:
    """Whether a short line closes the wall at either end of a gap, and goes on no farther."""
    a, b = faces[:, :2], faces[:, 2:]
    sa, sb = a @ track.along, b @ track.along
    o = np.sort(np.column_stack([a @ track.normal, b @ track.normal]), axis=1)
    across = (np.abs(sa - sb) <= 0.01) & (o[:, 0] >= track.low - 0.04) & (o[:, 1] <= track.high + 0.04)
    across &= o[:, 1] - o[:, 0] >= 0.8 * (track.high - track.low)
    return all(bool((np.abs(sa[across] - end) <= 0.03).any()) for end in gap)


def _free_ends(spans: _Spans, number: int, track: WallLine, gap: Span) -> bool:
    """Whether nothing else meets a wall at the ends of a gap."""
    for end in gap:
        point = np.asarray(track.point(end))
        s, d = spans.along @ point, np.abs(spans.normal @ point - spans.middle)
        meets = (spans.track != number) & (d <= spans.thickness / 2 + 0.06)
        if (meets & (spans.begin - 0.1 <= s) & (s <= spans.end + 0.1)).any():
            return False
    return True


def _apart(found: list[FoundOpening]) -> list[FoundOpening]:
    """Openings in order that do not overlap: of two that would, the first stays, shortened where it must be."""
    out: list[FoundOpening] = []
    for f in sorted(found, key=lambda f: (f.begin, f.end)):
        if out and f.begin < out[-1].end:
            f = f._replace(begin=out[-1].end)
        if f.end > f.begin:
            out.append(f)
    return out


def remove_nested_walls(tracks: list[WallLine], found: list[list[FoundOpening]]) -> None:
    """Remove pieces of wall that lie within a longer wall of the same direction: what is left of its cavity, or of a
    sill, where another wall meets it."""
    order = sorted(range(len(tracks)), key=lambda k: -sum(s.end - s.begin for s in tracks[k].spans))
    for n, k in enumerate(order):
        track = tracks[k]
        for larger in (tracks[j] for j in order[:n]):
            if abs(float(track.along @ larger.along)) < 0.9999 or found[k]:
                continue
            overlap = min(track.high, larger.high) - max(track.low, larger.low)
            if overlap < 0.5 * (track.high - track.low):
                continue
            track.spans = [
                s
                for s in track.spans
                if not any(x.begin - 0.02 <= s.begin and s.end <= x.end + 0.02 for x in larger.spans)
            ]


def join_wall_ends(tracks: list[WallLine]) -> None:
    """Let the ends of walls meet: drawn to each other's faces, they are led to each other's centre lines."""
    every = _Spans(tracks)
    wanted: list[list[Span]] = []
    for track in tracks:
        spans = []
        for span in track.spans:
            begin, end = _met(every, track, span.begin), _met(every, track, span.end)
            spans.append(Span(begin, end) if end - begin > 0.01 else span)
        wanted.append(spans)
    for track, spans in zip(tracks, wanted):
        track.spans = joined(spans)


def _met(spans: _Spans, track: WallLine, end: float) -> float:
    """Where the centre line of the nearest wall crosses a track, as near to an end of it as its faces are; else the
    end."""
    sine, s, t = spans.meetings(track)
    with np.errstate(divide="ignore", invalid="ignore"):
        near = np.abs(s - end) <= (spans.thickness / 2 + 0.06) / np.abs(sine) + 0.02
        reach = (track.thickness / 2 + 0.06) / np.abs(sine) + 0.02
    near &= (np.abs(sine) >= 0.17) & (spans.begin - reach <= t) & (t <= spans.end + reach)
    if not near.any():
        return end
    candidates = s[near]
    return float(candidates[np.argmin(np.abs(candidates - end))])
