"""People and pets with their schedules: when they are where, and how exactly they keep to it."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from vastwatch.site.record import Clock, Id, NotNegative, OfSpot, Positive, Record
from vastwatch.site.shown import Shown

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
Days = Literal["every", "workday", "free", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]


# From the light's going off to the first wave, and between waves, of most people, seconds; and what is taken for it.
WAVE_AFTER_S = 12.0
SOONEST_S, LATEST_S = 1.0, 600.0


def applies_on(days: Days, weekday: int, free: bool | None = None) -> bool:
    """Whether a line of a schedule holds on a weekday, 0 for Monday; Saturday and Sunday are free, and other days
    where it is said so."""
    if days in ("every", "workday", "free"):
        return days == "every" or (days == "free") == (weekday >= 5 if free is None else free)
    return WEEKDAYS[weekday] == days


class Stay(Record, frozen=True, kw_only=True):
    """From about `at` (normal jitter, minutes) on, this person's place is `spot`, until the next line."""

    days: Days = "every"
    at: Clock
    spot: OfSpot
    jitter_min: NotNegative = 5.0


class Errand(Record, frozen=True, kw_only=True):
    """`per_day` short visits on average to `spot`, at random between two times, for about `minutes`; then back."""

    days: Days = "every"
    between: tuple[Clock, Clock]
    spot: OfSpot
    per_day: Annotated[float, msgspec.Meta(ge=0, le=200)]
    minutes: Positive


class Person(Record, frozen=True, kw_only=True):
    """Somebody who walks the building. A pet needs no light, and sensors ought not to notice it.

    Those of one `group` (an evening class, a family of guests) come together and share their times. Left in the dark
    they wait `wave_after_s` before they wave, and as long again before each further wave.
    """

    id: Id
    name: str
    kind: Annotated[Literal["adult", "child", "visitor", "pet"], Shown("Kind")] = "adult"
    speed: Annotated[
        float,
        msgspec.Meta(gt=0, le=3),
        Shown("Speed", "m/s", "0.9 to 1.3 is usual; slower for older people.", 0.05, 0.2),
    ] = 1.1
    body_kg: Annotated[Positive, Shown("Weight", "kg", "Used for pressure mats.", 1, 1, 300)] = 70.0
    stays: Annotated[tuple[Stay, ...], msgspec.Meta(min_length=1)]
    errands: tuple[Errand, ...] = ()
    group: str = ""
    wave_after_s: Annotated[
        float, msgspec.Meta(ge=SOONEST_S, le=LATEST_S),
        Shown("Waves after", "s", "Time in the dark before they wave, and between waves.")
    ] = WAVE_AFTER_S  # fmt: skip
