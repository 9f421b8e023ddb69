"""The adviser under a budget: what the place has against a type, the next best purchase, a set to begin with."""

from __future__ import annotations

import json
import math
from dataclasses import replace as changed

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device
from vastwatch.advice.adviser.purchase import (
    budget_left,
    current_service,
    purchases,
    retuning_gain,
    spent,
    starter_set,
    without_sensors,
)
from vastwatch.advice.adviser.shortlist import shortlist
from vastwatch.advice.judging.judge import judge, legal_holds
from vastwatch.advice.judging.settings import settings
from vastwatch.cli import main
from vastwatch.control.light.daylight import darkness
from vastwatch.control.manual.manual_switching import expected_manual_cost
from vastwatch.design.edits.building import add_room
from vastwatch.design.edits.removing import removed
from vastwatch.design.expressions import Report
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Owned, Project, find, put
from vastwatch.design.relations import presence_of
from vastwatch.files import save_project
from vastwatch.files.check import faults_of
from vastwatch.geometry import polygons
from vastwatch.people.truth import simulate_days
from vastwatch.site.building import Level, Needs


def option(project, room, ident):
    return next(o for o in shortlist(project, room, [device(ident)]) if o.device.id == ident)


def fails(project, room, ident):
    return "; ".join(option(project, room, ident).shortfalls)


@pytest.fixture(scope="module")
def part(demo):
    """The sample with lamps in some rooms alone: the others are not asked about."""
    lamps = [x.id for x in demo.lamps if x.room not in ("shop", "bath", "store", "kitchen", "kiln")]
    return removed(demo, *lamps)


def test_what_disqualifies_a_type_is_said(demo):
    dark = replace(demo, sensors=(), presences=())
    assert "no socket within 3 m" in fails(replace(dark, sockets=dark.sockets[:1]), "glazing", "radar-24-state")
    assert "no socket" not in fails(replace(dark, sockets=()), "glazing", "radar-24-state")
    assert "needs a neutral" in fails(dark, "bath", "pir-switch-7")
    assert "no wall switch" in fails(replace(dark, switches=dark.switches[:1]), "box", "pir-switch-7")
    assert "too slow: it reports 3 s" in fails(dark, "passage", "radar-60-still")
    hot = put(dark, replace(find(dark.rooms, "kiln"), ambient_c=50))
    assert "rated for -10 to 45 °C" in fails(hot, "kiln", "pir-wall-8")
    porch = put(dark, replace(find(dark.rooms, "passage"), use="outside"))
    assert "is not rainproof" in fails(porch, "passage", "pir-wall-8")
    assert "rain" not in fails(porch, "passage", "pir-outdoor-10")
    loaded = put(dark, replace(find(dark.lamps, "lamp-glazing"), watts=900))
    assert "switches up to 400 W" in fails(loaded, "glazing", "pir-mains-8")
    assert "false triggers from the drying fan" in fails(dark, "throwing", "radar-58-simple")
    assert "cannot keep the light on for somebody reading at the window seat" in fails(dark, "sitting", "pir-wall-8")
    assert "does not detect presence itself" in fails(dark, "shop", "contact-door")
    assert "notices only" in fails(dark, "shop", "pir-low-5")


def test_what_hangs_there_is_counted_and_has_to_be_bettered(demo):
    again = option(demo, "sitting", "pir-wall-8")
    assert any("adds nothing" in f for f in again.shortfalls)


def test_room_needs_set_the_adviser_their_limits(demo):
    dark = replace(demo, sensors=(), presences=())
    slow = put(dark, replace(find(dark.rooms, "passage"), needs=Needs(notice_s=10.0)))
    assert "too slow" not in fails(slow, "passage", "radar-60-still")
    strict = put(dark, replace(find(dark.rooms, "box"), needs=Needs(hold_max_s=30.0)))
    assert any("cannot keep the light on" in f for f in option(strict, "box", "pir-corner-12").shortfalls)


