"""Who switches what: truth tables against what an electrician would say, contacts in parallel, what is dead."""

from __future__ import annotations

import itertools

import pytest
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.checks.wiring import contacts_in_parallel
from vastwatch.control.export.device_sheet import device_sheet
from vastwatch.control.export.truth_table import parallel_words, wiring_table
from vastwatch.control.house import run_house
from vastwatch.design.edits.wiring import could_switch, match_conclusion, set_contact
from vastwatch.design.expressions import AllOf, AnyOf, Hold, Report
from vastwatch.design.project import Impairments, find, put
from vastwatch.design.records import Sensor
from vastwatch.devices import catalogue
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.impairments import supplies
from vastwatch.site.building import Circuit, Switch


def wired(switches=1, module=None, contacts=(), feeds=(), live=False):
    room = make_room()
    kinds = tuple(d for d in catalogue() if d.id == module)
    circuit = Circuit(id="c", name="Circuit", lamps=("lamp",), module=module, contacts=contacts, feeds=feeds, live=live)
    walls = tuple(
        Switch(id=f"s{k}", level="g", name=f"Switch {k}", at=(0.1, 1 + k), circuit="c") for k in range(switches)
    )
    sensors = tuple(replace(room.sensors[0], id=i, name=i.upper()) for i in ("a", "b"))
    return replace(
        room, devices=(*room.devices, *kinds), sensors=(*room.sensors, *sensors), circuits=(circuit,), switches=walls
    )


def table(**how):
    project = wired(**how)
    found = wiring_table(project, project.circuits[0])
    return {s.inputs: s for s in found.states}


def test_one_switch_closes_and_two_turn_it_over():
    assert {k: s.lamps for k, s in table(switches=1).items()} == {(False,): False, (True,): True}
    two = {k: s.lamps for k, s in table(switches=2).items()}
    assert two == {(False, False): False, (True, False): True, (False, True): True, (True, True): False}
    # Any one of three turns the light over, whatever the others are.
    three = {k: s.lamps for k, s in table(switches=3).items()}
    for state, at in itertools.product(three, range(3)):
        other = tuple(not x if k == at else x for k, x in enumerate(state))
        assert three[state] != three[other]
    assert table(switches=0)[()].lamps


def test_a_module_behind_a_switch_is_dead_while_that_is_off_and_a_live_one_is_not():
    behind = table(module="module-switch-neutral")
    assert {k: (s.lamps, s.module) for k, s in behind.items()} == {
        (False, False): (False, False), (False, True): (False, False),
        (True, False): (False, True), (True, True): (True, True),
    }  # fmt: skip
    live = table(module="module-switch-neutral", live=True)
    assert all(s.module for s in live.values())
    assert {k: s.lamps for k, s in live.items()} == {k: k[1] for k in live}


def test_contacts_in_parallel_are_off_only_when_all_have_timed_out():
    both = table(contacts=("a", "b"))
    for (switch, a, b), s in both.items():
        assert s.lamps == (switch and (a or b))


def test_what_hangs_behind_a_switch_is_blind_while_it_is_off():
    fed = table(feeds=("pir",), module="module-switch-neutral", live=True)
    assert all(s.fed == k[0] and s.module for k, s in fed.items())
    assert table()[(True,)].fed is None and table()[(True,)].module is None


def test_a_conclusion_other_than_the_wiring_is_said_and_cured():
    project = wired(contacts=("a", "b"))
    words = parallel_words(project, project.circuits[0])
    assert words is not None and "only when all have timed out" in words
    (found,) = contacts_in_parallel(project)
    assert found.rule == "contacts-differ" and set(found.records) == {"c", "a", "b", "here"}
    cured = match_conclusion(project, "c")
    expr = find(cured.presences, "here").expr
    assert isinstance(expr, AnyOf) and [x.sensor for x in expr.of] == ["a", "b"]
    assert parallel_words(cured, cured.circuits[0]) is None and not list(contacts_in_parallel(cured))
    # With holds of their own in front it is still as it is wired; with both together it is not.
    held = AnyOf(of=(Hold(of=Report(sensor="a"), seconds=30), Report(sensor="b")))
    for expr, says in ((held, None), (AllOf(of=held.of), "otherwise"), (Report(sensor="a"), "otherwise")):
        other = put(project, replace(project.presences[0], expr=expr))
        told = parallel_words(other, other.circuits[0])
        assert (told is None) == (says is None)
    with pytest.raises(ValueError, match="no sensor switches"):
        match_conclusion(wired(), "c")


def test_the_light_of_two_contacts_goes_out_with_the_later():
    project = match_conclusion(wired(contacts=("a", "b")), "c")
    r = rehearse(project, 2, 1)
    # Nobody waves or presses.
    lit = run_house(project, r.recording).lit["lamp"]
    either = r.recording.report("a") | r.recording.report("b")
    assert lit.same_as(either & r.house.conclusions.dark["big"])


def test_only_sensors_with_a_contact_switch_and_one_circuit_each():
    relay = next(d for d in catalogue() if d.relays and d.presence)
    project = wired()
    eye = Sensor(id="relay", device=relay.id, level="g", name="Mesh repeater", at=(0.1, 2.0, 1.1))
    project = replace(project, devices=(*project.devices, relay), sensors=(*project.sensors, eye))
    assert not could_switch(project, project.sensors[0]) and could_switch(project, eye)
    taken = set_contact(project, "c", "relay", True)
    assert taken.circuits[0].contacts == ("relay",) and not could_switch(taken, eye)
    assert set_contact(taken, "c", "relay", False).circuits[0].contacts == ()


def test_a_live_module_keeps_its_lamps_through_the_habit_at_the_wall():
    often = Impairments(supply_off_per_week=30.0)
    lamps = {}
    for live in (False, True):
        project = wired(module="module-switch-neutral", feeds=("pir",), live=live)
        project = replace(project, brief=replace(project.brief, troubles=often))
        (supply,) = supplies(project, simulate_days(project, 7, 1))
        lamps[live] = supply.lamps
        assert supply.feeds == ("pir",) and 0 < supply.on.total() < supply.on.end
    assert lamps == {False: ("lamp",), True: ()}


def test_the_sheet_of_devices_names_what_is_set_on_each(demo):
    sheet = device_sheet(demo)
    assert {s.device for s in sheet} >= {x.name for x in demo.sensors}
    assert any(s.setting == "zones" and "Sofa" in s.value for s in sheet)
    assert any(s.setting == "minimum level" for s in sheet) and any(s.setting == "supply" for s in sheet)
    contact = device_sheet(wired(contacts=("a",)))
    assert any(s.setting == "contact" and "Circuit" in s.value for s in contact)
