"""What a sensor sees that it should not: every room next door, and how often that lights its own."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from vastwatch.advice.checks.findings import findings
from vastwatch.advice.detection.over_coverage import LEAST_M2, SEEN_S, over_coverages
from vastwatch.causes.sightings import trigger_of
from vastwatch.design.project import find
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.coverage import coverage, room_cells


def test_every_room_that_is_seen_is_told_and_no_other(demo):
    for sensor in demo.sensors:
        told = {s.room: s.area_m2 for s in over_coverages(demo, sensor.id)}
        cover = coverage(demo, sensor.id, "across")
        for room in demo.rooms:
            if room.level != sensor.level:
                assert room.id not in told
                continue
            cells = cover.at(room_cells(demo.rooms, room))
            area = float((cells <= SEEN_S).sum()) * cover.grid.cell**2
            if room.id in told:
                assert told[room.id] == np.round(area, 10) or abs(told[room.id] - area) < 1e-6
        assert list(told.values()) == sorted(told.values(), reverse=True)
        assert all(a > LEAST_M2 for a in told.values())


def test_false_ons_are_counted_as_one_by_one(demo):
    """Each report of the week: who set it off, where they were, and whether anybody was where they belong."""
    r = rehearse(demo, 7, 1)
    for ident, home in (("pir-landing", "landing"), ("radar-sitting", "sitting")):
        counted: dict[str, int] = {}
        for rise in r.recording.report(ident).rises:
            noticed = trigger_of(r, ident, float(rise))
            if noticed.track is None or r.truth.occupied(home, False).at(noticed.at):
                continue
            for room in r.truth.rooms:
                if room != home and r.truth.person_in(noticed.track.person.id, room).at(noticed.at):
                    counted[room] = counted.get(room, 0) + 1
        told = {s.room: s.false_ons_per_day * 7 for s in over_coverages(demo, ident)}
        assert told and sum(told.values()) > 0
        for room, often in told.items():
            assert round(often) == counted.get(room, 0)


def test_a_radar_that_looks_through_two_walls_tells_of_both(demo):
    radar = find(demo.sensors, "radar-sitting")
    strong = replace(find(demo.devices, radar.device), moving_m=9.0)
    far = replace(demo, devices=tuple(strong if d.id == strong.id else d for d in demo.devices))
    told = over_coverages(far, radar.id)
    assert len(told) > len(over_coverages(demo, radar.id))
    said = next(f for f in findings(far) if f.rule == "sees-next-door" and f.records[0] == radar.id)
    assert set(said.records[1:]) == {s.room for s in told}
    assert all(find(far.rooms, s.room).name.lower() in said.text for s in told)
    assert " and " in said.text and "times a day" in said.text
    assert over_coverages(replace(far, people=()), radar.id)[0].false_ons_per_day == 0.0
