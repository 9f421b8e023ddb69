"""Days of 23 to 25 hours, and the sun over every zone there is."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from importlib import resources
from pathlib import Path
from zoneinfo import TZPATH, ZoneInfo, available_timezones

import numpy as np
import pytest
from msgspec.structs import replace

from vastwatch.design.project import Place
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.run import Rehearsal
from vastwatch.signals import DAY, Calendar
from vastwatch.site import sun

HOUR = 3600.0


def every_zone() -> list[str]:
    """Every zone of the data base, once for each set of rules: many are but names of one another."""
    rules = {}
    for name in sorted(available_timezones()):
        with open_zone(name) as file:
            rules.setdefault(file.read(), name)
    return sorted(rules.values())


def open_zone(name: str):
    try:
        return resources.files("tzdata.zoneinfo").joinpath(*name.split("/")).open("rb")
    except (ModuleNotFoundError, FileNotFoundError):
        return next(p for p in (Path(root) / name for root in TZPATH) if p.is_file()).open("rb")


ZONES = every_zone()
DATES = [date(2026, m, d) for m, d in zip(range(1, 13), (12, 28, 29, 5, 17, 21, 1, 9, 27, 25, 1, 21))]


def test_the_days_on_which_clocks_are_moved_have_23_and_25_hours():
    spring = Calendar(date(2026, 3, 28), "Europe/London", 3)
    assert [spring.midnight(d) / HOUR for d in range(4)] == [0, 24, 47, 71]
    assert spring.end == 71 * HOUR
    assert spring.instant(1, 3 * HOUR) == 26 * HOUR
    assert spring.clock(26 * HOUR) == datetime(2026, 3, 29, 3)
    autumn = Calendar(date(2026, 10, 24), "Europe/London", 2)
    assert autumn.midnight(2) == 49 * HOUR
    # One o'clock comes twice: the first is meant, and both are told.
    assert autumn.instant(1, 1 * HOUR) == 25 * HOUR
    assert [autumn.clock(t * HOUR).hour for t in (25, 26, 27)] == [1, 1, 2]
    assert autumn.noon(1) - autumn.noon(0) == 25 * HOUR


def test_a_clock_time_that_is_skipped_is_counted_on_from_before():
    spring = Calendar(date(2026, 3, 29), "Europe/London", 1)
    assert spring.instant(0, 1.5 * HOUR) == 1.5 * HOUR
    assert spring.clock(1.5 * HOUR).hour == 2


def test_days_before_the_first_and_after_the_last_count_as_well():
    c = Calendar(date(2026, 3, 30), "Europe/London", 2)
    assert c.midnight(-1) == -23 * HOUR
    assert c.instant(0, -HOUR) == -HOUR
    assert c.instant(0, 25 * HOUR) == 25 * HOUR
    assert [c.day_of(t) for t in (-1.0, 0.0, DAY, 2 * DAY, 5 * DAY)] == [-1, 0, 1, 2, 2]
    assert [c.noon_day(t) for t in (0.0, DAY / 2 - 1, DAY / 2, DAY)] == [-1, -1, 0, 0]


@pytest.mark.parametrize("zone", ["Pacific/Apia", "Asia/Kathmandu", "Australia/Lord_Howe", "America/St_Johns"])
def test_clock_and_instant_are_inverse(zone):
    c = Calendar(date(2026, 4, 1), zone, 10)
    for t in np.linspace(0, c.end - 1, 97).round(1):
        at = c.clock(t)
        day = (at.date() - c.begin).days
        assert c.midnight(day) <= t < c.midnight(day + 1)
        back = c.instant(day, c.clock_s(t))
        assert back == pytest.approx(t, abs=1e-3) or c.clock(back) == at


def longitude_of(zone: str, day: date) -> float:
    """About where a zone lies: 15 degrees east for each hour its standard time is ahead."""
    winter = [datetime(2026, m, 1, tzinfo=ZoneInfo(zone)).utcoffset() for m in (1, 7)]
    hours = min(winter).total_seconds() / 3600
    return (15.0 * hours + 180.0) % 360.0 - 180.0


def height_deg(latitude: float, longitude: float, midnight: datetime, after: np.ndarray) -> np.ndarray:
    """The sun's height so many seconds after a midnight by the plain textbook formula: good to about half a degree."""
    n = ((midnight - datetime(2026, 1, 1, tzinfo=UTC)).total_seconds() + after) / DAY
    g = 2 * np.pi * (n - 1) / 365.25
    declination = (
        0.006918 - 0.399912 * np.cos(g) + 0.070257 * np.sin(g) - 0.006758 * np.cos(2 * g) + 0.000907 * np.sin(2 * g)
    )
    minutes = 229.18 * (
        0.000075 + 0.001868 * np.cos(g) - 0.032077 * np.sin(g) - 0.014615 * np.cos(2 * g) - 0.040849 * np.sin(2 * g)
    )
    solar = (n % 1.0) * 1440 + minutes + 4 * longitude
    turn = np.radians(solar / 4 - 180)
    lat = np.radians(latitude)
    return np.degrees(np.arcsin(np.sin(lat) * np.sin(declination) + np.cos(lat) * np.cos(declination) * np.cos(turn)))


