"""Calendars of holidays as they come, days off and vacations in what people do and in what follows the clock."""

from __future__ import annotations

import random
import time
from datetime import date, timedelta

import numpy as np
import pytest
from msgspec.structs import replace

from samples import make_room
from vastwatch.control.export.year_schedule import hour_words, scheduled_windows, year_of, year_rows
from vastwatch.control.light.clock import clock_time
from vastwatch.design.expressions import ClockTime
from vastwatch.design.free_days import days_away, free_days, with_holidays
from vastwatch.design.project import Holiday, Vacation
from vastwatch.files.check import ProjectError, faults_of
from vastwatch.files.holidays import parse_holidays, read_holidays
from vastwatch.people.truth import simulate_days
from vastwatch.signals import Calendar
from vastwatch.site.people import Stay


def calendar(*entries: str) -> bytes:
    body = "".join(f"BEGIN:VEVENT\r\n{e}\r\nEND:VEVENT\r\n" for e in entries)
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:none\r\n{body}END:VCALENDAR\r\n".encode()


def days(*entries: str, first=2026, last=2028) -> list[str]:
    return [h.on for h in parse_holidays(calendar(*entries), first, last).days]


@pytest.mark.parametrize(
    ("entry", "found"),
    [
        ("DTSTART;VALUE=DATE:20260506\r\nSUMMARY:Feast", ["2026-05-06"]),
        # The end is the day after the last.
        ("DTSTART;VALUE=DATE:20261230\r\nDTEND;VALUE=DATE:20270102", ["2026-12-30", "2026-12-31", "2027-01-01"]),
        ("DTSTART;VALUE=DATE:20260506\r\nDURATION:P2D", ["2026-05-06", "2026-05-07"]),
        ("DTSTART;VALUE=DATE:20010506\r\nRRULE:FREQ=YEARLY", ["2026-05-06", "2027-05-06", "2028-05-06"]),
        ("DTSTART;VALUE=DATE:20250506\r\nRRULE:FREQ=YEARLY;UNTIL=20270506T000000Z", ["2026-05-06", "2027-05-06"]),
        ("DTSTART;VALUE=DATE:20250506\r\nRRULE:FREQ=YEARLY;COUNT=2", ["2026-05-06"]),
        # The first Monday of May, but not in 2027.
        (
            "DTSTART;VALUE=DATE:20260504\r\nRRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO\r\nEXDATE;VALUE=DATE:20270503",
            ["2026-05-04", "2028-05-01"],
        ),
        # Only leap years have it.
        ("DTSTART;VALUE=DATE:20240229\r\nRRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", ["2028-02-29"]),
    ],
)
def test_whole_days_are_found_in_the_years_asked_for(entry, found):
    assert days(entry) == found


def test_a_holiday_over_the_new_year_counts_in_either_year():
    entry = "DTSTART;VALUE=DATE:20251230\r\nDTEND;VALUE=DATE:20260103"
    assert days(entry, first=2026, last=2026) == ["2026-01-01", "2026-01-02"]


def test_what_is_left_out_is_said():
    found = parse_holidays(
        calendar(
            "DTSTART;VALUE=DATE:20260506\r\nSUMMARY:Feast",
            "DTSTART:20260507T100000Z\r\nDTEND:20260507T110000Z\r\nSUMMARY:Dentist",
            "DTSTART;TZID=Nowhere/At all:20260507T100000\r\nSUMMARY:Elsewhere",
            "SUMMARY:without a date",
            "DTSTART;VALUE=DATE:20260601\r\nRRULE:FREQ=SECONDLY",
        ),
        2026,
        2026,
    )
    assert [h.name for h in found.days] == ["Feast"]
    assert any("not all-day" in n for n in found.notes) and any("cannot be read" in n for n in found.notes)


def test_an_entry_without_end_is_cut():
    found = parse_holidays(calendar("DTSTART;VALUE=DATE:20260101\r\nDTEND;VALUE=DATE:99990101"), 2026, 2026)
    assert len(found.days) == 60 and "longer than 60 days" in found.notes[0]


def test_rules_that_take_for_ever_are_given_up():
    never = "DTSTART;VALUE=DATE:20200506\r\nRRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"
    import vastwatch.files.holidays as module

    begun, patience = time.monotonic(), module.PATIENCE_S
    module.PATIENCE_S = 0.05
    try:
        found = parse_holidays(calendar("DTSTART;VALUE=DATE:20260506", *[never] * 3000), 2026, 2026)
    finally:
        module.PATIENCE_S = patience
    assert [h.on for h in found.days] == ["2026-05-06"] and "takes too long" in found.notes[0]
    assert time.monotonic() - begun < 30


