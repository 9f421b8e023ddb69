"""What triggers sensors falsely while people live, week by week: how often, when, and on which days."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

from vastwatch.design.project import Place, Project
from vastwatch.memo import memoised
from vastwatch.rehearsal.noticing.notices import FalseSource
from vastwatch.sensing.hazards import active_intervals, on_date, part_false_rate
from vastwatch.sensing.model import MountedSensor
from vastwatch.signals import Calendar
from vastwatch.site.building import Hazard
from vastwatch.site.sky import is_clear

# The sun's path is taken anew so often, days: it moves by a degree or two in a week.
SUN_DAYS = 7

# A hazard that triggers a sensor in a week: id, false reports per second, stretches of the clock, and on which days.
_Falsely = tuple[str, float, tuple[tuple[float, float], ...], frozenset[int]]
# Those of each week.
Weekly = tuple[tuple[_Falsely, ...], ...]


def weekly_false_sources(project: Project, mounted: MountedSensor, calendars: Sequence[Calendar]) -> list[Weekly]:
    """What triggers a part of a sensor falsely in each week of some calendars that differ in their weather alone."""
    one = calendars[0]
    if not any(every := _rates_by_week(project, mounted, one.begin, one.days)):
        return [((),) * len(every)] * len(calendars)
    return [_by_week(project, mounted, calendar) for calendar in calendars]


@memoised
def _by_week(project: Project, mounted: MountedSensor, calendar: Calendar) -> Weekly:
    out = []
    for k, rates in enumerate(_rates_by_week(project, mounted, calendar.begin, calendar.days)):
        first = k * SUN_DAYS
        out.append(
            tuple(
                # There is no patch of sun without the sun.
                (h.id, rate, tuple(active_intervals(h)), frozenset(
                    _clear_in_week(project.place, calendar, first) if h.kind == "sun patch" else _week(calendar, first)
                ))
                for h, rate in rates
            )
        )  # fmt: skip
    return tuple(out)


_false_rate = memoised(part_false_rate)


@memoised
def _rates_by_week(
    project: Project, mounted: MountedSensor, begin: date, days: int
) -> tuple[tuple[tuple[Hazard, float], ...], ...]:
    """The hazards that trigger a part in each week of some days, as they are then, with false reports per second:
    whatever the weather."""
    here = [h for h in project.hazards if h.level == mounted.sensor.level]
    out = []
    for first in range(0, days, SUN_DAYS):
        then = [on_date(project, h, begin + timedelta(first)) for h in here]
        out.append(tuple((h, rate) for h in then if h is not None and (rate := _false_rate(mounted, h)) > 0))
    return tuple(out)


def _week(calendar: Calendar, first: int) -> range:
    return range(first, min(first + SUN_DAYS, calendar.days))


@memoised
def _clear_in_week(place: Place, calendar: Calendar, first: int) -> tuple[int, ...]:
    """The days of the week from one on that are clear."""
    here = place.latitude, place.longitude
    return tuple(d for d in _week(calendar, first) if is_clear(*here, calendar.date(d), calendar.weather_seed))


def week_index(day: int) -> int:
    """Which week a day lies in."""
    return day // SUN_DAYS


def sources_on_day(weekly: Weekly, calendar: Calendar, day: int) -> tuple[FalseSource, ...]:
    """The sources of one day, with its instants."""
    return tuple(_source(it, calendar, day) for it in weekly[week_index(day)] if day in it[3])


def per_replicate(weekly: Sequence[Weekly], calendar: Calendar) -> list[list[FalseSource]]:
    """The sources of all days of some replicates, whose calendars differ from this one in their weather alone."""
    known: dict[tuple[str, int], FalseSource] = {}

    def source(it: _Falsely, day: int) -> FalseSource:
        if (it[0], day) not in known:
            known[it[0], day] = _source(it, calendar, day)
        return known[it[0], day]

    days = range(calendar.days)
    return [[source(it, d) for d in days for it in weeks[week_index(d)] if d in it[3]] for weeks in weekly]


def _source(it: _Falsely, calendar: Calendar, day: int) -> FalseSource:
    hazard, rate, when, _ = it
    there = tuple((calendar.instant(day, a), calendar.instant(day, b)) for a, b in when)
    return FalseSource(hazard, day, calendar.midnight(day), calendar.midnight(day + 1), rate, there)