def test_kit_owned_costs_nothing_until_it_hangs(demo):
    assert option(demo, "glazing", "pir-wall-8").price == 0
    assert option(demo, "glazing", "pir-corner-12").price == device("pir-corner-12").price
    done = option(demo, "glazing", "pir-wall-8").project
    assert option(done, "kiln", "pir-wall-8").price == device("pir-wall-8").price
    assert spent(done) == spent(demo)
    assert budget_left(replace(demo, brief=replace(demo.brief, budget=None))) is None
    assert budget_left(demo) == pytest.approx(demo.brief.budget - spent(demo))


def test_weights_change_the_order(demo):
    def best(**weights):
        brief = replace(demo.brief, weights=replace(demo.brief.weights, **weights), owned=())
        return shortlist(replace(demo, brief=brief, sensors=(), presences=()), "box")[0].device

    assert best(no_cables=3, cost=1).power == "battery" or best(no_cables=3, cost=1).price < 40
    assert best(cost=3, comfort=0, no_cables=0, fewest=0).price <= best(cost=0, comfort=3, no_cables=0).price


def test_before_anything_is_bought_a_room_is_as_the_judge_or_a_hand_leaves_it(demo):
    for room in ("toilet", "bath"):
        now = current_service(demo, room)
        if presence_of(demo, room) is not None:
            j = judge(demo, room)
            drops, dark, idle = j.metrics_at(j.recommended_s)
            assert (now.cost.drops, now.cost.dark_min, now.cost.idle_h) == pytest.approx((drops / 7, dark, idle))
            assert now.misfit == j.violation
            continue
        truths = [simulate_days(demo, settings().days, seed) for seed in settings().chosen_on]
        alone = [expected_manual_cost(*t.there(room), darkness(demo, t.calendar)[room]) for t in truths]
        assert now.cost.dark_min == pytest.approx(np.mean([unlit for unlit, _ in alone]) / 60 / settings().days)
        assert now.cost.idle_h == pytest.approx(np.mean([idle for _, idle in alone]) / 3600 / settings().days)
    # A hand finds the switch soon enough for a bathroom; on stairs light is wanted at once.
    assert current_service(demo, "bath").misfit == 0
    assert current_service(without_sensors(demo), "landing").misfit > 0
    strange = put(demo, replace(presence_of(demo, "toilet"), expr=Report(sensor="pir-toilet")))
    # Without a hold to set it is judged as it is.
    assert (
        current_service(strange, "toilet").misfit
        == judge(strange, "toilet").violation
        > current_service(demo, "toilet").misfit
    )


def test_what_holds_alone_would_save_is_what_the_judge_says(demo):
    rooms = ("toilet", "landing")
    only = replace(demo, presences=tuple(p for p in demo.presences if p.room in rooms))
    each = [judge(only, room) for room in rooms]
    late = [j for j in each if not j.meets_now]
    assert len(late) == 2
    dark, idle = retuning_gain(only)
    saved = [np.subtract(j.metrics_at(j.current_s), j.metrics_at(j.recommended_s)) for j in late]
    assert (dark, idle) == pytest.approx(np.sum(saved, axis=0)[1:])
    assert retuning_gain(only, should_continue=lambda: False) == (0.0, 0.0)


def test_purchases_are_in_order_within_the_money_and_true(demo):
    types = [device(d) for d in ("pir-wall-8", "pir-ceiling-6", "radar-24-bands", "mat-seat")]
    found = purchases(demo, types, budget=60, rooms={"bath", "store", "shop", "toilet", "box"})
    assert len(found) > 2 and all(p.price <= 60 for p in found)
    assert [p.gain_per_cost for p in found] == sorted((p.gain_per_cost for p in found), reverse=True)
    for p in found:
        assert not list(faults_of(p.project))
        # The figures are those of the project that is offered, as anybody who asks the judge hears them.
        again = judge(p.project, p.room)
        drops, dark, idle = again.metrics_at(again.recommended_s)
        assert (p.after.drops, p.after.dark_min, p.after.idle_h) == pytest.approx((drops / 7, dark, idle))
        assert hold_of(presence_of(p.project, p.room).expr) == again.recommended_s
        assert again.recommended_s in legal_holds(p.project, p.room)
        assert again.meets or again.violation < current_service(demo, p.room).misfit
        assert ("still fails on" in p.words) == (not again.meets)
        assert find(demo.rooms, p.room).name.lower() in p.words
    assert purchases(demo, budget=0, types=[device("radar-24-bands")], rooms={"shop"}) == []


