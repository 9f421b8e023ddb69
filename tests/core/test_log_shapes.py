"""Logs as they come: dates and times as people write them, in one column or two, phrases, radio columns, encodings."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from vastwatch.commission.event_log import preview_lines, read_log
from vastwatch.commission.format_guess import columns_of, guess_format, match, opened, with_columns
from vastwatch.commission.log_clock import Clock, as_iso, likely_order
from vastwatch.commission.log_rows import LogError, parse_state
from vastwatch.control.house import run_house

# Somebody in the shop for a quarter of an hour, twice, on two days.
ON_OFF = ((12, "08:00:00", True), (12, "08:15:00", False), (13, "20:05:30", True), (13, "20:20:30", False))


def read(path, project):
    return read_log(path, project, guess_format(path, project), unnamed=lambda name: match(name, project))


def written(tmp_path, head, line, encoding="utf-8"):
    """A log with a line for each event; `line` makes it of the day, the time and what is said."""
    path = tmp_path / "own.csv"
    path.write_bytes("\n".join([*head, *(line(*row) for row in ON_OFF), ""]).encode(encoding))
    return path


def clock12(text):
    return datetime.strptime(text, "%H:%M:%S").strftime("%I:%M:%S %p").lstrip("0")


SHAPES = {
    "two columns, day first": (["Date;Time;Device name;Status;RSSI"], lambda d, t, on: (
        f"{d:02d}/01/2026;{t};PIR shop;{'Motion detected' if on else 'Clear'};-7{d % 9}")),
    "one column, dots": (["when,device,value"], lambda d, t, on: f"{d:02d}.01.2026 {t},pir-shop,{'open' if on else 'shut'}"
                         .replace("shut", "closed")),
    "month first, with halves of the day": (["Time,Sensor,State"], lambda d, t, on: (
        f"1/{d}/2026 {clock12(t)},PIR shop,{'detected' if on else 'not detected'}")),
    "two digits of the year": (["date;sensor;state"], lambda d, t, on: f"{d}.1.26 {t[:5]};PIR shop;{int(on)}"),
    "months by name": (["time\tname\tstate"], lambda d, t, on: f"{d} Jan 2026, {t}\tPIR shop\t{'on' if on else 'off'}"),
    "no heads": ([], lambda d, t, on: f"2026-01-{d} {t};PIR shop;{'no motion' if not on else 'motion'};87"),
    "decimal comma": (["time;device;value;battery"], lambda d, t, on: (
        f"2026-01-{d} {t};PIR shop;{'1,0' if on else '0,0'};2,95")),
}  # fmt: skip


@pytest.mark.parametrize("name", list(SHAPES))
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_every_shape_is_understood_without_a_word(demo, tmp_path, name, encoding):
    path = written(tmp_path, *SHAPES[name], encoding)
    log = read(path, demo)
    said = log.recording.report("pir-shop")
    assert log.used == 4 and not log.unknown_devices, log.notes
    assert said.total() == pytest.approx(1800.0, abs=61), name
    begins = [log.recording.calendar.clock(t) for t in said.rises]
    assert [(b.month, b.day, b.hour, b.minute) for b in begins] == [(1, 12, 8, 0), (1, 13, 20, 5)]


def test_an_umlaut_of_an_older_program_stops_nothing(demo, tmp_path):
    path = written(tmp_path, ["Zeit;Gerät;Wert"], lambda d, t, on: f"2026-01-{d} {t};PIR shop;{int(on)}", "cp1252")
    assert columns_of(path)[1] == "Gerät" and read(path, demo).used == 4


def test_radio_columns_are_never_reports(demo, tmp_path):
    path = tmp_path / "wide.csv"
    rows = (f"2026-01-{d} {t},{int(on)},-71,98" for d, t, on in ON_OFF)
    path.write_text("\n".join(["time,PIR shop,PIR shop rssi,PIR shop battery", *rows]))
    reading = guess_format(path, demo)
    assert reading.wide and list(reading.devices) == ["PIR shop"]
    assert read(path, demo).recording.report("pir-shop").total() == pytest.approx(1800.0)


@given(st.dates(date(2000, 1, 1), date(2099, 12, 31)), st.sampled_from("./-"), st.sampled_from(["day", "month"]))
def test_a_date_is_read_in_the_order_it_was_written(day, mark, order):
    first, second = (day.day, day.month) if order == "day" else (day.month, day.day)
    text = f"{first}{mark}{second:02d}{mark}{day.year} 7:05"
    assert as_iso(text, order) == f"{day.isoformat()} 07:05:00"
    at = Clock("Europe/London", order)(text)
    assert datetime.fromtimestamp(at, ZoneInfo("Europe/London")).strftime("%Y-%m-%d %H:%M") == f"{day} 07:05"


def test_the_order_of_a_date_is_told_by_the_days_themselves():
    days = [date(2026, 3, 1) + timedelta(days=k) for k in range(9)]
    assert likely_order([d.strftime("%d/%m/%Y") for d in days]) == ("day", True)
    assert likely_order([d.strftime("%m/%d/%Y") for d in days]) == ("month", True)
    assert likely_order(["13/02/2026"]) == ("day", True) and likely_order(["02/13/2026"]) == ("month", True)
    # One day alone may be either, and ISO needs no order.
    assert likely_order(["02/03/2026", "02/03/2026"])[1] is False
    assert likely_order(["2026-02-03"])[1] is True
    # A cell that is no date in any order stops nothing.
    assert likely_order(["0/0/2026", "02/03/2026", "rubbish"])[1] is False


@pytest.mark.parametrize(
    "text", ["31/02/2026 8:00", "2026-01-12 25:00", "yesterday", "13:00", "1/2/3/4 8:00", "0/0/0 0:00"]
)
def test_what_is_no_time_is_none(text):
    with pytest.raises(ValueError):
        Clock("UTC")(text)


def test_phrases_say_on_or_off_and_names_do_not():
    said = {w: parse_state(w, {}) for w in ("Motion detected", "Clear", "no motion", "Not detected", "door: closed")}
    assert said == {"Motion detected": True, "Clear": False, "no motion": False, "Not detected": False,
                    "door: closed": False}  # fmt: skip
    for name in ("Motion sensor hall", "on off", "Waiting PIR"):
        with pytest.raises(ValueError):
            parse_state(name, {})
    assert parse_state("busy", {"busy": True}) is True


def test_a_log_in_which_nothing_is_found_can_still_be_told_column_by_column(demo, tmp_path):
    path = tmp_path / "odd.csv"
    path.write_text("a;b;c;d\n" + "\n".join(f"2026-01-{d};x {t};PIR shop;{int(on)}" for d, t, on in ON_OFF))
    with pytest.raises(LogError, match="no column contains mostly times"):
        guess_format(path, demo)
    reading, missing = opened(path, demo)
    assert reading.time == "" and "no column" in missing
    with pytest.raises(LogError, match="choose the column of the time"):
        preview_lines(path, reading, demo)
    good = tmp_path / "good.csv"
    good.write_text(path.read_text().replace("x ", ""))
    told = with_columns(good, demo, opened(good, demo)[0], "b", "c", "d", "a")
    assert (told.time, told.date, told.device, told.value) == ("b", "a", "c", "d")
    assert [x.fault for x in preview_lines(good, told, demo)] == [""] * 4


def test_quiet_is_not_offline_but_a_missed_heartbeat_is_and_what_is_not_there_was_never_heard(demo, tmp_path):
    """A PIR that reports only what it sees is quiet for a night; a light sensor that reports every five minutes is not
    heard for three hours of it."""
    begin = datetime(2026, 1, 12, 8, 0)
    rng = np.random.default_rng(1)
    rows = []
    at = 0.0
    while at < 12 * 3600.0:
        rows += [(at, "pir-shop", "on"), (at + 40.0, "pir-shop", "off")]
        at += float(rng.exponential(400.0)) + 60.0
    # Nobody from 20:00 to 08:00, and then again.
    rows += [(24 * 3600.0, "pir-shop", "on"), (24 * 3600.0 + 60.0, "pir-shop", "off")]
    beats = [300.0 * k for k in range(290) if not 14 * 3600.0 < 300.0 * k < 17 * 3600.0]
    with_beats = rows + [(t, "pir-toilet", "off") for t in beats]

    def log_of(events):
        path = tmp_path / "log.csv"
        lines = (f"{(begin + timedelta(seconds=t)).isoformat()},{d},{v}" for t, d, v in sorted(events))
        path.write_text("time,device,value\n" + "\n".join(lines))
        return read(path, demo)

    quiet = log_of(rows)
    assert quiet.gaps == () and quiet.recording.observed_of("pir-shop").total() > 23.9 * 3600.0
    assert run_house(demo, quiet.recording).observed("shop").total() > 23.9 * 3600.0
    # What is not in the log was never heard, and nothing is known of its room.
    assert quiet.recording.observed_of("pir-throwing").total() == 0.0
    assert run_house(demo, quiet.recording).observed("throwing").total() == 0.0
    log = log_of(with_beats)
    missed = ~log.recording.observed_of("pir-toilet")
    inside = missed.clip(8 * 3600.0, 31 * 3600.0).total()
    assert 2.9 * 3600.0 < inside < 3.2 * 3600.0
    assert len(log.gaps) == 1 and "No data once" in " ".join(log.notes)


def test_a_device_whose_heartbeat_stops_is_unknown_alone_while_others_are_heard(demo, tmp_path):
    begin = datetime(2026, 1, 12, 8, 0)
    rows = [(300.0 * k, "pir-shop", "off") for k in range(200)]
    rows += [(300.0 * k + 10.0, "pir-toilet", "off") for k in range(200) if not 50 <= k < 90]
    path = tmp_path / "log.csv"
    lines = (f"{(begin + timedelta(seconds=t)).isoformat()},{d},{v}" for t, d, v in sorted(rows))
    path.write_text("time,device,value\n" + "\n".join(lines))
    log = read(path, demo)
    shop, toilet = (log.recording.observed_of(s).total() for s in ("pir-shop", "pir-toilet"))
    assert log.gaps == () and shop - toilet == pytest.approx(41 * 300.0, abs=20.0)


def test_a_device_that_repeats_what_it_sees_has_no_heartbeat(demo, tmp_path):
    """A PIR that says on every minute while somebody moves, and nothing at night: nothing is missing."""
    begin = datetime(2026, 1, 12, 8, 0)
    day = [(60.0 * k, "on") for k in range(600)] + [(36_100.0, "off")]
    rows = [*day, *((t + 86_400.0, v) for t, v in day)]
    path = tmp_path / "log.csv"
    path.write_text(
        "time,device,value\n" + "\n".join(f"{(begin + timedelta(seconds=t)).isoformat()},pir-shop,{v}" for t, v in rows)
    )
    log = read(path, demo)
    assert log.gaps == () and log.recording.observed_of("pir-shop").total() == pytest.approx(86_400.0 + 36_100.0)
