"""How a log was read before: kept with the project as a layout of its columns, and found by the next file with the
same.

What the file itself tells for certain is taken from it: new devices are matched by their names, and the order of dates
that only one order fits.
"""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from msgspec.structs import replace as replaced

from vastwatch.commission.format_guess import Table, guess_format, match_devices, order_in, table_of
from vastwatch.commission.log_rows import LogError, LogFormat
from vastwatch.design.log_layouts import MOST_LAYOUTS, LogDevice, LogLayout, LogWord
from vastwatch.design.project import Project

MEANS: dict[bool | None, Literal["on", "off", "no data"]] = {True: "on", False: "off", None: "no data"}
_MEANT = {words: means for means, words in MEANS.items()}
LONGEST = 200


def format_for(path: str | Path, project: Project) -> tuple[LogFormat, LogLayout | None]:
    """How a log is read: as the project keeps it for these columns, with that layout, or else as it is most likely
    meant, and None. Raises LogError for a log that can be read neither way."""
    table = table_of(path)
    layout = next((x for x in project.log_layouts if _fits(x, table)), None)
    if layout is None:
        return guess_format(path, project), None
    return _read_by(layout, table, project), layout


def _fits(layout: LogLayout, table: Table) -> bool:
    return (layout.kind, layout.heads, layout.columns) == (table.kind, table.heads, tuple(table.names))


def _read_by(layout: LogLayout, table: Table, project: Project) -> LogFormat:
    cells = dict(zip(table.names, table.cells))
    if layout.wide:
        beside = {layout.time, layout.date, "", *layout.aside}
        names = [n for n in table.names if n not in beside]
    else:
        names = [str(x) for x in cells.get(layout.device, ()) if str(x).strip()]
    order, sure = order_in(cells.get(layout.date or layout.time, ()))
    there = {s.id for s in project.sensors}
    known = {
        d.name: None if d.sensor is None else (d.sensor, d.part)
        for d in layout.devices if d.sensor is None or d.sensor in there
    }  # fmt: skip
    return LogFormat(
        layout.kind, table.delimiter, layout.time, layout.device, layout.value, layout.wide,
        match_devices(names, project) | known, {w.word: _MEANT[w.means] for w in layout.words}, layout.date,
        order if sure else layout.order, layout.heads, layout.aside, layout.quiet_h,
    )  # fmt: skip


def with_format(project: Project, path: str | Path, reading: LogFormat) -> Project:
    """The project that keeps how a log is read, in place of what it kept for the same columns; itself where it keeps
    just that, or nothing and the log is read as it is most likely meant. The one that was used longest ago goes where
    there are too many. Raises LogError."""
    table = table_of(path)
    before = next((x for x in project.log_layouts if _fits(x, table)), None)
    try:
        usual = _read_by(before, table, project) if before is not None else guess_format(path, project)
    except LogError:
        usual = None
    if reading == usual or not reading.time or any(len(n) > LONGEST for n in table.names):
        return project
    taken = {x.id for x in project.log_layouts}
    ident = next(f"log-{n}" for n in range(1, MOST_LAYOUTS + 2) if f"log-{n}" not in taken)
    layout = LogLayout(
        id=ident if before is None else before.id, name=Path(path).name[:LONGEST],
        kind="json" if table.kind == "json" else "csv", columns=tuple(table.names), delimiter=table.delimiter,
        heads=reading.heads, time=reading.time, date=reading.date, order=reading.order, device=reading.device,
        value=reading.value, wide=reading.wide, aside=reading.aside,
        devices=tuple(
            LogDevice(name=name, sensor=None if told is None else told[0], part=None if told is None else told[1])
            for name, told in reading.devices.items() if len(name) <= LONGEST
        )[:1000],
        words=tuple(LogWord(word=w, means=MEANS[m]) for w, m in reading.means.items() if len(w) <= LONGEST)[:1000],
        quiet_h=reading.quiet_h,
    )  # fmt: skip
    others = tuple(x for x in project.log_layouts if x is not before)
    return replaced(project, log_layouts=(*others, layout)[-MOST_LAYOUTS:])