def test_the_suns_height_between_the_hours_is_that_of_the_ephemeris():
    calendar = Calendar(date(2026, 3, 28), "Australia/Sydney", 3)
    joined = sun.height(-33.9, 151.2, calendar)
    for t in np.linspace(1.0, calendar.end - 1, 211).round():
        asked = sun.elevation_deg(-33.9, 151.2, calendar.instant_utc(t))
        assert float(joined.at(t)) == pytest.approx(asked, abs=6e-3)


@pytest.mark.parametrize("part", range(8))
def test_in_every_zone_on_twelve_dates_the_sun_is_up_when_the_textbook_says(part):
    """Every zone of the data base, at northern and southern latitudes, on a day of each month."""
    for k, zone in enumerate(ZONES[part::8]):
        latitude = (48.0, -34.0, 5.0)[k % 3]
        for day in DATES:
            longitude = longitude_of(zone, day)
            calendar = Calendar(day, zone, 1)
            up = sun.above(latitude, longitude, 0.0, calendar)
            assert (up.start, up.end) == (0.0, calendar.end)
            # One stretch a day, cut where a zone's clock is far from its sun.
            assert 1 <= len(up.intervals) <= 2, (zone, day)
            t = np.linspace(900, calendar.end - 900, 41)
            height = height_deg(latitude, longitude, datetime.combine(day, time(), ZoneInfo(zone)), t)
            clear = np.abs(height) > 1.0
            assert (up.at(t) == (height > 0))[clear].all(), (zone, day)


def test_every_zone_has_a_sunrise_before_its_sunset_on_twelve_dates():
    for zone in ZONES[::3]:
        for day in DATES:
            rise, down = sun.rise_and_set(20.0, longitude_of(zone, day), day, zone)
            assert rise is not None and down is not None, (zone, day)
            assert 2.5 * HOUR < rise < 10.5 * HOUR, (zone, day, rise / HOUR)
            assert 8.5 * HOUR < down - rise < 15.5 * HOUR


@pytest.mark.parametrize(
    ("zone", "latitude", "longitude"),
    [
        ("Australia/Sydney", -33.9, 151.2), ("Asia/Tokyo", 35.7, 139.7), ("Pacific/Auckland", -36.8, 174.8),
        ("Pacific/Kiritimati", 1.9, -157.4), ("Pacific/Chatham", -43.9, -176.5), ("America/Adak", 51.9, -176.6),
    ],
)  # fmt: skip
def test_rehearsals_at_both_sides_of_the_date_line_have_their_days_and_nights(room, zone, latitude, longitude):
    for begin in ("2026-01-12", "2026-04-03", "2026-09-25"):
        there = replace(
            room,
            place=Place(latitude=latitude, longitude=longitude, timezone=zone),
            brief=replace(room.brief, rehearse_from=begin),
        )
        needs = replace(there.rooms[0].needs, lux=30.0)
        there = replace(there, rooms=(replace(there.rooms[0], needs=needs), *there.rooms[1:]))
        r: Rehearsal = rehearse(there, 4, 1)
        dark = r.house.dark("big")
        for d in range(4):
            assert not dark.at(r.calendar.noon(d))
            assert dark.at(r.calendar.instant(d, 60.0))


def test_people_keep_to_the_clock_over_the_night_in_which_it_is_moved(room):
    there = replace(
        room, place=replace(room.place, timezone="Europe/London"), brief=replace(room.brief, rehearse_from="2026-03-27")
    )
    r = rehearse(there, 5, 3)
    track = r.truth.tracks[0]
    chair = [float(t) for t, s in zip(track.arrive, track.spot) if r.truth.spots[s].id == "chair"]
    firsts = [min(t for t in chair if r.calendar.day_of(t) == d) for d in range(5)]
    assert all(abs(r.calendar.clock_s(t) - 9 * HOUR) < 40 * 60 for t in firsts)
    assert r.truth.end == 119 * HOUR
    assert all(r.clock(i.at) - datetime(2026, 3, 27) < timedelta(days=5) for i in r.incidents)


def test_an_instant_is_found_from_its_date_in_any_zone():
    calendar = Calendar(date(2026, 10, 24), "Europe/Berlin", 3)
    for t in (0.0, 3600.0, 100_000.0, 150_000.25):
        assert calendar.of(calendar.instant_utc(t)) == t
    here = datetime(2026, 10, 24, 6, 30, tzinfo=ZoneInfo("Asia/Tokyo"))
    # 06:30 in the one is 23:30 of the day before in the other, half an hour before the calendar begins.
    assert calendar.of(here) == -1800.0
