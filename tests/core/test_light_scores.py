"""How good the light was, against anybody who looks at it once a second; the states of ladders; findings on scenes."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest
from msgspec.structs import replace
from test_ladders import EVENING, HERE, USUAL, laddered

from samples import make_room
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.checks.scenes import CHECKS
from vastwatch.advice.scenes.ladder_states import never_wins, shadowing, states, stuck, why_not
from vastwatch.control.light.darkness import daylight_in
from vastwatch.control.light.illuminance import spot_lux, spot_target_lux
from vastwatch.control.lighting import light_rule
from vastwatch.design.edits.ladders import remove_row
from vastwatch.design.expressions import AllOf, ClockTime, ConclusionRef, Dark, Hold, Not
from vastwatch.design.project import find, put
from vastwatch.design.records import Button, LadderRow, LampLevel, Scene
from vastwatch.devices import catalogue
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.scoring.light_scores import FLICKER_S, flickers, short_of, turns
from vastwatch.signals import TimeSeries
from vastwatch.site.building import Circuit, Needs, Spot
from vastwatch.site.people import Person, Stay


@pytest.fixture(scope="module")
def lived():
    return rehearse(laddered(*USUAL), 2, 1)


@pytest.mark.parametrize("asks", [None, 1.05, 0.95])
def test_minutes_under_what_is_asked_are_those_one_counts_second_by_second(lived, asks):
    """Where the spot asks for the room's own figure, and for a little more or less than its lamp gives."""
    project, room = lived.project, find(lived.project.rooms, "big")
    spot = find(project.spots, "chair")
    full = spot_lux(project, "big")["chair"]
    r = lived
    if asks is not None:
        project = put(project, replace(spot, lux=asks * full["lamp"]))
        spot, r = find(project.spots, "chair"), rehearse(project, 2, 1)
    wants = spot_target_lux(project, spot)
    day = daylight_in(project, room, r.calendar)
    (track,) = r.truth.tracks
    at = [k for k, s in enumerate(r.truth.spots) if s.id == "chair"]
    short = 0
    for begin, end in zip(track.arrive[np.isin(track.spot, at)], track.leave[np.isin(track.spot, at)]):
        t = np.arange(begin, min(end, r.truth.end), 1.0)
        lux = day.at(t) + sum(r.house.outputs[x].at(t) * full[x] for x in ("lamp", "floor"))
        short += int((lux < wants - 1e-6).sum())
    counted = short / 60.0 / r.days
    assert r.light_scores["big"].under_min["chair"] == pytest.approx(counted, abs=1.5)
    assert counted > 5


def test_flickers_are_turns_within_ten_seconds_the_other_way():
    up_down = TimeSeries.of([(0, 0), (10, 0), (10, 1), (14, 1), (14, 0), (40, 0), (40, 1), (60, 1), (60, 0), (100, 0)])
    assert flickers(up_down) == 1
    # Up in two steps is no flicker, nor is a slow way down.
    steps = TimeSeries.of([(0, 0), (10, 0), (10, 0.5), (13, 0.5), (13, 1), (60, 1), (90, 0), (100, 0)])
    assert flickers(steps) == 0
    begin, up = turns(up_down)
    assert begin.tolist() == [10, 14, 40, 60] and up.tolist() == [True, False, True, False]
    assert FLICKER_S == 10.0


def night_room(level):
    """Two people in one room: one asleep all night, one up for the toilet; lit at `level` for anybody who is up."""
    room = make_room()
    bed = Spot(id="bed", room="big", name="bed", at=(3.8, 1.0), posture="lying", activity="sleeping")
    chair, away = room.spots
    sleeper = Person(
        id="s", name="S", stays=(Stay(at="21:00", spot="bed", jitter_min=0), Stay(at="08:00", spot="exit"))
    )
    waker = Person(
        id="w", name="W", stays=(Stay(at="02:00", spot="chair", jitter_min=0), Stay(at="03:00", spot="exit"))
    )
    room = replace(room, spots=(chair, away, bed), people=(sleeper, waker))
    big = find(room.rooms, "big")
    room = put(room, replace(big, needs=Needs(asleep_share=0.15)))
    project = laddered((EVENING, "full"), room=room)
    levels = (LampLevel(lamp="lamp", level=level), LampLevel(lamp="floor", level=level))
    return put(project, replace(find(project.scenes, "full"), levels=levels))


