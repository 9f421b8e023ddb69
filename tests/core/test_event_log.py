"""Logs of a real house: every shape they come in, what is wrong with them, and what another hold would have done."""

from __future__ import annotations

import csv
import json
from datetime import date
from importlib import resources

import numpy as np
import pytest
from msgspec.structs import replace

from vastwatch import cli
from vastwatch.advice.logs.replay import explain_note, log_curve, notes_in, room_replays, what_if, with_holds
from vastwatch.commission.event_log import EventLog, preview_lines, read_log, with_device
from vastwatch.commission.format_guess import guess_format, match
from vastwatch.commission.log_clock import Clock
from vastwatch.commission.log_rows import LogError, LogFormat, parse_state
from vastwatch.commission.log_writing import write_log
from vastwatch.control.house import run_house
from vastwatch.control.recording import Recording
from vastwatch.design.expressions import zone_part
from vastwatch.design.project import find
from vastwatch.files import save_project
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal.run import make_recording
from vastwatch.signals import Calendar, Signal

DAY = 86_400.0


@pytest.fixture(scope="module")
def recording(demo) -> Recording:
    return make_recording(demo, simulate_days(demo, 3, 4))


def read(path, project) -> EventLog:
    return read_log(path, project, guess_format(path, project), unnamed=lambda name: match(name, project))


def apart(a: Signal, b: Signal) -> float:
    return ((a - b) | (b - a)).total()


# -- out and in again ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["log.csv", "log.jsonl"])
def test_a_log_that_is_written_is_read_as_it_was(demo, recording, tmp_path, name):
    path = tmp_path / name
    written = write_log(recording, path, parts=True)
    log = read(path, demo)
    free = tuple(h.on for h in demo.brief.holidays)
    days = Calendar(recording.calendar.begin, recording.calendar.zone, 3, free=free)
    assert log.used == written and not log.notes and log.recording.calendar == days
    for key, said in recording.reports.items():
        # To the millisecond, but for what came after the last word of the log.
        assert apart(said, log.recording.reports[key]) < 0.002 * (len(said) + 2), key
    assert ("tracker-sitting", zone_part("zone-sofa")) in log.recording.reports
    # And what the house makes of it is what it made of the rehearsal.
    mine, theirs = run_house(demo, recording), run_house(demo, log.recording)
    assert apart(mine.signals["presence-shop"], theirs.signals["presence-shop"]) < 5.0


@pytest.mark.parametrize("name", ["log.csv", "log.jsonl"])
def test_a_log_with_a_column_for_each_device_is_read_as_it_was_written(demo, recording, tmp_path, name):
    long, wide = tmp_path / f"long-{name}", tmp_path / f"wide-{name}"
    assert write_log(recording, long) == write_log(recording, wide, wide=True)
    a, b = read(long, demo), read(wide, demo)
    assert b.used == a.used and not b.notes
    for sensor in recording.sensors:
        assert a.recording.report(sensor).same_as(b.recording.report(sensor), 1e-9)


