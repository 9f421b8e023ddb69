"""The frontier: what can be set, what each way comes to, and a search against trying everything."""

from __future__ import annotations

import itertools
import json

import numpy as np
import pytest
from msgspec.structs import replace

from vastwatch import cli
from vastwatch.advice.adviser.adviser import advise
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.judging.comparison import compare, hardware_price
from vastwatch.advice.judging.frontier import Search, evaluate_room, frontier, metrics_of, pareto_points, table
from vastwatch.advice.judging.judge import judge
from vastwatch.advice.judging.parameters import parameters
from vastwatch.advice.judging.robustness import Effect, effects, stress_scenarios, without_reports
from vastwatch.advice.judging.settings import JudgeSettings, judging_by
from vastwatch.advice.simulation.curve_batch import AnyConclusionBatch, curve_batch
from vastwatch.advice.simulation.room_simulation import simulate_room
from vastwatch.design.edits.conclusions import set_expr
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.expressions import AllOf, AnyOf, Belief, DoorLatch, Hold, Not, OnDelay, Report
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.devices import catalogue
from vastwatch.files import save_project
from vastwatch.rehearsal import rehearse
from vastwatch.site.building import Needs

SEEDS = (1, 2, 3)
PIR = Report(sensor="pir")
MOVING = Report(sensor="pir", state="moving")
UNEQUAL = AnyOf(of=(Hold(of=PIR, seconds=60), Hold(of=OnDelay(of=MOVING, seconds=2), seconds=120)))


def concluded_by(room, expr):
    return set_expr(room, "here", expr)


SHAPES = {
    "unequal": UNEQUAL,
    "not": AllOf(of=(Hold(of=PIR, seconds=300), Not(of=OnDelay(of=Not(of=PIR), seconds=100)))),
    "latch": DoorLatch(motion=PIR, door=Not(of=MOVING), hold_s=30, settle_s=2),
    "belief": Belief(of=(PIR,)),
}


@pytest.mark.parametrize("shape", SHAPES)
def test_lives_end_to_end_come_to_what_each_comes_to_alone(room, shape):
    project = concluded_by(room, SHAPES[shape])
    lives = [simulate_room(project, "big", 3, seed) for seed in SEEDS[:2]]
    together = curve_batch(*(x.curve for x in lives))
    assert isinstance(together._line, AnyConclusionBatch)
    hold = hold_of(SHAPES[shape]) or 0.0
    out = together.outcomes(hold)
    for k, life in enumerate(lives):
        alone = life.curve.outcome(hold)
        assert (
            out.drops[k] == len(alone.false_off_at)
            and out.waves[k] == alone.waves
            and out.switch_trips[k] == alone.trips
        )
        assert out.dark_s[k] == pytest.approx(alone.dark_s, abs=1e-3)
        assert out.idle_s[k] == pytest.approx(alone.wasted_s, abs=1e-3)
        assert together.light_per_replicate(hold)[k].same_as(life.curve.light(hold), 1e-6)


def test_what_is_measured_is_what_is_rehearsed(room):
    project = concluded_by(room, UNEQUAL)
    out, f = evaluate_room(project, "big", SEEDS, 7)
    scores = [rehearse(project, 7, seed).scores["big"] for seed in SEEDS]
    assert f.drops_per_week == pytest.approx(np.mean([s.false_offs * 7 for s in scores]))
    assert f.dark_min == pytest.approx(np.mean([s.dark_min for s in scores]))
    assert f.idle_h == pytest.approx(np.mean([s.wasted_h for s in scores]))
    assert metrics_of(out, 7, f.meets) == f and f.dark_within[0] <= f.dark_min <= f.dark_within[1]


def test_all_that_can_be_set_is_a_parameter_and_sets_just_that(room):
    project = concluded_by(room, UNEQUAL)
    found = {p.name: p for p in parameters(project, "big")}
    holds = [n for n in found if n.startswith("hold time of")]
    assert len(holds) == 2 and any(n.startswith("delay of") for n in found)
    for p in found.values():
        assert p.values == tuple(sorted(p.values)) and p.set(project, p.values[p.index]) is not None
        other = p.set(project, p.values[0 if p.index else -1])
        again = {q.key: q for q in parameters(other, "big")}
        changed = [k for k, q in again.items() if q.values[q.index] != next(
            x.values[x.index] for x in found.values() if x.key == k)]  # fmt: skip
        assert changed == ([p.key] if len(p.values) > 1 else [])
        assert isinstance(p.words(p.values[0]), str)
    believed = {p.name for p in parameters(concluded_by(room, Belief(of=(PIR,))), "big")}
    assert {"occupied until probability falls below", "occupied from probability above"} <= believed


