"""A log of a real house: who said what when, in the shapes that hubs, databases and message brokers write.

CSV with a line for each event (time, device, value) or with a column for each device; JSON Lines with the value beside
the device or in a payload. Times are ISO 8601, with or without a zone, or seconds or milliseconds since 1970. What is
not told is guessed from what stands there (`log_guess`), shown, and can be told otherwise: which columns, which device
of the plan, which words mean on.

Offline is not off: between a word such as `unavailable` and the next value nobody was listening, and nor was anybody
where the whole log is silent for far longer than it ever is.
"""

from __future__ import annotations

import contextlib
import csv
import json
from array import array
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime
from itertools import islice
from pathlib import Path
from typing import IO, Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from vastwatch.commission.log_clock import Clock, far_off
from vastwatch.control.recording import Recording
from vastwatch.design.free_days import free_days
from vastwatch.design.project import Project
from vastwatch.signals import Calendar, Signal

Array = NDArray[np.float64]

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
# More lines than this are not read; the rest is told. A line longer than this is no event.
MOST_LINES, LONGEST_LINE = 4_000_000, 65_536
# All devices are silent for so long, though mostly some is heard within a small part of that: nobody was listening. A
# night is shorter, seconds.
SILENT_S, SILENT_TIMES = 12 * 3600.0, 30.0
# A log reaches over so many days at the most.
MOST_DAYS = 366
# Lines that are shown as they are understood, and that a guess is made from.
SHOWN, LOOKED_AT = 20, 400
# So many events are taken together; so many lines are read between two words of how far it has come.
BATCH, TELL_EVERY = 10_000, 20_000


class LogError(Exception):
    """A log that cannot be used: one sentence of what and where."""


@dataclass(frozen=True)
class Reading:
    """How a log is to be understood. `wide`: a column for each device, else `device` and `value` are columns (or keys).
    `devices`: by name in the log the sensor and the part of it that speaks, None where it is of no account. `means`:
    words of this log that mean on (True), off (False) or not listening (None), beside the usual ones."""

    kind: str = "csv"
    delimiter: str = ","
    time: str = ""
    device: str = ""
    value: str = ""
    wide: bool = False
    devices: dict[str, tuple[str, str | None] | None] = field(default_factory=dict)
    means: dict[str, bool | None] = field(default_factory=dict)


@dataclass(frozen=True)
class Understood:
    """One line as it is understood: when, which device, what it says; and where it is not, why."""

    line: int
    when: str
    device: str
    says: str
    fault: str = ""


@dataclass(frozen=True)
class EventLog:
    """A log as it was read: the recording, and what became of its lines. `notes` are sentences for whoever reads it."""

    recording: Recording
    lines: int
    used: int
    duplicates: int
    disordered: int
    unreadable: int
    unknown_devices: tuple[str, ...]
    first_fault: str
    gaps: tuple[tuple[float, float], ...]
    notes: tuple[str, ...]
    per_hour: dict[str, float]


# -- rows ----------------------------------------------------------------------------------------------------------


def lines_of(file: IO[str], name: str) -> Iterator[str]:
    try:
        for line in file:
            if len(line) > LONGEST_LINE:
                raise LogError(f"{name}: a line of more than {LONGEST_LINE:,} characters is no event")
            if "\x00" in line:
                raise LogError(f"{name}: this is no text")
            yield line
    except UnicodeDecodeError:
        raise LogError(f"{name}: not a text file in UTF-8") from None


def open_log(path: str | Path) -> IO[str]:
    file = Path(path)
    try:
        if not file.is_file():
            raise LogError(
                f"{file}: there is no such file" if not file.exists() else f"{file}: this is no file to read"
            )
        return file.open(encoding="utf-8-sig", newline="")
    except OSError as e:
        raise LogError(f"{file.name}: cannot be read ({e.strerror or e})") from None


