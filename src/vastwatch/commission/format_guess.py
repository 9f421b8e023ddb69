"""How a log is most likely meant: which column is the time, which the device, which the value, and which device is
which sensor of the plan. Judged by what stands in them, and only then by what they are called."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import partial
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple, get_args

from vastwatch.commission.log_clock import Clock, Order, clock_of, date_of, likely_order
from vastwatch.commission.log_rows import (
    IN_PAYLOAD,
    INVERTED,
    LOST,
    OFF,
    ON,
    LogError,
    LogFormat,
    column_names,
    csv_rows,
    flatten_row,
    lines_of,
    open_log,
    parse_state,
    values_of,
)
from vastwatch.design.expressions import zone_part
from vastwatch.design.project import Project

# Words in the names of columns that speak for what they hold.
NAMES = {
    "time": ("time", "timestamp", "when", "date", "ts"),
    "device": ("device", "sensor", "source", "topic", "name", "id"),
    "value": ("value", "state", "status", "payload", "reading", "message"),
}  # fmt: skip
# Columns that tell of the radio or the cell, never of somebody.
ASIDE = frozenset(
    ["rssi", "lqi", "linkquality", "snr", "battery", "voltage", "signal", "uptime", "seq", "sequence", "firmware"]
)  # fmt: skip
# Words of values that are asked about.
MOST_WORDS = 12
# A value is said in so many words.
MOST_IN_PHRASE = 4
# Lines that a guess is made from; of a column so many cells must be what it is taken for.
LOOKED_AT, MOST_OF = 400, 0.8
# A device of the log is taken for a sensor with which it shares so much of its words.
ALIKE = 0.6


class Table(NamedTuple):
    """The first lines of a log, column by column; `heads`: whether the first names the columns."""

    kind: str
    delimiter: str
    names: list[str]
    cells: Sequence[Sequence[Any]]
    heads: bool


def table_of(path: str | Path) -> Table:
    """The first lines of a log. Raises LogError for a file that is empty, or not to be read."""
    name = Path(path).name
    with open_log(path) as file:
        head = [line for line in islice(lines_of(file, name), LOOKED_AT) if line.strip()]
    if not head:
        raise LogError(f"{name}: the file is empty")
    if head[0].lstrip().startswith(("{", "[")):
        return Table("json", "", *_json_table(head, name), True)
    delimiter = max(",;\t|", key=head[0].count)
    rows = list(csv_rows(head, delimiter, name))
    # A line that tells a time is an event: then none names the columns.
    heads = not any(_tells_time(c) or _is_date(c) for c in rows[0])
    names = column_names(rows[0], heads)
    rows = rows[1:] if heads else rows
    cells = [[row[k] if k < len(row) else "" for row in rows] for k in range(len(names))]
    return Table("csv", delimiter, names, cells, heads)


def guess_format(path: str | Path, project: Project) -> LogFormat:
    """How a log is most likely meant, by its first lines. Raises LogError for one in which nothing is to be found."""
    return _guessed(Path(path).name, table_of(path), project)


def opened(path: str | Path, project: Project) -> tuple[LogFormat, str]:
    """How a log is most likely meant, and what is missing, in a sentence: of one in which no time is to be found its
    columns can still be chosen. Raises LogError for what is no table at all."""
    table = table_of(path)
    try:
        return _guessed(Path(path).name, table, project), ""
    except LogError as e:
        return LogFormat(table.kind, table.delimiter, wide=True, heads=table.heads), str(e)


def _json_table(head: list[str], name: str) -> tuple[list[str], list[list[Any]]]:
    rows = []
    for n, line in enumerate(head, 1):
        try:
            row = json.loads(line)
        except (ValueError, RecursionError):
            raise LogError(f"{name}: line {n} is not valid JSON") from None
        if not isinstance(row, dict):
            raise LogError(f"{name}: line {n} is not an object with a time")
        rows.append(flatten_row(row))
    keys = list(dict.fromkeys(k for row in rows for k in row))
    return keys, [[row.get(key, "") for row in rows] for key in keys]


def _guessed(name: str, table: Table, project: Project) -> LogFormat:
    kind, delimiter, names, cells, heads = table
    said = [[c for c in column if str(c).strip() != ""] for column in cells]
    is_time = [_share(column, _tells_time) for column in said]
    times = [k for k, share in enumerate(is_time) if share >= MOST_OF and names[k] and not _is_aside(names[k])]
    day = -1
    if not times:
        # A date here and a time of day there.
        days = [k for k in range(len(names)) if names[k] and _share(said[k], _is_date) >= MOST_OF]
        clocks = [k for k in range(len(names)) if names[k] and _share(said[k], _is_clock) >= MOST_OF]
        if not days or not clocks:
            found = ", ".join(n for n in names[:8] if n) or "none"
            raise LogError(f"{name}: no column contains mostly times (found: {found})")
        day, times = days[0], [clocks[0], days[0]]
    time = times[0] if day >= 0 else max(times, key=lambda k: (_called(names[k], "time"), -k))
    order, _ = order_in(said[day if day >= 0 else time])
    aside = tuple(n for k, n in enumerate(names) if n and k not in times and (_is_aside(n) or _negative(said[k])))
    rest = [k for k in range(len(names)) if k not in times and names[k] and said[k] and names[k] not in aside]
    how = LogFormat(
        kind, delimiter, names[time], date=names[day] if day >= 0 else "", order=order, heads=heads, aside=aside
    )
    is_value = {k: _share(said[k], _tells_value) for k in rest}
    values = [k for k in rest if is_value[k] >= MOST_OF]
    if kind == "json":
        # In a payload one key tells, the others are ignored.
        payload = [k for p in IN_PAYLOAD for k in values if names[k].lower().rpartition(".")[2] == p]
        named = [k for k in values if "." not in names[k]]
        values = named or payload[:1] or values
    texts = [k for k in rest if k not in values and _share(said[k], _is_text) >= MOST_OF]
    if not values and any(_known(said[k], project) >= 0.5 for k in texts):
        # Devices of this house, and words that are not known: what they mean can be told.
        known = max(texts, key=lambda k: _known(said[k], project))
        values, texts = [k for k in rest if k != known], [known]
    if texts and values:
        device = max(texts, key=lambda k: (_known(said[k], project), _called(names[k], "device"), -k))
        value = max(values, key=lambda k: (_called(names[k], "value"), is_value[k], -k))
        devices = match_devices(map(str, said[device]), project)
        return replace(how, device=names[device], value=names[value], devices=devices)
    others = values or rest
    if not others:
        raise LogError(f"{name}: no column except the time")
    return replace(how, wide=True, devices=match_devices([names[k] for k in others], project))


def _share(column: Sequence[Any], is_so: Any) -> float:
    return sum(map(is_so, column)) / len(column) if column else 0.0


_CLOCK = {order: Clock("UTC", order) for order in get_args(Order)}


def _tells_time(cell: Any) -> bool:
    return any(_passes(clock, cell) for clock in _CLOCK.values())


def _is_date(cell: Any) -> bool:
    return any(_passes(partial(date_of, order=order), cell) for order in get_args(Order)) and isinstance(cell, str)


def _is_clock(cell: Any) -> bool:
    return isinstance(cell, str) and _passes(clock_of, cell)


def _passes(read: Callable[[Any], object], cell: Any) -> bool:
    try:
        read(cell)
    except (ValueError, TypeError, OverflowError, AttributeError):
        return False
    return True


def _is_aside(name: str) -> bool:
    words = _WORD.findall(name.lower())
    return any(w in ASIDE for w in words) or "".join(words) in ASIDE


def _negative(column: Sequence[Any]) -> bool:
    """Whether a column holds figures below zero, as strengths of a radio signal are."""
    return _share(column, lambda c: bool(re.fullmatch(r"-\d{1,3}([.,]\d+)?", str(c).strip()))) >= MOST_OF


def order_in(cells: Iterable[Any]) -> tuple[Order, bool]:
    """`order_of` the cells of a column."""
    return order_of([str(c) for c in cells])


def order_of(texts: Sequence[str]) -> tuple[Order, bool]:
    """Whether dates in some cells have their day or their month first, and whether that is sure."""
    return likely_order([re.split(r"[T,\s]", t.strip(), maxsplit=1)[0] for t in texts])


def _tells_value(cell: Any) -> bool:
    if isinstance(cell, bool) or cell is None:
        return True
    word = str(cell).strip().lower()
    if word[:1] == "{":
        return any(f'"{key}"' in word for key in IN_PAYLOAD)
    if word in LOST or re.fullmatch(r"-?\d{1,6}([.,]\d+)?", word):
        return True
    # A phrase of a few words says on or off; a name does not.
    return (
        len(word.split()) <= MOST_IN_PHRASE and not word[-1:].isdigit() and _passes(lambda w: parse_state(w, {}), word)
    )


def _is_text(cell: Any) -> bool:
    return isinstance(cell, str) and any(c.isalpha() for c in cell)


def _called(name: str, what: str) -> int:
    """How much a column's name speaks for it: wholly, in part, or not at all."""
    words = _WORD.findall(name.lower())
    return 2 if name.lower() in NAMES[what] else 1 if any(w in NAMES[what] for w in words) else 0


