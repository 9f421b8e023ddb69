"""Drawings in and out: DXF through `ezdxf`.

Lines become walls, closed polylines rooms, and text inside a room its name. What the drawing says of itself (units,
layers, how much of what) is read first, so that the person chooses; nothing of the project changes until then, and
then all at once. Curves are flattened, blocks taken apart.
"""

from __future__ import annotations

import io
import math
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from vastwatch.design.edits.building import SAME, add_rooms
from vastwatch.design.project import Project, find, fresh_ids, on_level
from vastwatch.files.check import ProjectError
from vastwatch.files.writing import write_atomically
from vastwatch.geometry import polygons
from vastwatch.site.building import RoomUse, Wall
from vastwatch.site.record import Outline, Point
from vastwatch.site.uses import use_of_name

# Metres per drawing unit, by the names people choose from and by the drawing's own code.
UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "in": 0.0254}
UNIT_CODES = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}
# More entities than this are not a plan of one building.
MOST_ENTITIES = 200_000
# Curves are flattened to chords no farther from them than this share of a metre; blocks are nested no deeper.
FLATTEN_M, DEEPEST = 0.005, 8
# A stroke shorter than this is not a wall, and a room is not smaller, metres and square metres.
SHORTEST_WALL_M, SMALLEST_ROOM_M2 = 0.05, 0.5
# Beyond this a drawing is not one building in that unit, metres.
LARGEST_M = 2000.0


# Hears the share done, 0 to 1, and answers whether to go on.
GoOn = Callable[[float], bool]
# The share of the work that is reading the file itself, and a file larger than any plan, bytes.
READ_SHARE, LARGEST_FILE = 0.85, 400_000_000


@dataclass
class Drawing:
    """What a DXF holds, in its own units: straight strokes, closed outlines and words, each with its layer.

    `unit` is what the drawing says of itself, or None; `passed_over` counts what could not be used, by kind.
    """

    unit: str | None
    strokes: list[tuple[str, Point, Point]] = field(default_factory=list)
    outlines: list[tuple[str, Outline]] = field(default_factory=list)
    words: list[tuple[str, str, Point]] = field(default_factory=list)
    passed_over: Counter[str] = field(default_factory=Counter)

    @property
    def layers(self) -> dict[str, tuple[int, int, int]]:
        """Strokes, outlines and words on each layer."""
        names = sorted({x[0] for group in (self.strokes, self.outlines, self.words) for x in group})
        counts = [Counter(x[0] for x in group) for group in (self.strokes, self.outlines, self.words)]
        return {name: (counts[0][name], counts[1][name], counts[2][name]) for name in names}

    def guessed_unit(self) -> str:
        """The unit it says, or the one that makes it the size of a building."""
        if self.unit is not None:
            return self.unit
        points = [p for _, a, b in self.strokes for p in (a, b)] + [p for _, o in self.outlines for p in o]
        if not points:
            return "m"
        size = float(np.ptp(np.asarray(points, float), axis=0).max())
        return next((u for u in ("m", "cm", "mm") if 3.0 <= size * UNITS[u] <= 100.0), "m")


class Unwanted(Exception):
    """The reading was cancelled."""


class _Watched(io.TextIOWrapper):
    """A text file that tells how far it has been read, and stops where nobody waits any more."""

    def watch(self, size: int, report_progress: GoOn) -> None:
        self.size, self.report_progress, self.lines, self.done = max(size, 1), report_progress, 0, 0

    def readline(self, size: int = -1) -> str:  # type: ignore[override]
        line = super().readline(size)
        self.lines += 1
        self.done += len(line)
        if self.lines % 4096 == 0 and not self.report_progress(READ_SHARE * min(self.done / self.size, 1.0)):
            raise Unwanted
        return line


def _opened(path: Path, report_progress: GoOn) -> Any:
    """The document: read as it is where it is sound, which is quick; else mended as far as it can be."""
    import ezdxf
    from ezdxf import recover
    from ezdxf.filemanagement import dxf_file_info

    try:
        with path.open("rb") as f:
            binary = b"Binary DXF" in f.read(22) or b"\0" in f.read(512)
        if not binary:
            info = dxf_file_info(str(path))
            with path.open("rb") as f, _Watched(f, encoding=info.encoding, errors="surrogateescape") as text:
                text.watch(path.stat().st_size, report_progress)
                return ezdxf.read(text)
    except (ezdxf.DXFError, ValueError, KeyError, IndexError, TypeError, AttributeError, StopIteration):
        # Damaged, or not quite to the letter: tried again below.
        if not report_progress(READ_SHARE / 2):
            raise Unwanted from None
    document, _ = recover.readfile(str(path))
    return document


