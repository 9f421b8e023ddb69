"""Cells of lists that other programs open: none may be taken for a formula."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from pathlib import Path

from vastwatch.files.check import ProjectError

# What a table program takes a cell for a formula by; and what goes before such a cell, and away again when it is read.
_BEGINS, GUARD = ("=", "+", "-", "@", "\t", "\r"), "'"


def rows_of(lines: list[str], path: Path) -> list[list[str]]:
    """The cells of some lines, the first of which tells what stands between them: semicolons, tabs or commas. Raises
    ProjectError for what is no table."""
    delimiter = max((";", "\t", ","), key=lines[0].count)
    try:
        return list(csv.reader(io.StringIO("\n".join(lines)), delimiter=delimiter))
    except csv.Error:
        raise ProjectError(f"{path}: this table cannot be read") from None


def csv_text(rows: Iterable[Sequence[str]]) -> str:
    """Rows of texts as CSV that any table program opens as texts."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([escape_formula(cell) for cell in row] for row in rows)
    return out.getvalue()


def escape_formula(cell: str) -> str:
    """A cell that is text everywhere; numbers, negative ones too, stay numbers."""
    return GUARD + cell if cell.startswith((*_BEGINS, GUARD)) and not _is_number(cell) else cell


def unescape_formula(cell: str) -> str:
    """The cell as it was before `escape_formula`."""
    inner = cell.removeprefix(GUARD)
    return inner if inner != cell and inner.startswith((*_BEGINS, GUARD)) else cell


def _is_number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True