@pytest.mark.parametrize(
    "raw",
    [
        b"", b"not a calendar", b"BEGIN:VCALENDAR", b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART:oops\r\n",
        b"\xff\xfe\x00BEGIN:VCALENDAR", calendar(), calendar("DTSTART;VALUE=DATE:19000101"),
        b"BEGIN:VCALENDAR\r\n" * 2000, calendar("DTSTART;VALUE=DATE:20260506\r\nRRULE:FREQ=YEARLY;INTERVAL=0;BYDAY=ZZ"),
    ],
)  # fmt: skip
def test_what_is_no_calendar_is_a_sentence(raw, tmp_path):
    path = tmp_path / "days.ics"
    path.write_bytes(raw)
    with pytest.raises(ProjectError) as e:
        read_holidays(path, 2026, 2026)
    assert "days.ics" in str(e.value) and "\n" not in str(e.value)


def test_a_file_that_is_not_there_is_a_sentence(tmp_path):
    with pytest.raises(ProjectError, match="nowhere"):
        read_holidays(tmp_path / "nowhere.ics", 2026, 2026)


def test_calendars_cut_and_stained_anywhere_never_crash():
    whole = bytearray(
        calendar(
            "DTSTART;VALUE=DATE:20260506\r\nSUMMARY:Feast\r\nRRULE:FREQ=YEARLY",
            "DTSTART;VALUE=DATE:20260601\r\nDURATION:P2D\r\nEXDATE;VALUE=DATE:20260601",
        )
    )
    luck = random.Random(5)
    for _ in range(150):
        raw = bytearray(whole[: luck.randint(0, len(whole))]) if luck.random() < 0.4 else bytearray(whole)
        for _ in range(luck.randint(0, 4)):
            if raw:
                raw[luck.randrange(len(raw))] = luck.randrange(256)
        try:
            parse_holidays(bytes(raw), 2026, 2027)
        except ProjectError as e:
            assert "\n" not in str(e)


# -- what follows --------------------------------------------------------------------------------------------------


def brief(project, **changes):
    return replace(project, brief=replace(project.brief, **changes))


def test_holidays_are_kept_by_date_the_newer_name_counts():
    project = with_holidays(make_room(), (Holiday(on="2026-05-06", name="A"), Holiday(on="2026-01-06")))
    project = with_holidays(project, (Holiday(on="2026-05-06", name="B"),))
    assert [(h.on, h.name) for h in project.brief.holidays] == [("2026-01-06", ""), ("2026-05-06", "B")]
    assert free_days(project.brief) == ("2026-01-06", "2026-05-06")


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"holidays": (Holiday(on="2026-02-30"),)}, "2026-02-30"),
        ({"vacations": (Vacation(begin="2026-02-03", end="2026-02-01"),)}, "before it begins"),
        ({"vacations": (Vacation(begin="2026-02-03", end="2028-02-01"),)}, "400 days at most"),
        ({"vacations": (Vacation(begin="2026-13-03", end="2026-02-01"),)}, "not two dates"),
    ],
)
def test_days_that_cannot_be_are_faults(changes, words):
    assert any(words in fault for fault in faults_of(brief(make_room(), **changes)))


def working(project):
    """Somebody who sits in the chair on workdays only, and on days off by the exit."""
    (person,) = project.people
    stays = (
        Stay(at="09:00", spot="chair", days="workday", jitter_min=0), Stay(at="17:00", spot="exit", jitter_min=0),
        Stay(at="09:00", spot="exit", days="free", jitter_min=0),
    )  # fmt: skip
    return replace(project, people=(replace(person, stays=stays, errands=()),))


def by_day(project, n=7):
    truth = simulate_days(project, n, 1)
    here = truth.person_in("a", "big")
    return [
        here.clip(truth.calendar.midnight(d), truth.calendar.midnight(d + 1)).total() / 3600.0 for d in range(n)
    ]  # fmt: skip


def test_a_free_day_is_lived_as_a_sunday():
    project = working(make_room())
    begin = date.fromisoformat(project.brief.rehearse_from)
    monday = (-begin.weekday()) % 7
    usual = by_day(project)
    tuesday = (monday + 1) % 7
    free = by_day(brief(project, holidays=(Holiday(on=(begin + timedelta(days=tuesday)).isoformat()),)))
    assert usual[tuesday] > 7.5 and free[tuesday] < 0.5
    same = [d for d in range(7) if d != tuesday]
    assert np.allclose([usual[d] for d in same], [free[d] for d in same], atol=0.05)


