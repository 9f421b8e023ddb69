"""What helps zones besides turning, another type in a sensor's place, scale by tape, a live walk, causes of zones, and
zones in drawings."""

from __future__ import annotations

import math

import ezdxf
import numpy as np
import pytest
from msgspec.structs import replace

from samples import CHAIR, STOOL, device, rect, tracked
from vastwatch.advice.adviser.zone_remedies import zone_remedies
from vastwatch.advice.checks.zones import zone_findings
from vastwatch.causes.chain import explain
from vastwatch.commission.calibrate import calibrate, fit_scale
from vastwatch.commission.reference_places import reference_readings
from vastwatch.commission.simulated_device import SimulatedDevice
from vastwatch.commission.walk_log import parse_walk
from vastwatch.design.edits.sensors import compatible_types, with_type
from vastwatch.design.edits.zones import replace_zones
from vastwatch.design.expressions import Hold, Report
from vastwatch.design.placed import as_placed, settings_faults
from vastwatch.design.project import find, put
from vastwatch.design.records import DayPart, Settings
from vastwatch.devices import catalogue
from vastwatch.files.drawing.writing import write_drawing
from vastwatch.files.svg import svg_of
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.tracker import (
    Pose,
    ReadingNoise,
    Scatter,
    noisy_readings,
    pose_of,
    positions_of,
    readings,
    scatter_of,
)
from vastwatch.sensing.zones import spread_of
from vastwatch.site.building import Hazard


def sensor(project):
    return find(project.sensors, "t")


# -- what helps ----------------------------------------------------------------------------------------------------


def test_zones_that_take_each_others_reports_are_drawn_apart():
    """Two seats a metre apart whose zones meet: drawn in, each counts less of the other."""
    wide = replace(CHAIR, outline=rect(0.9, 0.9, 2.45, 2.1)), replace(STOOL, outline=rect(2.5, 0.9, 4.0, 2.1))
    project = tracked(zones=wide)
    near = replace(find(project.spots, "stool"), at=(2.75, 1.5))
    project = put(project, near)
    found = [h for h in zone_remedies(project, sensor(project)) if "farther apart" in h.text]
    for h in found:
        new = h.applied(project)
        assert len(new.zones) == 2 and all(z.id in ("zc", "zs") for z in new.zones)
        known = zoned_sensor(new, sensor(new))
        assert h.after < h.before and float(known.counted[known.intended].min()) == pytest.approx(h.counted_after)


def test_what_moves_beside_a_zone_is_ignored_on_one_press():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(2.02, 1.3, 2.32, 1.6), strength=1.0)
    project = replace(tracked(zones=(CHAIR,)), hazards=(fan,))
    (h,) = [h for h in zone_remedies(project, sensor(project)) if h.of == "Fan"]
    assert h.text == "Ignore the reports caused by the fan." and h.counted_after < h.counted_before
    new = h.applied(project)
    made = next(z for z in new.zones if z.role == "ignore")
    assert made.name == "Ignore fan" and {f.rule for f in zone_findings(new, sensor(new))} & {"zones-overlap"} == set()

    # Less of what the fan does is counted in the simulated week, and the seat is served as before.
    def false_s(p):
        r = rehearse(p, 2, 1)
        said = r.recording.reports["t", "zone zc"]
        return (said - r.occupied("big")).total()

    assert false_s(new) <= false_s(project)


def test_there_is_no_help_where_nothing_is_wrong():
    project = tracked(zones=(CHAIR,))
    assert [h for h in zone_remedies(project, sensor(project)) if h.of] == []


# -- another type --------------------------------------------------------------------------------------------------


def test_another_type_takes_a_sensors_place_and_the_design_stays():
    project = tracked(zones=(CHAIR, STOOL))
    presence = replace(project.presences[0], expr=Hold(of=Report(sensor="t", zone="zc"), seconds=60.0))
    old = replace(sensor(project), settings=Settings(sensitivity_below_max=9, min_gate_m=0.5, measured_bias_m=0.2,
                                                     by_hour=(DayPart(begin="08:00"), DayPart(begin="20:00"))))  # fmt: skip
    project = put(put(project, presence), old)
    plain = with_type(project, "t", device("pir-wall-8"))
    new = sensor(plain)
    assert (new.name, new.at, new.yaw) == (old.name, old.at, old.yaw) and new.device == "pir-wall-8"
    # What the new type cannot be set to is as the type's default, what was found of the old one is forgotten.
    assert list(settings_faults(device("pir-wall-8"), new.settings)) == []
    assert new.settings.measured_bias_m is None and new.settings.min_gate_m is None and len(new.settings.by_hour) == 2
    assert plain.zones == project.zones and plain.presences == project.presences
    assert {f.rule for f in zone_findings(plain, new)} == {"zones-aside"}
    assert all(d.id != "radar-24-tracker" for d in plain.devices)
    # And back again they count.
    back = with_type(plain, "t", device("radar-24-tracker"))
    assert len(zoned_sensor(back, sensor(back)).zones) == 2


def test_only_what_watches_alike_can_take_a_place():
    project = tracked()
    names = {d.family for d in compatible_types(project, sensor(project), catalogue())}
    assert {"pir", "radar", "dual", "ultrasonic"} <= names and not names & {"mat", "contact", "module", "plug", "light"}


# -- tape and scale ------------------------------------------------------------------------------------------------


