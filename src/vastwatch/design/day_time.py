"""A time of day as conclusions say it: `22:30`, or `sunset-00:30`."""

from __future__ import annotations

import re
from typing import NamedTuple

from vastwatch.design.expressions import DAY_TIME_PATTERN
from vastwatch.site.record import seconds_of


class DayMoment(NamedTuple):
    """Seconds past midnight; or so many after the sun's rising or setting (before, where negative)."""

    sun: str | None
    seconds: float


def moment(day_time: str) -> DayMoment:
    """What a `DayTime` says. Raises ValueError for a text that is none."""
    for sun in ("sunrise", "sunset"):
        if day_time.startswith(sun):
            rest = day_time[len(sun) :]
            if not rest:
                return DayMoment(sun, 0.0)
            return DayMoment(sun, seconds_of(rest[1:]) * (1.0 if rest[0] == "+" else -1.0))
    return DayMoment(None, seconds_of(day_time))


def parse_window(text: str) -> tuple[str, str]:
    """The two times of `22:30 to sunrise+00:30`, as they are written in a file. Raises ValueError with a sentence."""
    parts = re.split(r"\s*(?:\bto\b|–|—)\s*", text.strip().lower())
    times = [re.sub(r"^(\d):", r"0\1:", p.replace(" ", "")) for p in parts]
    if len(times) != 2 or not all(re.match(DAY_TIME_PATTERN, t) for t in times):
        raise ValueError(f"'{text.strip()}' is not a start and end such as 22:30 to sunrise+00:30")
    return times[0], times[1]


def day_time_words(day_time: str) -> str:
    """`22:30`, `sunset`, `30 min before sunrise`."""
    sun, seconds = moment(day_time)
    if sun is None:
        return day_time
    if seconds == 0:
        return sun
    minutes = round(abs(seconds) / 60)
    amount = f"{minutes} min" if minutes % 60 else f"{minutes // 60} h"
    return f"{amount} {'after' if seconds > 0 else 'before'} {sun}"
