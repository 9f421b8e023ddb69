"""Feeds the program damaged and made-up files, and reports whatever is not one sentence, or takes too long.

    fuzz.py projects --count 100000 --seed 1 --seconds 3600
    fuzz.py drawings | lists | devices | pictures ...

Each file is made from a sound one by a few mutations that depend on the seed and its number alone, so that what is
found can be made again: `--only NUMBER --keep FILE` writes it down. What a reader accepts must be sound: it is
written, read again and the same, and now and then lived in for a day. Exit code 1 where anything was found.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import random
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

from vastwatch.files import ProjectError, load_demo

# A file that takes longer than this has blocked the program, as far as anybody who waits can tell, seconds.
TOO_LONG_S = 2.0
# One accepted project in so many is checked and lived in.
LIVED = 40

NUMBERS = (
    0,
    -1,
    1,
    0.5,
    -0.5,
    1e308,
    -1e308,
    1e-308,
    1e9,
    2**31,
    2**63,
    2**64,
    10**30,
    float("inf"),
    float("nan"),
    1e5,
)
TEXTS = (
    "", " ", "\n", "a\nb", "<b>x</b>", "=1+1", "\u202e", "\ud83d\ude00", "x" * 5000, "../..", "NaN", "yes", "1,5",
    "\x00", "é", "%n%s", "'", '"', "\\", "ground", "9999-12-31", "0001-01-01", "24:00", "٠٧:30",
)  # fmt: skip


# -- projects ----------------------------------------------------------------------------------------------------------


@cache
def _paths() -> tuple[tuple[Any, ...], ...]:
    """The way to every value in the sample project, however deep, key by key."""
    found: list[tuple[Any, ...]] = []
    waiting: list[tuple[tuple[Any, ...], Any]] = [((), json.loads(_demo()))]
    while waiting:
        path, value = waiting.pop()
        if isinstance(value, dict | list):
            for key in value if isinstance(value, dict) else range(len(value)):
                found.append((*path, key))
                waiting.append(((*path, key), value[key]))
    return tuple(found)


def _place(rng: random.Random, document: Any) -> tuple[Any, Any]:
    """A (container, key) somewhere in a document that was the sample project."""
    while True:
        *path, key = rng.choice(_paths())
        holder = document
        try:
            for step in path:
                holder = holder[step]
            holder[key]
        except (KeyError, IndexError, TypeError):
            # That part was changed by an act before.
            continue
        if isinstance(holder, dict | list):
            return holder, key


def _any_value(rng: random.Random, document: Any) -> Any:
    kind = rng.randrange(8)
    if kind == 0:
        return rng.choice(NUMBERS)
    if kind == 1:
        return rng.choice(TEXTS)
    if kind == 2:
        return rng.choice((None, True, False, [], {}, [[]], {"": {}}))
    if kind == 3:
        holder, key = _place(rng, document)
        # A copy: what holds itself cannot be written.
        return json.loads(json.dumps(holder[key]))
    if kind == 4:
        return rng.uniform(-1000, 1000)
    if kind == 5:
        return [rng.choice(NUMBERS) for _ in range(rng.randrange(5))]
    if kind == 6:
        deep: Any = rng.choice(({"op": "report", "sensor": "pir"}, 1))
        for _ in range(rng.choice((3, 30, 300))):
            deep = rng.choice(({"op": "not", "of": deep}, [deep]))
        return deep
    return rng.randrange(-5, 400)


def project_file(rng: random.Random) -> bytes:
    """The sample project with some of its values changed, moved, doubled or gone; sometimes its bytes too."""
    document = json.loads(_demo())
    for _ in range(rng.choice((1, 1, 1, 2, 3, 8))):
        holder, key = _place(rng, document)
        act = rng.randrange(6)
        if act == 0 and isinstance(holder, dict):
            del holder[key]
        elif act == 1 and isinstance(holder, list):
            holder.insert(rng.randrange(len(holder) + 1), json.loads(json.dumps(holder[key])))
        elif act == 2 and isinstance(holder, list):
            del holder[key]
        elif act == 3 and isinstance(holder[key], int | float) and not isinstance(holder[key], bool):
            holder[key] = holder[key] * rng.choice((-1, 0, 0.5, 2, 10, 1e3, 1e6, 1.0001))
        elif act == 4 and isinstance(holder, dict):
            holder[rng.choice((*holder, *TEXTS))] = json.loads(json.dumps(holder[key]))
        else:
            holder[key] = _any_value(rng, document)
    try:
        raw = json.dumps(document, ensure_ascii=rng.random() < 0.5).encode("utf-8", "surrogatepass")
    except (RecursionError, ValueError):
        raw = b"[" * 50_000
    return raw if rng.random() < 0.7 else damaged(raw, rng)


@cache
def _demo() -> bytes:
    return resources.files("vastwatch").joinpath("data/saltmarsh.vastwatch.json").read_bytes()


def damaged(raw: bytes, rng: random.Random) -> bytes:
    """Bytes changed, cut, doubled or put in."""
    out = bytearray(raw)
    for _ in range(rng.choice((1, 1, 2, 5, 30))):
        if not out:
            break
        at = rng.randrange(len(out))
        act = rng.randrange(6)
        if act == 0:
            out[at] = rng.randrange(256)
        elif act == 1:
            del out[at : at + rng.choice((1, 2, 50, 5000))]
        elif act == 2:
            out[at:at] = rng.choice(
                (b"\0", b"\xff\xfe", b"1e999", b'"', b"{", b"[" * 200, b"9" * 5000, b"\n", b"\xed\xa0\x80")
            )
        elif act == 3:
            piece = out[at : at + rng.choice((4, 40, 400))]
            out[at:at] = piece
        elif act == 4:
            del out[at:]
        else:
            out[at] ^= 1 << rng.randrange(8)
    return bytes(out)


def read_project_file(path: Path, number: int) -> None:
    """Read it; what is accepted is saved, read again and the same, and sometimes lived in."""
    from vastwatch.files import load_project
    from vastwatch.files.project_file import decode, encode

    project = load_project(path)
    written = encode(project)
    assert encode(decode(written)) == written, "accepted, and not the same when it is written and read again"
    if number % LIVED == 0:
        from vastwatch.advice.checks.findings import findings
        from vastwatch.rehearsal import rehearse

        findings(project)
        rehearse(project, 1, 1)


# -- drawings


def drawing_file(rng: random.Random) -> bytes:
    """The shipped drawing, or a small one of every kind of entity, with tags changed, moved or gone."""
    raw = resources.files("vastwatch").joinpath("data/saltmarsh.dxf").read_bytes() if rng.random() < 0.3 else _zoo()
    if rng.random() < 0.25:
        return damaged(raw, rng)
    lines = raw.split(b"\n")
    for _ in range(rng.choice((1, 1, 2, 5, 20))):
        # A tag is two lines: its code and its value.
        at = 2 * rng.randrange(len(lines) // 2)
        act = rng.randrange(5)
        if act == 0:
            lines[at + 1 : at + 2] = [
                rng.choice((b"1e308", b"-1e12", b"nan", b"inf", b"0", b"x" * 3000, b"", b"1e-300", b"7"))
            ]
        elif act == 1:
            del lines[at : at + 2 * rng.choice((1, 1, 3, 40))]
        elif act == 2:
            other = 2 * rng.randrange(len(lines) // 2)
            lines[at:at] = lines[other : other + 2 * rng.choice((1, 4, 30))]
        elif act == 3:
            lines[at : at + 1] = [str(rng.choice((0, 2, 10, 40, 42, 70, 90, 1000, -5))).encode()]
        else:
            lines[at + 1 : at + 2] = [
                rng.choice((b"LINE", b"INSERT", b"SPLINE", b"B", b"*MODEL_SPACE", b"ENDSEC", b"LAYER"))
            ]
    return b"\n".join(lines)


_MADE: dict[str, bytes] = {}


def _zoo() -> bytes:
    if "zoo" not in _MADE:
        import ezdxf

        document = ezdxf.new("R2010", setup=True)
        space = document.modelspace()
        block = document.blocks.new("B")
        block.add_arc((0, 0), 0.9, 0, 90)
        block.add_line((0, 0), (0, 0.9))
        for k in range(4):
            space.add_blockref("B", (2 * k, 4), dxfattribs={"rotation": 30 * k, "xscale": -1.0 if k % 2 else 1.0})
        for inset in (0.0, 0.2):
            corners = [(inset, inset), (9 - inset, inset), (9 - inset, 6 - inset), (inset, 6 - inset)]
            space.add_lwpolyline(corners, close=True, dxfattribs={"layer": "WALLS"})
        space.add_lwpolyline([(1, 1, 0, 0, 0.4), (3, 1, 0, 0, -0.4), (3, 3, 0, 0, 0)])
        space.add_spline([(0, 0), (1, 2), (3, 1), (4, 4)])
        space.add_ellipse((3, 3), (1, 0), 0.5)
        space.add_circle((5, 3), 0.4)
        space.add_polyline2d([(5, 1), (6, 1), (6, 2)], close=True)
        space.add_text("OFFICE", height=0.2, dxfattribs={"insert": (3, 3)})
        space.add_mtext("{\\fArial;Store}\\P12 m2", dxfattribs={"insert": (5, 4)})
        space.add_mline([(1, 5), (8, 5)])
        out = io.StringIO()
        document.write(out)
        _MADE["zoo"] = document.encode(out.getvalue())
    return _MADE["zoo"]


def read_drawing_file(path: Path, number: int) -> None:
    """Read it and bring it into an empty project; what comes of it can be saved."""
    from vastwatch.files.check import check_project
    from vastwatch.files.drawing.importing import import_drawing
    from vastwatch.files.drawing.reading import read_drawing

    drawing = read_drawing(path)
    brought = import_drawing(_bare(), "g", drawing, set(drawing.layers), drawing.guessed_unit())
    check_project(brought.project)


def _bare() -> Any:
    from vastwatch.design.project import Project
    from vastwatch.site.building import Level

    return Project(name="bare", levels=(Level(id="g", name="Ground", elevation=0.0),))


# -- lists and pictures


def list_file(rng: random.Random) -> bytes:
    """A list of rooms with cells and bytes changed."""
    rows = [["name", "width", "depth", "use"]]
    rows += [
        [f"Room {k}", f"{rng.uniform(1, 9):.2f}", f"{rng.uniform(1, 9):.2f}", "office"]
        for k in range(rng.randrange(1, 30))
    ]
    for _ in range(rng.choice((1, 2, 5))):
        row = rng.choice(rows)
        row[rng.randrange(len(row))] = rng.choice((*TEXTS, *(str(n) for n in NUMBERS), "4,2", "200", "0.3", '"', "a;b"))
    between = rng.choice((",", ";", "\t"))
    raw = "\n".join(between.join(row) for row in rows).encode("utf-8", "replace")
    return damaged(raw, rng) if rng.random() < 0.4 else raw


def read_list_file(path: Path, number: int) -> None:
    """Read it and bring the rooms in; what comes of it can be saved."""
    from vastwatch.files.check import check_project
    from vastwatch.files.rooms_csv import import_rooms, read_rooms

    project, _ = import_rooms(_bare(), "g", read_rooms(path))
    check_project(project)


def device_file(rng: random.Random) -> bytes:
    """The catalogue as a list of types, with cells and bytes changed."""
    import csv

    if "devices" not in _MADE:
        from vastwatch.devices import catalogue
        from vastwatch.files.device_list import write_devices

        with tempfile.TemporaryDirectory() as folder:
            write_devices(list(catalogue()), Path(folder) / "a.csv")
            _MADE["devices"] = (Path(folder) / "a.csv").read_bytes()
    rows = list(csv.reader(io.StringIO(_MADE["devices"].decode())))
    rows = [rows[0], *rng.sample(rows[1:], rng.randrange(1, 5))]
    for _ in range(rng.choice((1, 2, 5))):
        row = rng.choice(rows)
        row[rng.randrange(len(row))] = rng.choice((*TEXTS, *(str(n) for n in NUMBERS)))
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    raw = out.getvalue().encode("utf-8", "replace")
    return damaged(raw, rng) if rng.random() < 0.3 else raw


def read_device_file(path: Path, number: int) -> None:
    """Read the types; those accepted are written and read again, and are the same."""
    import msgspec

    from vastwatch.files.device_list import read_devices, write_devices

    found = read_devices(path)
    again = path.with_name("again.csv")
    write_devices(found, again)
    assert msgspec.to_builtins(read_devices(again)) == msgspec.to_builtins(found), (
        "not the same when written and read again"
    )


def picture_file(rng: random.Random) -> bytes:
    """A small PNG, JPEG or PDF, with its bytes changed: mostly those of its head."""
    kind = rng.choice(("png", "jpg", "pdf"))
    if kind not in _MADE:
        _MADE[kind] = _picture(kind)
    raw = bytearray(_MADE[kind])
    if rng.random() < 0.6:
        for _ in range(rng.choice((1, 2, 4))):
            raw[rng.randrange(min(len(raw), 120))] = rng.randrange(256)
        return bytes(raw)
    return damaged(bytes(raw), rng)


def _picture(kind: str) -> bytes:
    from PyQt6.QtCore import QBuffer, QIODevice
    from PyQt6.QtGui import QColor, QImage, QPainter, QPdfWriter

    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    if kind == "pdf":
        writer = QPdfWriter(buffer)
        painter = QPainter(writer)
        painter.drawLine(10, 10, 4000, 4000)
        painter.end()
    else:
        image = QImage(320, 200, QImage.Format.Format_RGB32)
        image.fill(QColor("#ddeeff"))
        image.save(buffer, kind.upper())
    return bytes(buffer.data().data())


def read_picture_file(path: Path, number: int) -> None:
    """Read it as what lies under a level; what is accepted can be kept in a project."""
    from vastwatch.desk.plan.underlay import pages_of, picture_of, read_underlay
    from vastwatch.files.pictures import embedded_picture_fault

    pages_of(path)
    underlay = read_underlay(path)
    fault = embedded_picture_fault(underlay.data)
    assert fault is None, fault
    assert not picture_of(underlay).isNull()


KINDS: dict[str, tuple[str, Callable[[random.Random], bytes], Callable[[Path, int], None]]] = {
    "projects": ("a.vastwatch.json", project_file, read_project_file),
    "drawings": ("a.dxf", drawing_file, read_drawing_file),
    "lists": ("a.csv", list_file, read_list_file),
    "devices": ("a.csv", device_file, read_device_file),
    "pictures": ("a.png", picture_file, read_picture_file),
}


# -- the run


class Outcome:
    """Counts, and what was found: (number, what)."""

    def __init__(self) -> None:
        self.files = self.accepted = 0
        self.slowest = 0.0
        self.found: list[tuple[int, str]] = []


def fuzz(
    kind: str, count: int, seed: int, seconds: float, first: int = 0, tell: Callable[[str], None] = lambda _: None
) -> Outcome:
    """Read so many made-up files of a kind, or as many as there is time for. `tell` hears what was found at once."""
    name, make, read = KINDS[kind]
    if kind == "pictures":
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from PyQt6.QtGui import QGuiApplication

        _MADE["application"] = QGuiApplication.instance() or QGuiApplication(["fuzz"])  # type: ignore[assignment]
    out = Outcome()
    until, told = time.monotonic() + seconds, 0
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        for number in range(first, first + count):
            if time.monotonic() > until:
                break
            path.write_bytes(make(random.Random(f"{kind} {seed} {number}")))
            out.files += 1
            began = time.perf_counter()
            try:
                read(path, number)
                out.accepted += 1
            except ProjectError as e:
                words = str(e)
                if len(words.splitlines()) != 1 or not words.isprintable() or len(words) > 700:
                    out.found.append((number, f"no sentence: {words!r}"))
            except Exception as e:
                last = traceback.extract_tb(e.__traceback__)[-1]
                out.found.append(
                    (number, f"{type(e).__name__}: {str(e)[:120]} ({Path(last.filename).name}:{last.lineno})")
                )
            took = time.perf_counter() - began
            out.slowest = max(out.slowest, took)
            # A day that is lived is no reading.
            if took > TOO_LONG_S and not (kind == "projects" and number % LIVED == 0):
                out.found.append((number, f"took {took:.1f} s"))
            for at, what in out.found[told:]:
                tell(f"{kind} {seed} {at}: {what}")
            told = len(out.found)
            if out.files % 5000 == 0:
                tell(f"{out.files} files so far")
    return out


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("kind", choices=list(KINDS))
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--seconds", type=float, default=600.0)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--only", type=int, help="just this number, with its traceback")
    parser.add_argument("--keep", type=Path, help="with --only: write the file here")
    args = parser.parse_args()
    load_demo()
    if args.only is not None:
        name, make, read = KINDS[args.kind]
        raw = make(random.Random(f"{args.kind} {args.seed} {args.only}"))
        path = args.keep or Path(tempfile.mkdtemp()) / name
        path.write_bytes(raw)
        read(path, args.only)
        return 0
    out = fuzz(args.kind, args.count, args.seed, args.seconds, args.first, lambda text: print(text, flush=True))
    print(f"{out.files} files, {out.accepted} accepted, {len(out.found)} found, the slowest {out.slowest:.2f} s")
    return 1 if out.found else 0


if __name__ == "__main__":
    sys.exit(main())
