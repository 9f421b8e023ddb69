"""A walk past a tracking radar: logs as they come, and what they say of where it is mounted."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from samples import CHAIR, STOOL, device, tracked
from vastwatch.advice.checks.zones import zone_findings
from vastwatch.cli import main
from vastwatch.commission.calibrate import CalibrationError, ReferenceReadings, calibrate, fit_scale, zone_from_walk
from vastwatch.commission.entry_sheet import as_csv, as_text, entry_sheet
from vastwatch.commission.reference_places import place_of, reference_readings
from vastwatch.commission.simulated_device import simulate_walk, true_pose
from vastwatch.commission.walk_log import WalkError, parse_pairs, parse_walk, read_walk
from vastwatch.design.placed import settings_faults, settings_words
from vastwatch.design.project import find, put
from vastwatch.files import save_project
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import Pose, ReadingNoise, Scatter, noisy_readings, readings, to_plan
from vastwatch.site.building import Spot

FINE = Scatter(0.1, math.radians(3.0))
# Round a sensor in a wall's middle: near and far, left and right.
AROUND = [(-0.96, 1.5), (-0.35, 4.0), (0.35, 2.0), (0.96, 3.5)]


def walk(rng, true, scatter=FINE, around=AROUND, n=50):
    places = to_plan(true, [(d * math.sin(a), d * math.cos(a)) for a, d in around])
    at, chest = np.repeat(places, n, 0), np.repeat([0.9, 1.2, 0.9, 1.2][: len(around)], n)
    return ReferenceReadings(
        noisy_readings(true, scatter, at, chest, ReadingNoise(*rng.standard_normal((4, len(at))))), at, chest
    )


def off(found, true):
    turned = (found.pose.yaw - true.yaw + 180) % 360 - 180
    return math.dist(found.pose[:2], true[:2]), abs(turned), abs(found.pose.bias - true.bias)


def some_pose(rng):
    return Pose(*rng.uniform(0, 1, 2), rng.uniform(1.2, 2.2), rng.uniform(-180, 180), rng.uniform(0.1, 0.5))


def near(rng, true):
    return Pose(true.x + rng.uniform(-0.3, 0.3), true.y + rng.uniform(-0.3, 0.3), true.height,
                true.yaw + rng.uniform(-10, 10), 0.35)  # fmt: skip


def test_walks_find_where_it_hangs_and_how_well_they_know():
    rng, met, within, n = np.random.default_rng(2), 0, np.zeros(4), 30
    for _ in range(n):
        true = some_pose(rng)
        found = calibrate(walk(rng, true), near(rng, true), FINE, "m")
        place, aim, bias = off(found, true)
        met += place <= 0.05 and aim <= 1.0 and bias <= 0.03
        error = np.array([found.pose.x - true.x, found.pose.y - true.y, aim, found.pose.bias - true.bias])
        within += np.abs(error) <= 2.0 * np.array(found.sd)
        assert found.undetermined == () and not found.mirrored and not found.swapped
    assert met >= 0.8 * n and (within >= 0.85 * n).all()


def test_without_scatter_the_pose_is_found_exactly():
    rng = np.random.default_rng(3)
    true = some_pose(rng)
    found = calibrate(walk(rng, true, Scatter(0.0, 0.0, 0.0)), near(rng, true), FINE, "m")
    assert max(off(found, true)) < 1e-3


@pytest.mark.parametrize("unit", ["m", "cm", "mm", "ft"])
@pytest.mark.parametrize(("swapped", "mirrored"), [(False, False), (True, False), (False, True), (True, True)])
def test_units_and_axes_are_found(unit, swapped, mirrored):
    rng = np.random.default_rng(4)
    true = some_pose(rng)
    known = walk(rng, true)
    read = known.read * ((-1, 1) if mirrored else (1, 1))
    read = read[:, ::-1] if swapped else read
    size = {"m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048}[unit]
    found = calibrate(known._replace(read=read / size), near(rng, true), FINE)
    assert (found.unit, found.swapped, found.mirrored) == (unit, swapped, mirrored)
    assert off(found, true)[0] < 0.12


def test_jumps_do_not_count():
    rng = np.random.default_rng(5)
    true = some_pose(rng)
    known = walk(rng, true)
    known.read[::12] += rng.uniform(-4, 4, known.read[::12].shape)
    assert off(calibrate(known, near(rng, true), FINE, "m"), true)[0] < 0.12


def test_what_a_walk_cannot_tell_it_says():
    rng = np.random.default_rng(6)
    true = some_pose(rng)
    with pytest.raises(CalibrationError, match="one position"):
        calibrate(walk(rng, true, around=AROUND[:1]), true, FINE, "m")
    two = calibrate(walk(rng, true, around=AROUND[:2]), true, FINE, "m")
    assert "third" in two.undetermined[0]
    line = calibrate(walk(rng, true, around=[(0.0, 1.0), (0.0, 2.5), (0.0, 4.0)]), true, FINE, "m")
    assert any("one line" in words for words in line.undetermined)
    elsewhere = walk(rng, true)
    elsewhere.read[:] = rng.uniform(0, 6, elsewhere.read.shape)
    with pytest.raises(CalibrationError, match="another room"):
        calibrate(elsewhere, true, FINE, "m")
    with pytest.raises(CalibrationError, match="fewer than four"):
        calibrate(ReferenceReadings(known := np.ones((2, 2)), known, np.ones(2)), true, FINE, "m")


def test_pairs_of_tape_and_reading():
    tape = np.array([1.0, 2.0, 3.0, 4.5, 2.5])
    found = fit_scale(tape, 1.02 * tape + 0.33)
    assert (found.bias_m, found.scale) == pytest.approx((0.33, 1.02), abs=1e-6)
    assert (
        fit_scale(tape[:2], tape[:2] + 0.4).bias_m == pytest.approx(0.4) and fit_scale(tape[:2], tape[:2]).scale == 1.0
    )
    wild = np.append(1.02 * tape + 0.33, 9.0)
    assert fit_scale(np.append(tape, 2.0), wild).bias_m == pytest.approx(0.33, abs=0.1)
    with pytest.raises(CalibrationError):
        fit_scale([1.0], [1.2])


def test_a_zone_of_a_walk_holds_what_was_read():
    pose = Pose(0.1, 2.0, 1.2, 10.0, 0.35)
    rng = np.random.default_rng(7)
    at = np.tile((1.5, 1.5), (200, 1))
    read = noisy_readings(pose, FINE, at, 0.9, ReadingNoise(*rng.standard_normal((4, 200))))
    outline = np.array(zone_from_walk(pose, read, 0.9))
    inside = readings(pose, outline, 0.9)
    low, high = inside.min(axis=0), inside.max(axis=0)
    assert ((read >= low - 0.02) & (read <= high + 0.02)).all(axis=1).mean() > 0.95
    with pytest.raises(CalibrationError):
        zone_from_walk(pose, np.full((9, 2), np.nan), 0.9)


# -- logs ----------------------------------------------------------------------------------------------------------


def test_logs_in_csv_and_json_lines_are_the_same():
    text = "time;id;x;y;mark\n0;1;10;200;chair\n1;1;12;201;\n2;1;;;stool\n3;1;50;90;\n4;1;51;92;-\n5;1;0;0;\n"
    log = parse_walk(text)
    assert log.xy.tolist() == [[10, 200], [12, 201], [50, 90], [51, 92], [0, 0]]
    assert log.mark.tolist() == ["chair", "chair", "stool", "", ""] and log.skipped == 0
    lines = [
        {"t": 0, "target": 1, "x": 10, "y": 200, "mark": "chair"}, {"t": 1, "target": 1, "x": 12, "y": 201},
        {"t": 2, "mark": "stool"}, {"t": 3, "x": 50, "y": 90}, {"t": 4, "x": 51, "y": 92, "mark": "-"},
        {"t": 5, "x": 0, "y": 0},
    ]  # fmt: skip
    same = parse_walk("\n".join(map(json.dumps, lines)))
    assert (same.xy == log.xy).all() and (same.mark == log.mark).all() and (same.t == log.t).all()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("a,b\n1,2\n", "no column 'x'"),
        ("t,x,y\n0,nan,inf\n", "no row has x and y"),
        ('{"x": 1, "y": 2}\nnot json\n', "line 2 is not valid JSON"),
        ('{"x": 1, "y": 2}\n[1, 2]\n', "line 2 is not an object"),
        ('{"x": true, "y": {}}\n', "no row"),
    ],
)
def test_bad_logs_are_told_in_a_sentence(text, words):
    with pytest.raises(WalkError, match=words):
        parse_walk(text)


def test_rows_without_a_place_are_left_out_and_counted():
    log = parse_walk("t,x,y,mark\n0,1,2,chair\n1,nan,3,\n2,1e300,3,\nx,3,4,\n")
    assert len(log.xy) == 2 and log.skipped == 2 and log.t.tolist() == [0.0, 0.0]


def test_files_that_are_none(tmp_path):
    with pytest.raises(WalkError, match="no such file"):
        read_walk(tmp_path / "gone.csv")
    (tmp_path / "bin.csv").write_bytes(b"\xff\xfe\x00x")
    with pytest.raises(WalkError, match="not a text file"):
        read_walk(tmp_path / "bin.csv")


def test_marks_are_spots_furniture_or_places():
    project = tracked()
    assert place_of(project, "g", " Chair ")[0] == (1.5, 1.5) and place_of(project, "g", "2.5, 1")[0] == (2.5, 1.0)
    assert place_of(project, "g", "sofa") is None and place_of(project, "other", "chair") is None
    with pytest.raises(CalibrationError, match=r"no reading is marked with a position .* marks sofa"):
        reference_readings(project, find(project.sensors, "t"), parse_walk("t,x,y,mark\n0,1,2,sofa\n"))


def seats():
    project = tracked(zones=(CHAIR, STOOL))
    more = [Spot(id=f"s{k}", room="big", name=f"seat {k}", at=at, posture="seated", activity="desk")
            for k, at in enumerate(((2.6, 0.8), (4.2, 1.4), (1.9, 3.1)))]  # fmt: skip
    return replace(project, spots=(*project.spots, *more))


def test_the_simulated_device_is_found_where_it_hangs(tmp_path, capsys):
    project = seats()
    sensor = find(project.sensors, "t")
    true = true_pose(project, sensor, 3)
    (tmp_path / "walk.csv").write_text(simulate_walk(project, sensor, 3))
    save_project(project, tmp_path / "p.vastwatch.json")
    assert (
        main(["calibrate", str(tmp_path / "p.vastwatch.json"), str(tmp_path / "walk.csv"), "--sensor", "t", "--json"])
        == 0
    )
    told = json.loads(capsys.readouterr().out)
    sd = told["sd"]
    assert told["unit"] == "cm" and not told["mirrored"] and told["n"] > 200 and told["residual_m"] < 0.5
    for name, value in zip(("x", "y", "yaw_deg", "bias_m"), (true.x, true.y, true.yaw, true.bias)):
        assert abs(told["pose"][name] - value) < 4 * sd[name] + 0.01
    # Corrected in the numbers alone or on the plan, the zones hold where the device really is mounted.
    x, y, yaw, bias = (told["pose"][n] for n in ("x", "y", "yaw_deg", "bias_m"))
    settings = replace(sensor.settings, measured_at=(x, y), measured_yaw=yaw, measured_bias_m=bias)
    new = put(project, replace(sensor, settings=settings))
    known = zoned_sensor(new, find(new.sensors, "t"))
    assert known.pose[:2] == (x, y) and known.counted[known.intended].min() > 0.9
    rng = np.random.default_rng(1)
    read = noisy_readings(true, Scatter(0.15, math.radians(5)), np.tile((1.5, 1.5), (20_000, 1)), 0.9,
                    ReadingNoise(*rng.standard_normal((4, 20_000))))  # fmt: skip
    before = zoned_sensor(project, sensor).shapes[0].contains(read).mean()
    assert known.shapes[0].contains(read).mean() > max(0.9, before)


def test_the_shipped_walk_finds_its_sensor_six_degrees_off(demo):
    sensor = find(demo.sensors, "tracker-sitting")
    known = zoned_sensor(demo, sensor)
    log = read_walk(Path(__file__).parents[2] / "src" / "vastwatch" / "data" / "saltmarsh-walk.csv")
    places, unknown = reference_readings(demo, sensor, log)
    found = calibrate(places, known.pose, Scatter(0.1, math.radians(3.0)))
    assert unknown == [] and found.unit == "cm"
    assert found.pose.yaw - sensor.yaw == pytest.approx(-6.0, abs=1.5)


def test_what_was_found_counts_while_the_sensor_hangs_there():
    project = tracked(zones=(CHAIR,))
    sensor = find(project.sensors, "t")
    settings = replace(sensor.settings, measured_at=(0.2, 2.1), measured_yaw=5.0, measured_bias_m=0.5)
    placed = replace(sensor, settings=settings)
    known = zoned_sensor(put(project, placed), placed)
    assert known.pose[:2] == (0.2, 2.1) and known.pose.yaw == 5.0 and known.pose.bias == 0.5
    for moved in (replace(placed, at=(0.1, 3.5, 1.2)), replace(placed, yaw=60.0)):
        new = put(project, moved)
        pose = zoned_sensor(new, moved).pose
        assert (pose.x, pose.y, pose.yaw) == (*moved.at[:2], moved.yaw)
        assert "zone-found-elsewhere" in {f.rule for f in zone_findings(new, moved)}
    assert "reports no distance" in dict(settings_faults(device("radar-24-state"), settings))["measured_bias_m"]
    assert "reports no positions" in dict(settings_faults(device("radar-24-bands"), settings))["measured_at"]
    assert "reads 0.5 m long" in settings_words(device("radar-24-tracker"), settings)


@pytest.mark.parametrize(("sensor", "words"), [("pir", "does not report positions"), ("gone", "unknown sensor 'gone'")])
def test_what_cannot_be_calibrated(tmp_path, capsys, sensor, words):
    save_project(seats(), tmp_path / "p.vastwatch.json")
    (tmp_path / "w.csv").write_text("t,x,y\n0,1,2\n")
    assert main(["calibrate", str(tmp_path / "p.vastwatch.json"), str(tmp_path / "w.csv"), "--sensor", sensor]) == 1
    assert words in capsys.readouterr().err


def test_pairs_as_they_are_typed(tmp_path, capsys):
    tape, read = parse_pairs("tape, reading\n1.0 1.35\n\n2.0;2.36\n3,3.34\n")
    assert tape.tolist() == [1, 2, 3] and read.tolist() == [1.35, 2.36, 3.34]
    with pytest.raises(WalkError, match="line 2 is not a pair"):
        parse_pairs("1 1.3\nfar 2\n")
    save_project(tracked("radar-24-bands"), tmp_path / "p.vastwatch.json")
    (tmp_path / "pairs.txt").write_text("1.0 1.35\n2.0 2.36\n3.0 3.34\n")
    assert (
        main(["calibrate", str(tmp_path / "p.vastwatch.json"), str(tmp_path / "pairs.txt"), "--sensor", "t", "--json"])
        == 0
    )
    assert json.loads(capsys.readouterr().out)["bias_m"] == pytest.approx(0.35, abs=0.03)
    assert main(["calibrate", str(tmp_path / "p.vastwatch.json"), str(tmp_path / "no.txt"), "--sensor", "t"]) == 1
    assert "no such file" in capsys.readouterr().err


# -- the entry sheet -----------------------------------------------------------------------------------------------


def test_the_entry_sheet_has_every_number_with_its_sign_and_unit():
    project = tracked(zones=(CHAIR, STOOL))
    sheet = entry_sheet(project, find(project.sensors, "t"))
    known = zoned_sensor(project, find(project.sensors, "t"))
    figures = [r.value for r in sheet.rows if r.field.startswith(("X", "Y"))]
    assert figures == [f"{v:g}" for s in known.shapes for v in s.numbers]
    assert "cm" in sheet.convention and "to the right" in sheet.convention
    assert any("chair" in c.text for c in sheet.checks) and len({c.key for c in sheet.checks}) == len(sheet.checks)
    assert as_csv(sheet).splitlines()[0] == "zone,field,value,unit" and "[ ] " in as_text(sheet)
    polygons = tracked("radar-60-tracker", zones=(CHAIR,))
    rows = entry_sheet(polygons, find(polygons.sensors, "t")).rows
    assert [r.field for r in rows[:3]] == ["nearest", "farthest", "sensitivity"]
    assert rows[3].field == "corner 1: X, Y" and any(r.field == "sensitivity" for r in rows)
    bands = tracked("radar-24-bands", zones=(CHAIR,))
    assert [r.field for r in entry_sheet(bands, find(bands.sensors, "t")).rows[-2:]] == ["first band", "last band"]
    assert entry_sheet(tracked(), find(tracked().sensors, "t")) is None


def test_numbers_that_no_float_holds_are_passed_over():
    log = parse_walk('{"t": 0, "target": 1, "x": 1, "y": 2}\n{"t": 1, "target": 1e30, "x": 1, "y": 2}\n'
                     f'{{"t": 1, "target": {"9" * 400}, "x": {"9" * 400}, "y": 2}}\n')  # fmt: skip
    assert log.xy.tolist() == [[1, 2], [1, 2]] and log.target.tolist() == [1, 0] and log.skipped == 1
