"""Reading a DXF through `ezdxf`: text or binary, sound or damaged, whatever it holds.

Blocks are taken apart, what lies on layer 0 in them takes the layer they are inserted on, and text loses its codes. How
much may come of a file is bounded everywhere: a few bytes can ask for a million blocks, or a circle as large as the
Earth in chords of a millimetre.
"""

from __future__ import annotations

import io
import logging
import math
from collections.abc import Callable, Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

from vastwatch.files.check import ProjectError
from vastwatch.files.drawing.content import Arc, BlockInsert, Drawing, DrawingText, Polygon, Stroke
from vastwatch.files.reading import read_whole
from vastwatch.site.record import Point
from vastwatch.words import one_line

UNIT_CODES = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}
# More of these than this are not a plan of one building: entities, inserted blocks, points of curves.
MOST_ENTITIES, MOST_PIECES, MOST_POINTS = 200_000, 12_000, 2_000_000
# Blocks are nested no deeper, and each part of a curve becomes so many chords.
DEEPEST, CHORDS = 8, 12
# An ellipse whose axes differ by less than this ratio is a circle.
ROUND = 0.97
# Coordinates beyond this are no drawing in any unit.
FARTHEST = 1e9
# Line types whose name holds one of these draw axes.
AXES = ("center", "centre", "dashdot", "axis")
# Hears the share done, 0 to 1, and answers whether to go on.
GoOn = Callable[[float], bool]
# The share of the work that is reading the file itself, and a file larger than any plan, bytes.
READ_SHARE, LARGEST_FILE = 0.85, 400_000_000


class Cancelled(Exception):
    """The reading was cancelled."""


class _Watched(io.TextIOWrapper):
    """A text that tells how far it has been read, and stops where nobody waits any more."""

    def watch(self, size: int, report_progress: GoOn) -> None:
        self.size, self.report_progress, self.lines, self.done = max(size, 1), report_progress, 0, 0

    def readline(self, size: int = -1) -> str:  # type: ignore[override]
        line = super().readline(size)
        self.lines += 1
        self.done += len(line)
        if self.lines % 4096 == 0 and not self.report_progress(READ_SHARE * min(self.done / self.size, 1.0)):
            raise Cancelled
        return line


def _opened(raw: bytes, report_progress: GoOn) -> Any:
    """The document: read as it is where it is sound, which is quick; else mended as far as it can be."""
    import ezdxf
    from ezdxf import recover
    from ezdxf.lldxf.tagger import binary_tags_loader
    from ezdxf.lldxf.validator import dxf_info

    binary = b"Binary DXF" in raw[:22]
    try:
        if binary:
            return ezdxf.document.Drawing.load(binary_tags_loader(raw))
        info = dxf_info(io.TextIOWrapper(io.BytesIO(raw), encoding="utf-8", errors="ignore"))
        # From that version on, whatever the header says of a code page.
        encoding = "utf-8" if info.version >= "AC1021" else info.encoding
        with _Watched(io.BytesIO(raw), encoding=encoding, errors="surrogateescape") as text:
            text.watch(len(raw), report_progress)
            return ezdxf.read(text)
    except Cancelled:
        raise
    except Exception:
        # Damaged, or not quite to the letter: tried again below.
        if not report_progress(READ_SHARE / 2):
            raise Cancelled from None
    document, _ = recover.read(io.BytesIO(raw))
    return document


def read_drawing(path: Path, report_progress: GoOn = lambda _: True) -> Drawing:
    """Read a DXF. `report_progress` hears the share done and says whether to go on. Raises ProjectError with one
    sentence for what is missing, damaged, too large, or empty; Unwanted when it was told to stop."""
    # What the library mends on its way is not for the reader's eyes.
    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)
    raw = read_whole(path, "a drawing", LARGEST_FILE)
    try:
        document = _opened(raw, report_progress)
        code = document.header.get("$INSUNITS", 0)
        space = document.modelspace()
        total = max(len(space), 1)
    except Cancelled:
        raise
    except Exception:
        # Whatever the library stumbles over in a stranger's file, there is one thing to say of it.
        raise ProjectError(f"{path}: this is not a DXF drawing, or it is damaged") from None
    drawing = Drawing(UNIT_CODES.get(code) if isinstance(code, int) else None)
    taker = _Taker(document, drawing)
    try:
        for seen, (entity, layer, piece) in enumerate(taker.entities(space), 1):
            if seen % 200 == 0 and not report_progress(READ_SHARE + (1 - READ_SHARE) * min(seen / total, 1.0)):
                raise Cancelled
            taker.take(entity, layer, piece)
    except ProjectError as e:
        raise ProjectError(f"{path}: {e}") from None
    if not drawing.strokes and not drawing.outlines and not drawing.arcs:
        kinds = ", ".join(f"{n} {k}" for k, n in drawing.skipped.most_common(3))
        raise ProjectError(f"{path}: no lines to build walls from" + (f" (only {kinds})" if kinds else ""))
    return drawing


