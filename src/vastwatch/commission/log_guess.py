"""How a log is most likely meant: which column is the time, which the device, which the value, and which device is
which sensor of the plan. Judged by what stands in them, and only then by what they are called."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any

from vastwatch.commission.event_log import (
    IN_PAYLOAD,
    INVERTED,
    LOST,
    OFF,
    ON,
    LogError,
    Reading,
    csv_rows,
    flat,
    lines_of,
    open_log,
    values_of,
)
from vastwatch.commission.log_clock import Clock
from vastwatch.design.expressions import zone_part
from vastwatch.design.project import Project

# Words in the names of columns that speak for what they hold.
NAMES = {
    "time": ("time", "timestamp", "when", "date", "ts"),
    "device": ("device", "sensor", "source", "topic", "name", "id"),
    "value": ("value", "state", "status", "payload", "reading", "message"),
}  # fmt: skip
# Words of values that are asked about.
MOST_WORDS = 12
# Lines that a guess is made from; of a column so many cells must be what it is taken for.
LOOKED_AT, MOST_OF = 400, 0.8
# A device of the log is taken for a sensor with which it shares so much of its words.
ALIKE = 0.6


def guessed(path: str | Path, project: Project) -> Reading:
    """How a log is most likely meant, by its first lines. Raises LogError for one in which nothing is to be found."""
    name = Path(path).name
    with open_log(path) as file:
        head = [line for line in islice(lines_of(file, name), LOOKED_AT) if line.strip()]
    if not head:
        raise LogError(f"{name}: the file is empty")
    if head[0].lstrip().startswith(("{", "[")):
        return _guessed(name, "json", "", *_json_table(head, name), project)
    delimiter = max(",;\t|", key=head[0].count)
    rows = list(csv_rows(head, delimiter, name))
    names = [n.strip() for n in rows[0]]
    cells = [[row[k] if k < len(row) else "" for row in rows[1:]] for k in range(len(names))]
    return _guessed(name, "csv", delimiter, names, cells, project)


def _json_table(head: list[str], name: str) -> tuple[list[str], list[list[Any]]]:
    rows = []
    for n, line in enumerate(head, 1):
        try:
            row = json.loads(line)
        except (ValueError, RecursionError):
            raise LogError(f"{name}: line {n} is no JSON") from None
        if not isinstance(row, dict):
            raise LogError(f"{name}: line {n} is no object with a time")
        rows.append(flat(row))
    keys = list(dict.fromkeys(k for row in rows for k in row))
    return keys, [[row.get(key, "") for row in rows] for key in keys]


def _guessed(
    name: str, kind: str, delimiter: str, names: list[str], cells: Sequence[Sequence[Any]], project: Project
) -> Reading:
    said = [[c for c in column if str(c).strip() != ""] for column in cells]
    is_time = [_share(column, _tells_time) for column in said]
    times = [k for k, share in enumerate(is_time) if share >= MOST_OF and names[k]]
    if not times:
        found = ", ".join(n for n in names[:8] if n) or "none"
        raise LogError(f"{name}: in no column most lines are a time (found: {found})")
    time = max(times, key=lambda k: (_called(names[k], "time"), -k))
    rest = [k for k in range(len(names)) if k not in times and names[k] and said[k]]
    is_value = {k: _share(said[k], _tells_value) for k in rest}
    values = [k for k in rest if is_value[k] >= MOST_OF]
    if kind == "json":
        # In a payload one key tells, the others are of no account.
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
        devices = matched(map(str, said[device]), project)
        return Reading(kind, delimiter, names[time], names[device], names[value], devices=devices)
    others = values or rest
    if not others:
        raise LogError(f"{name}: there is no column but the time")
    return Reading(kind, delimiter, names[time], wide=True, devices=matched([names[k] for k in others], project))


def _share(column: Sequence[Any], is_so: Any) -> float:
    return sum(map(is_so, column)) / len(column) if column else 0.0


_CLOCK = Clock("UTC")


def _tells_time(cell: Any) -> bool:
    try:
        _CLOCK(cell)
    except (ValueError, TypeError, OverflowError):
        return False
    return True


def _tells_value(cell: Any) -> bool:
    if isinstance(cell, bool) or cell is None:
        return True
    word = str(cell).strip().lower()
    if word[:1] == "{":
        return any(f'"{key}"' in word for key in IN_PAYLOAD)
    return word in ON or word in OFF or word in LOST or bool(re.fullmatch(r"-?\d{1,6}([.,]\d+)?", word))


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


def matched(names: Iterable[str], project: Project) -> dict[str, tuple[str, str | None] | None]:
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
    name = Path(path).name
    with open_log(path) as file:
        head = [line for line in islice(lines_of(file, name), LOOKED_AT) if line.strip()]
    if head and head[0].lstrip().startswith(("{", "[")):
        return _json_table(head, name)[0]
    delimiter = max(",;\t|", key=head[0].count) if head else ","
    return [n.strip() for n in next(iter(csv_rows(head, delimiter, name)), [])]


def words_of(path: str | Path, reading: Reading, most: int = MOST_WORDS) -> list[str]:
    """The words that a log's values are, as far as its first lines tell, those first that are not understood; figures
    are not among them. Raises LogError."""
    found: dict[str, None] = {}
    for value, key in islice(values_of(path, reading), LOOKED_AT):
        word = str(value).strip().lower().strip("\"'")
        if isinstance(value, bool) or value is None or key in INVERTED or re.fullmatch(r"-?\d+([.,]\d+)?", word):
            continue
        found[word] = None
    return sorted(found, key=lambda w: (w in ON or w in OFF or w in LOST, w))[:most]


def meant(reading: Reading, word: str, means: bool | None) -> Reading:
    """The same reading with another meaning of a word: on, off, or that nobody listens."""
    return replace(reading, means={**reading.means, word: means})


def with_columns(path: str | Path, project: Project, reading: Reading, time: str, device: str, value: str) -> Reading:
    """The same log read by other columns; without a device, by a column for each. Raises LogError."""
    name = Path(path).name
    if not device or not value:
        others = [n for n in columns_of(path) if n and n != time]
        return replace(reading, time=time, device="", value="", wide=True, devices=matched(others, project))
    with open_log(path) as file:
        head = [line for line in islice(lines_of(file, name), LOOKED_AT) if line.strip()]
    if reading.kind == "json":
        names, cells = _json_table(head, name)
        said = cells[names.index(device)] if device in names else []
    else:
        rows = list(csv_rows(head, reading.delimiter, name))
        k = [n.strip() for n in rows[0]].index(device)
        said = [r[k] for r in rows[1:] if len(r) > k]
    devices = matched((str(x) for x in said if str(x).strip()), project)
    return replace(reading, time=time, device=device, value=value, wide=False, devices=devices)
