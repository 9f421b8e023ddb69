"""Needs by use, lights switched by hand, schedules, circuits, and the checks that follow from them."""

from __future__ import annotations

import math
from datetime import date
from itertools import pairwise
from typing import get_args

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import device, rect
from vastwatch.advice.checks.findings import findings
from vastwatch.control.light.daylight import dark, target_lux
from vastwatch.control.manual.manual_switching import (
    AGAIN_S,
    FORGOTTEN,
    LONGEST_S,
    PRESS_S,
    REACH_S,
    expected_manual_cost,
    manual_on,
    switch_presses,
)
from vastwatch.design.edits import day_sheets, wiring
from vastwatch.design.edits.day_sheets import remove_errand
from vastwatch.design.edits.removing import removed, without_unused_types
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.edits.typical_days import TEMPLATES, add_person
from vastwatch.design.needs import USUAL, light_spots, needs_in_words, needs_of
from vastwatch.design.project import Brief, Owned, find, put
from vastwatch.devices import catalogue
from vastwatch.files.check import faults_of
from vastwatch.people import simulate_days
from vastwatch.rehearsal import rehearse
from vastwatch.signals import Calendar, Signal
from vastwatch.site.building import Hazard, Needs, RoomUse
from vastwatch.site.people import Person, Stay, applies_on
from vastwatch.site.record import seconds_of
from vastwatch.words import false_off_limit_words

# -- needs ---------------------------------------------------------------------------------------------------------


def test_every_use_has_needs_and_says_them(demo):
    assert set(USUAL) == set(get_args(RoomUse))
    room = find(demo.rooms, "sitting")
    for use in get_args(RoomUse):
        said = needs_in_words(demo, replace(room, use=use))
        assert [n.field for n in said][:4] == ["notice_s", "lux", "stays", "drops_per_week"]
        assert all(n.words and n.why and not n.own for n in said)


def test_needs_name_who_has_to_be_kept_and_what_differs(demo):
    said = {n.field: n for n in needs_in_words(demo, find(demo.rooms, "sitting"))}
    assert (
        said["stays"].words
        == "keep the light on for somebody watching at the sofa and somebody reading at the window seat"
    )
    assert said["notice_s"].words == "notice people walking within 5 s anywhere in the room"
    passage = {n.field: n.words for n in needs_in_words(demo, find(demo.rooms, "passage"))}
    assert passage["notice_s"] == "notice people walking within 1 s on every path"
    assert passage["stays"] == "nobody stays here"
    bedroom = {n.field: n.words for n in needs_in_words(demo, find(demo.rooms, "bedroom"))}
    assert bedroom["asleep_share"] == "15 % light at most while somebody sleeps"


def test_a_rooms_own_needs_go_before_its_uses(demo):
    room = find(demo.rooms, "sitting")
    own = replace(room, needs=Needs(notice_s=2.0, drops_per_week=0.0, lux=75.0, stays=False, hold_max_s=60.0))
    it = needs_of(demo, own)
    assert (it.notice_s, it.drops_per_week, it.lux, it.stays, it.hold_max_s) == (2.0, 0.0, 75.0, False, 60.0)
    marked = {n.field for n in needs_in_words(demo, own) if n.own}
    assert marked == {"notice_s", "drops_per_week", "lux", "stays", "hold_max_s"}
    # The project's limit counts where the use is not stricter.
    loose = replace(demo, brief=Brief(drops_per_week=5.0))
    assert needs_of(loose, room).drops_per_week == 5.0
    assert needs_of(loose, find(demo.rooms, "throwing")).drops_per_week == 0.25


def test_limits_of_drops_in_words():
    assert [false_off_limit_words(x) for x in (0, 0.25, 0.5, 1, 3)] == [
        "no false-offs", "one false-off in 4 weeks", "one false-off in 2 weeks", "one false-off a week", "3 false-offs a week",
    ]  # fmt: skip