class _Taker:
    """Takes entities into a drawing, and counts what it has taken."""

    def __init__(self, document: Any, drawing: Drawing) -> None:
        self.document, self.drawing = document, drawing
        self.seen = self.pieces = self.points = 0
        self.types: dict[str, bool] = {}
        self.drawn: dict[str, bool] = {}

    def entities(self, entities: Any) -> Iterator[tuple[Any, str, int]]:
        """Every entity with its layer and piece, blocks taken apart."""
        yield from self._apart(entities, "0", -1, ())

    def _apart(self, entities: Any, layer: str, piece: int, within: tuple[str, ...]) -> Iterator[tuple[Any, str, int]]:
        for e in entities:
            self.seen += 1
            if self.seen > MOST_ENTITIES:
                raise ProjectError(f"more than {MOST_ENTITIES:,} entities is too many for a plan of one building")
            own = one_line(_layer(e), 120) or "0"
            # What lies on layer 0 in a block is drawn as if on the layer of the block.
            mine = layer if within and own == "0" else own
            if e.dxftype() != "INSERT":
                yield e, mine, piece
                continue
            yield from self._inserted(e, mine, piece, within)

    def _inserted(self, e: Any, layer: str, piece: int, within: tuple[str, ...]) -> Iterator[tuple[Any, str, int]]:
        name = str(e.dxf.get("name", ""))
        if name in within or len(within) >= DEEPEST:
            self.drawing.skipped["block containing itself" if name in within else "block nested too deeply"] += 1
            return
        if self.document.blocks.get(name) is None:
            self.drawing.skipped["insert of a missing block"] += 1
            return
        if not self._holds_something(name):
            return
        for attribute in e.attribs:
            yield attribute, layer if _layer(attribute) == "0" else _layer(attribute), piece
        try:
            copies = list(e.multi_insert()) if 1 < e.mcount <= MOST_PIECES else [e]
            for copy in copies:
                self.pieces += 1
                if self.pieces > MOST_PIECES:
                    raise ProjectError(
                        f"more than {MOST_PIECES:,} inserted blocks is too many for a plan of one building"
                    )
                at, turn = _placed(copy)
                self.drawing.pieces.append(BlockInsert(layer, one_line(name, 120), at, turn, piece))
                number = len(self.drawing.pieces) - 1
                yield from self._apart(copy.virtual_entities(), layer, number, (*within, name))
        except ProjectError:
            raise
        except Exception:
            # A block that cannot be placed, of whatever fault, is one thing less.
            self.drawing.skipped["block that cannot be placed"] += 1

    def _holds_something(self, name: str) -> bool:
        """Whether anything is drawn in a block, however deep: a tower of empty ones is not climbed."""
        if name not in self.drawn:
            # Within itself it adds nothing.
            self.drawn[name] = False
            block = self.document.blocks.get(name)
            self.drawn[name] = block is not None and any(
                e.dxftype() != "INSERT" or bool(e.attribs) or self._holds_something(str(e.dxf.get("name", "")))
                for e in block
            )
        return self.drawn[name]

    def take(self, e: Any, layer: str, piece: int) -> None:
        """Take one entity; what cannot be used is counted by its kind."""
        try:
            self._take(e, layer, piece)
        except ProjectError:
            raise
        except Exception:
            # Each kind of entity fails in its own ways where its numbers make no sense.
            self.drawing.skipped[e.dxftype()] += 1

    def _take(self, e: Any, layer: str, piece: int) -> None:
        kind, drawing = e.dxftype(), self.drawing
        if kind == "LINE":
            drawing.strokes.append(Stroke(layer, _point(e.dxf.start), _point(e.dxf.end), piece, False, self._axis(e)))
        elif kind in ("TEXT", "ATTRIB", "MTEXT"):
            self._words(e, layer, piece)
        elif kind == "ARC":
            self._arc(e, layer, piece)
        elif kind in ("LWPOLYLINE", "POLYLINE") and not (
            kind == "POLYLINE" and not (e.is_2d_polyline or e.is_3d_polyline)
        ):
            self._polyline(e, layer, piece)
        elif kind == "ELLIPSE" and e.dxf.ratio > ROUND:
            self._round(e, layer, piece)
        elif kind in ("CIRCLE", "ELLIPSE", "SPLINE"):
            self._curve(e, layer, piece)
        elif kind == "MLINE":
            for part in e.virtual_entities():
                self.take(part, layer, piece)
        else:
            drawing.skipped[kind] += 1

    def _axis(self, e: Any) -> bool:
        """Whether an entity is drawn with the line type of axes, its own or its layer's."""
        name = str(e.dxf.get("linetype", "BYLAYER")).lower()
        if name == "bylayer":
            layer = _layer(e)
            if layer not in self.types:
                held = self.document.layers.get(layer) if layer in self.document.layers else None
                self.types[layer] = held is not None and any(x in str(held.dxf.linetype).lower() for x in AXES)
            return self.types[layer]
        return any(x in name for x in AXES)

    def _words(self, e: Any, layer: str, piece: int) -> None:
        if e.dxftype() == "MTEXT":
            text, at, height = e.plain_text(), e.dxf.insert, e.dxf.get("char_height", 0.0)
        else:
            text, height = e.plain_text(), e.dxf.get("height", 0.0)
            aligned = e.dxf.get("halign", 0) or e.dxf.get("valign", 0)
            at = e.dxf.align_point if aligned and e.dxf.hasattr("align_point") else e.dxf.insert
            at = e.ocs().to_wcs(at)
        lines = [one_line(line, 60) for line in text.splitlines()]
        if any(lines):
            self.drawing.words.append(
                DrawingText(layer, "\n".join(x for x in lines if x), _point(at), float(height), piece)
            )

    def _arc(self, e: Any, layer: str, piece: int) -> None:
        a, b = _point(e.start_point), _point(e.end_point)
        centre = _point(e.ocs().to_wcs(e.dxf.center))
        sweep = (float(e.dxf.end_angle) - float(e.dxf.start_angle)) % 360.0 or 360.0
        if e.dxf.extrusion.z < 0:
            # Seen from below, it runs the other way round.
            a, b = b, a
        self.drawing.arcs.append(Arc(layer, centre, _far(e.dxf.radius), a, b, sweep, piece))

    def _round(self, e: Any, layer: str, piece: int) -> None:
        """A part of an ellipse that is as good as a part of a circle."""
        first, last = float(e.dxf.start_param), float(e.dxf.end_param)
        a, b = (_point(p) for p in e.vertices([first, last]))
        if e.dxf.extrusion.z < 0:
            a, b = b, a
        sweep = math.degrees(last - first) % 360.0 or 360.0
        radius = _far(e.dxf.major_axis.magnitude)
        self.drawing.arcs.append(Arc(layer, _point(e.dxf.center), radius, a, b, sweep, piece))

    def _polyline(self, e: Any, layer: str, piece: int) -> None:
        parts = list(e.virtual_entities())
        self._count(len(parts))
        lines = [p for p in parts if p.dxftype() == "LINE"]
        if e.is_closed and len(parts) == len(lines) and len(lines) >= 3:
            self.drawing.outlines.append(Polygon(layer, tuple(_point(p.dxf.start) for p in lines), piece))
            return
        corners = [_point(p.dxf.start) for p in lines] + [_point(p.dxf.end) for p in lines[-1:]]
        if len(parts) == len(lines) > 3 and math.dist(corners[0], corners[-1]) < 1e-6 * (1 + abs(corners[0][0])):
            # Closed by hand: the last corner is the first.
            self.drawing.outlines.append(Polygon(layer, tuple(corners[:-1]), piece))
            return
        for part in parts:
            if part.dxftype() == "ARC":
                self._arc(part, layer, piece)
            else:
                stroke = Stroke(layer, _point(part.dxf.start), _point(part.dxf.end), piece, False, self._axis(e))
                self.drawing.strokes.append(stroke)

    def _curve(self, e: Any, layer: str, piece: int) -> None:
        from ezdxf.path import make_path

        path = make_path(e)
        self._count(len(path) * CHORDS)
        points = [_point(p) for p in path.approximate(CHORDS)]
        self.drawing.strokes += [Stroke(layer, a, b, piece, True) for a, b in pairwise(points)]

    def _count(self, points: int) -> None:
        self.points += points
        if self.points > MOST_POINTS:
            raise ProjectError(f"curves of more than {MOST_POINTS:,} points are too many for a plan of one building")


def _layer(e: Any) -> str:
    """The layer of an entity; what is none of a drawing's entities has none."""
    return str(e.dxf.get("layer", "0")) if e.dxf.is_supported("layer") else "0"


def _placed(insert: Any) -> tuple[Point, float]:
    """Where a block is inserted, and how it is turned there, degrees."""
    matrix = insert.matrix44()
    origin = matrix.transform((0, 0, 0))
    ahead = matrix.transform((1, 0, 0)) - origin
    return _point(origin), math.degrees(math.atan2(ahead.y, ahead.x))


def _far(x: Any) -> float:
    value = float(x)
    if not abs(value) <= FARTHEST:
        raise ValueError("invalid coordinate")
    return value


def _point(p: Any) -> Point:
    return _far(p[0]), _far(p[1])
