"""The rows of a log file: what it is written in, its columns or keys, and event by event what stands there.

How a log is to be understood is a `LogFormat`; `format_guess` makes one, `event_log` reads by it.
"""

from __future__ import annotations

import contextlib
import csv
import json
import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import chain, islice
from pathlib import Path
from typing import IO, Any

from vastwatch.commission.log_clock import Order

# Keys within a payload that say whether somebody is there.
IN_PAYLOAD = ("occupancy", "presence", "motion", "contact", "state", "value", "open", "vibration", "action")
ON = frozenset({
    "on", "true", "1", "yes", "open", "opened", "occupied", "present", "presence", "detected", "motion", "active",
    "home", "running", "playing", "moving", "still", "pressed",
})  # fmt: skip
OFF = frozenset({
    "off", "false", "0", "no", "closed", "close", "clear", "cleared", "unoccupied", "absent", "none", "idle",
    "inactive", "away", "stopped", "paused", "standby", "released",
})  # fmt: skip
LOST = frozenset({"", "unavailable", "unknown", "offline", "lost", "disconnected", "nan", "null"})
# A contact that is closed says true in some payloads: these keys mean the opposite of their value.
INVERTED = frozenset({"contact"})
# Words that turn what follows into its opposite, and what a phrase may hold besides.
NOT = frozenset({"no", "not", "without", "non"})
BESIDES = frozenset(
    {"motion", "movement", "presence", "occupancy", "contact", "door", "window", "state", "status", "is"}
)
# A line longer than this is no event; so many bytes tell in what a log is written.
LONGEST_LINE, PEEK = 65_536, 65_536
# So many events are taken together.
BATCH = 10_000


class LogError(Exception):
    """A log that cannot be used: one sentence of what and where."""


@dataclass(frozen=True)
class LogFormat:
    """How a log is to be understood. `date`: the column of the date, where `time` holds the time of day alone; `order`:
    whether dates have their day or their month first; `heads`: whether the first line names the columns.
    `wide`: a column for each device, else `device` and `value` are columns (or keys); `aside`: columns that are
    ignored. `devices`: by name in the log the sensor and the part of it that speaks, None where it is ignored. `means`:
    words of this log that mean on (True), off (False) or not listening (None), beside the usual ones. `quiet_h`: a
    device that says nothing for so many hours has no data, as anybody who knows the house says; None: it is just quiet.
    """

    kind: str = "csv"
    delimiter: str = ","
    time: str = ""
    device: str = ""
    value: str = ""
    wide: bool = False
    devices: dict[str, tuple[str, str | None] | None] = field(default_factory=dict)
    means: dict[str, bool | None] = field(default_factory=dict)
    date: str = ""
    order: Order = "day"
    heads: bool = True
    aside: tuple[str, ...] = ()
    quiet_h: float | None = None


# -- rows ----------------------------------------------------------------------------------------------------------


def lines_of(file: IO[str], name: str) -> Iterator[str]:
    try:
        for line in file:
            if len(line) > LONGEST_LINE:
                raise LogError(f"{name}: a line of more than {LONGEST_LINE:,} characters is not an event")
            if "\x00" in line:
                raise LogError(f"{name}: not a text file")
            yield line
    except UnicodeDecodeError:
        raise LogError(f"{name}: not a text file in UTF-8") from None


def open_log(path: str | Path) -> IO[str]:
    file = Path(path)
    try:
        if not file.is_file():
            raise LogError(f"{file}: no such file" if not file.exists() else f"{file}: not a readable file")
        return file.open(encoding=_encoding(file), newline="")
    except OSError as e:
        raise LogError(f"{file.name}: cannot be read ({e.strerror or e})") from None


def _encoding(file: Path) -> str:
    """What a log is written in: by its first bytes, else UTF-8, else the usual one of older programs."""
    with file.open("rb") as raw:
        head = raw.read(PEEK)
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    try:
        head.decode("utf-8")
    except UnicodeDecodeError as e:
        # A character cut at the end of the piece is none of another encoding's.
        if e.start < len(head) - 4 and b"\x00" not in head:
            return "cp1252"
    return "utf-8-sig"


def column_names(first: Sequence[str], heads: bool) -> list[str]:
    """What columns are called: as the first line says, or by their number."""
    return [n.strip() for n in first] if heads else [f"column {k}" for k in range(1, len(first) + 1)]


def csv_rows(lines: Iterable[str], delimiter: str, name: str) -> Iterator[list[str]]:
    reader = csv.reader(lines, delimiter=delimiter)
    try:
        yield from reader
    except csv.Error as e:
        raise LogError(f"{name}: line {reader.line_num}: {e}") from None


def flatten_row(row: Any) -> dict[str, Any]:
    """The keys of an object, those of an object in it after a dot; a payload that is text is read as JSON."""
    out: dict[str, Any] = {}
    for key, value in row.items():
        if isinstance(value, str) and value[:1] == "{":
            with contextlib.suppress(ValueError, RecursionError):
                value = json.loads(value)
        if isinstance(value, dict):
            for inner, deep in value.items():
                out[f"{key}.{inner}"] = deep
        else:
            out[str(key)] = value
    return out


# -- what ----------------------------------------------------------------------------------------------------------