SHAPES = {
    "long.csv": "time,device,value\n{0},pir-shop,on\n{1},pir-shop,off\n",
    "semicolons.csv": "When;Topic;State\n{0};house/ground/PIR shop;TRUE\n{1};house/ground/PIR shop;FALSE\n",
    "wide.csv": "timestamp,PIR shop,PIR toilet\n{0},1,0\n{1},0,0\n",
    "numbers.csv": "time,sensor,reading\n{0},pir_shop,3.2\n{1},pir_shop,0\n",
    "payload.csv": 'date,topic,payload\n{0},mesh/pir-shop,"{{""occupancy"": true, ""battery"": 97}}"\n'
                   '{1},mesh/pir-shop,"{{""occupancy"": false, ""battery"": 97}}"\n',
    "lines.jsonl": '{{"time": "{0}", "device": "pir shop", "value": "detected"}}\n'
                   '{{"time": "{1}", "device": "pir shop", "value": "clear"}}\n',
    "nested.jsonl": '{{"ts": "{0}", "topic": "home/pir-shop", "payload": {{"occupancy": true, "strength": 80}}}}\n'
                    '{{"ts": "{1}", "topic": "home/pir-shop", "payload": {{"occupancy": false, "strength": 81}}}}\n',
    "wide.jsonl": '{{"time": "{0}", "pir-shop": "on"}}\n{{"time": "{1}", "pir-shop": "off"}}\n',
}  # fmt: skip


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize(
    "times", [("2026-01-12T10:00:00Z", "2026-01-12T10:01:00Z"), ("2026-01-12 10:00:00", "2026-01-12 10:01:00"),
              ("2026-01-12T11:00:00.000+01:00", "2026-01-12T11:01:00.000+01:00"), ("1768212000", "1768212060"),
              ("1768212000000", "1768212060000")],
)  # fmt: skip
def test_every_shape_of_log_says_the_same(demo, tmp_path, shape, times):
    path = tmp_path / shape
    path.write_text(SHAPES[shape].format(*times))
    log = read(path, demo)
    assert log.recording.report("pir-shop").intervals == pytest.approx(np.array([[36_000.0, 36_060.0]]), abs=1e-3)


def test_an_hour_that_clocks_show_twice_is_taken_once_each(demo, tmp_path):
    """In autumn 01:30 comes twice; without a zone the order of the lines tells which is meant. In spring 01:30 is
    skipped."""
    demo = replace(demo, place=replace(demo.place, timezone="Europe/London"))
    path = tmp_path / "autumn.csv"
    rows = ["00:50:00,on", "01:10:00,off", "01:50:00,on", "01:05:00,off", "01:40:00,on", "02:10:00,off"]
    path.write_text("time,device,value\n" + "".join(f"2026-10-25 {r.replace(',', ',pir-shop,')}\n" for r in rows))
    log = read(path, demo)
    # Clocks go back at 02:00 to 01:00: the second 01:05 is 15 minutes after 01:50.
    expected = np.array([[3000, 4200], [6600, 7500], [9600, 11400]], float)
    assert log.recording.report("pir-shop").intervals == pytest.approx(expected)
    assert log.disordered == 0 and log.recording.calendar.end == 25 * 3600.0
    clock = Clock("Europe/London")
    assert clock("2026-03-29 03:30:00") - clock("2026-03-29 00:30:00") == 2 * 3600.0


def test_many_times_at_once_are_each_as_alone():
    texts = [f"2026-0{m}-28T{h:02d}:15:30.250" for m in (3, 4) for h in range(24)]
    for zone in ("", "Z", "+02:00", "-0530"):
        some = [t + zone for t in texts]
        many = Clock("Europe/London").parse_all(some)
        alone = Clock("Europe/London")
        assert many == pytest.approx([alone(t) for t in some])
    # Days on which clocks are moved, and lines written unlike each other, are taken one by one.
    assert Clock("Europe/London").parse_all(["2026-03-29T03:00:00"]) == [None]
    assert Clock("Europe/London").parse_all(["2026-03-28T03:00:00", "1768212000"]) == [None, None]


# -- what is wrong with them ---------------------------------------------------------------------------------------


def test_offline_is_not_off_and_a_silent_log_heard_nobody(demo, tmp_path):
    path = tmp_path / "gaps.csv"
    rows = [f"2026-01-12T08:{m:02d}:00Z,pir-shop,off" for m in range(60)]
    rows += ["2026-01-12T09:00:00Z,pir-shop,on", "2026-01-12T09:10:00Z,pir-shop,unavailable",
             "2026-01-12T09:30:00Z,pir-shop,off", "2026-01-12T09:45:00Z,pir-shop,off"]  # fmt: skip
    rows += [f"2026-01-12T22:{m:02d}:00Z,pir-toilet,off" for m in range(60)]
    path.write_text("time,device,value\n" + "\n".join(rows))
    log = read(path, demo)
    known = log.recording.observed["pir-shop"]
    h = 3600.0
    assert not known.at(9 * h + 900) and known.at(9 * h + 1860) and known.at(9 * h - 60)
    assert not log.recording.report("pir-shop").at(9 * h + 900)
    assert log.gaps == ((9 * h + 2700, 22 * h),) and not known.at(12 * h) and not known.at(7 * h)
    assert any("not counted as off" in note for note in log.notes)
    # What nobody heard counts neither as light nor as dark.
    assert room_replays(run_house(demo, log.recording))["shop"].known_h == pytest.approx(known.total() / h)


