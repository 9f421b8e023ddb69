"""What goes wrong in use: lost messages, bouncing contacts, flat cells, supplies switched off, doubtful mats; each
against a plain account of it, and each told as the cause where it is one."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room
from vastwatch.advice.simulation.room_simulation import simulate_room
from vastwatch.causes.chain import explain
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import Impairments, put
from vastwatch.design.records import Conclusion, Lamp, Sensor
from vastwatch.devices.battery import battery_years
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.impairments import (
    BACK_AFTER_S,
    SAYS_AGAIN_S,
    TRIES_AFTER_S,
    impairment_of,
    supplies,
    with_bounce,
    with_message_loss,
)
from vastwatch.rehearsal.noticing.at_rest import closed_intervals
from vastwatch.rng import at_ms, key_of, sub_keys, uniform
from vastwatch.signals import DAY, Signal
from vastwatch.site.building import Circuit, Furnishing, Switch


def troubled(project=None, **troubles):
    project = make_room() if project is None else project
    return replace(project, brief=replace(project.brief, troubles=Impairments(**troubles)))


def plainly_received(report: Signal, key: int, lost: float) -> Signal:
    """Message by message: the house believes the newest that has come; a device says the same again every hour."""
    fails = lost ** (1 / len(TRIES_AFTER_S))
    sent = [(t, bool(report.at(t))) for t in report.switches.tolist()]
    came = []
    for k, (t, on) in enumerate(sent):
        until = sent[k + 1][0] if k + 1 < len(sent) else report.end
        for n in range(49):
            again = t + n * SAYS_AGAIN_S
            if n and again >= until:
                break
            index = len(TRIES_AFTER_S) * int(at_ms(again))
            after = [d for j, d in enumerate(TRIES_AFTER_S) if float(uniform(key, index + j)) >= fails]
            if after:
                came.append((again + after[0], k, on))
                break
    newest, now, rows, since = -1, bool(report.at(report.start)), [], report.start
    for t, k, on in sorted(came):
        if k <= newest:
            continue
        newest = k
        if on != now:
            if now:
                rows.append((since, t))
            now, since = on, t
    if now:
        rows.append((since, max(report.end, since)))
    return Signal.from_intervals(rows, report.start, report.end)


@pytest.mark.parametrize("seed", range(24))
def test_what_is_received_is_what_comes_message_by_message(seed):
    rng = np.random.default_rng(seed)
    gaps = rng.exponential(rng.choice([0.4, 3.0, 900.0, 9000.0]), 300 if seed < 12 else 3) + 0.01
    t = np.cumsum(gaps)
    # The last may come after the end, and all be lost.
    after = 20_000.0 if seed < 12 else 0.3
    report = Signal(0.0, float(t[-1]) + after, bool(seed % 2), t)
    lost = float(rng.choice([0.001, 0.05, 0.3, 0.5])) if seed < 12 else 0.9
    assert with_message_loss(report, seed, lost).same_as(plainly_received(report, seed, lost), 1e-9)


def test_of_many_messages_the_share_said_is_lost_and_more_is_late():
    t = np.arange(1, 40_001) * 10.0
    report = Signal(0.0, 500_000.0, False, t)
    got = with_message_loss(report, 5, 0.1)
    late = np.isin(np.round(got.rises, 6), np.round(report.rises, 6))
    # A report of ten seconds is there at all if its beginning came, or had come before.
    assert 1 - len(got.rises) / len(report.rises) == pytest.approx(0.1 + 0.1 * 0.9, abs=0.02)
    assert 1 - late.mean() == pytest.approx(0.1 ** (1 / 3) * (1 - 0.1 ** (2 / 3)) / 0.9, abs=0.02)


def test_nothing_lost_is_nothing_changed_and_one_sensors_luck_is_not_anothers():
    report = Signal.from_intervals([(1, 5), (9, 20)], 0.0, 100.0)
    assert with_message_loss(report, 3, 0.0) is report
    both = two_sensors()
    one = put(both, replace(both.sensors[1], settings=replace(both.sensors[1].settings, messages_lost=0.4)))
    before, after = rehearse(both, 2, 1).recording, rehearse(one, 2, 1).recording
    assert after.report("pir").same_as(before.report("pir"))
    assert not after.report("radar").same_as(before.report("radar"))


def two_sensors(**changes):
    room = make_room()
    return replace(
        room, devices=(*room.devices, device("radar-24-state-mains")),
        sensors=(*room.sensors, Sensor(id="radar", device="radar-24-state-mains", level="g", name="Radar", at=(0.1, 2.0, 1.5))),
        presences=(
            Conclusion(id="here", room="big", name="Somebody", expr=from_roles(Roles(("pir",), ("pir", "radar"), 60.0))),
        ), **changes,
    )  # fmt: skip


def test_a_contact_bounces_as_often_as_it_is_said_to_after_it_has_closed():
    rows = [(k * 60.0, k * 60.0 + 20.0) for k in range(1, 4001)]
    report = Signal.from_intervals(rows, 0.0, 300_000.0)
    got = with_bounce(report, key_of(1, "bounce", "door"), 0.3)
    more = (got - report).intervals
    assert len(more) / len(rows) == pytest.approx(0.3, abs=0.03)
    assert ((more[:, 1] - more[:, 0]) <= 0.5 + 1e-9).all() and not report.at(more[:, 0] - 1e-6).any()
    assert (report - got).total() == 0


@pytest.mark.parametrize("margin", [0.75, 0.9, 1.0, 1.15, 1.3, 1.39])
def test_a_doubtful_switch_is_closed_as_often_as_the_law_of_its_margin_says(margin):
    n, span = 400, 60_000.0
    seen = closed_intervals(sub_keys(9, np.arange(n)), np.full(n, margin), np.zeros(n), np.full(n, span), 0.0)
    share = float((seen.end - seen.start).sum()) / n / span
    z = math.log(margin) / 0.113
    assert share == pytest.approx(0.5 * (1 + math.erf(z / math.sqrt(2))), abs=0.015)
    order = np.lexsort((seen.start, seen.stay))
    begin, end, of = seen.start[order], seen.end[order], seen.stay[order]
    assert (end >= begin).all() and (end <= span).all()
    assert (begin[1:][of[1:] == of[:-1]] >= end[:-1][of[1:] == of[:-1]] - 1e-9).all()


def mat_room(kg: float = 70.0):
    """The seat of the room with a mat on it, which alone keeps its light."""
    room = make_room()
    seat = Furnishing(id="seat", level="g", name="Seat", kind="armchair", outline=((1, 1), (2, 1), (2, 2), (1, 2)))
    mat = Sensor(id="mat", device="mat-seat", level="g", name="Mat", at=(1.5, 1.5, 0.45), host="seat")
    return replace(
        room, furnishings=(seat,), devices=(*room.devices, device("mat-seat")), sensors=(*room.sensors, mat),
        people=tuple(replace(p, body_kg=kg) for p in room.people),
        presences=(Conclusion(id="here", room="big", name="S", expr=from_roles(Roles(("pir",), ("pir", "mat"), 5.0))),),
    )  # fmt: skip


def test_a_mat_that_is_hardly_pressed_opens_and_closes_and_is_told_as_the_cause():
    from vastwatch.sensing.families.mat import margin as pressed_by

    room = mat_room()
    mat = next(d for d in room.devices if d.id == "mat-seat")
    at = pressed_by(room.sensors[1], mat, room.furnishings[0], (1.5, 1.5), 0.0, "seated", 70.0)
    doubtful = put(room, replace(mat, closing_kpa=mat.closing_kpa * at / 1.02))
    sure = put(room, replace(mat, closing_kpa=mat.closing_kpa * at / 1.6))
    a, b = rehearse(doubtful, 5, 1), rehearse(sure, 5, 1)
    assert len(a.recording.report("mat")) > 3 * len(b.recording.report("mat"))
    drops = [i for i in a.incidents if i.kind == "dropped"]
    assert len(drops) > len([i for i in b.incidents if i.kind == "dropped"])
    causes = [c for i in drops for c in explain(a, i).causes]
    assert any("too little pressure" in c.value or "reliable margin" in c.value for c in causes)


# -- the supply ----------------------------------------------------------------------------------------------------


def wired():
    """Two sensors, the radar fed from behind the switch of the lamp's circuit; every evening is dark."""
    return replace(
        two_sensors(), circuits=(Circuit(id="c", name="Big room circuit", lamps=("lamp",), feeds=("radar",)),),
        switches=(Switch(id="by-the-door", level="g", name="Switch", at=(4.8, 1.0), circuit="c"),),
    )  # fmt: skip