def test_findings_judge_by_the_rooms_needs(demo):
    def rules(project, room):
        return {f.rule for f in findings(project) if f.room == room}

    assert "spot-unseen" in rules(demo, "toilet")
    room = find(demo.rooms, "toilet")
    assert "spot-unseen" not in rules(put(demo, replace(room, needs=Needs(stays=False))), "toilet")
    passage = find(demo.rooms, "passage")
    # Of those who come in, and not of anybody anywhere.
    blind = replace(demo, sensors=tuple(replace(s, yaw=s.yaw + 180) if s.id == "pir-shop" else s for s in demo.sensors))
    said = next(f.text for f in findings(blind) if f.rule == "walker-unseen" and f.room == "shop")
    assert "of people entering shop are not noticed within 3 s" in said
    slower = put(demo, replace(passage, needs=Needs(notice_s=30.0)))
    assert "walker-unseen" not in rules(slower, "passage")
    alone = next(f.text for f in findings(replace(blind, people=())) if f.rule == "walker-unseen" and f.room == "shop")
    assert "somebody walking across is not noticed within 2 s" in alone


# -- by hand -------------------------------------------------------------------------------------------------------

DAY = 86_400.0


def signal(*rows: tuple[float, float]) -> Signal:
    return Signal.from_intervals(np.array(rows, float).reshape(-1, 2), 0.0, DAY)


def test_a_room_without_sensors_costs_the_reach_and_the_forgotten_switches():
    awake = signal((1000, 1001), (5000, 8000), (40_000, 41_000))
    dark = signal((0, 30_000))
    unlit, idle = expected_manual_cost(awake, awake, dark)
    # 1 s, then the reach; the third stay is in daylight. On from each leaving to the next arrival, while dark.
    assert unlit == pytest.approx(1.0 + REACH_S)
    burning = (5000 - 1001) + min(30_000 - 8000, LONGEST_S)
    assert idle == pytest.approx(FORGOTTEN * burning)


def press_by_press(presence: Signal, awake: Signal, dark: Signal, hold: float) -> float:
    """Seconds lit, on a clock of half seconds: a person, a switch, a light."""
    lit, total, pressed_at, waiting = False, 0.0, -1e9, math.inf
    before = False
    for k in range(int(7200 / 0.5)):
        t = k * 0.5 + 0.25
        need = bool(awake.at(t) and dark.at(t))
        if need and not before:
            waiting = t + REACH_S
        if lit and need:
            waiting = math.inf
        before = need
        if t >= waiting and need and not lit:
            lit, pressed_at, waiting = True, t, math.inf
        if lit and not (presence.at(t) or t - pressed_at <= hold + PRESS_S):
            lit = False
            # It went off on them: to the switch again, each time.
            waiting = t + AGAIN_S if need else math.inf
        total += 0.5 * (lit and bool(dark.at(t)))
    return total


def test_absence_control_waits_for_a_hand_and_ends_by_vacancy():
    dark = signal((0, 7200))
    awake = signal((600, 1800), (3000, 3600))
    # A passer-by's report at 200 s lights nothing; presence ends for the first person at 1200 s.
    presence = signal((200, 260), (602, 1200), (1300, 1860), (3001, 3660))
    lit = manual_on(presence, switch_presses(presence, awake, dark, 60.0).signal, 60.0) & dark
    assert not lit.at(230.0)
    assert not lit.at(601.0) and lit.at(602.5)
    # It fell at 1200 and was put on again by hand.
    assert not lit.at(1205.0) and lit.at(1213.0)
    assert not lit.at(1900.0) and not lit.at(3661.0)
    clocked = press_by_press(presence, awake, dark, 60.0)
    assert lit.total() == pytest.approx(clocked, abs=6.0)


