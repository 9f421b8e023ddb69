"""The year's table: what follows the clock, on which days and from when to when, the sun and the days off included."""

from __future__ import annotations

from datetime import date, timedelta
from typing import NamedTuple

from vastwatch.control.light.clock import windows_of
from vastwatch.control.light.daylight import sun_times
from vastwatch.design.expressions import ClockTime, every_part
from vastwatch.design.free_days import days_away, free_days
from vastwatch.design.project import Project, find
from vastwatch.design.sentence import leaf_words
from vastwatch.memo import memoised
from vastwatch.signals import Calendar


class Scheduled(NamedTuple):
    """A window of the day, and the names of what follows it: rows of ladders, conclusions, outputs."""

    window: ClockTime
    words: str
    used_by: tuple[str, ...]


class YearDay(NamedTuple):
    """A day: "workday", "weekend", "free" or "away", what it is called, when the sun rises and sets, and for each
    window from when to when it is open that begins on that day, and for how long; hours by the clock, beyond 24 those
    of the next day; None where not."""

    on: date
    kind: str
    name: str
    sunrise_h: float | None
    sunset_h: float | None
    open_h: tuple[tuple[float, float, float] | None, ...]


class Year(NamedTuple):
    """A year's days, and the windows they are told for."""

    scheduled: tuple[Scheduled, ...]
    days: tuple[YearDay, ...]

    def hours_open(self, k: int) -> float:
        """How long a window is open in the year, hours."""
        return sum(o[2] for d in self.days if (o := d.open_h[k]) is not None)


def scheduled_windows(project: Project) -> tuple[Scheduled, ...]:
    """Every window of the day that something follows, in the order of the project, each once."""
    used: dict[tuple[str, str, str], list[str]] = {}
    windows: dict[tuple[str, str, str], ClockTime] = {}

    def note(expr, name: str) -> None:  # type: ignore[no-untyped-def]
        for part in every_part(expr):
            if isinstance(part, ClockTime):
                key = part.begin, part.end, str(part.days)
                windows.setdefault(key, part)
                names = used.setdefault(key, [])
                if name not in names:
                    names.append(name)

    for p in project.presences:
        note(p.expr, p.name)
    for rule in project.rules:
        room = find(project.rooms, find(project.scenes, rule.scene).room).name
        note(rule.when, f"{room}: {rule.name or find(project.scenes, rule.scene).name}")
    for output in project.outputs:
        for row in output.rows:
            note(row.when, f"{output.name}: {row.name}" if row.name else output.name)
        for lock in output.locks:
            note(lock, f"{output.name}: locked")
    return tuple(Scheduled(windows[k], leaf_words(project, windows[k]), tuple(names)) for k, names in used.items())


def year_of(project: Project, year: int) -> Year:
    """The table of a year. Raises ValueError for a year before 1900 or after 2199."""
    if not 1900 <= year < 2200:
        raise ValueError(f"year {year} is not from 1900 to 2199")
    return _year(
        scheduled_windows(project), year, project.place, free_days(project.brief), days_away(project.brief),
        tuple((h.on, h.name) for h in project.brief.holidays),
    )  # fmt: skip


@memoised
def _year(planned, year: int, place, free, away, named) -> Year:  # type: ignore[no-untyped-def]
    first = date(year, 1, 1)
    count = (date(year + 1, 1, 1) - first).days
    calendar = Calendar(first, place.timezone, count, free=free, away=away)
    opened = [dict(windows_of(s.window, place, calendar)) for s in planned]
    names = dict(named)
    days = []
    for k in range(count):
        on = first + timedelta(days=k)
        rise, set_ = sun_times(place, on)
        kind = (
            "away" if calendar.is_away(k) else "weekend" if on.weekday() >= 5 else "free" if calendar.is_free(k)
            else "workday"
        )  # fmt: skip
        hours = tuple(
            None if (o := each.get(k)) is None
            else (_clock_h(calendar, o[0], k), _clock_h(calendar, o[1], k), (o[1] - o[0]) / 3600.0)
            for each in opened
        )  # fmt: skip
        midnight = calendar.midnight(k)
        rise_h, set_h = (None if x is None else _clock_h(calendar, midnight + x, k) for x in (rise, set_))
        days.append(YearDay(on, kind, names.get(on.isoformat(), ""), rise_h, set_h, hours))
    return Year(planned, tuple(days))


def _clock_h(calendar: Calendar, t: float, day: int) -> float:
    """An instant by the clock, hours past the midnight of a day; the next day's from 24 on."""
    when = calendar.clock(t)
    return (when.date() - calendar.date(day)).days * 24.0 + when.hour + when.minute / 60.0 + when.second / 3600.0


def hour_words(hours: float) -> str:
    """Hours past midnight as `22:30`; beyond 24 of the next day."""
    minutes = round(hours * 60.0)
    return f"{minutes // 60 % 24:02d}:{minutes % 60:02d}"


def year_rows(year: Year) -> list[list[str]]:
    """The table as texts, its heading first: a row a day."""
    heading = ["date", "day", "kind", "name", "sunrise", "sunset", *(s.words for s in year.scheduled)]
    rows = [heading]
    for d in year.days:
        sun = ["" if x is None else hour_words(x) for x in (d.sunrise_h, d.sunset_h)]
        opened = ["" if o is None else f"{hour_words(o[0])}-{hour_words(o[1])}" for o in d.open_h]
        rows.append([d.on.isoformat(), d.on.strftime("%a"), d.kind, d.name, *sun, *opened])
    return rows
