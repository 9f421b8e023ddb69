"""The dark as a light sensor tells it: sources, thresholds, scales, own lamps, proposals."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.checks.scenes import self_lit_sensors
from vastwatch.advice.scenes.light_feedback import feedback, propose_thresholds
from vastwatch.control.house import conclude, run_house
from vastwatch.control.light.darkness import daylight_in, house_dark, latch_steps, sampling_of, thresholds
from vastwatch.control.light.daylight import dark, target_lux
from vastwatch.control.self_illumination import max_self_lux
from vastwatch.design.expressions import AllOf, ConclusionRef, Dark
from vastwatch.design.project import find, put
from vastwatch.design.records import LadderRow, LampLevel, Scene, Sensor
from vastwatch.devices import catalogue
from vastwatch.files.check import faults_of
from vastwatch.rehearsal import rehearse
from vastwatch.site.building import DarkSource, MeterReading
from vastwatch.site.meter_scale import scale_of

FLAGS = st.lists(st.tuples(st.booleans(), st.booleans()), max_size=60)


@given(FLAGS)
def test_steps_are_gone_through_without_going_through_them(rows):
    stays, comes = (np.array(x, bool) for x in zip(*rows)) if rows else (np.zeros(0, bool),) * 2
    now, out = True, []
    for stay, come in rows:
        now = stay if now else come
        out.append(now)
    assert latch_steps(stays, comes).tolist() == out


def lux_room(source: DarkSource, pitch=90.0, ladder=True, **changes):
    """The room of the tests, dark by a light sensor on its floor or ceiling; by default it looks up at the lamp."""
    kind = next(d for d in catalogue() if d.id == ("light-flag" if source.source == "flag" else "light-lux"))
    room = make_room()
    eye = Sensor(id="eye", device=kind.id, level="g", name="Eye", at=(2.5, 2.0, 0.3 if pitch > 0 else 2.4), pitch=pitch)
    scenes = (Scene(id="full", room="big", name="Full", levels=(LampLevel(lamp="lamp", level=1.0),)),)
    when = AllOf(of=(ConclusionRef(presence="here"), Dark(room="big")))
    rules = (LadderRow(id="row", room="big", name="Here", when=when, scene="full"),)
    room = replace(
        room, devices=(*room.devices, kind), sensors=(*room.sensors, eye), scenes=scenes if ladder else (),
        rules=rules if ladder else (), **changes,
    )  # fmt: skip
    big = replace(find(room.rooms, "big"), darkness=replace(source, sensor="eye"))
    return put(room, big)


SENSOR = DarkSource(source="sensor")


def reading_by_reading(project, r) -> np.ndarray:
    """Whether the room is dark after each reading, one reading after the other: the lamp is on while it was dark and
    somebody was concluded to be there."""
    room = find(project.rooms, "big")
    below, until = thresholds(project, room, room.darkness)
    reads = sampling_of(project, room.darkness)
    scale = scale_of(room.darkness)
    lift = max_self_lux(project, room, find(project.sensors, "eye"))
    day = daylight_in(project, room, r.calendar)
    # What people do about it is not looked at.
    here = conclude(project, r.recording).presences["here"]
    now, out = True, []
    for t in np.arange(0.0, r.truth.end, reads.interval_s):
        lit = now and t > 0 and bool(here.at(np.nextafter(t, -1)))
        lux = max(scale.offset + scale.gain * float(day.at(t)), 0.0) + (lift if lit else 0.0)
        lux = min(max(lux, reads.low), reads.high)
        now = lux < until if now else lux < below
        out.append(now)
    return np.array(out)


@pytest.mark.parametrize("ladder", [True, False])
@pytest.mark.parametrize(
    "source",
    [
        replace(SENSOR, below_lux=150, until_lux=160), replace(SENSOR, below_lux=150, until_lux=900), SENSOR,
        replace(SENSOR, readings=(MeterReading(sensor_lux=20, meter_lux=100), MeterReading(sensor_lux=90, meter_lux=300))),
        DarkSource(source="flag"),
    ],
)  # fmt: skip
def test_the_dark_that_is_told_is_that_of_one_reading_after_the_other(source, ladder):
    project = lux_room(source, ladder=ladder)
    r = rehearse(project, 2, 1)
    told = house_dark(project, "big", r.recording)
    t = np.arange(0.0, r.truth.end, sampling_of(project, find(project.rooms, "big").darkness).interval_s)
    # The weather of the days is told in steps of a minute at the least: a reading on the edge may fall either way.
    assert (told.at(t + 0.5) != reading_by_reading(project, r)).mean() < 0.002


def test_a_lamp_that_lifts_its_own_sensor_blinks_and_the_cure_cures_it():
    project = lux_room(replace(SENSOR, below_lux=200, until_lux=210))
    found = feedback(project, "big")
    assert found is not None and found.oscillates and found.self_lux > 30
    assert [f.rule for f in self_lit_sensors(project)] == ["scene-blinks"]
    r = rehearse(project, 2, 1)
    blinks = len(house_dark(project, "big", r.recording).rises)
    big = find(project.rooms, "big")
    cured = put(project, replace(big, darkness=replace(big.darkness, until_lux=found.cure)))
    after = house_dark(cured, "big", rehearse(cured, 2, 1).recording)
    assert blinks > 20 and len(after.rises) <= 2
    assert not feedback(cured, "big").oscillates and not list(self_lit_sensors(cured))


def test_a_sensor_that_looks_away_from_the_lamp_sees_only_what_the_room_reflects():
    at, away = (lux_room(SENSOR, pitch=p) for p in (90.0, -90.0))
    seen = [max_self_lux(p, find(p.rooms, "big"), find(p.sensors, "eye")) for p in (at, away)]
    assert seen[0] > 3 * seen[1] > 0


def test_proposed_thresholds_are_above_what_the_lamps_add_and_begin_no_more_often():
    project = lux_room(replace(SENSOR, below_lux=200, until_lux=200))
    r = rehearse(project, 2, 1)
    found = propose_thresholds(project, "big", r)
    room = find(project.rooms, "big")
    assert found.below == round(target_lux(project, room))
    lift = max_self_lux(project, room, find(project.sensors, "eye"))
    assert found.until >= found.below + 1.2 * lift and found.until >= 1.2 * found.below
    assert found.begins_then < found.begins_now
    sun = put(project, replace(room, darkness=DarkSource(source="sun")))
    assert propose_thresholds(sun, "big", rehearse(sun, 1, 1)) is None


def test_two_readings_make_a_line_and_one_a_share():
    two = replace(
        SENSOR, readings=(MeterReading(sensor_lux=90, meter_lux=300), MeterReading(sensor_lux=20, meter_lux=100))
    )
    scale = scale_of(two)
    assert scale.read(100) == pytest.approx(20) and scale.read(300) == pytest.approx(90) and scale.read(0) == 0.0
    assert scale_of(replace(SENSOR, readings=(MeterReading(sensor_lux=50, meter_lux=200),))).read(400) == 100.0
    assert scale_of(SENSOR).read(123.0) == 123.0
    for wrong in (((90, 300), (90, 400)), ((90, 300), (80, 400)), ((1, 5), (2, 5)), ((0, 10),)):
        readings = tuple(MeterReading(sensor_lux=a, meter_lux=b) for a, b in wrong)
        with pytest.raises(ValueError):
            scale_of(replace(SENSOR, readings=readings))
        assert any("readings" in fault for fault in faults_of(lux_room(replace(SENSOR, readings=readings))))


def test_a_calibrated_sensor_tells_the_dark_of_where_light_is_wanted():
    """Whatever a sensor reads, after two readings it is dark when it is dark where the light is wanted."""
    readings = (MeterReading(sensor_lux=20, meter_lux=100), MeterReading(sensor_lux=90, meter_lux=300))
    project = lux_room(replace(SENSOR, readings=readings), lamps=(), ladder=False)
    r = rehearse(project, 3, 1)
    truth = dark(project, find(project.rooms, "big"), r.calendar)
    told = house_dark(project, "big", r.recording)
    assert ((truth - told) | (told - truth)).total() < 3 * 2 * 120


# -- the other sources ---------------------------------------------------------------------------------------------


def test_the_suns_height_and_a_shut_door_tell_the_dark():
    room = make_room()
    big = find(room.rooms, "big")
    by_sun = put(room, replace(big, darkness=DarkSource(source="sun", sun_deg=3.0)))
    r = rehearse(by_sun, 2, 1)
    told = house_dark(by_sun, "big", r.recording)
    noon, midnight = told.at(12.5 * 3600), told.at(1 * 3600)
    assert midnight and not noon
    lower = put(room, replace(big, darkness=DarkSource(source="sun", sun_deg=-3.0)))
    assert house_dark(lower, "big", rehearse(lower, 2, 1).recording).total() < told.total()
    contact = next(d for d in catalogue() if d.id == "contact-door")
    watch = Sensor(id="reed", device=contact.id, level="g", name="Reed", at=(5.0, 0.8, 2.0), host="door")
    shut = replace(room, devices=(*room.devices, contact), sensors=(*room.sensors, watch))
    shut = put(shut, replace(big, darkness=DarkSource(source="shut door", sensor="reed")))
    r = rehearse(shut, 2, 1)
    assert house_dark(shut, "big", r.recording).same_as(~r.recording.report("reed"))
    # Without its contact nobody knows.
    alone = put(room, replace(big, darkness=DarkSource(source="shut door")))
    assert house_dark(alone, "big", rehearse(alone, 1, 1).recording).total() == 86_400.0


def test_a_room_without_a_ladder_goes_by_its_source_too():
    room = make_room()
    lit = {}
    for below in (0.0, 90_000.0):
        project = put(room, replace(find(room.rooms, "big"), darkness=DarkSource(below_lux=below)))
        recording = rehearse(project, 2, 1).recording
        # Nobody presses or waves.
        lit[below] = run_house(project, recording).lit["lamp"]
        assert (lit[below] - house_dark(project, "big", recording)).total() == 0
    here = conclude(project, recording).presences["here"]
    assert lit[90_000.0].same_as(here) and lit[0.0].total() < 0.2 * here.total()


def test_hysteresis_that_is_upside_down_is_a_fault():
    assert any("less than dark below" in x for x in faults_of(lux_room(replace(SENSOR, below_lux=200, until_lux=100))))


def test_it_blinks_exactly_where_the_lamps_lift_it_over():
    lifts = feedback(lux_room(replace(SENSOR, below_lux=200, until_lux=210)), "big").self_lux
    for more, blinks in ((-1.0, True), (1.0, False)):
        found = feedback(lux_room(replace(SENSOR, below_lux=200, until_lux=200 + lifts + more)), "big")
        assert found.oscillates is blinks
        assert found.cure >= 200 + 1.2 * lifts and found.below == 200