def test_a_hand_switches_on_again_after_each_drop():
    """A sensor that sees nobody: the light lasts the hold, twelve seconds later it is put on again."""
    dark, awake, never = signal((0, 7200)), signal((600, 1800)), signal()
    pressed = switch_presses(never, awake, dark, 60.0)
    lit = manual_on(never, pressed.signal, 60.0) & dark
    cycle = PRESS_S + 60.0 + AGAIN_S
    n = 1 + int((1800 - 602) // cycle)
    assert len(pressed.signal.rises) == n and len(pressed.again) == n - 1
    assert (awake - lit).total() == pytest.approx(REACH_S + (n - 1) * AGAIN_S, abs=AGAIN_S)
    rng = np.random.default_rng(8)
    for _ in range(20):

        def some(n: int, longest: float) -> Signal:
            a = rng.uniform(0, 7000, n)
            return Signal.from_intervals(np.column_stack([a, a + rng.uniform(20, longest, n)]), 0.0, 7200.0)

        presence, awake, dark = some(8, 300), some(3, 1500), some(2, 5000)
        lit = manual_on(presence, switch_presses(presence, awake, dark, 45.0).signal, 45.0) & dark
        # A press within the clock's half second of leaving may be on either side of it.
        assert lit.total() == pytest.approx(press_by_press(presence, awake, dark, 45.0), abs=50.0, rel=0.02)


def test_a_room_under_absence_control_burns_less_for_nobody(demo):
    for ident in ("landing", "throwing"):
        automatic = rehearse(demo, 7, 1).scores[ident]
        room = find(demo.rooms, ident)
        by_hand_on = rehearse(put(demo, replace(room, control="absence")), 7, 1).scores[ident]
        assert by_hand_on.wasted_h < automatic.wasted_h
    assert by_hand_on.first_median_s == pytest.approx(REACH_S, abs=0.01)


# -- schedules ----------------------------------------------------------------------------------------------------


def test_a_week_is_the_sheet_day_by_day_and_nights_carry_over(demo):
    week = day_sheets.week_of(find(demo.people, "potter"))
    assert len(week) == 7
    for blocks in week:
        assert blocks[0].begin == 0 and blocks[-1].end == DAY
        assert all(a.end == b.begin for a, b in pairwise(blocks))
        assert blocks[0].spot == "bed-left"
    assert "left-wheel" in {b.spot for b in week[0]} and "left-wheel" not in {b.spot for b in week[5]}


@given(st.integers(0, 6))
def test_each_line_holds_on_its_days(weekday):
    assert applies_on("every", weekday)
    assert applies_on("workday", weekday) == (weekday < 5) != applies_on("free", weekday)
    assert sum(applies_on(d, weekday) for d in ("monday", "wednesday", "sunday")) == (weekday in (0, 2, 6))


def test_the_evening_class_comes_on_wednesdays_and_shares_its_times(demo):
    group = [p for p in demo.people if p.group]
    assert len(group) == 6 and len({p.stays[1].spot for p in group}) == 6
    m = simulate_days(demo, 7, 1)
    busy = [m.person_in("class-1", "throwing").clip(d * DAY, (d + 1) * DAY).total() for d in range(7)]
    # 12 January 2026 is a Monday.
    assert busy[2] > 1.5 * 3600 and sum(busy) == busy[2]
    later = day_sheets.set_stay(demo, "class-2", 1, at="19:30", spot="trimming")
    assert {p.stays[1].at for p in later.people if p.group} == {"19:30"}
    assert find(later.people, "class-2").stays[1].spot == "trimming"
    assert find(later.people, "class-1").stays[1].spot == "left-wheel"
    longer = day_sheets.add_stay(later, "class-1", Stay(at="20:00", spot="wedging"))
    assert all(len(p.stays) == 4 for p in longer.people if p.group)
    assert not list(faults_of(longer))
    shorter = day_sheets.remove_stay(longer, "class-3", 3)
    assert all(len(p.stays) == 3 for p in shorter.people if p.group)


def test_who_comes_on_one_day_only_is_where_their_week_left_them(demo):
    rare = Person(id="rare", name="Rare", stays=(Stay(days="wednesday", at="10:00", spot="front-door"),
                                                 Stay(days="wednesday", at="18:00", spot="counter")))  # fmt: skip
    project = replace(demo, people=(*demo.people, rare))
    for days in (1, 2, 7):
        m = simulate_days(project, days, 1)
        track = next(t for t in m.tracks if t.person.id == "rare")
        spots = [s.id for s in m.spots]
        # From Monday on still behind the counter, as since last Wednesday.
        assert spots[track.spot[0]] == "counter" and track.arrive[0] <= 0
        assert len(track.spot) == (3 if days == 7 else 1)


def test_sides_of_the_bed_errands_and_last_lines(demo):
    assert day_sheets.sleeps_at(demo, find(demo.people, "potter")) == "bed-left"
    swapped = day_sheets.set_sleeps_at(demo, "potter", "bed-right")
    assert day_sheets.sleeps_at(swapped, find(swapped.people, "potter")) == "bed-right"
    with pytest.raises(ValueError, match="has no bed yet"):
        day_sheets.set_sleeps_at(demo, "class-1", "bed-right")
    errands = len(find(demo.people, "potter").errands)
    fewer = day_sheets.remove_errand(demo, "potter", 0)
    assert len(find(fewer.people, "potter").errands) == errands - 1
    lone = put(demo, replace(find(demo.people, "potter"), stays=find(demo.people, "potter").stays[:1]))
    with pytest.raises(ValueError, match="last line"):
        day_sheets.remove_stay(lone, "potter", 0)


@pytest.mark.parametrize("template", list(TEMPLATES))
def test_every_typical_person_lives_in_the_sample(demo, template):
    before = len(demo.people)
    project, person = add_person(demo, template)
    assert len(project.people) == before + TEMPLATES[template].many
    assert not list(faults_of(project))
    assert isinstance(person, Person) and simulate_days(project, 1, 1).tracks


# -- wiring --------------------------------------------------------------------------------------------------------


def test_circuits_loads_pairs_and_what_fits(demo):
    stair = find(demo.circuits, "circuit-landing")
    assert len(wiring.switches_of(demo, stair.id)) == 2
    assert wiring.load_w(demo, stair) == 10
    plain = device("module-switch-plain")
    assert any("two-way pair" in w for w in wiring.module_problems(demo, stair, plain))
    toilet = find(demo.circuits, "circuit-toilet")
    assert any("needs a neutral" in w for w in wiring.module_problems(demo, toilet, device("module-switch-neutral")))
    heavy = put(demo, replace(find(demo.lamps, "lamp-landing"), watts=900.0))
    assert any("900 W" in w for w in wiring.module_problems(heavy, stair, plain))
    assert wiring.module_problems(demo, stair, device("module-switch-neutral")) == []


def test_a_lamp_is_on_one_circuit_and_modules_travel_with_the_project(demo):
    new, circuit = wiring.add_circuit(demo, ("lamp-glazing", "lamp-kiln"), "Back rooms")
    assert wiring.circuit_of(new, "lamp-kiln") is circuit
    assert find(new.circuits, "circuit-kiln").lamps == ()
    assert any(f.rule == "shared-circuit" for f in findings(wired_with_presence(new)))
    new = wiring.set_module(new, circuit.id, device("module-relay-large"))
    assert find(new.devices, "module-relay-large")
    assert not list(faults_of(new))
    gone = removed(new, circuit.id)
    assert all(d.id != "module-relay-large" for d in gone.devices)
    back = wiring.set_lamp(new, "circuit-kiln", "lamp-kiln", True)
    assert find(back.circuits, circuit.id).lamps == ("lamp-glazing",)
    with pytest.raises(ValueError, match="at least one lamp"):
        wiring.add_circuit(demo, ())


def wired_with_presence(project):
    return add_sensor(project, device("pir-ceiling-6"), "ground", (9.0, 5.0, 2.5), 0.0, -90.0)[0]


def test_switches_and_sockets_stand_inside(demo):
    for add in (wiring.add_socket, lambda p, level, at: wiring.add_switch(p, level, at, "circuit-shop")):
        with pytest.raises(ValueError, match="inside a room"):
            add(demo, "ground", (50.0, 50.0))
    _, switch = wiring.add_switch(demo, "ground", (0.3, 2.0), "circuit-shop")
    assert switch.name == "Switch shop 2"
    assert math.isinf(wiring.socket_distance(demo, "ground", (8.0, 2.0)))
    assert wiring.socket_distance(demo, "upper", (0.2, 5.4)) == pytest.approx(0.5, abs=0.02)


def test_power_boxes_mats_hazards_and_sleepers_are_checked(demo):
    rules = {f.rule for f in findings(demo)}
    assert not rules & {"no-power", "module-misfit", "mat-doubtful", "sleeper-lit"}
    far = put(demo, replace(find(demo.sensors, "radar-sitting"), at=(4.8, 3.9, 1.5)))
    found = next(f for f in findings(far) if f.rule == "no-power")
    assert "Radar sitting room" in found.text and "3 m" in found.text
    bare = put(demo, replace(find(demo.circuits, "circuit-shop"), neutral=False))
    assert any(f.rule == "module-misfit" and "neutral" in f.text for f in findings(bare))
    lit, _ = add_sensor(demo, device("pir-wall-8"), "upper", (7.0, 3.5, 2.1), 45.0, 0.0)
    assert all(f.rule != "sleeper-lit" for f in findings(lit))
    lit = put(lit, replace(find(lit.rooms, "bedroom"), control="presence"))
    assert any(f.rule == "sleeper-lit" for f in findings(lit))
    fan = Hazard(id="big-fan", level="upper", name="Ceiling fan", kind="fan", outline=rect(2.0, 5.0, 3.0, 6.0))
    found = [f for f in findings(replace(demo, hazards=(*demo.hazards, fan))) if f.rule == "fooled"]
    assert any(f.severity == "wrong" and f.records == ("radar-sitting", "big-fan") for f in found)
    strip = device("mat-bed-strip")
    mat, sensor = add_sensor(demo, strip, "upper", (9.4, 6.95, 0.3), 0.0, 0.0, "bed")
    assert any(f.rule == "mat-doubtful" and sensor.id in f.records for f in findings(mat))


def test_broken_wiring_in_a_file_names_its_place(demo):
    for change, words in (
        ({"switches": (replace(demo.switches[0], circuit="none"),)}, "switches\\[0\\].circuit"),
        ({"circuits": (replace(demo.circuits[0], lamps=("none",)),), "switches": ()}, "unknown lamp 'none'"),
        ({"circuits": (replace(demo.circuits[0], module="none"),), "switches": ()}, "unknown device 'none'"),
        ({"circuits": (demo.circuits[0], replace(demo.circuits[1], lamps=demo.circuits[0].lamps)), "switches": ()},
         "already on circuits\\[0\\]"),
        ({"sockets": (replace(demo.sockets[0], level="none"),)}, "unknown level 'none'"),
        ({"hazards": (replace(demo.hazards[0], window="none"),)}, "unknown opening 'none'"),
        ({"hazards": (replace(demo.hazards[0], outline=((0, 0), (1, 1), (1, 0), (0, 1))),)}, "crosses itself"),
        ({"devices": (*demo.devices[1:], replace(demo.devices[0], minor_m=50.0))}, "minor_m"),
    ):  # fmt: skip
        told = "; ".join(faults_of(replace(demo, **change)))
        assert __import__("re").search(words, told), (words, told)


def test_spots_that_want_light_are_those_people_use(demo):
    assert {s.id for s in light_spots(demo, "throwing")} == {
        "left-wheel", "right-wheel", "wedging", "trimming", "wedging-east",
    }  # fmt: skip
    assert light_spots(demo, "bedroom") == []


def test_a_spot_that_wants_more_light_makes_its_room_dark_sooner(demo):
    room = find(demo.rooms, "glazing")
    bright = put(demo, replace(find(demo.spots, "glaze-bench-spot"), lux=900.0))
    assert target_lux(demo, room) == 300 and target_lux(bright, room) == 900
    day = Calendar(date(2026, 6, 1), "UTC", 1)
    assert dark(bright, room, day).total() > dark(demo, room, day).total()


def test_power_is_missed_by_what_has_a_plug_and_by_nothing_else(demo):
    """In the box room no socket is in reach of the far corner: only what wants one, and is no box or ceiling, says
    so."""
    far = replace(demo, sockets=tuple(s for s in demo.sockets if s.id == "socket-shop"))

    def told(ident, z=2.0):
        project, made = add_sensor(far, device(ident), "upper", (9.0, 1.0, z), 0.0, 0.0)
        return any(f.rule == "no-power" and made.id in f.records for f in findings(project))

    assert told("radar-24-state") and told("dual-24-corner")
    assert not told("pir-corner-12") and not told("pir-switch-7", 1.1)
    assert not told("dual-60-ceiling") and not told("pir-mains-8")


def test_a_mat_is_doubtful_only_for_who_sits_or_lies_over_it(demo):
    strip = device("mat-bed-strip")
    mat, sensor = add_sensor(demo, strip, "upper", (9.4, 6.95, 0.3), 0.0, 0.0, "bed")
    doubtful = [f for f in findings(mat) if f.rule == "mat-doubtful" and sensor.id in f.records]
    assert doubtful
    upright = replace(mat, spots=tuple(replace(s, posture="standing") if s.room == "bedroom" else s for s in mat.spots))
    assert not [f for f in findings(upright) if f.rule == "mat-doubtful"]
    # A spot on the level below, in the same place of the plan, is not over it.
    below = replace(mat, spots=tuple(replace(s, room="glazing") if s.room == "bedroom" else s for s in mat.spots))
    assert not [f for f in findings(below) if f.rule == "mat-doubtful"]


def test_a_type_that_was_only_owned_leaves_with_the_kit(demo):
    kit = device("pir-low-5")
    owned = replace(
        demo, devices=(*demo.devices, kit), brief=replace(demo.brief, owned=(Owned(device=kit.id, count=2),))
    )
    bare = replace(owned, brief=replace(owned.brief, owned=()))
    assert kit.id not in {d.id for d in without_unused_types(owned, bare).devices}
    assert without_unused_types(owned, owned) is owned


def test_an_errand_or_stay_that_is_not_there_is_not_taken_away(demo):
    person = find(demo.people, "potter")
    assert remove_errand(demo, person.id, len(person.errands)) is demo
    assert len(find(remove_errand(demo, person.id, 0).people, person.id).errands) == len(person.errands) - 1


def test_a_clock_time_is_so_many_seconds_after_midnight():
    assert [seconds_of(t) for t in ("00:00", "00:01", "07:40", "23:59")] == [0, 60, 27_600, 86_340]


def test_one_switch_on_a_stair_is_worth_a_note_and_in_a_house_without_one_it_is_not(demo):
    def told(project):
        return {f.records[0] for f in findings(project) if f.rule == "one-way-stair"}

    single = replace(demo, switches=tuple(s for s in demo.switches if s.id != "switch-passage-2"))
    assert told(demo) == set() and told(single) == {"circuit-passage"}
    level = replace(single, furnishings=tuple(f for f in single.furnishings if f.kind != "stair"))
    assert told(level) == set()


def test_a_circuit_that_follows_presence_with_nothing_to_switch_it_is_found(room):
    wired = wiring.add_circuit(room, ("lamp",))[0]
    found = [f for f in findings(wired) if f.rule == "nothing-switches"]
    assert len(found) == 1 and found[0].severity == "wrong" and found[0].room == "big"
    words = found[0].remedies[0].text
    # The cheapest that fits, by name and price.
    cheapest = next(d for d in sorted(catalogue(), key=lambda d: d.price) if d.name in words)
    assert f"{cheapest.price:g}" in words and not wiring.module_problems(wired, wired.circuits[0], cheapest)
    assert all(
        d.price >= cheapest.price for d in catalogue()
        if d.family == "module" and not wiring.module_problems(wired, wired.circuits[0], d)
    )  # fmt: skip
    fed = wiring.set_module(wired, wired.circuits[0].id, cheapest)
    assert not [f for f in findings(fed) if f.rule == "nothing-switches"]
    # A sensor with a contact of its own switches; a room without presence asks for nothing; nor does a bare plan.
    own = next(d for d in catalogue() if d.family == "pir" and d.load_w > 0)
    contact = replace(wired, devices=(own,), sensors=(replace(wired.sensors[0], device=own.id),))
    assert not [f for f in findings(contact) if f.rule == "nothing-switches"]
    for other in (replace(wired, presences=()), room):
        assert not [f for f in findings(other) if f.rule == "nothing-switches"]
