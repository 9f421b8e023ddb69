"""What the controller concludes and does from a recording alone, written by hand: nobody's truth is needed."""

from __future__ import annotations

from datetime import date

import numpy as np
import pytest
from msgspec.structs import replace

from vastwatch.causes.sightings import trigger_of
from vastwatch.control.evaluation import ManualActions
from vastwatch.control.house import run_house
from vastwatch.control.outputs.handler import kwh, lights_in
from vastwatch.control.recording import Recording
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.expressions import AllOf, Report
from vastwatch.design.project import put
from vastwatch.design.records import Lamp
from vastwatch.rehearsal import rehearse
from vastwatch.signals import Calendar, Signal

HOUR = 3600.0


def recorded(rows, known=None, days=2) -> Recording:
    calendar = Calendar(date(2026, 1, 12), "UTC", days)
    reports = {("pir", None): Signal.from_intervals(rows, 0.0, calendar.end)}
    return Recording(calendar, reports, known or {})


def test_a_recording_by_hand_is_concluded_and_lit(room):
    dark_hours = [(5 * HOUR, 5 * HOUR + 20), (5 * HOUR + 70, 5 * HOUR + 80), (29 * HOUR, 29 * HOUR + 5)]
    house = run_house(room, recorded([*dark_hours, (12 * HOUR, 12 * HOUR + 9)]))
    there = house.presence("big")
    # Held for a minute: the two reports before dawn are one stay.
    assert there.intervals.tolist() == [
        [5 * HOUR, 5 * HOUR + 140], [12 * HOUR, 12 * HOUR + 69], [29 * HOUR, 29 * HOUR + 65],
    ]  # fmt: skip
    assert not house.dark("big").at(12 * HOUR) or house.dark("big").at(5 * HOUR)
    lit = house.served("big")
    assert lit.same_as(there & house.dark("big"))
    assert house.served("small") is None and house.presence("small") is None
    (lamp,) = room.lamps
    assert house.kwh(lamp) == pytest.approx(lit.total() * lamp.watts / 3.6e6)
    assert house.kwh(lamp, 0.0, 5 * HOUR) == 0.0
    assert house.signals["lamp"].same_as(lit) and house.signals["here"] is there


def test_another_hold_is_replayed_on_the_same_recording(room):
    recording = recorded([(5 * HOUR, 5 * HOUR + 20), (5 * HOUR + 200, 5 * HOUR + 210)])
    short, long = run_house(room, recording), run_house(set_hold(room, "here", 300.0), recording)
    assert len(short.served("big").intervals) == 2
    assert long.served("big").intervals.tolist() == [[5 * HOUR, 5 * HOUR + 510]]
    assert long.recording is short.recording


def test_a_sensor_the_recording_does_not_know_says_nothing(room):
    both = put(room, replace(room.presences[0], expr=AllOf(of=(Report(sensor="pir"), Report(sensor="new")))))
    assert run_house(both, recorded([(10, 20)])).presence("big").total() == 0
    assert run_house(both, recorded([(10, 20)])).recording.sensors == ("pir",)


def test_offline_is_not_off(room):
    calendar = Calendar(date(2026, 1, 12), "UTC", 2)
    heard = Signal.from_intervals([(0.0, 24 * HOUR)], 0.0, calendar.end)
    house = run_house(room, recorded([(k * HOUR, k * HOUR + 60) for k in range(24)], {"pir": heard}))
    assert house.observed("big").same_as(heard)
    assert house.observed("small").total() == calendar.end
    assert house.recording.reports_a_day("pir") == pytest.approx(47)
    assert run_house(room, recorded([(5, 9)])).recording.reports_a_day("pir") == pytest.approx(1.0)
    deaf = recorded([], {"pir": ~Signal.constant(True, 0.0, calendar.end)})
    assert deaf.reports_a_day("pir") == 0.0


def test_a_hand_lights_a_room_under_absence_control_and_none_leaves_it_dark(room):
    by_hand = put(room, replace(room.rooms[0], control="absence"))
    recording = recorded([(5 * HOUR, 5 * HOUR + 600)])
    assert run_house(by_hand, recording).served("big").total() == 0
    press = Signal.from_intervals([(5 * HOUR + 30, 5 * HOUR + 30.5)], 0.0, recording.end)
    lit = run_house(by_hand, recording, {"big": ManualActions(press)}).served("big")
    assert lit.intervals.tolist() == [[5 * HOUR + 30, 5 * HOUR + 660]]


def test_several_lamps_serve_one_room_and_their_watts_add_up(room):
    more = replace(room, lamps=(*room.lamps, Lamp(id="two", room="big", name="Two", at=(1, 1), watts=7, lumens=600)))
    house = run_house(more, recorded([(5 * HOUR, 5 * HOUR + 600)]))
    assert house.watts("big") == 27
    assert sum(kwh(lamp, house.outputs[lamp.id]) for lamp in more.lamps) == pytest.approx(660 * 27 / 3.6e6)


def test_a_rehearsal_is_the_house_run_of_its_recording(demo):
    r = rehearse(demo, 3, 1)
    again, alone = run_house(demo, r.recording, r.house.actions), run_house(demo, r.recording)
    for room in demo.rooms:
        if r.house.served(room.id) is not None:
            assert again.served(room.id).same_as(r.house.served(room.id))
            # What people do about it only adds light.
            assert (alone.served(room.id) - r.house.served(room.id)).total() == 0
    assert any(len(hand.waves) for hand in r.house.actions.values())
    for ident, s in r.scores.items():
        lit = r.house.served(ident)
        idle = (lit - r.awake(ident)).total() / HOUR / 3
        assert s.wasted_h == pytest.approx(idle)
        energy = sum(r.house.kwh(lamp) for lamp in lights_in(demo, ident))
        full = lit.total() / HOUR * r.house.watts(ident) / 1000
        # What a ladder dims draws less, and what stands by draws a little.
        dims = ident in r.house.ladders
        assert 0 < energy < full + 0.03 if dims else energy == pytest.approx(full)
        assert s.wasted_kwh <= energy / 3 + 1e-9


def test_who_set_a_sensor_off_is_told_by_id(demo):
    r = rehearse(demo, 2, 1)
    rises = r.recording.report("pir-throwing").rises
    people = {p.id for p in demo.people} | {h.id for h in demo.hazards}
    begun = [trigger_of(r, "pir-throwing", float(t)) for t in rises[:50]]
    assert {(b.track.person if b.track else b.hazard).id for b in begun} <= people
    assert all(b.at <= t for b, t in zip(begun, rises))
    nobody = trigger_of(r, "pir-throwing", 0.0)
    assert nobody.track is None and nobody.hazard is None
    n = r.notices("pir-throwing", 1)
    assert (np.diff(n.start) >= 0).all() and (n.end >= n.start).all()
    first = trigger_of(r, "pir-throwing", float(rises[0]))
    assert first.at in r.notices("pir-throwing", 0).start
