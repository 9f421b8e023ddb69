"""A log of what a tracking radar read while somebody walked and sat at known places: CSV or JSON Lines.

Rows have a time, a target, x and y as the device gives them, and a mark: the name or id of the spot (or furnishing, or
`x,y` on the plan) where somebody said "now I am here". A mark holds until the next one, or until `-` lifts it.
"""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.files import ProjectError
from vastwatch.files.reading import read_text

Array = NDArray[np.float64]

# What columns are called in logs; of several the first.
CALLED = {
    "t": ("t", "time", "timestamp", "seconds", "ts"),
    "target": ("target", "id", "track", "person"),
    "x": ("x", "x_cm", "x_mm", "x_m", "pos_x"),
    "y": ("y", "y_cm", "y_mm", "y_m", "pos_y"),
    "mark": ("mark", "at", "spot", "place", "label", "note"),
}
# More rows than this are no walk; a file of more bytes is not read.
MOST_ROWS, LARGEST = 2_000_000, 256_000_000
# Words of a mark that lift the one before.
LIFTED = ("-", "walk", "walking", "none")


class WalkError(Exception):
    """A log that cannot be used: one sentence of what and where."""


class WalkLog(NamedTuple):
    """The rows of a log that have a place, in its own unit: seconds, target, (x, y), and the mark each stands under,
    "" for none. `skipped`: rows without a place."""

    t: Array
    target: NDArray[np.int64]
    xy: Array
    mark: NDArray[np.object_]
    skipped: int

    def marks(self) -> list[str]:
        """The marks that were set, in the order of their first time."""
        return list(dict.fromkeys(str(m) for m in self.mark if m))


def read_walk(path: str | Path) -> WalkLog:
    """Read a log. Raises WalkError."""
    file = Path(path)
    try:
        return parse_walk(read_text(file, "a walk", LARGEST), file.name)
    except ProjectError as e:
        raise WalkError(str(e)) from None


def parse_walk(text: str, name: str = "the log") -> WalkLog:
    """A log from its text: JSON Lines where it begins with a brace, else CSV with a heading. Raises WalkError."""
    rows = _json_rows(text, name) if text.lstrip().startswith("{") else _csv_rows(text, name)
    t, target, x, y, mark = [], [], [], [], []
    skipped, present, last = 0, "", 0.0
    for n, row in enumerate(rows):
        if n >= MOST_ROWS:
            raise WalkError(f"{name}: more than {MOST_ROWS:,} rows, too many for a walk")
        said = str(row.get("mark") or "").strip()
        if said:
            present = "" if said.lower() in LIFTED else said
        a, b = _number(row.get("x")), _number(row.get("y"))
        if not (math.isfinite(a) and math.isfinite(b)) or max(abs(a), abs(b)) > 1e6:
            # A line that only marks has no place, and lacks none.
            skipped += not said
            continue
        at = _number(row.get("t"))
        last = at if math.isfinite(at) else last
        who = _number(row.get("target"))
        t.append(last)
        target.append(int(who) if math.isfinite(who) and abs(who) < MOST_TARGET else 0)
        x.append(a)
        y.append(b)
        mark.append(present)
    if not x:
        raise WalkError(f"{name}: no row has x and y")
    return WalkLog(
        np.array(t), np.array(target, np.int64), np.column_stack([x, y]), np.array(mark, object), skipped
    )  # fmt: skip


def parse_pairs(text: str, name: str = "the pairs") -> tuple[Array, Array]:
    """Pairs of tape and reading, metres, a line each, commas or blanks between; a heading is passed over. Raises
    WalkError."""
    tape, read = [], []
    for n, line in enumerate(text.splitlines(), 1):
        words = line.replace(",", " ").replace(";", " ").replace("\t", " ").split()
        if not words:
            continue
        values = [_number(w) for w in words[:2]]
        if len(values) < 2 or not all(math.isfinite(v) and 0 <= v <= 100 for v in values):
            if n == 1 and not any(math.isfinite(v) for v in values):
                continue
            raise WalkError(f"{name}: line {n} is not a pair of tape and sensor distance in metres, such as 2.00 2.35")
        tape.append(values[0])
        read.append(values[1])
    return np.array(tape), np.array(read)


# No radar numbers whom it follows so high.
MOST_TARGET = 1e9


def _number(value: Any) -> float:
    if isinstance(value, bool):
        return math.nan
    try:
        return float(value)
    except (TypeError, ValueError, OverflowError):
        return math.nan


def _columns(names: list[str], name: str) -> dict[str, str]:
    given = {n.strip().lower(): n for n in names}
    out = {}
    for wanted, called in CALLED.items():
        found = next((given[c] for c in called if c in given), None)
        if found is not None:
            out[wanted] = found
    for needed in ("x", "y"):
        if needed not in out:
            raise WalkError(f"{name}: no column '{needed}' (found: {', '.join(names) or 'none'})")
    return out


def _csv_rows(text: str, name: str) -> Iterator[dict[str, Any]]:
    head = text[:4096].splitlines()[:1]
    if not head:
        raise WalkError(f"{name}: the file is empty")
    delimiter = max(",;\t", key=head[0].count)
    try:
        reader = csv.reader(io.StringIO(text), delimiter=delimiter)
        names = next(reader)
        columns = {wanted: names.index(found) for wanted, found in _columns(names, name).items()}
        for cells in reader:
            if cells:
                yield {wanted: cells[k] if k < len(cells) else None for wanted, k in columns.items()}
    except csv.Error as e:
        raise WalkError(f"{name}: line {reader.line_num}: {e}") from None


def _json_rows(text: str, name: str) -> Iterator[dict[str, Any]]:
    for n, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        try:
            row = json.loads(line)
        except (ValueError, RecursionError):
            raise WalkError(f"{name}: line {n} is not valid JSON") from None
        if not isinstance(row, dict):
            raise WalkError(f"{name}: line {n} is not an object with x and y")
        given = {str(k).strip().lower(): v for k, v in row.items()}
        yield {wanted: next((given[c] for c in called if c in given), None) for wanted, called in CALLED.items()}