def test_disorder_repeats_and_rubbish_are_counted_and_told(demo, tmp_path):
    path = tmp_path / "mess.csv"
    path.write_text(
        "time,device,value\n2026-01-12T10:00:00Z,pir-shop,on\n2026-01-12T10:05:00Z,pir-shop,off\n"
        "2026-01-12T10:02:00Z,pir-shop,on\n2026-01-12T10:05:00Z,pir-shop,off\nyesterday,pir-shop,on\n"
        "2026-01-12T10:07:00Z,pir-shop,perhaps\n2026-01-12T10:08:00Z,kettle,on\n\n2026-01-12T10:09:00Z,pir-shop\n"
    )
    log = read(path, demo)
    assert (log.disordered, log.duplicates, log.unreadable, log.used) == (1, 2, 3, 4)
    assert log.unknown_devices == ("kettle",) and "line 6" in log.first_fault
    assert log.recording.report("pir-shop").intervals == pytest.approx(np.array([[36_000.0, 36_300.0]]))
    words = " ".join(log.notes)
    assert "out of order in places (once)" in words
    assert "kettle" in words and "could not be read" in words


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "the file is empty"),
        ("a,b\n1,2\n3,4\n", "no column contains mostly times"),
        ("time\n2026-01-12T10:00:00Z\n", "no column except the time"),
        ("time,device,value\n2026-01-12T10:00:00Z,boiler,on\n2026-01-12T10:00:00Z,pump,on\n", "from another house"),
        ("time,device,value\n2026-01-12T10:00:00Z,pir-shop,perhaps\n", "neither|could be read"),
        ('{"time": \n', "line 1 is not valid JSON"),
        ("[1, 2]\n", "not an object with a time"),
        ("time,device,value\n2026-01-12T10:00:00Z,pir-shop,on" + "x" * 70_000, "a line of more than"),
        ("time,device,value\n2026-01-12T10:00:00Z,pir\x00-shop,on\n", "not a text file"),
    ],
)
def test_a_log_that_cannot_be_used_says_why(demo, tmp_path, text, words):
    path = tmp_path / "log.csv"
    path.write_text(text)
    with pytest.raises(LogError, match=words):
        read(path, demo)


def test_what_is_no_file_or_no_text_says_so(demo, tmp_path):
    (tmp_path / "bytes.csv").write_bytes(b"time,device\n\xff\xfe\n")
    for path, words in (
        (tmp_path, "not a readable file"),
        (tmp_path / "none", "no such file"),
        (tmp_path / "bytes.csv", "UTF-8"),
    ):
        with pytest.raises(LogError, match=words):
            read(path, demo)


def test_a_log_of_years_is_used_as_far_as_it_can_be(demo, tmp_path):
    path = tmp_path / "years.csv"
    days = [date.fromordinal(date(2024, 1, 1).toordinal() + k) for k in range(0, 900, 9)]
    path.write_text("time,device,value\n" + "".join(f"{d}T10:00:00Z,pir-shop,{k % 2}\n" for k, d in enumerate(days)))
    log = read(path, demo)
    assert log.recording.calendar.days == 366 and "the first 366 are used" in " ".join(log.notes)


def test_reading_can_be_stopped(demo, recording, tmp_path):
    path = tmp_path / "log.csv"
    with path.open("w") as out:
        writer = csv.writer(out)
        writer.writerow(["time", "device", "value"])
        for k in range(60_000):
            writer.writerow([f"{1_768_212_000 + k}", "pir-shop", k % 2])
    seen: list[float] = []
    log = read_log(path, demo, guess_format(path, demo), lambda: len(seen) < 1, seen.append)
    assert log.lines < 60_000 and "Only the first" in log.notes[0]


