"""Light ahead of who comes: ways counted person by person, rows tried on weeks they were not chosen by."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.scenes.look_ahead import (
    COSTS_MIN,
    DAYS,
    PROVEN,
    SPARES,
    arrivals_by_room,
    crossing,
    in_words,
    look_ahead_rows,
)
from vastwatch.design.ladders import ladder_lamps, rows_of
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.records import Conclusion, Lamp, Sensor
from vastwatch.files.check import faults_of
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal import rehearse


def two_lit():
    """The two rooms of the tests, both with a sensor and a lamp; the small one is on everybody's way."""
    room = make_room()
    return replace(
        room,
        sensors=(*room.sensors, Sensor(id="pir2", device="pir-corner-12", level="g", name="PIR small", at=(7.8, 0.2, 2.2), yaw=120)),
        presences=(*room.presences, Conclusion(id="here2", room="small", name="In the small one", expr=from_roles(Roles(("pir2",), ("pir2",), 60.0)))),
        lamps=(*room.lamps, Lamp(id="lamp2", room="small", name="Lamp 2", at=(6.5, 2.0), watts=10, lumens=900)),
    )  # fmt: skip


def test_ways_are_those_of_one_person_after_the_other():
    project = two_lit()
    truth = simulate_days(project, 7, 1)
    # Every time the chair is left and come back to, by the only other room.
    into_small, into_big = arrivals_by_room(truth, "small"), arrivals_by_room(truth, "big")
    assert set(into_small) == {"big"} and set(into_big) == {"small"}
    # There is no other way in than through the small one.
    entries = truth.person_in("a", "big", True).rises
    assert into_big["small"] == pytest.approx(len(entries) / 7, abs=1 / 7)
    assert all(isinstance(n, float) and n > 1 for n in (*into_small.values(), *into_big.values()))


def test_the_crossing_is_at_the_door():
    x, y = crossing(simulate_days(two_lit(), 7, 1), "small", "big")
    assert x == pytest.approx(5.0, abs=0.2) and 0.4 < y < 1.4
    assert crossing(simulate_days(replace(two_lit(), people=()), 7, 1), "small", "big") is None


def test_a_row_ahead_is_judged_on_weeks_it_was_not_chosen_by():
    project = two_lit()
    found = look_ahead_rows(project, "small")
    assert found and found[0].from_room == "big"
    a = found[0]
    assert list(faults_of(a.project)) == []
    assert [r.scene for r in rows_of(a.project, "small")][-1] == rows_of(a.project, "small")[-1].scene
    assert {x.id for x in ladder_lamps(a.project, "small")} == {"lamp2"}
    for design, came in ((project, a.before), (a.project, a.after)):
        scores = [rehearse(design, DAYS, seed).scores["small"] for seed in PROVEN]
        assert came.arrivals == pytest.approx(sum(s.arrivals for s in scores) / len(PROVEN) / DAYS)
        assert came.idle_h == pytest.approx(sum(s.wasted_h for s in scores) / len(PROVEN))
    spared = a.before.arrivals - a.after.arrivals
    pays = spared >= SPARES and 60 * (a.after.idle_h - a.before.idle_h) <= COSTS_MIN * spared
    assert a.pays == pays and f"{spared:.1f} of" in in_words(a, project)


def test_nothing_is_offered_where_nothing_lights_or_nobody_is_noticed():
    project = two_lit()
    assert look_ahead_rows(replace(project, lamps=project.lamps[:1]), "small") == []
    assert look_ahead_rows(replace(project, presences=project.presences[:1]), "small") == []
    assert look_ahead_rows(replace(project, people=()), "small") == []
    blind = replace(project, sensors=project.sensors[1:], presences=project.presences[1:])
    assert look_ahead_rows(blind, "small") == []
    with pytest.raises(ValueError, match="unknown room"):
        look_ahead_rows(project, "attic")


def test_it_stops_when_told_to():
    asked = []
    assert look_ahead_rows(two_lit(), "small", lambda: bool(asked.append(1))) == []
    assert len(asked) >= 1