def test_only_a_switch_that_is_drawn_is_switched_off_each_as_often_as_is_said_of_it():
    room = troubled(wired(), supply_off_per_week=20.0)
    truth = rehearse(room, 14, 3).truth
    assert supplies(replace(room, switches=()), truth) == ()
    bare = replace(room, circuits=(), switches=())
    assert supplies(bare, truth) == () and rehearse(bare, 14, 3).house.served("big").total() > 0

    def off(*rates, brief=0.0):
        switches = tuple(
            replace(room.switches[0], id=f"s{k}", off_per_week=rate) for k, rate in enumerate(rates)
        )  # fmt: skip
        found = supplies(troubled(replace(room, switches=switches), supply_off_per_week=brief), truth)
        return sum(len((~s.on).intervals) for s in found)

    assert off(None, None) == 0 and off(0.0, brief=20.0) == 0
    assert off(20.0) == off(None, brief=20.0) > 10
    # Some of both lie together.
    assert off(20.0, 20.0) > off(20.0)


def test_whoever_leaves_last_switches_off_and_whoever_stands_in_the_dark_switches_on():
    room = troubled(wired(), supply_off_per_week=20.0)
    r = rehearse(room, 14, 3)
    (supply,) = supplies(room, r.truth)
    off = (~supply.on).intervals
    awake, dark = r.awake("big"), r.house.dark("big")
    assert 10 <= len(off) <= 60
    assert np.isin(np.round(off[:, 0], 6), np.round(awake.falls, 6)).all()
    for begin, end in off.tolist():
        stood = (awake & dark).clip(begin, end).on_delay(BACK_AFTER_S)
        # Nobody stood there long enough before, and somebody did then.
        assert len(stood.rises[stood.rises < end - 1e-6]) == 0
        if end < r.truth.end:
            assert (awake & dark).clip(end - BACK_AFTER_S, end).total() == pytest.approx(BACK_AFTER_S)
    lit = r.house.served("big")
    assert (lit - supply.on).total() == 0
    # What is mounted behind the switch is dead meanwhile, and for a moment after; what does not is not.
    works = r.recording.observed["radar"]
    assert (works - supply.on).total() == 0 and "pir" not in r.recording.observed
    assert (r.recording.report("radar") - works).total() == 0
    assert (supply.on - works).total() == pytest.approx(8.0 * int((off[:, 1] < r.truth.end - 8).sum()), abs=8.0)