def test_words_of_a_log_can_be_told_and_devices_mapped(demo, tmp_path):
    path = tmp_path / "own.csv"
    path.write_text("time,device,value\n2026-01-12T10:00:00Z,box 7,busy\n2026-01-12T10:01:00Z,box 7,free\n")
    reading = LogFormat("csv", ",", "time", "device", "value", means={"busy": True, "free": False})
    lines = preview_lines(path, reading, demo)
    assert [x.fault for x in lines] == ["'box 7' is not a device of this project"] * 2 and lines[0].says == "on"
    reading = with_device(reading, "box 7", ("pir-shop", None))
    assert [x.device for x in preview_lines(path, reading, demo)] == ["PIR shop"] * 2
    assert read_log(path, demo, reading).recording.report("pir-shop").total() == pytest.approx(60.0)
    assert (
        parse_state("closed", {}) is False
        and parse_state(True, {}, "contact") is False
        and parse_state("offline", {}) is None
    )
    with pytest.raises(ValueError, match="perhaps"):
        parse_state("perhaps", {})


# -- what if -------------------------------------------------------------------------------------------------------


def test_the_shipped_log_is_of_other_settings_and_tells_what_was_not_heard(demo):
    path = resources.files("vastwatch").joinpath("data/saltmarsh-log.csv")
    log = read(path, demo)
    lost = ~log.recording.observed["pir-shop"]
    assert log.recording.calendar.days == 4 and 5000 < lost.clip(2 * DAY, 3 * DAY).total() < 6000
    drawn = make_recording(demo, simulate_days(demo, 4, 77))
    theirs, ours = (r.report("pir-throwing").total() for r in (log.recording, drawn))
    assert theirs > 1.3 * ours
    assert set(log.recording.sensors) == {s.id for s in demo.sensors} and not log.unknown_devices


def one_room(room, rows, days=2) -> Recording:
    calendar = Calendar(date(2026, 1, 12), "UTC", days)
    return Recording(calendar, {("pir", None): Signal.from_intervals(rows, 0.0, calendar.end)})


def test_another_hold_saves_what_it_saves_and_makes_gaps_that_may_have_been_people(room):
    """Reports of a minute; silences of 2 min, 20 min and 50 min; from 15 min to 40 s. In the first, 80 s are saved and
    the light comes on again where it was on: a gap. In the others 14 min 20 s each, and it would have been off anyway."""
    at = [0, 180, 180 + 1260, 180 + 1260 + 3060]
    project = with_holds(room, {"here": 900.0})
    house = run_house(project, one_room(room, [(t + 100, t + 160) for t in at]))
    w = what_if(house, find(project.presences, "here"), 40.0)
    weeks = 2 / 7
    assert w.saved_h_per_week * weeks == pytest.approx((80 + 3 * 860) / 3600)
    assert w.gaps == 1 and w.longest_gap_s == pytest.approx(120.0) and w.at == (pytest.approx(200.0),)
    assert "1 gap between 40 s and 15 min may have been people" in w.in_words()
    longer = what_if(house, find(project.presences, "here"), 1800.0)
    assert longer.saved_h_per_week < 0 and longer.gaps == 0 and "more" in longer.in_words()
    other = run_house(with_holds(project, {"here": 40.0}), house.recording)
    assert other.served("big").total() == pytest.approx(4 * 100.0)
    curve = log_curve(house, find(project.presences, "here"))
    assert (np.diff(curve.lit_h_per_day) >= 0).all() and (np.diff(curve.returns_per_week) <= 0).all()


def test_a_diary_is_laid_over_the_log(room):
    project = with_holds(room, {"here": 60.0})
    house = run_house(project, one_room(room, [(36_000, 36_060), (36_400, 36_500)]))
    notes, faults = notes_in(
        "# mine\n2026-01-12 10:02 the light in Big went off on me\nnonsense\n2026-03-01 10:00 later\n", house
    )
    assert len(notes) == 1 and len(faults) == 2 and "line 3" in faults[0] and "line 4" in faults[1]
    told = explain_note(house, notes[0])
    assert told.room == "big" and "The hold time of 1 min ran out" in told.chain[1]
    assert "5 min 40 s later" in told.chain[2] and "A hold time of 5 min 40 s would have kept" in told.chain[3]
    nothing = explain_note(house, notes[0]._replace(at=80_000.0))
    assert nothing.room is None and "No light went off" in nothing.chain[0]


