"""A log of a real house: who said what when, in the shapes that hubs, databases and message brokers write.

CSV with a line for each event (time, device, value) or with a column for each device; JSON Lines with the value beside
the device or in a payload. Times are ISO 8601, with or without a zone, a date as people write it with a time of day, in
one column or two, or seconds or milliseconds since 1970. How it is to be read is guessed from what stands there
(`format_guess`), shown, and can be changed: which columns, which device of the plan, which words mean on.

Offline is not off, and quiet is not offline: between a word such as `unavailable` and the next value there is no data,
and nor is there where a device that reports at regular intervals misses its reports, or is quiet for longer than
anybody who knows the house takes for quiet. Where all of these do, nothing is known of any device; a device that is not
in the log was never heard.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from vastwatch.commission.log_clock import Clock, far_off
from vastwatch.commission.log_rows import LogError, LogFormat, batches, events, parse_state
from vastwatch.control.recording import Recording
from vastwatch.design.free_days import free_days
from vastwatch.design.project import Project
from vastwatch.signals import Calendar, Signal, all_of

Array = NDArray[np.float64]

# More lines than this are not read; the rest is told.
MOST_LINES = 4_000_000
# A device has a heartbeat where nine of ten intervals at which it says off again are no longer than so many times the
# usual one, of so many at least; there is no data of it once so many are missing, and no less than so long, seconds.
# Our choice.
REGULAR, MIN_BEATS, BEATS_MISSED, SHORTEST_SILENCE_S = 1.5, 20, 5.0, 900.0
# A log reaches over so many days at the most.
MOST_DAYS = 366
# Lines that are shown as they are understood.
SHOWN = 200
# So many lines are read between two words of how far it has come.
TELL_EVERY = 20_000


@dataclass(frozen=True)
class ParsedLine:
    """One line as it is understood: when, which device, what it says; and where it is not, why. `at`: the instant, s
    since 1970, of what is of use."""

    line: int
    when: str
    device: str
    says: str
    fault: str = ""
    at: float | None = None


@dataclass(frozen=True)
class EventLog:
    """A log as it was read: the recording, and what became of its lines. `notes` are sentences for anybody who reads
    it."""

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


def preview_lines(path: str | Path, reading: LogFormat, project: Project, most: int = SHOWN) -> list[ParsedLine]:
    """The first lines as they are understood. Raises LogError."""
    clock = Clock(project.place.timezone, reading.order)
    zone = ZoneInfo(project.place.timezone)
    names = {s.id: s.name for s in project.sensors}
    out = []
    for line, when, device, value, key in events(path, reading, lambda n: True):
        fault, at = "", 0.0
        try:
            at = clock(when)
            local = datetime.fromtimestamp(at, zone).strftime("%Y-%m-%d %H:%M:%S")
        except (ValueError, OverflowError):
            local, fault = "", f"'{when}' is not a time"
        try:
            says = {True: "on", False: "off", None: "no data"}[parse_state(value, reading.means, key)]
        except ValueError:
            says, fault = "", fault or f"'{value}' is neither on nor off"
        told = reading.devices.get(device) if device else None
        called = "" if told is None else names.get(told[0], told[0]) + ("" if told[1] is None else f", {told[1]}")
        if told is None and not fault:
            fault = f"'{device}' is not a device of this project"
        out.append(ParsedLine(line, local, called or device, says, fault, None if fault else float(at)))
        if len(out) >= most:
            break
    return out


def read_log(
    path: str | Path,
    project: Project,
    reading: LogFormat,
    should_continue: Callable[[], bool] = lambda: True,
    report_progress: Callable[[float], None] = lambda _: None,
    unnamed: Callable[[str], tuple[str, str | None] | None] = lambda _: None,
) -> EventLog:
    """Read a log of a project's house, as it is to be understood; which sensor a device is that `reading` does not name
    `unnamed` tells. Raises LogError where nothing of it can be used."""
    name, size = Path(path).name, max(Path(path).stat().st_size, 1)
    clock = Clock(project.place.timezone, reading.order)
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

    for batch in batches(path, reading, on_line):
        whens = clock.parse_all([event[1] for event in batch])
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
                    told_so = parse_state(value, reading.means, key)
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
        tuple(unknown), reading.quiet_h,
    )  # fmt: skip


def _nothing(name: str, unknown: dict[str, None], unreadable: int, first_fault: str) -> str:
    if unreadable:
        return f"{name}: no line could be read; first problem: {first_fault}"
    if unknown:
        return (
            f"{name}: none of its devices is in this project ({', '.join(list(unknown)[:4])}): is it from another "
            "house?"
        )
    return f"{name}: no events in it"


def _recorded(
    project: Project, places: list[tuple[str, str | None]], t: Array, who: NDArray[np.int32], said: NDArray[np.int8],
    lines: int, cut: bool, unreadable: int, first_fault: str, unknown: tuple[str, ...],
    quiet_h: float | None,
) -> EventLog:  # fmt: skip
    far = far_off(t)
    t, who, said = t[~far], who[~far], said[~far]
    disordered = int((np.diff(t) < 0).sum())
    order = np.argsort(t, kind="stable")
    t, who, said = t[order], who[order], said[order]
    zone = ZoneInfo(project.place.timezone)
    begin = datetime.fromtimestamp(float(t[0]), zone).date()
    notes = [] if not far.any() else [f"Lines far in time from all others are skipped: {int(far.sum()):,}."]
    calendar = Calendar(begin, project.place.timezone, 1, free=free_days(project.brief))
    last = datetime.fromtimestamp(float(t[-1]), zone).date()
    days = (last - begin).days + 1
    if days > MOST_DAYS:
        notes.append(f"It covers {days:,} days; only the first {MOST_DAYS} are used.")
        days = MOST_DAYS
    calendar = calendar.with_days(days)
    zero = calendar.instant_utc(0.0).timestamp()
    t = t - zero
    inside = t < calendar.end
    t, who, said = t[inside], who[inside], said[inside]
    missing = {
        p: m
        for k, p in enumerate(places)
        if (m := _silent(t[who == k], said[who == k], calendar.end, quiet_h)) is not None
    }
    # Nothing is known before the first word and after the last, and while all that report regularly are silent.
    ends = Signal.from_intervals([(0.0, float(t[0])), (float(t[-1]), calendar.end)], 0.0, calendar.end)
    quiet = (all_of(missing.values()) if missing else Signal.constant(False, 0.0, calendar.end)) - ends
    gaps = tuple(quiet)
    silent = ends | quiet
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
        until = np.append(at[1:], calendar.end)
        heard = Signal.from_intervals(np.column_stack([at, until])[value != 2], 0.0, calendar.end) - silent
        if place in missing:
            heard = heard - missing[place]
        on = Signal.from_intervals(np.column_stack([at, until])[value == 1], 0.0, calendar.end)
        reports[place] = on & heard
        known[place[0]] = known[place[0]] & heard if place[0] in known else heard
    for sensor, part in places:
        if part is not None and (sensor, None) not in reports:
            # A sensor that tells of its parts alone says as a whole what any of them does.
            whole = [r for (s, _), r in reports.items() if s == sensor]
            if whole:
                reports[sensor, None] = whole[0] if len(whole) == 1 else _any(whole)
    for absent in project.sensors:
        # Of what is not in the log nothing is known.
        known.setdefault(absent.id, Signal.constant(False, 0.0, calendar.end))
    if cut:
        notes.append(f"Only the first {lines:,} lines were read.")
    if disordered:
        notes.append(f"Times were out of order in places ({_times(disordered)}); the lines were sorted.")
    if duplicates:
        notes.append(f"{duplicates:,} duplicate lines.")
    if unreadable:
        notes.append(f"{unreadable:,} lines could not be read; the first: {first_fault}.")
    if unknown:
        some = ", ".join(unknown[:4]) + ("" if len(unknown) <= 4 else f" and {len(unknown) - 4} more")
        notes.append(f"No device of this project is called {some}: those lines are skipped.")
    if gaps:
        hours = sum(b - a for a, b in gaps) / 3600.0
        notes.append(f"No data {_times(len(gaps))}, for {hours:.1f} h in all; not counted as off.")
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


def _silent(at: Array, value: NDArray[np.int8], end: float, quiet_h: float | None) -> Signal | None:
    """While a device that says off again at regular intervals, though nothing has changed, misses to do so, or says
    nothing for `quiet_h` hours: from its last report, and until it is heard again. None for one that reports only when
    something happens, however often, where nobody says how long it may: its quiet tells nothing."""
    steps = np.diff(at)
    off = value == 0
    beats = steps[off[:-1] & off[1:]]
    usual = float(np.median(beats)) if len(beats) >= MIN_BEATS else 0.0
    longest = np.inf if quiet_h is None else 3600.0 * quiet_h
    if usual > 0.0 and float(np.quantile(beats, 0.9)) <= REGULAR * usual:
        longest = min(longest, max(BEATS_MISSED * usual, SHORTEST_SILENCE_S))
    if not np.isfinite(longest):
        return None
    # While it is on it may wait for something to end; before its first report it was not heard.
    waits = np.concatenate([[True], off])
    edges = np.concatenate([[0.0], at, [end]])
    k = np.flatnonzero((np.diff(edges) > longest) & waits)
    return Signal.from_intervals(np.column_stack([edges[k], edges[k + 1]]), 0.0, end)


def with_device(reading: LogFormat, device: str, told: tuple[str, str | None] | None) -> LogFormat:
    """The same reading with another device for a name in the log."""
    return replace(reading, devices={**reading.devices, device: told})
