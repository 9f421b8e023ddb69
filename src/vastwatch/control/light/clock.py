"""When it is from one time of day to another, the sun's rising and setting included."""

from __future__ import annotations

from collections.abc import Iterator

from vastwatch.control.light.daylight import sun_times
from vastwatch.design.day_time import DayMoment, moment
from vastwatch.design.expressions import ClockTime
from vastwatch.design.project import Place
from vastwatch.memo import memoised
from vastwatch.signals import Calendar, Signal
from vastwatch.site.people import applies_on


@memoised
def clock_time(window: ClockTime, place: Place, calendar: Calendar) -> Signal:
    """While a window of the day is open, on each of the days on which it begins.

    Where the sun neither rises nor sets on a day, a window that follows it stays shut that day.
    """
    rows = [
        (max(a, 0.0), min(b, calendar.end))
        # A window of the day before may reach into the first.
        for _, (a, b) in windows_of(window, place, calendar, -1)
        if b > 0 and a < calendar.end
    ]
    return Signal.from_intervals(rows, 0.0, calendar.end)


def windows_of(
    window: ClockTime, place: Place, calendar: Calendar, first: int = 0
) -> Iterator[tuple[int, tuple[float, float]]]:
    """By day on which it begins, from a day on, the instants from which and until which a window is open."""
    begin, end = moment(window.begin), moment(window.end)
    for day in range(first, calendar.days):
        if not applies_on(window.days, calendar.date(day).weekday(), calendar.is_free(day)):
            continue
        a, b = _instant(begin, day, place, calendar), _instant(end, day, place, calendar)
        if a is not None and b is not None and b <= a:
            b = _instant(end, day + 1, place, calendar)
        if a is not None and b is not None:
            yield day, (a, b)


def _instant(at: DayMoment, day: int, place: Place, calendar: Calendar) -> float | None:
    if at.sun is None:
        return calendar.instant(day, at.seconds)
    rise, set_ = sun_times(place, calendar.date(day))
    of_day = rise if at.sun == "sunrise" else set_
    return None if of_day is None else calendar.midnight(day) + of_day + at.seconds
