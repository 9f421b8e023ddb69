"""Four ways to serve a room: each is what it says, and judged as everything else is."""

from __future__ import annotations

import json

import pytest
from msgspec.structs import replace

from samples import device
from vastwatch import cli
from vastwatch.advice.adviser.baselines import SCHOOLS, baselines
from vastwatch.advice.hardware.bill_of_materials import bill_of_materials
from vastwatch.advice.judging.judge import judge
from vastwatch.design.edits.telling import without_what_tells
from vastwatch.design.presence import hold_of, roles_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of, sensors_of
from vastwatch.files.check import faults_of


@pytest.fixture(scope="module")
def ways(demo):
    heard = []
    found = baselines(demo, "toilet", report_progress=heard.append)
    assert heard == sorted(heard) and heard[-1] == 1.0
    return found


def test_each_way_hangs_what_it_says_and_nothing_else(demo, ways):
    assert [w.name for w in ways] == [name for name, _ in SCHOOLS]
    bare = without_what_tells(demo, "toilet")
    assert presence_of(bare, "toilet") is None and len(bare.sensors) == len(demo.sensors) - 1
    for way, (_, hung) in zip(ways, SCHOOLS):
        assert not way.why_not
        assert len(way.devices) == len(hung) and all(which(d) for d, which in zip(way.devices, hung))
        new = [s for s in way.project.sensors if all(s.id != old.id for old in bare.sensors)]
        assert [s.device for s in new] == [d.id for d in way.devices]
        # The whole bill: what switches the lamps is there already in this room.
        assert way.price == sum(d.price for d in way.devices)
        assert not list(faults_of(way.project))
        assert set(sensors_of(presence_of(way.project, "toilet"))) == {s.id for s in new}
    both = roles_of(presence_of(ways[2].project, "toilet").expr)
    assert len(both.starts) == 1 and len(both.keeps) == 2


def test_each_way_is_judged_at_the_hold_it_hangs_with(demo, ways):
    for way in ways:
        j = judge(way.project, "toilet")
        assert j.seeds == way.judged.seeds
        assert hold_of(presence_of(way.project, "toilet").expr) == way.judged.recommended_s == j.recommended_s
        assert j.metrics_at(j.recommended_s) == way.judged.metrics_at(j.recommended_s)
        assert way.meets == j.meets


def test_what_cannot_be_had_says_so(demo, capsys):
    nothing_to_sit_on = replace(demo, furnishings=(), spots=(), people=())
    # Of motion sensors there are none in this catalogue.
    only = [d for d in demo.devices if d.family == "radar"]
    found = baselines(nothing_to_sit_on, "store", only)
    assert found[0].why_not and found[0].project is None and not found[0].meets
    # Nobody lives there: what is mounted is shown, and that there is nothing to judge it by.
    assert found[1].devices and found[1].judged is None and "nobody was awake" in found[1].why_not
    assert baselines(demo, "store", should_continue=lambda: False) == []
    dark = replace(demo, lamps=(), circuits=())
    with pytest.raises(ValueError, match="no lamp"):
        baselines(dark, "store")
    assert cli.main(["ways", "--demo", "--room", "nowhere"]) == 1
    assert "unknown room 'nowhere'" in capsys.readouterr().err
    assert find(demo.rooms, "store")


def test_ways_at_the_command_line(ways, capsys):
    assert cli.main(["ways", "--demo", "--room", "toilet", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert [w["name"] for w in said["ways"]] == [w.name for w in ways]
    assert [w["hold_s"] for w in said["ways"]] == [w.judged.recommended_s for w in ways]
    assert said["weeks"] == 4 * len(ways[0].judged.seeds)


def test_a_way_costs_what_the_adviser_says_it_costs(demo):
    """With the module that the circuit of a room without any lacks."""
    (way, *_) = baselines(demo, "box", [device("pir-ceiling-6")])
    added = [s for s in way.project.sensors if s not in demo.sensors]
    assert way.price > device("pir-ceiling-6").price
    bare = replace(way.project, circuits=demo.circuits)
    assert way.price == bill_of_materials(bare, "box", added).total
    circuit = next(c for c in way.project.circuits if "lamp-box" in c.lamps)
    assert circuit.module is not None