def read_drawing(path: Path, report_progress: GoOn = lambda _: True) -> Drawing:
    """Read a DXF. `told` hears the share done and says whether to go on. Raises ProjectError with one sentence for
    what is missing, damaged, too large, or empty; Unwanted when it was told to stop."""
    import ezdxf

    try:
        if path.is_dir():
            raise ProjectError(f"{path}: this is a folder, not a drawing")
        if path.stat().st_size > LARGEST_FILE:
            raise ProjectError(f"{path}: {path.stat().st_size // 1_000_000} MB are no plan of one building")
        document = _opened(path, report_progress)
    except FileNotFoundError:
        raise ProjectError(f"{path}: there is no such file") from None
    except OSError as e:
        raise ProjectError(f"{path}: cannot be read as a drawing ({(e.strerror or str(e)).lower()})") from None
    except (ezdxf.DXFError, ValueError, KeyError, IndexError, TypeError, AttributeError, RecursionError):
        raise ProjectError(f"{path}: this is not a DXF drawing, or it is damaged") from None
    drawing = Drawing(UNIT_CODES.get(int(document.header.get("$INSUNITS", 0))))
    space = document.modelspace()
    for seen, entity in enumerate(_taken_apart(space, 0), 1):
        if seen % 500 == 0 and not report_progress(READ_SHARE + (1 - READ_SHARE) * min(seen / max(len(space), 1), 1.0)):
            raise Unwanted
        if seen > MOST_ENTITIES:
            raise ProjectError(f"{path}: more than {MOST_ENTITIES:,} entities are not a plan of one building")
        try:
            _take(drawing, entity)
        except (ezdxf.DXFError, ValueError, TypeError, AttributeError, ZeroDivisionError):
            drawing.passed_over[entity.dxftype()] += 1
    if not drawing.strokes and not drawing.outlines:
        kinds = ", ".join(f"{n} {k}" for k, n in drawing.passed_over.most_common(3))
        raise ProjectError(f"{path}: there are no lines in it to make walls of" + (f" (only {kinds})" if kinds else ""))
    return drawing


def _taken_apart(entities: Any, depth: int) -> Iterator[Any]:
    for e in entities:
        if e.dxftype() == "INSERT" and depth < DEEPEST:
            yield from _taken_apart(e.virtual_entities(), depth + 1)
        else:
            yield e


def _take(drawing: Drawing, e: Any) -> None:
    kind, layer = e.dxftype(), str(e.dxf.layer)
    if kind == "LINE":
        a, b = _point(e.dxf.start), _point(e.dxf.end)
        drawing.strokes.append((layer, a, b))
    elif kind in ("TEXT", "MTEXT", "ATTRIB"):
        words = (e.plain_text() if kind == "MTEXT" else e.dxf.text).strip()
        if words:
            drawing.words.append((layer, words.splitlines()[0][:60], _point(e.dxf.insert)))
    elif kind in ("LWPOLYLINE", "POLYLINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE"):
        from ezdxf.path import make_path

        scale = UNITS[drawing.unit] if drawing.unit else 1.0
        points = [_point(p) for p in make_path(e).flattening(FLATTEN_M / scale)]
        closed = len(points) > 3 and math.dist(points[0], points[-1]) < 1e-6 * (1 + abs(points[0][0]))
        if closed and kind in ("LWPOLYLINE", "POLYLINE"):
            drawing.outlines.append((layer, tuple(points[:-1])))
        else:
            drawing.strokes += [(layer, a, b) for a, b in pairwise(points)]
    else:
        drawing.passed_over[kind] += 1


def _point(p: Any) -> Point:
    x, y = float(p[0]), float(p[1])
    if not (math.isfinite(x) and math.isfinite(y)):
        raise ValueError("a coordinate is not finite")
    return x, y


@dataclass(frozen=True)
class Brought:
    """The project with the drawing in it, and what was made of it and what was not, in words."""

    project: Project
    words: str