@pytest.mark.parametrize("name", ["supply", "radio", "cells", "absence"])
def test_the_judges_weeks_and_the_rehearsal_come_to_the_same(name):
    room = {
        "supply": troubled(wired(), supply_off_per_week=20.0),
        "radio": troubled(wired(), messages_lost=0.1),
        "cells": troubled(wired(), cells_flat_days=300.0),
        "absence": troubled(
            put(wired(), replace(wired().rooms[0], control="absence")), supply_off_per_week=20.0, messages_lost=0.05
        ),
    }[name]
    r = rehearse(room, 7, 2)
    it = simulate_room(room, "big", 7, 2).curve.outcome(60.0)
    scores = r.scores["big"]
    assert len(it.false_off_at) == pytest.approx(scores.false_offs * 7)
    assert it.dark_s == pytest.approx(scores.dark_min * 60 * 7, abs=1e-3)
    assert it.wasted_s == pytest.approx(scores.wasted_h * 3600 * 7, abs=1e-3)
    assert scores.dark_min > 0


def test_a_light_without_supply_is_told_with_who_left_it_so_and_when():
    room = troubled(wired(), supply_off_per_week=20.0)
    r = rehearse(room, 7, 3)
    late = [i for i in r.incidents if i.kind == "late"]
    said = [c for i in late for c in explain(r, i).causes if "supply" in c.what]
    assert said and "turned off at" in said[0].value and "Radar" in said[0].text
    chain = next(explain(r, i) for i in late if any("supply" in c.what for c in explain(r, i).causes))
    assert [link.what for link in chain.story][1:] == ["Power supply"] and "on again" in chain.story[1].value
    # Its removal removes them.
    none = rehearse(troubled(wired()), 7, 3)
    (supply,) = supplies(room, r.truth)
    back = (~supply.on).intervals[:, 1]
    of_it = [i for i in late if np.abs(back - i.at).min() <= 60.0]
    assert of_it and len([i for i in none.incidents if i.kind == "late"]) <= len(late) - len(of_it) // 2