def csv_rows(lines: Iterable[str], delimiter: str, name: str) -> Iterator[list[str]]:
    reader = csv.reader(lines, delimiter=delimiter)
    try:
        yield from reader
    except csv.Error as e:
        raise LogError(f"{name}: line {reader.line_num}: {e}") from None


def flat(row: Any) -> dict[str, Any]:
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


def meaning(value: Any, means: dict[str, bool | None], key: str = "") -> bool | None:
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
    # A figure: a distance, a count, watts. Nought is nobody.
    return float(word) > 0.0


# -- events --------------------------------------------------------------------------------------------------------


def _events(
    path: str | Path, reading: Reading, on_line: Callable[[int], bool]
) -> Iterator[tuple[int, Any, str, Any, str]]:
    """(line, time, device, value, key) of every event; `on_line` hears how far it is, and whether to go on."""
    name = Path(path).name
    with open_log(path) as file:
        if reading.kind == "json":
            yield from _json_events(file, name, reading, on_line)
            return
        rows = csv_rows(lines_of(file, name), reading.delimiter, name)
        names = [n.strip() for n in next(rows, [])]
        wanted = [reading.time, *([] if reading.wide else [reading.device, reading.value])]
        for column in wanted:
            if column not in names:
                raise LogError(f"{name}: there is no column '{column}'")
        when = names.index(reading.time)
        if reading.wide:
            others = [(k, n) for k, n in enumerate(names) if k != when and n]
            for line, row in enumerate(rows, 2):
                if not on_line(line):
                    return
                for k, column in others:
                    if k < len(row) and row[k].strip() and when < len(row):
                        yield line, row[when], column, row[k], ""
            return
        who, what = names.index(reading.device), names.index(reading.value)
        most = max(when, who, what)
        for line, row in enumerate(rows, 2):
            if not on_line(line):
                return
            if len(row) > most:
                value = row[what]
                if value[:1] == "{":
                    yield line, row[when], row[who], *_of_payload(value)
                else:
                    yield line, row[when], row[who], value, ""
            elif row:
                yield line, None, "", None, ""


def _batches(
    path: str | Path, reading: Reading, on_line: Callable[[int], bool]
) -> Iterator[list[tuple[int, Any, str, Any, str]]]:
    events = _events(path, reading, on_line)
    while batch := list(islice(events, BATCH)):
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
    file: IO[str], name: str, reading: Reading, on_line: Callable[[int], bool]
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
        found = flat(row)
        when = found.get(reading.time)
        if reading.wide:
            for key, value in found.items():
                if key != reading.time:
                    yield line, when, key, value, ""
        elif reading.device in found:
            value = found.get(reading.value)
            key = reading.value.rpartition(".")[2]
            if value is None and reading.value not in found:
                inside = next((k for p in IN_PAYLOAD for k in found if k.rpartition(".")[2] == p), "")
                value, key = found.get(inside), inside.rpartition(".")[2]
            yield line, when, str(found[reading.device]), value, key


def values_of(path: str | Path, reading: Reading) -> Iterator[tuple[Any, str]]:
    """What stands as values in a log, with the key of each where it was in a payload. Raises LogError."""
    for _, _, _, value, key in _events(path, reading, lambda n: True):
        yield value, key


def shown(path: str | Path, reading: Reading, project: Project, most: int = SHOWN) -> list[Understood]:
    """The first lines as they are understood. Raises LogError."""
    clock = Clock(project.place.timezone)
    zone = ZoneInfo(project.place.timezone)
    names = {s.id: s.name for s in project.sensors}
    out = []
    for line, when, device, value, key in _events(path, reading, lambda n: True):
        fault = ""
        try:
            at = clock(when)
            local = datetime.fromtimestamp(at, zone).strftime("%Y-%m-%d %H:%M:%S")
        except (ValueError, OverflowError):
            local, fault = "", f"'{when}' is no time"
        try:
            says = {True: "on", False: "off", None: "not listening"}[meaning(value, reading.means, key)]
        except ValueError:
            says, fault = "", fault or f"'{value}' means neither on nor off"
        told = reading.devices.get(device) if device else None
        called = "" if told is None else names.get(told[0], told[0]) + ("" if told[1] is None else f", {told[1]}")
        if told is None and not fault:
            fault = f"'{device}' is no device of this project"
        out.append(Understood(line, local, called or device, says, fault))
        if len(out) >= most:
            break
    return out