def _known(column: Sequence[Any], project: Project) -> float:
    return _share(list(dict.fromkeys(map(str, column))), lambda name: match(name, project) is not None)


_WORD = re.compile(r"[a-z]+|\d+")
# Words of names in logs that say nothing of which device it is.
_IDLE = frozenset(
    ["binary", "sensor", "occupancy", "motion", "presence", "state", "home", "mesh", "status", "the", "of", "in", "at"]
)  # fmt: skip


def match_devices(names: Iterable[str], project: Project) -> dict[str, tuple[str, str | None] | None]:
    """For each name in a log the sensor, and the part of it, that it most likely is; None where nothing is alike."""
    return {name: match(name, project) for name in dict.fromkeys(names)}


def match(name: str, project: Project) -> tuple[str, str | None] | None:
    """The sensor, and the part of it, that a name in a log most likely is."""
    sensor, _, part = name.strip().partition("/")
    by_id = {s.id for s in project.sensors}
    zones = {z.id: z for z in project.zones}
    if sensor in by_id and not part:
        return sensor, None
    if sensor in by_id and part in ("moving", "still"):
        return sensor, part
    if sensor in by_id and part in zones:
        return sensor, zone_part(part)
    # Of a topic the last level says most.
    said = {_words(name), _words(name.rstrip("/").rpartition("/")[2])}
    best: tuple[float, tuple[str, str | None] | None] = (0.0, None)
    for s in project.sensors:
        for mine in (_words(s.id), _words(s.name)):
            alike = max(_alike(words, mine) for words in said)
            best = max(best, (alike, (s.id, None)), key=lambda x: x[0])
    for z in project.zones:
        of = next((s.name for s in project.sensors if s.id == z.sensor), "")
        for mine in (_words(z.id), _words(f"{of} {z.name}")):
            alike = max(_alike(words, mine) for words in said)
            best = max(best, (alike, (z.sensor, zone_part(z.id))), key=lambda x: x[0])
    return best[1] if best[0] >= ALIKE else None