def test_light_over_sleepers_is_counted_while_nobody_is_awake_and_told():
    bright, faint = (rehearse(night_room(level), 2, 1) for level in (1.0, 0.1))
    assert bright.light_scores["big"].over_sleepers_min > 0.5
    assert faint.light_scores["big"].over_sleepers_min == 0
    # `light_rule` knows when the light is more than sleepers bear.
    how = [light_rule(r.project, "big", r.recording).too_bright for r in (bright, faint)]
    assert how[0].total() > 0 and how[1].total() == 0


# -- states --------------------------------------------------------------------------------------------------------


def test_states_are_all_combinations_and_their_shares_those_lived(lived):
    did = lived.house.ladders["big"].of(None)
    every = states(did)
    assert {s.holds for s in every} == set(product((False, True), repeat=3))
    assert sum(s.share for s in every) == pytest.approx(1.0)
    for s in every:
        assert s.wins == next((k for k, on in enumerate(s.holds) if on), 3)
    t = np.arange(0.5, did.winners.edges[-1], 7.0)
    said = np.array([x.at(t) for x in did.row_signals]).T
    for s in every:
        assert s.share == pytest.approx((said == np.array(s.holds)).all(axis=1).mean(), abs=2e-3)
    at = 13.0 * 3600
    won = did.winners.at(at)
    assert why_not(did, at) == [(k, bool(did.row_signals[k].at(at))) for k in range(won)]


def test_removing_a_row_that_never_wins_changes_nothing():
    project = laddered(*USUAL, (AllOf(of=(HERE, Dark(room="big"), ClockTime(begin="00:00", end="00:00"))), "off"))
    r = rehearse(project, 3, 1)
    assert ("big", 3) in {(room, k) for room, _, k in never_wins(r)} and 1 in shadowing(
        r.house.ladders["big"].of(None), 3
    )
    less = rehearse(remove_row(project, "r3"), 3, 1)
    for lamp in ("lamp", "floor"):
        assert less.house.outputs[lamp].same_as(r.house.outputs[lamp])
    assert less.scores["big"] == r.scores["big"]


def test_stuck_presses_are_said(demo):
    def with_button(**how):
        return replace(laddered(*USUAL), buttons=(Button(id="b", room="big", name="Button", at=(0.1, 2), **how),))

    assert len(stuck(with_button(ends="never"), "big")) == 1
    for ends in ("vacancy", "minutes", "clock", "press"):
        assert stuck(with_button(ends=ends), "big") == []
    unsaid = replace(with_button(ends="vacancy"), presences=())
    assert "nothing detects whether" in stuck(unsaid, "big")[0]
    held = with_button(ends="vacancy")
    held = put(
        held,
        replace(held.presences[0], expr=Not(of=AllOf(of=(ClockTime(begin="10:00", end="10:01"), Dark(room="small"))))),
    )
    r = rehearse(held, 1, 1)
    assert bool(stuck(held, "big", r)) == (r.house.conclusions.presences["here"].total() >= 86_400)


# -- findings ------------------------------------------------------------------------------------------------------


def rules(project):
    return {f.rule for check in CHECKS for f in check(project)}


def wired(project, module, **lamp):
    kind = next(d for d in catalogue() if d.id == module)
    project = replace(
        project, devices=(*project.devices, kind), circuits=(Circuit(id="c", name="C", lamps=("lamp",), module=module),)
    )
    return put(project, replace(find(project.lamps, "lamp"), **lamp)) if lamp else project


def dimmed(project):
    return put(project, replace(find(project.scenes, "full"), levels=(LampLevel(lamp="lamp", level=0.5),)))


