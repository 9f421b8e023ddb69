"""Holidays from an iCalendar file: whole days, also those that come again, as dates of the years asked for."""

from __future__ import annotations

import datetime as datetime_library
import importlib.util
import os
import re
import time
from datetime import date, datetime, timedelta
from functools import cache
from pathlib import Path
from threading import Lock
from types import SimpleNamespace
from typing import Any, NamedTuple

from vastwatch.design.project import Holiday
from vastwatch.files.check import YEARS, ProjectError
from vastwatch.files.reading import read_whole
from vastwatch.words import one_line

LARGEST = 5_000_000
# So many dates at the most, of so many entries; one entry lasts no longer, days.
MOST, MOST_ENTRIES, LONGEST = 1000, 20_000, 60
# Rules that come again more often than daily are no holidays, and take years to follow; and there is an end to patience
# with many, seconds.
FOLLOWED, PATIENCE_S = ("DAILY", "WEEKLY", "MONTHLY", "YEARLY"), 5.0
OF_HOURS = ("BYHOUR", "BYMINUTE", "BYSECOND")
# One follows rules at a time: the last year is said to all of them.
_FOLLOWING = Lock()


class Holidays(NamedTuple):
    """Holidays by date, and sentences about what was left out."""

    days: tuple[Holiday, ...]
    notes: tuple[str, ...] = ()


def read_holidays(path: str | os.PathLike[str], first: int, last: int) -> Holidays:
    """The holidays of some years, both included, that a file tells of. Raises ProjectError with one sentence that names
    the file."""
    path = Path(path)
    raw = read_whole(path, "a calendar", LARGEST)
    try:
        return parse_holidays(raw, first, last)
    except ProjectError as e:
        raise ProjectError(f"{path}: {e}") from None


def parse_holidays(raw: bytes, first: int, last: int) -> Holidays:
    """The same of the bytes of a file. Raises ProjectError."""
    # Takes a moment to load, and few ask for it.
    from icalendar import Calendar

    if b"BEGIN:VCALENDAR" not in raw.upper():
        raise ProjectError("this is not a calendar file: it has no VCALENDAR")
    try:
        entries = list(Calendar.from_ical(raw).walk("VEVENT"))
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, UnicodeError, RecursionError) as e:
        raise ProjectError(f"this calendar cannot be read: {one_line(str(e))[:120] or type(e).__name__}") from None
    notes: list[str] = []
    if len(entries) > MOST_ENTRIES:
        notes.append(f"Only the first {MOST_ENTRIES:,} of {len(entries):,} entries were read.")
    found: dict[str, str] = {}
    hours = spoilt = endless = 0
    began = time.monotonic()
    for k, entry in enumerate(entries[:MOST_ENTRIES]):
        if time.monotonic() - began > PATIENCE_S:
            notes.append(f"Stopped: it takes too long. Entries from number {k + 1:,} on are skipped.")
            break
        try:
            begin, days, name = _whole_days(entry)
            if begin is None:
                hours += 1
                continue
            if days > LONGEST:
                endless += 1
                days = LONGEST
            for start in _starts(entry, begin, first, last):
                for later in range(days):
                    day = start + timedelta(days=later)
                    if first <= day.year <= last:
                        found.setdefault(day.isoformat(), name)
        except (ValueError, KeyError, TypeError, AttributeError, OverflowError, IndexError):
            spoilt += 1
    if hours:
        notes.append(f"Entries that are not all-day are skipped: {hours}.")
    if endless:
        notes.append(f"Entries longer than {LONGEST} days are shortened: {endless}.")
    if spoilt:
        notes.append(f"Entries that cannot be read are skipped: {spoilt}.")
    if not found:
        raise ProjectError(f"no all-day entries from {first} to {last}" + (f". {' '.join(notes)}" if notes else ""))
    if len(found) > MOST:
        notes.append(f"Only the first {MOST:,} of {len(found):,} days are used.")
    days_ = tuple(Holiday(on=on, name=found[on][:80]) for on in sorted(found)[:MOST])
    return Holidays(days_, tuple(notes))


def _whole_days(entry: Any) -> tuple[date | None, int, str]:
    """The first day of an entry, how many it lasts, and its name; None for one of hours."""
    begin = entry.decoded("DTSTART")
    name = one_line(str(entry.get("SUMMARY", "")))
    if isinstance(begin, datetime) or not isinstance(begin, date):
        return None, 0, name
    end = entry.decoded("DTEND") if "DTEND" in entry else None
    if end is None and "DURATION" in entry:
        end = begin + entry.decoded("DURATION")
    # Its end is the day after the last, and what has none lasts a day.
    days = (end - begin).days if isinstance(end, date) and not isinstance(end, datetime) else 1
    return begin, max(days, 1), name


@cache
def _rules() -> Any:
    """The library of rules, in a copy of our own whose years end where they are asked for: of a rule that holds on no
    day at all it looks at every day until its last year, 9999."""
    spec = importlib.util.find_spec("dateutil.rrule")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    module.datetime = SimpleNamespace(**vars(datetime_library))  # type: ignore[attr-defined]
    return module


def _starts(entry: Any, begin: date, first: int, last: int) -> list[date]:
    """The days on which an entry begins, in and just before some years."""
    if "RRULE" not in entry:
        return [begin]
    rule = entry.get("RRULE").to_ical().decode().upper()
    if not any(f"FREQ={each}" in rule for each in FOLLOWED) or any(f"{each}=" in rule for each in OF_HOURS):
        raise ValueError("a rule of hours")
    if begin.year < YEARS[0] or re.search(r"INTERVAL=[+-]?0+(\D|$)", rule):
        raise ValueError("a rule that nobody can follow")
    start = datetime(begin.year, begin.month, begin.day)
    low, high = datetime(max(first, YEARS[0]), 1, 1) - timedelta(days=LONGEST), datetime(last, 12, 31)
    out: list[date] = []
    with _FOLLOWING:
        rules = _rules()
        rules.datetime.MAXYEAR = last
        for when in rules.rrulestr(rule.replace("Z", ""), dtstart=start).xafter(low, inc=True):
            if when > high or len(out) >= MOST:
                break
            out.append(when.date())
    gone = set()
    for each in entry.get("EXDATE", []) if isinstance(entry.get("EXDATE", []), list) else [entry.get("EXDATE")]:
        gone |= {x.dt.date() if isinstance(x.dt, datetime) else x.dt for x in each.dts}
    return [d for d in out if d not in gone]