def parse_state(value: Any, means: dict[str, bool | None], key: str = "") -> bool | None:
    """What a value says: on, off, or that nobody listens. Raises ValueError for one that says neither."""
    if isinstance(value, bool):
        return value != (key in INVERTED)
    if value is None:
        return None
    word = str(value).strip().lower().strip("\"'")
    if word in means:
        return means[word]
    if word in ON:
        return (key not in INVERTED) if word in ("true", "1") else True
    if word in OFF:
        return (key in INVERTED) if word in ("false", "0") else False
    if word in LOST:
        return None
    with contextlib.suppress(ValueError):
        # A figure: a distance, a count, watts. Zero is nobody.
        return float(word.replace(",", ".")) > 0.0
    return _of_words(word)


def _of_words(text: str) -> bool:
    """What a phrase says: `Motion detected`, `no motion`, `door: closed`. Raises ValueError for one that says neither,
    or both, or holds any other word: that may be a name."""
    words = set(re.findall(r"\w+", text))
    off, on = words & (OFF - {"no"}), words & ON
    if ("motion" in on and len(on) > 1) or (off and on <= BESIDES):
        on -= BESIDES
    if not words <= ON | OFF | NOT | BESIDES or bool(on) == bool(off):
        raise ValueError(f"'{text}' says neither on nor off")
    return bool(on) != bool(words & NOT)


# -- events --------------------------------------------------------------------------------------------------------


def events(
    path: str | Path, reading: LogFormat, on_line: Callable[[int], bool]
) -> Iterator[tuple[int, Any, str, Any, str]]:
    """(line, time, device, value, key) of every event; `on_line` hears how far it is, and whether to go on."""
    name = Path(path).name
    with open_log(path) as file:
        if reading.kind == "json":
            yield from _json_events(file, name, reading, on_line)
            return
        rows = csv_rows(lines_of(file, name), reading.delimiter, name)
        first = next(rows, [])
        names = column_names(first, reading.heads)
        if not reading.heads:
            rows = chain([first], rows)
        begin = 2 if reading.heads else 1
        if not reading.time:
            raise LogError(f"{name}: choose the column of the time")
        wanted = [reading.time, *([] if reading.wide else [reading.device, reading.value])]
        for column in (*wanted, *([reading.date] if reading.date else [])):
            if column not in names:
                raise LogError(f"{name}: no column '{column}'")
        when = names.index(reading.time)
        day = names.index(reading.date) if reading.date else -1
        if reading.wide:
            no_device = {reading.time, reading.date, "", *reading.aside}
            others = [(k, n) for k, n in enumerate(names) if n not in no_device]
            for line, row in enumerate(rows, begin):
                if not on_line(line):
                    return
                for k, column in others:
                    if k < len(row) and row[k].strip() and max(when, day) < len(row):
                        yield line, row[when] if day < 0 else f"{row[day]} {row[when]}", column, row[k], ""
            return
        who, what = names.index(reading.device), names.index(reading.value)
        most = max(when, day, who, what)
        for line, row in enumerate(rows, begin):
            if not on_line(line):
                return
            if len(row) > most:
                value, at = row[what], row[when] if day < 0 else f"{row[day]} {row[when]}"
                if value[:1] == "{":
                    yield line, at, row[who], *_of_payload(value)
                else:
                    yield line, at, row[who], value, ""
            elif row:
                yield line, None, "", None, ""


def batches(
    path: str | Path, reading: LogFormat, on_line: Callable[[int], bool]
) -> Iterator[list[tuple[int, Any, str, Any, str]]]:
    found = events(path, reading, on_line)
    while batch := list(islice(found, BATCH)):
        yield batch


def _of_payload(text: str) -> tuple[Any, str]:
    """The value in a JSON payload, and its key."""
    try:
        payload = json.loads(text)
    except (ValueError, RecursionError):
        return text, ""
    if isinstance(payload, dict):
        for key in IN_PAYLOAD:
            if key in payload:
                return payload[key], key
    return text, ""


def _json_events(
    file: IO[str], name: str, reading: LogFormat, on_line: Callable[[int], bool]
) -> Iterator[tuple[int, Any, str, Any, str]]:
    for line, text in enumerate(lines_of(file, name), 1):
        if not on_line(line):
            return
        if not text.strip():
            continue
        try:
            row = json.loads(text)
        except (ValueError, RecursionError):
            row = None
        if not isinstance(row, dict):
            yield line, None, "", None, ""
            continue
        found = flatten_row(row)
        when = found.get(reading.time)
        if reading.date:
            when = f"{found.get(reading.date)} {when}"
        if reading.wide:
            for key, value in found.items():
                if key not in (reading.time, reading.date, *reading.aside):
                    yield line, when, key, value, ""
        elif reading.device in found:
            value = found.get(reading.value)
            key = reading.value.rpartition(".")[2]
            if value is None and reading.value not in found:
                inside = next((k for p in IN_PAYLOAD for k in found if k.rpartition(".")[2] == p), "")
                value, key = found.get(inside), inside.rpartition(".")[2]
            yield line, when, str(found[reading.device]), value, key


def values_of(path: str | Path, reading: LogFormat) -> Iterator[tuple[Any, str]]:
    """What stands as values in a log, with the key of each where it was in a payload. Raises LogError."""
    for _, _, _, value, key in events(path, reading, lambda n: True):
        yield value, key