def test_each_finding_comes_with_its_cause_and_goes_with_it():
    sound = laddered(*USUAL)
    assert not rules(sound) & {"scene-shadowed", "scene-never-wins", "scene-no-end", "scene-button", "scene-delays",
                               "scene-cannot-dim", "scene-least-load", "scene-takes-light"}  # fmt: skip
    shadowed = laddered((EVENING, "full"), (AllOf(of=(EVENING, ClockTime(begin="00:00", end="00:00"))), "faint"))
    assert "scene-shadowed" in rules(shadowed)
    never = laddered((EVENING, "full"), (AllOf(of=(HERE, Not(of=HERE))), "faint"))
    assert "scene-never-wins" in rules(never)
    button = Button(id="b", room="big", name="Button", at=(0.1, 2), ends="never")
    assert "scene-no-end" in rules(replace(sound, buttons=(button,)))
    assert "scene-button" in rules(replace(make_room(), buttons=(replace(button, ends="press"),)))
    late = laddered((Hold(of=HERE, seconds=60), "full"))
    assert "scene-delays" in rules(late)
    backwards = laddered((EVENING, "off"), (Dark(room="big"), "full"))
    assert "scene-takes-light" in rules(backwards)
    plain = wired(dimmed(sound), "module-switch-neutral")
    assert "scene-cannot-dim" in rules(plain)
    assert "scene-cannot-dim" not in rules(wired(dimmed(sound), "module-dimmer-neutral"))
    assert "scene-cannot-dim" in rules(put(dimmed(sound), replace(find(sound.lamps, "lamp"), dims=False)))
    least = next(d for d in catalogue() if getattr(d, "least_load_w", 0) > 1)
    assert "scene-least-load" in rules(wired(sound, least.id, watts=least.least_load_w / 2))
    assert "scene-least-load" not in rules(wired(sound, least.id, watts=least.least_load_w * 2))
    assert "scene-night-bright" in rules(night_room(1.0)) and "scene-night-bright" not in rules(night_room(0.1))
    weak = put(sound, replace(find(sound.lamps, "lamp"), lumens=60.0))
    assert "scene-too-dim" in rules(weak)
    strong = put(sound, replace(find(sound.lamps, "lamp"), lumens=20_000.0))
    assert "scene-too-dim" not in rules(strong)


def test_a_stair_that_can_go_dark_is_told_and_half_light_cures_it():
    room = make_room()
    stair = put(room, replace(find(room.rooms, "big"), use="stair"))
    only_late = laddered((AllOf(of=(HERE, ClockTime(begin="20:00", end="21:00"))), "full"), room=stair)
    assert "scene-stair-dark" in rules(only_late)
    cured = laddered((EVENING, "full"), (Dark(room="big"), "faint"), room=stair)
    assert "scene-stair-dark" not in rules(cured)


def test_a_light_that_will_not_rest_is_told():
    project = laddered((AllOf(of=(ConclusionRef(presence="here"), Dark(room="big"))), "full"))
    presence = replace(project.presences[0], expr=project.presences[0].expr)
    # A hold of a second: it is out and on again all evening.
    from vastwatch.design.presence import Roles, from_roles

    restless = put(project, replace(presence, expr=from_roles(Roles(("pir",), ("pir",), 1.0))))
    assert rehearse(restless, 7, 1).light_scores["big"].flickers > 3
    assert "scene-flickers" in rules(restless)


def test_all_findings_name_records_that_are_there(demo):
    idents = {r.id for c in ("rules", "buttons", "outputs", "circuits", "lamps", "spots", "sensors", "rooms", "presences")
              for r in getattr(demo, c)}  # fmt: skip
    for f in findings(demo):
        if f.rule.startswith("scene-") or f.rule == "contacts-differ":
            assert set(f.records) <= idents, f


def test_rules_of_scenes_that_light_nothing_have_no_findings():
    empty = replace(
        make_room(), scenes=(Scene(id="s", room="big", name="S"),),
        rules=(LadderRow(id="r", room="big", name="R", when=EVENING, scene="s"),),
    )  # fmt: skip
    assert rules(empty) == set()


def test_short_is_what_is_less_than_wanted_and_nothing_else():
    day = TimeSeries.of([(0, 0.0), (50, 0.0), (50, 40.0), (100, 40.0)])
    lamp = TimeSeries.of([(0, 0.0), (20, 0.0), (20, 0.5), (100, 0.5)])
    # Without daylight 60 lx from the lamp, then 100 with it; 0 before either.
    for wanted, until in ((59.9, 20.0), (60.0, 20.0), (60.1, 50.0), (99.9, 50.0), (100.1, 100.0)):
        short = short_of((lamp,), (120.0,), day, wanted)
        assert short.total() == pytest.approx(until)