def _words(name: str) -> frozenset[str]:
    words = _WORD.findall(name.lower())
    return frozenset(w for w in words if w not in _IDLE) or frozenset(words)


def _alike(a: frozenset[str], b: frozenset[str]) -> float:
    """Shared words over all words (Jaccard 1901)."""
    return len(a & b) / len(a | b) if a | b else 0.0


def columns_of(path: str | Path) -> list[str]:
    """The columns or keys of a log, as far as its first lines tell. Raises LogError."""
    return table_of(path).names


def words_of(path: str | Path, reading: LogFormat, most: int = MOST_WORDS) -> list[str]:
    """The words that a log's values are, as far as its first lines tell, those first that are not understood; figures
    are not among them. Raises LogError."""
    found: dict[str, None] = {}
    for value, key in islice(values_of(path, reading), LOOKED_AT):
        word = str(value).strip().lower().strip("\"'")
        if isinstance(value, bool) or value is None or key in INVERTED or re.fullmatch(r"-?\d+([.,]\d+)?", word):
            continue
        found[word] = None
    return sorted(found, key=lambda w: (w in ON or w in OFF or w in LOST, w))[:most]


def with_meaning(reading: LogFormat, word: str, means: bool | None) -> LogFormat:
    """The same reading with another meaning of a word: on, off, or that nobody listens."""
    return replace(reading, means={**reading.means, word: means})


def with_columns(
    path: str | Path, project: Project, reading: LogFormat, time: str, device: str, value: str, date: str | None = None
) -> LogFormat:
    """The same log read by other columns; without a device, by a column for each. `date`: the column of the date, empty
    for none, by default as it was. Raises LogError."""
    table = table_of(path)
    day = reading.date if date is None else date
    cells = dict(zip(table.names, table.cells))
    order, sure = order_in(cells.get(day or time, ()))
    on = day if day != time else ""
    order = order if sure else reading.order
    how = replace(reading, time=time, date=on, order=order, device="", value="", wide=True)
    if not device or not value:
        others = [n for n in table.names if n and n not in (how.time, how.date, *how.aside)]
        return replace(how, devices=match_devices(others, project))
    said = (str(x) for x in cells.get(device, ()) if str(x).strip())
    return replace(how, device=device, value=value, wide=False, devices=match_devices(said, project))