def test_on_vacation_nobody_is_there_but_pets():
    project = working(make_room())
    begin = date.fromisoformat(project.brief.rehearse_from)
    days = [(begin + timedelta(days=k)).isoformat() for k in (1, 3)]
    away = brief(project, vacations=(Vacation(begin=days[0], end=days[1]),))
    assert days_away(away.brief) == tuple((begin + timedelta(days=k)).isoformat() for k in (1, 2, 3))
    found = by_day(away)
    assert found[1:4] == [0.0, 0.0, 0.0] and max(found[4:]) > 7.5
    cat = replace(away, people=(replace(away.people[0], kind="pet"),))
    assert max(by_day(cat)[1:4]) > 7.5


def test_windows_of_workdays_stay_shut_on_free_days():
    project = make_room()
    window = ClockTime(begin="09:00", end="10:00", days="workday")
    week = Calendar(date(2026, 1, 12), "UTC", 7)
    free = replace_free(week, ("2026-01-14",))
    assert len(clock_time(window, project.place, week).rises) == 5
    assert len(clock_time(window, project.place, free).rises) == 4
    assert not clock_time(window, project.place, free).at(2 * 86_400 + 9.5 * 3600)


def replace_free(week, free):
    return Calendar(week.begin, week.zone, week.days, week.weather_seed, free)


# -- the year ------------------------------------------------------------------------------------------------------


def test_the_year_is_what_the_clock_says_day_by_day(demo):
    year = year_of(demo, 2026)
    assert len(year.days) == 365 and len({s.words for s in year.scheduled}) == len(year.scheduled)
    assert [d.kind for d in year.days if d.name] == ["free", "free", "free", "free", "weekend"]
    assert sum(d.kind == "away" for d in year.days) == 14
    calendar_ = Calendar(date(2026, 1, 1), demo.place.timezone, 365, free=free_days(demo.brief))
    for k, s in enumerate(year.scheduled):
        told = clock_time(s.window, demo.place, calendar_)
        # The last night of the year reaches into the next, and the first began in the one before.
        assert told.total() / 3600.0 == pytest.approx(year.hours_open(k), abs=12.0)
        for d in (0, 100, 250):
            opened = year.days[d].open_h[k]
            if opened is not None:
                assert told.at(calendar_.midnight(d) + opened[0] * 3600 + 1)
                assert not told.at(min(calendar_.midnight(d) + opened[1] * 3600 + 1, told.end - 1))
    assert len(year_rows(year)) == 366


def test_the_year_keeps_to_the_clock_when_that_is_put_on():
    project = make_room()
    project = replace(project, place=replace(project.place, timezone="Europe/Paris"))
    window = ClockTime(begin="22:00", end="06:00")
    row = replace(project.presences[0], expr=window)
    year = year_of(replace(project, presences=(row,)), 2026)
    # In the night to the 29th of March the clock is put on, and in that to the 25th of October back.
    for on, hours in (("2026-03-28", 7.0), ("2026-10-24", 9.0), ("2026-06-01", 8.0)):
        day = next(d for d in year.days if d.on.isoformat() == on)
        begin, end, lasts = day.open_h[0]
        assert (hour_words(begin), hour_words(end), lasts) == ("22:00", "06:00", hours)


def test_one_window_is_told_once_with_all_that_goes_by_it(demo):
    night = [s for s in scheduled_windows(demo) if (s.window.begin, s.window.end) == ("23:00", "06:00")]
    assert len(night) == 1 and len(night[0].used_by) == 3


def test_years_that_no_calendar_has_are_refused(demo):
    with pytest.raises(ValueError, match="1900"):
        year_of(demo, 1)


@pytest.mark.parametrize(
    "rule",
    [
        "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30",
        "FREQ=YEARLY;BYDAY=99MO",
        "FREQ=DAILY;INTERVAL=0",
        "FREQ=WEEKLY;INTERVAL=00",
        "FREQ=DAILY;BYHOUR=1,2,3;BYMINUTE=1,2,3",
        "FREQ=MONTHLY;BYDAY=5MO;BYMONTHDAY=1",
        "FREQ=YEARLY;BYYEARDAY=366;BYMONTH=1",
    ],
)
@pytest.mark.parametrize("begin", ["00010101", "20200101"])
def test_no_rule_is_followed_for_ever(rule, begin):
    """In one step of the library, where nobody can look at a clock: the last year it looks at is that asked for."""
    entries = (f"DTSTART;VALUE=DATE:{begin}\r\nRRULE:{rule}", "DTSTART;VALUE=DATE:20260506\r\nSUMMARY:Feast")
    began = time.monotonic()
    found = parse_holidays(calendar(*entries), 2026, 2028)
    assert [d.name for d in found.days] == ["Feast"] and time.monotonic() - began < 3.0