def bring_in(project: Project, level: str, drawing: Drawing, layers: set[str], unit: str) -> Brought:
    """Make walls and rooms of the chosen layers on a level, the drawing's lower left corner at the origin of a bare
    level and where it lies on another. Raises ProjectError where nothing could be used."""
    k = UNITS[unit]
    strokes = [(a, b) for layer, a, b in drawing.strokes if layer in layers]
    outlines = [o for layer, o in drawing.outlines if layer in layers]
    words = [(w, p) for layer, w, p in drawing.words if layer in layers]
    points = np.asarray([p for s in strokes for p in s] + [p for o in outlines for p in o], float).reshape(-1, 2)
    if len(points) == 0:
        raise ProjectError("there are no lines on the chosen layers")
    if float(np.ptp(points, axis=0).max()) * k > LARGEST_M:
        raise ProjectError(f"in {unit} this drawing would be more than {LARGEST_M:g} m wide: choose another unit")
    bare = not on_level(project.rooms, level) and not on_level(project.walls, level)
    ox, oy = points.min(axis=0) * k if bare else (0.0, 0.0)

    def placed(p: Point) -> Point:
        return round(p[0] * k - ox, 4), round(p[1] * k - oy, 4)

    walls = list(project.walls)
    known = {_key(w.a, w.b) for w in walls if w.level == level}
    made = 0
    number = fresh_ids(project, f"{level}-wall")
    ends = np.asarray([(*a, *b) for a, b in strokes], float).reshape(-1, 4) * k - (ox, oy, ox, oy)
    long_enough = np.hypot(ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1]) >= SHORTEST_WALL_M
    rounded = ends[long_enough].round(4)
    for (ax, ay, bx, by), key in zip(rounded.tolist(), rounded.round(3).tolist()):
        p, q = (key[0], key[1]), (key[2], key[3])
        pair = (p, q) if p <= q else (q, p)
        if pair in known:
            continue
        known.add(pair)
        walls.append(Wall(id=next(number), level=level, a=(ax, ay), b=(bx, by)))
        made += 1
    new = replace(project, walls=tuple(walls))
    wanted: list[tuple[str, RoomUse, Outline]] = []
    refused = 0
    for n, outline in enumerate(outlines, 1):
        corners = _simplified([placed(p) for p in outline])
        if len(corners) < 3 or polygons.area(corners) < SMALLEST_ROOM_M2:
            refused += 1
            continue
        name = next((w for w, p in words if polygons.contains_point(corners, *placed(p))), f"Room {n}")
        wanted.append((name, use_of_name(name) or "sitting", corners))
    new, done = add_rooms(new, level, wanted)
    rooms = sum(not isinstance(room, str) for room in done)
    refused += len(done) - rooms
    if made == 0 and rooms == 0:
        raise ProjectError("nothing on the chosen layers could be used: every line is shorter than 5 cm in that unit")
    told = [f"{made + len(new.walls) - len(walls)} walls", f"{rooms} rooms"]
    if refused:
        told.append(f"{refused} outlines passed over (too small, crossing themselves, or overlapping)")
    if drawing.passed_over:
        told.append(f"{sum(drawing.passed_over.values())} entities of other kinds passed over")
    return Brought(new, ", ".join(told))


def _key(a: Point, b: Point) -> tuple[Point, Point]:
    """The same for a wall either way round, to the millimetre."""
    p, q = (round(a[0], 3), round(a[1], 3)), (round(b[0], 3), round(b[1], 3))
    return (p, q) if p <= q else (q, p)


def _simplified(outline: list[Point]) -> Outline:
    """Without repeated corners, and without corners on a straight side."""
    distinct = [p for k, p in enumerate(outline) if math.dist(p, outline[k - 1]) > SAME]
    out = []
    for k, p in enumerate(distinct):
        a, b = distinct[k - 1], distinct[(k + 1) % len(distinct)]
        turn = (p[0] - a[0]) * (b[1] - p[1]) - (p[1] - a[1]) * (b[0] - p[0])
        if abs(turn) > 1e-6 * max(math.dist(a, b), 1e-9):
            out.append(p)
    return tuple(out)


def write_drawing(project: Project, path: Path, levels: tuple[str, ...] = ()) -> None:
    """Write some levels (or all) as a DXF in metres, each on layers of its own. Raises ProjectError when the disk
    refuses."""
    import ezdxf

    document = ezdxf.new(setup=True)
    document.header["$INSUNITS"] = 6
    space = document.modelspace()
    for level in project.levels:
        if levels and level.id not in levels:
            continue

        def layer(kind: str, name: str = level.id) -> str:
            full = f"{name}-{kind}"
            if full not in document.layers:
                document.layers.add(full)
            return full

        for wall in on_level(project.walls, level.id):
            space.add_line(wall.a, wall.b, dxfattribs={"layer": layer("walls")})
        for room in on_level(project.rooms, level.id):
            space.add_lwpolyline(room.outline, close=True, dxfattribs={"layer": layer("rooms")})
            x, y = polygons.centroid(room.outline)
            space.add_text(room.name, height=0.2, dxfattribs={"layer": layer("names"), "insert": (x, y)})
        for f in on_level(project.furnishings, level.id):
            space.add_lwpolyline(f.outline, close=True, dxfattribs={"layer": layer("furniture")})
        for s in on_level(project.sensors, level.id):
            space.add_circle(s.at[:2], 0.08, dxfattribs={"layer": layer("sensors")})
            space.add_text(s.name, height=0.12, dxfattribs={"layer": layer("sensors"), "insert": s.at[:2]})
    for o in project.openings:
        w = find(project.walls, o.wall)
        if levels and w.level not in levels:
            continue
        length = math.dist(w.a, w.b)
        a, b = (
            (w.a[0] + k * (w.b[0] - w.a[0]), w.a[1] + k * (w.b[1] - w.a[1]))
            for k in (o.offset / length, (o.offset + o.width) / length)
        )
        name = f"{w.level}-{o.kind}s"
        if name not in document.layers:
            document.layers.add(name)
        space.add_line(a, b, dxfattribs={"layer": name})
    text = io.StringIO()
    document.write(text)
    write_atomically(path, document.encode(text.getvalue()))