def test_holds_that_cannot_be_say_so(room):
    for holds, words in (
        ({"none": 5.0}, "unknown conclusion 'none'"),
        ({"here": -5.0}, "between 0 s"),
        ({"here": 1e9}, "a day"),
    ):
        with pytest.raises(ValueError, match=words):
            with_holds(room, holds)


def test_the_command_line_replays_a_log_it_wrote(tmp_path, capsys):
    path = tmp_path / "log.jsonl"
    assert cli.main(["log", "--demo", "--days", "2", "--seed", "7", "--out", str(path), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["events"] > 100
    diary = tmp_path / "diary.txt"
    diary.write_text("2026-01-12 23:59 off on me\n")
    args = ["replay", "--demo", str(path), "--hold", "presence-shop=40", "--diary", str(diary), "--json"]
    assert cli.main(args) == 0
    told = json.loads(capsys.readouterr().out)
    tried = told["what_if"]["presence-shop"]
    assert tried["now_s"] == 300 and tried["saved_h_per_week"] > 0 and tried["gaps"] > 0
    less = told["rooms"]["shop"]["lit_h_per_day"] - told["rooms_then"]["shop"]["lit_h_per_day"]
    assert less * 7 == pytest.approx(tried["saved_h_per_week"], rel=0.01)
    assert len(told["diary"]) == 1 and told["messages_per_hour"]["pir-shop"] > 0
    for wrong in (["--hold", "presence-shop"], ["--hold", "nobody=5"], ["--diary", str(tmp_path)]):
        assert cli.main(["replay", "--demo", str(path), *wrong]) == 1
        assert capsys.readouterr().err.count("\n") == 1
    assert cli.main(["log", "--demo", "--days", "1", "--out", str(tmp_path / "no" / "where.csv")]) == 1


def test_a_log_writes_over_nothing_unless_it_is_told_to_and_never_over_a_project(tmp_path, capsys, room):
    project, there = tmp_path / "p.vastwatch.json", tmp_path / "there.csv"
    save_project(room, project)
    there.write_text("kept\n")
    link = tmp_path / "link.csv"
    link.symlink_to(project)
    before = project.read_bytes()
    for out, more, words in (
        (there, [], "exists; choose another"), (project, ["--over"], "is a project"), (link, ["--over"], "is a project"),
        (tmp_path / "new.vastwatch.json", [], "is a project"),
    ):  # fmt: skip
        assert cli.main(["log", str(project), "--days", "1", "--out", str(out), *more]) == 1
        assert words in capsys.readouterr().err
    assert there.read_text() == "kept\n" and project.read_bytes() == before
    assert cli.main(["log", str(project), "--days", "1", "--out", str(there), "--over"]) == 0
    assert there.read_text().startswith("time,device,value\n") and not list(tmp_path.glob(".*"))


@pytest.mark.parametrize(
    "when", ["1970-01-01T00:00:01Z", "0001-01-02T00:00:00Z", "1999-12-31 23:59", "9999-12-31T23:59:59Z"]
)
def test_a_line_of_a_clock_that_was_not_set_voids_no_log(demo, tmp_path, when):
    good = tmp_path / "good.csv"
    write_log(make_recording(demo, simulate_days(demo, 2, 9)), good)
    head, *lines = good.read_text().splitlines()
    whole = read(good, demo)
    for place in (0, len(lines) // 2, len(lines)):
        spoilt = tmp_path / "spoilt.csv"
        spoilt.write_text("\n".join([head, *lines[:place], f"{when},pir-shop,on", *lines[place:], ""]))
        log = read(spoilt, demo)
        assert log.used == whole.used and log.recording.calendar == whole.recording.calendar
        assert any("far in time from all others" in n or "could not be read" in n for n in log.notes), log.notes
