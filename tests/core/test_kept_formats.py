"""How a log is read is kept with the project, and found again by the next file of the same columns."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest
from msgspec.structs import replace as replaced

from vastwatch import cli
from vastwatch.commission.event_log import read_log, with_device
from vastwatch.commission.format_guess import guess_format, match, with_meaning
from vastwatch.commission.kept_formats import format_for, with_format
from vastwatch.commission.log_rows import LogError
from vastwatch.design.differences import differences
from vastwatch.design.log_layouts import MOST_LAYOUTS
from vastwatch.design.project import fresh_id
from vastwatch.design.references import without
from vastwatch.files import load_project, save_project
from vastwatch.files.check import faults_of
from vastwatch.files.mending import mended
from vastwatch.files.project_file import encode

HEAD = "Stamp;Box;Says;Level\n"


def week(tmp_path, name, day, box="Nr. 7", word="da", head=HEAD):
    """A log of one device with words of its own: on for a quarter of an hour at eight."""
    path = tmp_path / name
    rows = [f"{day:02d}/02/2026 08:00:00;{box};{word};3", f"{day:02d}/02/2026 08:15:00;{box};fort;4"]
    path.write_text(head + "\n".join(rows * 1) + "\n", encoding="utf-8")
    return path


def set_by_hand(project, path):
    reading = replace(guess_format(path, project), device="Box", value="Says", wide=False, aside=("Level",))
    reading = with_device(reading, "Nr. 7", ("pir-shop", None))
    return with_meaning(with_meaning(reading, "da", True), "fort", False)


@pytest.fixture
def kept(demo, tmp_path):
    path = week(tmp_path, "first.csv", 3)
    return with_format(demo, path, set_by_hand(demo, path))


def test_the_next_file_of_the_same_columns_is_read_as_the_first_was_set(kept, tmp_path):
    second = week(tmp_path, "second.csv", 17)
    reading, layout = format_for(second, kept)
    assert layout is kept.log_layouts[0] and layout.name == "first.csv"
    log = read_log(second, kept, reading, unnamed=lambda name: match(name, kept))
    assert log.used == 2 and log.recording.report("pir-shop").total() == pytest.approx(900.0)
    # Only the seventeenth fits day first: the file says so itself whatever was kept.
    month = replaced(kept, log_layouts=(replaced(layout, order="month"),))
    assert format_for(second, month)[0].order == "day"
    assert format_for(week(tmp_path, "both.csv", 4), month)[0].order == "month"


def test_other_columns_are_guessed(kept, tmp_path):
    other = week(tmp_path, "other.csv", 17, head=HEAD.replace("Level", "Volts"))
    assert format_for(other, kept) == (guess_format(other, kept), None)


def test_what_is_read_as_it_is_most_likely_meant_is_not_kept(demo, kept, tmp_path):
    path = week(tmp_path, "usual.csv", 3, "PIR shop", "on")
    assert with_format(demo, path, guess_format(path, demo)) is demo
    again = week(tmp_path, "again.csv", 9)
    assert with_format(kept, again, format_for(again, kept)[0]) is kept


def test_what_is_set_anew_takes_the_place_of_what_was_kept(kept, tmp_path):
    path = week(tmp_path, "third.csv", 9)
    new = with_format(kept, path, replace(format_for(path, kept)[0], quiet_h=8.0))
    (layout,) = new.log_layouts
    assert (layout.id, layout.name, layout.quiet_h) == ("log-1", "third.csv", 8.0)
    assert [d.words for d in differences(kept, new)] == [
        "layout of the log third.csv: name first.csv → third.csv, quiet h"
    ]


def test_the_oldest_goes_where_there_are_too_many(demo, tmp_path):
    project = demo
    for k in range(MOST_LAYOUTS + 2):
        path = week(tmp_path, f"log{k}.csv", 3, head=HEAD.replace("Level", f"Level {k}"))
        reading = replace(set_by_hand(project, path), aside=(f"Level {k}",))
        project = with_format(project, path, reading)
    names = [x.name for x in project.log_layouts]
    assert len(names) == MOST_LAYOUTS and names[0] == "log2.csv" and names[-1] == f"log{MOST_LAYOUTS + 1}.csv"
    assert len({x.id for x in project.log_layouts}) == MOST_LAYOUTS and list(faults_of(project)) == []


def test_a_sensor_that_is_gone_is_matched_anew_and_its_id_is_nobody_elses(kept, tmp_path):
    bare = without(kept, ["pir-shop"])
    assert list(faults_of(bare)) == [] and bare.log_layouts is kept.log_layouts
    reading, layout = format_for(week(tmp_path, "later.csv", 9), bare)
    assert layout is not None and reading.devices == {"Nr. 7": None}
    named = replaced(kept.log_layouts[0].devices[0], sensor="pir-1")
    stale = replaced(kept, log_layouts=(replaced(kept.log_layouts[0], devices=(named,)),))
    assert fresh_id(kept, "pir") == "pir-1" and fresh_id(stale, "pir") == "pir-2"


def test_it_is_saved_and_a_broken_one_is_told_and_left_out(kept, tmp_path):
    path = tmp_path / "kept.vastwatch.json"
    save_project(kept, path)
    assert json.loads(encode(load_project(path)))["log_layouts"] == json.loads(encode(kept))["log_layouts"]
    broken = replaced(kept, log_layouts=(replaced(kept.log_layouts[0], value="Gone"), kept.log_layouts[0]))
    faults = list(faults_of(broken))
    assert faults == [
        "log_layouts[0].value: the log 'first.csv' has no column 'Gone'",
        "log_layouts[1].id: the id 'log-1' is already used by another log",
    ]
    document = json.loads(encode(kept))
    document["log_layouts"][0]["kind"] = "tape"
    found = mended(document)
    assert found.project.log_layouts == () and len(found.left_out) == 1


def test_a_device_that_is_quiet_for_longer_than_somebody_says_has_no_data(demo, tmp_path):
    path = tmp_path / "quiet.csv"
    lines = ["time,device,value"]
    for device, hours in (("PIR shop", (0, 1, 2, 12, 13)), ("pir-landing", range(14))):
        lines += [f"2026-02-03T{h:02d}:{m:02d}:00Z,{device},{v}" for h in hours for m, v in ((0, "on"), (1, "off"))]
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    reading = guess_format(path, demo)
    quiet = read_log(path, demo, reading).recording.observed
    silent = read_log(path, demo, replace(reading, quiet_h=3.0)).recording.observed
    landing = "pir-landing"
    # From two past two until noon nothing is said: ten hours less a minute.
    assert quiet["pir-shop"].total() - silent["pir-shop"].total() == pytest.approx(9 * 3600.0 + 59 * 60.0)
    assert quiet[landing].same_as(silent[landing])


def test_the_command_line_reads_by_what_is_kept(kept, tmp_path, capsys):
    project = tmp_path / "house.vastwatch.json"
    save_project(kept, project)
    log = week(tmp_path, "second.csv", 17)
    assert cli.main(["replay", str(project), str(log), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["layout"], told["used"]) == ("first.csv", 2)


def test_a_log_that_is_none_is_still_refused(kept, tmp_path):
    empty = tmp_path / "empty.csv"
    empty.write_text("")
    with pytest.raises(LogError, match="the file is empty"):
        format_for(empty, kept)