def read_log(
    path: str | Path,
    project: Project,
    reading: Reading,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
    unnamed: Callable[[str], tuple[str, str | None] | None] = lambda _: None,
) -> EventLog:
    """Read a log of a project's house, as it is to be understood; which sensor a device is that `reading` does not name
    `unnamed` tells. Raises LogError where nothing of it can be used."""
    name, size = Path(path).name, max(Path(path).stat().st_size, 1)
    clock = Clock(project.place.timezone)
    times, who, said = array("d"), array("i"), array("b")
    devices: dict[str, int] = {}
    places: list[tuple[str, str | None]] = []
    known: dict[tuple[str, str | None], int] = {}
    words: dict[tuple[str, Any], int] = {}
    unknown: dict[str, None] = {}
    unreadable, first_fault, lines, cut = 0, "", 0, False

    def on_line(line: int) -> bool:
        nonlocal lines, cut
        lines = line
        if line % TELL_EVERY == 0:
            report_progress(min(line * 60.0 / size, 0.9))
            if not should_continue():
                cut = True
                return False
        if line > MOST_LINES:
            cut = True
            return False
        return True

    def place_of(device: str) -> int:
        place = devices.get(device)
        if place is None:
            told = reading.devices[device] if device in reading.devices else unnamed(device)
            if told is None:
                place = -1
                if device:
                    unknown[device] = None
            else:
                place = known.setdefault(told, len(places))
                if place == len(places):
                    places.append(told)
            devices[device] = place
        return place

    for batch in _batches(path, reading, on_line):
        whens = clock.many([event[1] for event in batch])
        for (line, when, device, value, key), at in zip(batch, whens):
            place = devices.get(device)
            if place is None:
                place = place_of(device)
            if place < 0 and device:
                continue
            try:
                if at is None:
                    at = clock(when)
                word = (key, value)
                code = words.get(word)
                if code is None:
                    told_so = meaning(value, reading.means, key)
                    code = words[word] = 2 if told_so is None else int(told_so)
            except (ValueError, OverflowError, TypeError):
                unreadable += 1
                first_fault = first_fault or f"line {line}: '{str(when)[:30]}, {device[:40]}, {str(value)[:30]}'"
                continue
            times.append(at)
            who.append(place)
            said.append(code)
    if not times:
        raise LogError(_nothing(name, unknown, unreadable, first_fault))
    return _recorded(
        project, places, np.array(times), np.array(who), np.array(said), lines, cut, unreadable, first_fault,
        tuple(unknown),
    )  # fmt: skip


def _nothing(name: str, unknown: dict[str, None], unreadable: int, first_fault: str) -> str:
    if unreadable:
        return f"{name}: no line could be read; the first is {first_fault}"
    if unknown:
        return f"{name}: none of its devices is one of this project ({', '.join(list(unknown)[:4])}): another house's?"
    return f"{name}: there is no event in it"