def test_a_scale_found_by_tape_counts_wherever_distance_is_read():
    pose = Pose(0.0, 0.0, 1.5, 90.0, 0.3, 1.08)
    points = np.array([(0.5, 1.0), (-1.0, 3.0), (2.0, 5.0)])
    read = readings(pose, points, 1.1)
    slant = np.hypot(np.hypot(points[:, 0], points[:, 1]), 0.4)
    assert np.hypot(read[:, 0], read[:, 1]) == pytest.approx(1.08 * slant + 0.3)
    assert positions_of(pose, read, 1.1) == pytest.approx(points, abs=1e-9)
    # The mean and spread of reports are those of many drawn ones.
    rng = np.random.default_rng(3)
    scatter = Scatter(0.1, math.radians(3.0))
    spread = spread_of(pose, scatter, points[1:2], 1.1)
    n = 200_000
    drawn = noisy_readings(
        pose, scatter, np.repeat(points[1:2], n, axis=0), np.full(n, 1.1), ReadingNoise(*rng.normal(size=(4, n)))
    )
    r = np.hypot(drawn[:, 0], drawn[:, 1])
    assert float(spread.range[0]) == pytest.approx(float(r.mean()), abs=0.002)
    assert float(spread.range_spread[0]) == pytest.approx(float(r.std()), abs=0.002)


def test_pairs_give_bias_and_scale_and_both_are_set():
    rng = np.random.default_rng(1)
    tape = np.linspace(0.8, 6.0, 12)
    found = fit_scale(tape, 1.05 * tape + 0.2 + rng.normal(0, 0.01, 12))
    assert found.scale == pytest.approx(1.05, abs=0.01) and found.bias_m == pytest.approx(0.2, abs=0.03)
    bands = next(d for d in catalogue() if d.id == "radar-24-bands")
    placed = as_placed(bands, Settings(measured_bias_m=0.2, measured_scale=1.05))
    assert (placed.bias_r_m, placed.scale_r) == (0.2, 1.05)
    wrong = dict(settings_faults(device("radar-24-state"), Settings(measured_scale=1.05)))
    assert "a scale error" in wrong["measured_scale"]


# -- a live walk ---------------------------------------------------------------------------------------------------


def test_a_walk_taken_live_finds_where_the_device_hangs():
    project = tracked(zones=(CHAIR,))
    found = []
    for seed in (1, 2, 3):
        live = SimulatedDevice(project, sensor(project), seed)
        assert live.tick() is None
        for spot in (find(project.spots, "chair"), find(project.spots, "stool")):
            live.go(spot.at, spot.posture, spot.id)
            for _ in range(80):
                assert live.tick() is not None
        live.go((3.2, 0.8), "standing", "3.2,0.8")
        for _ in range(80):
            live.tick()
        log = parse_walk(live.text())
        assert log.marks() == ["chair", "stool", "3.2,0.8"] and len(log.xy) == 240
        places, unknown = reference_readings(project, sensor(project), log)
        assert unknown == []
        known = zoned_sensor(project, sensor(project))
        c = calibrate(places, pose_of(sensor(project), known.device), scatter_of(known.device))
        found.append(math.dist((c.pose.x, c.pose.y), (live.pose.x, live.pose.y)))
    assert np.median(found) < 0.25


# -- causes --------------------------------------------------------------------------------------------------------


def test_a_light_that_asks_a_zone_beside_the_seat_is_told_so():
    beside = replace(CHAIR, outline=rect(2.2, 2.4, 3.2, 3.4), name="Corner")
    project = tracked(zones=(beside,))
    presence = replace(project.presences[0], expr=Hold(of=Report(sensor="t", zone="zc"), seconds=30.0))
    r = rehearse(put(project, presence), 3, 1)
    late = [i for i in r.incidents if i.dark]
    assert late
    causes = [c for i in late for c in explain(r, i).causes]
    said = [c for c in causes if c.what == "Zone corner"]
    assert said and said[0].record == "zc" and "with the whole sensor used" in said[0].text
    # Its removal removes it: the whole sensor asked, next to nobody waits.
    whole = replace(presence, expr=Hold(of=Report(sensor="t"), seconds=30.0))
    again = rehearse(put(project, whole), 3, 1)
    assert again.scores["big"].dark_min < 0.5 * r.scores["big"].dark_min


# -- drawings ------------------------------------------------------------------------------------------------------


def test_zones_go_out_in_drawings(tmp_path):
    project = tracked(zones=(CHAIR, STOOL))
    write_drawing(project, tmp_path / "a.dxf")
    lines = ezdxf.readfile(tmp_path / "a.dxf").modelspace().query('LWPOLYLINE[layer=="g-zones"]')
    assert len(lines) == 2 and {round(p[0], 2) for p in lines[0].get_points()} == {1.0, 2.0}
    drawing = svg_of(project, "g")
    assert '<g id="zones">' in drawing and "<title>Chair</title>" in drawing
    assert '<g id="zones">' not in svg_of(replace_zones(project, sensor(project), ()), "g")


def test_nothing_is_ignored_at_the_price_of_whoever_sits_beside_it():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(2.15, 1.3, 2.45, 1.6), strength=1.0)
    project = replace(tracked(zones=(CHAIR,)), hazards=(fan,))
    assert [h for h in zone_remedies(project, sensor(project)) if h.of] == []