def test_the_first_days_of_a_longer_rehearsal_are_those_of_a_shorter_one():
    room = troubled(wired(), supply_off_per_week=15.0, messages_lost=0.1, cells_flat_days=200.0, contacts_bounce=0.5)
    short, long = rehearse(room, 3, 4), rehearse(room, 9, 4)
    for sensor in ("pir", "radar"):
        assert (
            long.recording.report(sensor)
            .clip(0.0, 2.5 * DAY)
            .same_as(short.recording.report(sensor).clip(0.0, 2.5 * DAY), 1e-6)
        )
    assert long.house.served("big").clip(0, 2.5 * DAY).same_as(short.house.served("big").clip(0, 2.5 * DAY), 1e-6)


# -- cells ---------------------------------------------------------------------------------------------------------


def test_cells_are_flat_for_as_much_of_all_time_as_they_wait_of_their_life():
    room = make_room()
    pir = next(d for d in room.devices if d.id == "pir-corner-12")
    assert pir.battery is not None
    wait = 365.0
    room = troubled(room, cells_flat_days=wait)
    flat, life = [], []
    for seed in range(60):
        r = rehearse(room, 1, seed)
        first = float(np.searchsorted(r.recording.report("pir").switches, DAY))
        works = r.recording.observed.get("pir")
        flat.append(0.0 if works is None else 1.0 - works.total() / r.truth.end)
        if works is None:
            life.append(battery_years(pir, first, None, room.rooms[0].ambient_c) * 365.25)
    expected = wait / (wait + float(np.mean(life)))
    assert 0.02 < expected < 0.5
    assert float(np.mean(flat)) == pytest.approx(expected, abs=3 * math.sqrt(expected * (1 - expected) / 60))


def test_flat_cells_are_told_as_the_cause():
    room = troubled(make_room(), cells_flat_days=366.0)
    for seed in range(1, 60):
        r = rehearse(room, 2, seed)
        if "pir" in r.recording.observed:
            break
    late = [i for i in r.incidents if i.kind == "late"]
    assert late
    assert any(c.value == "batteries flat" for i in late for c in explain(r, i).causes)


def test_what_is_wired_loses_nothing_and_a_sensors_own_figure_goes_before_the_briefs():
    room = troubled(two_sensors(), messages_lost=0.2)
    r = rehearse(room, 1, 1)
    report = r.recording.report("pir")
    assert impairment_of(room, room.sensors[0], r.truth, report).loss_share == 0.2
    own = put(room, replace(room.sensors[0], settings=replace(room.sensors[0].settings, messages_lost=0.0)))
    assert impairment_of(own, own.sensors[0], r.truth, report) is None
    wire = put(room, replace(room.devices[0], radio="wire"))
    assert impairment_of(wire, wire.sensors[0], r.truth, report) is None


def test_lost_messages_are_told_as_the_cause():
    room = troubled(two_sensors(), messages_lost=0.3)
    r = rehearse(room, 5, 1)
    said = [c for i in r.incidents for c in explain(r, i).causes if "messages lost" in c.value]
    assert said and "30 %" in said[0].value


def test_a_lamp_more_leaves_the_supply_as_it_was():
    room = troubled(wired(), supply_off_per_week=20.0)
    more = replace(room, lamps=(*room.lamps, Lamp(id="two", room="small", name="Two", at=(6, 2), watts=5, lumens=400)))
    a, b = rehearse(room, 3, 1), rehearse(more, 3, 1)
    first, second = supplies(room, a.truth)[0], supplies(more, b.truth)[0]
    assert first.on.same_as(second.on)


def test_a_dead_sensor_hears_no_wave():
    """Its cells flat, anybody who was left in the dark waves in vain; alive, it hears some of them."""
    room = put(make_room(), replace(make_room().presences[0], expr=from_roles(Roles(("pir",), ("pir",), 20.0))))
    alive = rehearse(room, 3, 1)
    assert alive.house.actions["big"].waved["pir"].total() > 0
    for seed in range(1, 80):
        r = rehearse(troubled(room, cells_flat_days=200.0), 3, seed)
        works = r.recording.observed.get("pir")
        if works is not None:
            waved = r.house.actions["big"].waved.get("pir")
            assert waved is None or (waved - works).total() < 60.0
            break
    # The radar behind the switch alone keeps this light: it hears no wave while it starts.
    fed = replace(
        wired(), presences=(Conclusion(id="here", room="big", name="S", expr=from_roles(Roles(("radar",), ("radar",), 5.0))),),
    )  # fmt: skip
    for seed in (1, 2, 3):
        r = rehearse(troubled(fed, supply_off_per_week=60.0), 7, seed)
        waved = r.house.actions["big"].waved.get("radar")
        rises = np.empty(0) if waved is None else waved.rises
        assert r.recording.observed["radar"].at(rises).all()