def _recorded(
    project: Project, places: list[tuple[str, str | None]], t: Array, who: NDArray[np.int32], said: NDArray[np.int8],
    lines: int, cut: bool, unreadable: int, first_fault: str, unknown: tuple[str, ...],
) -> EventLog:  # fmt: skip
    far = far_off(t)
    t, who, said = t[~far], who[~far], said[~far]
    disordered = int((np.diff(t) < 0).sum())
    order = np.argsort(t, kind="stable")
    t, who, said = t[order], who[order], said[order]
    zone = ZoneInfo(project.place.timezone)
    begin = datetime.fromtimestamp(float(t[0]), zone).date()
    notes = [] if not far.any() else [f"Lines that lie far from all the others are left out: {int(far.sum()):,}."]
    calendar = Calendar(begin, project.place.timezone, 1, free=free_days(project.brief))
    last = datetime.fromtimestamp(float(t[-1]), zone).date()
    days = (last - begin).days + 1
    if days > MOST_DAYS:
        notes.append(f"It reaches over {days:,} days; the first {MOST_DAYS} are used.")
        days = MOST_DAYS
    calendar = calendar.longer(days)
    zero = calendar.instant_utc(0.0).timestamp()
    t = t - zero
    inside = t < calendar.end
    t, who, said = t[inside], who[inside], said[inside]
    gaps = _gaps(t)
    # Nothing is known before the first word and after the last.
    dead = [(0.0, float(t[0])), *gaps, (float(t[-1]), calendar.end)]
    silent = Signal.from_intervals([(a, b) for a, b in dead if b > a], 0.0, calendar.end)
    reports: dict[tuple[str, str | None], Signal] = {}
    known: dict[str, Signal] = {}
    per_hour: dict[str, float] = {}
    duplicates = 0
    for k, place in enumerate(places):
        mine = who == k
        at, value = t[mine], said[mine]
        if len(at) == 0:
            continue
        new = np.append(True, value[1:] != value[:-1])
        duplicates += int((~new).sum())
        per_hour[place[0]] = per_hour.get(place[0], 0.0) + len(at) / max((t[-1] - t[0]) / 3600.0, 1.0)
        at, value = at[new], value[new]
        ends = np.append(at[1:], calendar.end)
        heard = Signal.from_intervals(np.column_stack([at, ends])[value != 2], 0.0, calendar.end) - silent
        on = Signal.from_intervals(np.column_stack([at, ends])[value == 1], 0.0, calendar.end)
        reports[place] = on & heard
        known[place[0]] = known[place[0]] & heard if place[0] in known else heard
    for sensor, part in places:
        if part is not None and (sensor, None) not in reports:
            # A sensor that tells of its parts alone says as a whole what any of them does.
            whole = [r for (s, _), r in reports.items() if s == sensor]
            if whole:
                reports[sensor, None] = whole[0] if len(whole) == 1 else _any(whole)
    if cut:
        notes.append(f"Only the first {lines:,} lines were read.")
    if disordered:
        notes.append(f"Time runs backwards {_times(disordered)}; the lines were put in order.")
    if duplicates:
        notes.append(f"{duplicates:,} lines say again what was said before.")
    if unreadable:
        notes.append(f"{unreadable:,} lines could not be read; the first is {first_fault}.")
    if unknown:
        some = ", ".join(unknown[:4]) + ("" if len(unknown) <= 4 else f" and {len(unknown) - 4} more")
        notes.append(f"No device of this project is called {some}: what they say is left out.")
    if gaps:
        hours = sum(b - a for a, b in gaps) / 3600.0
        notes.append(f"Nobody listened {_times(len(gaps))}, for {hours:.1f} h in all: offline is not off.")
    return EventLog(
        Recording(calendar, reports, known), lines, len(t), duplicates, disordered, unreadable, unknown, first_fault,
        gaps, tuple(notes), {s: round(n, 2) for s, n in per_hour.items()},
    )  # fmt: skip


def _times(n: int) -> str:
    return "once" if n == 1 else f"{n:,} times"


def _any(signals: list[Signal]) -> Signal:
    out = signals[0]
    for s in signals[1:]:
        out = out | s
    return out


def _gaps(t: Array) -> tuple[tuple[float, float], ...]:
    """Where the whole log is silent for far longer than it usually is."""
    if len(t) < 20:
        return ()
    steps = np.diff(t)
    usual = float(np.quantile(steps, 0.9))
    k = np.flatnonzero(steps > max(SILENT_S, SILENT_TIMES * usual))
    return tuple((float(t[i]), float(t[i + 1])) for i in k)


def said_by(reading: Reading, device: str, told: tuple[str, str | None] | None) -> Reading:
    """The same reading with another device for a name in the log."""
    return replace(reading, devices={**reading.devices, device: told})
