"""`Recording`: what sensors said over a stretch of time, whether simulated, read from a log, or arriving.

It says nothing of who was there. Whatever needs no more than this works on all three alike.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

from vastwatch.signals import Calendar, Signal

# What a sensor says under (sensor id, state): state None for the report as a whole, "moving" or "still" for parts.
Reports = Mapping[tuple[str, str | None], Signal]


@dataclass(frozen=True, eq=False)
class Recording:
    """Reports over the days of a calendar, [0, calendar.end).

    `observed`: for a sensor that was not listened to throughout, when it was. Offline is not off: what nobody heard is
    neither. A sensor that is not named was heard all the time. `facts`: what the controller knows besides, by what it
    is and the room ("film"), or the lamp that has its "supply"; "dark": what a light sensor says that sees a room's own
    lamps.
    """

    calendar: Calendar
    reports: Reports
    observed: Mapping[str, Signal] = field(default_factory=dict)
    facts: Mapping[tuple[str, str], Signal] = field(default_factory=dict)

    @property
    def end(self) -> float:
        """The end of the span; it starts at 0."""
        return self.calendar.end

    @cached_property
    def sensors(self) -> tuple[str, ...]:
        """The sensors that said something, or could have."""
        return tuple(sensor for sensor, state in self.reports if state is None)

    def report(self, sensor: str) -> Signal:
        """What a sensor says as a whole. Raises KeyError for one that is not there."""
        return self.reports[sensor, None]

    def observed_of(self, sensor: str) -> Signal:
        """When a sensor was listened to."""
        return self.observed.get(sensor, Signal.constant(True, 0.0, self.end))

    def reports_a_day(self, sensor: str) -> float:
        """How often it switched, per day it was listened to."""
        listened = self.observed_of(sensor).total()
        return len(self.report(sensor)) / (listened / 86_400.0) if listened > 0 else 0.0