def test_the_frontier_is_what_nothing_else_is_better_than(room):
    f = frontier(room, "big", seeds=SEEDS, days=7)
    assert {p.kind for p in f.points} >= {"today", "curve", "recommended"}
    best = f.pareto_points
    for p in f.points:
        beaten = any(
            (q.figures.idle_h <= p.figures.idle_h and q.figures.dark_min < p.figures.dark_min)
            or (q.figures.idle_h < p.figures.idle_h and q.figures.dark_min <= p.figures.dark_min)
            for q in f.points
        )  # fmt: skip
        assert any(p is b for b in best) <= (not beaten)
    assert pareto_points(best) == best
    today = f.named("today")[0]
    assert today.figures == evaluate_room(room, "big", SEEDS, 7)[1]
    chosen = f.recommended
    assert chosen is None or (f.meets(chosen) and all(
        q.figures.idle_h >= chosen.figures.idle_h for q in f.points if f.meets(q)))  # fmt: skip
    rows = table(f)
    assert len(rows) == len(f.points) + 1 and len({len(r) for r in rows}) == 1


def test_a_search_finds_the_frontier_of_a_whole_grid_in_part_of_its_evaluations(room):
    """Two holds and a delay over some places each: all of them tried, and the search beside it."""
    project = concluded_by(room, UNEQUAL)
    figures = [p for p in parameters(project, "big") if p.figure]
    over = [replace_values(p, 3) for p in figures]
    every = Search(project, "big", over, (1,), 4)
    for places in itertools.product(*(range(len(p.values)) for p in over)):
        every.at(places)
    whole = pareto_points(list(every.known.values()))
    search = Search(project, "big", over, (1,), 4)
    found = pareto_points(search.run(len(every.known) // 3, lambda: True, lambda _: None))
    assert len(search.known) <= len(every.known) // 3

    def burn_at(front, dark):
        return min((p.figures.idle_h for p in front if p.figures.dark_min <= dark + 1e-9), default=np.inf)

    darks = [p.figures.dark_min for p in whole]
    missed = [burn_at(found, d) / max(burn_at(whole, d), 1e-6) for d in darks if np.isfinite(burn_at(found, d))]
    assert len(missed) >= 0.7 * len(darks) and np.median(missed) <= 1.05


def replace_values(p, most):
    """A parameter with some of its values, today's among them."""
    from dataclasses import replace as with_

    keep = sorted({*np.linspace(0, len(p.values) - 1, most).astype(int).tolist(), p.index})
    return with_(p, values=tuple(p.values[k] for k in keep), index=keep.index(p.index))


def test_a_frontier_can_be_stopped(room):
    asked: list[int] = []

    def go_on() -> bool:
        asked.append(1)
        return len(asked) < 3

    f = frontier(room, "big", seeds=(1,), days=7, should_continue=go_on)
    assert len(f.points) == 3


def test_what_matters_is_measured_step_by_step(room):
    found = effects(room, "big", SEEDS, 7)
    hold = next(e for e in found if e.name.startswith("hold time of"))
    now = evaluate_room(room, "big", SEEDS, 7)[1]
    p = next(p for p in parameters(room, "big") if p.name == hold.name)
    more = evaluate_room(p.set(room, p.values[p.index + 1]), "big", SEEDS, 7)[1]
    assert hold.more == (p.words(p.values[p.index + 1]), more.dark_min - now.dark_min, more.idle_h - now.idle_h)
    assert hold.matters and "min dark" in hold.in_words()
    idle = Effect("x", "1", ("0", 0.001, 0.0), None)
    assert not idle.matters and "no significant difference" in idle.in_words()


def test_the_same_setting_when_things_are_otherwise(room, demo):
    found = {o.name: o.figures for o in stress_scenarios(room, "big", SEEDS, 7)}
    assert found["present conditions"] == evaluate_room(room, "big", SEEDS, 7)[1]
    # In summer it is dark for a shorter while, where there is a window.
    shop = {o.name: o.figures for o in stress_scenarios(demo, "shop", (1,), 3)}
    assert shop["longest day of the year"].idle_h < shop["shortest day of the year"].idle_h
    # With its only sensor dead people live by the switch.
    dead = found["PIR fails"]
    assert dead.dark_min > 1.9 * found["present conditions"].dark_min
    never = concluded_by(room, without_reports(Hold(of=PIR, seconds=60), "pir"))
    assert rehearse(replace(never, people=()), 2, 1).signals["here"].total() == 0
    # Asked with its people, nothing but the switch lights the room.
    r = rehearse(never, 7, 1)
    assert r.scores["big"].switch_trips > 0 and (r.house.served("big") - r.awake("big").hold(120)).total() == 0


def test_two_designs_are_compared_on_the_same_draws(room, tmp_path, capsys, monkeypatch):
    longer = set_hold(room, "here", 600.0)
    found = {r.room: r for r in compare(room, longer, SEEDS, 7)}
    assert set(found) == {"big"}
    idle, drops = found["big"].idle_h, found["big"].drops_per_week
    assert idle.difference > 0 and idle.significant and idle.low <= idle.difference <= idle.high
    assert drops.second < drops.first and drops.difference == pytest.approx(drops.second - drops.first)
    same = compare(room, replace(room, name="Twin"), SEEDS, 7)[0]
    assert same.dark_min.difference == 0 and not same.dark_min.significant
    bare = replace(room, presences=())
    assert compare(room, bare, SEEDS, 7)[0].idle_h is None
    assert hardware_price(room) == find(room.devices, room.sensors[0].device).price
    a, b = tmp_path / "a.vastwatch.json", tmp_path / "b.vastwatch.json"
    save_project(room, a)
    save_project(longer, b)
    assert cli.main(["compare", str(a), str(b), "--weeks", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["rooms"]["big"]["idle_h_per_day"]["sure"] and told["price"]["old"] == told["price"]["new"]


def test_what_has_no_single_hold_is_judged_as_it_is(room):
    """One judge for all: its figures are those that are measured, findings say them, and the adviser asks it too."""
    project = concluded_by(room, UNEQUAL)
    j = judge(project, "big", 7, SEEDS)
    f = evaluate_room(project, "big", SEEDS, 7)[1]
    assert j.recommended_s == j.current_s == 0.0
    assert j.metrics_at(0.0) == pytest.approx((f.drops_per_week, f.dark_min, f.idle_h))
    said = [x.text for x in findings(project, lambda r: j if r == "big" else None) if x.rule == "left-dark"]
    assert len(said) == 1 and said[0].startswith("Big room, with the present conclusion: ")
    advise(project, "big", list(catalogue())[:1])


def test_the_command_line_tells_the_frontier(room, tmp_path, capsys):
    path = tmp_path / "room.vastwatch.json"
    save_project(room, path)
    assert cli.main(["tune", str(path), "--room", "big", "--days", "7", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    front = told["frontier"]
    assert told["today"]["settings"] and len(front) > 2
    keys = {"settings", "drops_per_week", "dark_min_per_day", "idle_h_per_day"}
    assert all(keys <= set(p) for p in (*front, told["today"], *told["schools"]))
    dark, idle = ([p[k] for p in front] for k in ("dark_min_per_day", "idle_h_per_day"))
    assert idle == sorted(idle) and dark == sorted(dark, reverse=True)


def test_points_are_proven_on_weeks_that_nothing_was_chosen_by(room):
    with judging_by(JudgeSettings(held_out=(2001, 2002, 2003))):
        found = frontier(room, "big", True, SEEDS, 7, 12)
    shown = {id(p) for p in (*found.pareto_points, *found.named("today"), *found.named("recommended"))}
    for p in found.points:
        if id(p) in shown:
            assert p.held_out == evaluate_room(p.project, "big", (2001, 2002, 2003), 7)[1]
        elif found.recommended is not p:
            assert p.held_out is None
    # What is said to keep to the limits does so by the bound, and not on average alone.
    for p in found.points:
        f = p.figures
        assert f.drops_high >= f.drops_per_week and f.dark_high >= f.dark_min
        by_judge = p.kind in ("today", "curve", "recommended")
        within = f.drops_high <= found.limit_drops and f.dark_high <= found.limit_dark_min
        assert by_judge or not found.meets(p) or within


def test_every_setting_meets_what_the_judge_says_that_it_meets(room):
    """The frontier asks all needs of each setting, as the judge does of the same setting on the same weeks; of a hold
    the judge has all weeks."""
    needs = Needs(drops_per_week=6.0, notice_s=20.0, hold_max_s=1200.0)
    room = replace(room, rooms=(replace(room.rooms[0], needs=needs), *room.rooms[1:]))
    found = frontier(room, "big", True, SEEDS, 7, 12)
    said = set()
    for p in found.points:
        by_judge = p.kind in ("today", "curve", "recommended")
        judged = judge(p.project, "big") if by_judge else judge(p.project, "big", 7, SEEDS)
        assert found.meets(p) == judged.meets_now, p.name
        said.add(judged.meets_now)
    assert said == {True, False}
    chosen = found.recommended
    assert chosen is not None and all(
        chosen.figures.idle_h <= p.figures.idle_h for p in found.points if p.figures.meets
    )
