"""A list of rooms as CSV: name, width, depth and use become rooms in rows, each wall to wall with the last.

Written by whatever program people have: the columns in any order, commas or semicolons or tabs between them, points or
commas for decimals, in the usual encodings.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import NamedTuple

from vastwatch.design.edits.building import add_room, place_beside, rectangle
from vastwatch.design.project import Project
from vastwatch.files.check import ProjectError, faults_of
from vastwatch.files.csv_cells import rows_of
from vastwatch.files.reading import read_whole
from vastwatch.site.building import RoomUse
from vastwatch.site.use_guess import USES, guess_use

# A longer list is not one building.
MOST_ROOMS = 500
LARGEST = 5_000_000
COLUMNS = {
    "name": ("name", "room"),
    "width": ("width", "w", "length"),
    "depth": ("depth", "d"),
    "use": ("use", "type", "kind"),
}
# A row is so many times as long as the square of all rooms together; rows are so far apart, metres.
ROW, BETWEEN_ROWS_M = 1.6, 1.0
SMALLEST_M, LARGEST_M = 0.3, 200.0


class ListedRoom(NamedTuple):
    """One line: sizes in metres; `use` is None where the list says none that is known."""

    name: str
    width: float
    depth: float
    use: RoomUse | None


def read_rooms(path: Path) -> list[ListedRoom]:
    """Read a list of rooms. Raises ProjectError with one sentence that names the line."""
    raw = read_whole(path, "a list of rooms", LARGEST)
    text = decoded(raw, path)
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) < 2:
        raise ProjectError(f"{path}: a room list needs a header line and a line for each room")
    rows = rows_of(lines, path)
    where = _columns(rows[0], path)
    if len(rows) - 1 > MOST_ROOMS:
        raise ProjectError(f"{path}: {len(rows) - 1:,} rooms are too many for one building")
    return [_room(row, where, n, path) for n, row in enumerate(rows[1:], 2)]


def decoded(raw: bytes, path: Path) -> str:
    """The text of a file in one of the usual encodings. Raises ProjectError for what is not text."""
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        encodings = ["utf-16"]
    else:
        encodings = ["utf-8-sig", "cp1252"]
    for encoding in encodings:
        try:
            text = raw.decode(encoding)
        except UnicodeDecodeError:
            continue
        if "\0" not in text:
            return text
    raise ProjectError(f"{path}: this is not a text file")


def _columns(heading: list[str], path: Path) -> dict[str, int]:
    names = [h.strip().lower().split("(")[0].split("[")[0].strip() for h in heading]
    where = {}
    for column, known in COLUMNS.items():
        found = next((names.index(k) for k in known if k in names), None)
        if found is not None:
            where[column] = found
    missing = [c for c in ("name", "width", "depth") if c not in where]
    if missing:
        raise ProjectError(f"{path}: no column for {' and '.join(missing)}; the headings are {', '.join(names)}")
    return where


def _room(row: list[str], where: dict[str, int], line: int, path: Path) -> ListedRoom:
    def cell(column: str) -> str:
        k = where.get(column, -1)
        return row[k].strip() if 0 <= k < len(row) else ""

    def metres(column: str) -> float:
        text = cell(column).lower().removesuffix("m").strip().replace(",", ".")
        try:
            value = float(text)
        except ValueError:
            raise ProjectError(f"{path}: line {line}: '{cell(column)}' is not a {column} in metres") from None
        if not SMALLEST_M <= value <= LARGEST_M:
            raise ProjectError(f"{path}: line {line}: a room size of {value:g} m is not plausible")
        return value

    name = cell("name")
    if not name:
        raise ProjectError(f"{path}: line {line}: the room has no name")
    use = next((u for u in USES if u == cell("use").lower()), None) or guess_use(cell("use")) or guess_use(name)
    return ListedRoom(name[:60], metres("width"), metres("depth"), use)


def import_rooms(project: Project, level: str, rooms: list[ListedRoom]) -> tuple[Project, str]:
    """Add the rooms to a level in rows about as long as the whole is deep; the project and what was done, in words.

    Raises ProjectError where what comes of it could not be saved: what cannot be saved cannot be made.
    """
    unknown = 0
    begin, y = place_beside(project, level, 0.0)
    longest = max(ROW * math.sqrt(sum(r.width * r.depth for r in rooms)), max((r.width for r in rooms), default=0.0))
    x, deepest = begin, 0.0
    for room in rooms:
        if x > begin and x + room.width > begin + longest + 1e-9:
            x, y, deepest = begin, round(y + deepest + BETWEEN_ROWS_M, 3), 0.0
        unknown += room.use is None
        project, _ = add_room(project, level, room.name, room.use or "sitting", rectangle(x, y, room.width, room.depth))
        x, deepest = round(x + room.width, 3), max(deepest, room.depth)
    for fault in faults_of(project):
        raise ProjectError(f"these rooms do not make a valid building: {fault}")
    words = f"{len(rooms)} rooms"
    if unknown:
        words += f", {unknown} of them with an unknown use, treated as sitting rooms"
    return project, words