def test_asking_for_purchases_can_be_stopped_and_tells_how_far(demo):
    told: list[float] = []
    # Stopped once the second room is begun.
    purchases(demo, [device("pir-wall-8")], lambda: len(told) < 2, report_progress=told.append)
    assert told[0] == 0 and len(told) == 3 and told[-1] == 1.0


def test_a_starter_set_keeps_to_the_budget_and_each_step_to_the_last(part):
    small = [device(i) for i in ("pir-ceiling-6", "radar-24-bands", "pir-corner-12")]
    nothing = without_sensors(part)
    assert not nothing.sensors and all(presence_of(nothing, r.id) is None for r in nothing.rooms)
    found = starter_set(nothing, 100, small)
    total = sum(p.price for p in found)
    assert 60 <= total <= 100
    placed = [len(p.project.sensors) for p in found]
    assert placed == list(range(1, len(found) + 1))
    assert not list(faults_of(found[-1].project))
    assert len({p.room for p in found}) == len(found)
    assert starter_set(nothing, 5, small) == []


def test_advice_and_purchases_on_the_command_line(part, tmp_path, capsys):
    path = tmp_path / "demo.vastwatch.json"
    save_project(part, path)
    assert main(["advise", str(path), "--room", "store", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert set(said["rooms"]) == {"store"} and said["options"] == said["rooms"]["store"]["options"]
    assert not said["met_already"]
    best = said["options"][0]
    assert {"devices", "places", "price", "bill", "needs", "hold_s", "reason"} <= set(best)
    assert all(n["met"] and n["value"] <= n["limit"] for n in best["needs"].values())
    assert best["price"] == pytest.approx(sum(item["price"] for item in best["bill"]))
    assert {"device", "looks_well", "fails", "reason"} <= set(said["types"][0])
    assert main(["advise", str(path), "--room", "nowhere"]) == 1
    assert "unknown room 'nowhere'" in capsys.readouterr().err
    assert main(["buy", str(path), "--budget", "60", "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert document["purchases"] and all(p["price"] <= 60 for p in document["purchases"])
    with pytest.raises(SystemExit) as stopped:
        main(["buy", str(path), "--budget", "much"])
    assert stopped.value.code == 2
    poor = replace(part, brief=replace(part.brief, budget=None, owned=(Owned(device="pir-wall-8", count=1),)))
    save_project(poor, path)
    assert main(["buy", str(path), "--starter"]) == 1
    assert "--budget" in capsys.readouterr().err


def best_of_all(open_, budget):
    """The most that one purchase in each room can gain within a budget: every whole sum of money tried in turn."""
    best = [0.0] * (budget + 1)
    for room in {p.room for p in open_}:
        before = list(best)
        for p in open_:
            price = round(p.price)
            if p.room == room:
                for money in range(price, budget + 1):
                    best[money] = max(best[money], before[money - price] + p.gain)
    return best[budget]


def test_a_starter_set_gains_nearly_what_the_best_set_would(part):
    nothing = without_sensors(part)
    small = [device("pir-ceiling-6"), device("radar-24-state")]
    open_ = purchases(nothing, small, budget=400)
    prices = {round(p.price) for p in open_}
    # With a module where nothing switches the lamps yet.
    assert len(prices) > 1 and all(p.bill.total == sum(o.price for o in p.options) + p.bill.other_cost for p in open_)
    shares = []
    for budget in (64, 220):
        gained = sum(p.gain for p in starter_set(nothing, budget, small))
        single = max((p.gain for p in open_ if p.price <= budget), default=0.0)
        assert gained >= single - 1e-9
        shares.append(gained / best_of_all(open_, budget))
    # Worst by proof 0.32; a second purchase in one room may even beat the reference.
    assert min(shares) > 0.9, shares


def test_one_that_takes_the_whole_budget_is_taken_where_it_gains_more(part, monkeypatch):
    """A cheap thing with more gain for its money must not crowd out the one that matters."""
    from vastwatch.advice.adviser import purchase as module

    nothing = without_sensors(part)
    found = purchases(nothing, [device("pir-ceiling-6"), device("radar-60-tracker")], budget=100)
    cheap = next(p for p in found if p.offer.devices[0].family == "pir")
    dear = next(p for p in found if p.offer.devices[0].family == "radar" and p.room != cheap.room)
    cheap, dear = changed(cheap, gain=5.0, gain_per_cost=5.0), changed(dear, gain=9.0, gain_per_cost=0.2)

    def only_these(project, types, wanted, budget=None, told=lambda _: None, rooms=None):
        return [cheap, dear] if rooms is None else []

    monkeypatch.setattr(module, "purchases", only_these)
    assert starter_set(nothing, dear.price, []) == [dear]
    both = starter_set(nothing, dear.price + cheap.price, [])
    assert [p.room for p in both] == [cheap.room, dear.room]


def test_in_a_room_bent_around_its_middle_the_ceiling_place_is_inside(demo):
    project = Project(name="Bent", levels=(Level(id="g", name="Ground", elevation=0.0),))
    outline = ((0, 0), (9, 0), (9, 2), (2, 2), (2, 9), (0, 9))
    project, room = add_room(project, "g", "Corner", "passage", outline)
    (found,) = shortlist(project, room.id, [device("pir-ceiling-6")])
    assert polygons.contains_point(outline, *found.sensor.at[:2])
    assert min(math.dist(found.sensor.at[:2], p) for p in outline) >= 1.0
    assert found.sensor.at[2] == 2.5 and found.sensor.pitch == -90


def test_a_ceiling_sensor_may_hang_above_those_who_stay(room):
    long = replace(room, rooms=(replace(room.rooms[0], outline=((0, 0), (12, 0), (12, 4), (0, 4)), use="desk"),),
                   sensors=(), presences=(), spots=room.spots[:1], people=())  # fmt: skip
    (found,) = shortlist(long, "big", [device("pir-ceiling-6")])
    assert found.sensor.at[:2] == pytest.approx(long.spots[0].at)


def test_what_fools_a_type_a_little_is_said_and_weighs(demo):
    dark = replace(demo, sensors=(), presences=())
    hot = option(dark, "kiln", "pir-ceiling-6")
    assert not hot.shortfalls and "false triggers from the hot kiln, about once" in hot.reason
    cold = replace(dark, hazards=tuple(h for h in dark.hazards if h.id != "kiln-heat"))
    same = option(cold, "kiln", "pir-ceiling-6")
    assert "fools" not in same.reason and same.rank_cost < hot.rank_cost


def test_a_gain_is_divided_by_the_price_a_cable_and_one_device_more(demo):
    nothing = without_sensors(demo)
    plain = replace(nothing.brief.weights, no_cables=0, fewest=0)
    careful = replace(nothing.brief.weights, no_cables=2, fewest=3)
    cell, cable = device("pir-corner-12"), device("radar-24-tracker")
    assert cell.power == "battery" and cable.power in ("usb", "mains")

    def prices(weights, kind):
        project = replace(nothing, brief=replace(nothing.brief, weights=weights))
        found = purchases(project, types=[kind], rooms={"shop"})
        assert found
        return {round(p.gain / p.gain_per_cost, 6) for p in found}

    assert prices(plain, cell) == {cell.price}
    assert prices(plain, cable) == {cable.price}
    assert prices(careful, cell) == {cell.price + 3 * 8}
    assert prices(careful, cable) == {cable.price + 2 * 15 + 3 * 8}


def test_nothing_is_bought_that_lights_sleepers(demo):
    """The adviser finds nothing that does in the bedroom, and what to buy says no other."""
    found = purchases(demo, [device("pir-wall-8"), device("radar-58-simple")], rooms={"bedroom", "store"})
    assert {p.room for p in found} == {"store"}
