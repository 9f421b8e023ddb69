"""Conclusions: what every operator says, which name each other, and what people do about a light that follows one."""

from __future__ import annotations

import json
from datetime import date

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from msgspec.structs import replace

from vastwatch.advice.checks.findings import findings
from vastwatch.causes.counterfactual import Counterfactual, counterfactual_light
from vastwatch.control.belief.fusion import evaluate, leaves
from vastwatch.control.house import run_house
from vastwatch.control.light.clock import clock_time
from vastwatch.control.light.daylight import darker_than, darkness
from vastwatch.control.manual.general_reactions import react_to_conclusion
from vastwatch.control.manual.reactions import OccupancyIntervals, WaveSensor, react
from vastwatch.control.recording import Recording
from vastwatch.design.conclusions import all_sensors_of, allowed_references, evaluation_order, with_dependencies
from vastwatch.design.day_time import day_time_words, moment
from vastwatch.design.edits.removing import removed
from vastwatch.design.expressions import (
    AllOf,
    AnyOf,
    AtLeast,
    Belief,
    ClockTime,
    ConclusionRef,
    Dark,
    DoorLatch,
    Fact,
    Hold,
    MinimumOn,
    Not,
    OnDelay,
    Report,
    StartKeep,
    every_part,
    parts_of,
    with_parts,
)
from vastwatch.design.presence import hold_of, press_hold, with_hold
from vastwatch.design.project import Place, find
from vastwatch.design.records import Conclusion
from vastwatch.design.references import renamed
from vastwatch.design.relations import presence_of, presences_in
from vastwatch.files import ProjectError, load_demo
from vastwatch.files.project_file import decode, encode
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.reaction_inputs import LeafInputs, WavedConclusion
from vastwatch.signals import Calendar, Signal

PIR = Report(sensor="pir")


def on(*rows, end=100.0) -> Signal:
    return Signal.from_intervals(rows, 0.0, end)


def about(ident: str, expr, **where) -> Conclusion:
    return Conclusion(id=ident, name=ident.capitalize(), expr=expr, **where)


# -- operators -----------------------------------------------------------------------------------------------------


def test_a_minimum_time_is_not_begun_anew_by_what_comes_meanwhile():
    assert on((10, 12), (50, 95)).minimum_on(20).same_as(on((10, 30), (50, 95)))
    # 25 falls within the minimum time of 10, which ends at 30 all the same; what lasts longer lasts.
    assert on((10, 12), (25, 26)).minimum_on(20).same_as(on((10, 30)))
    assert on((10, 12), (25, 40)).minimum_on(20).same_as(on((10, 40)))
    with pytest.raises(ValueError, match="negative"):
        on((1, 2)).minimum_on(-1)


def second_by_second(expr, signals: dict[str, np.ndarray]) -> np.ndarray:
    """Each operator once more as a machine that is told one second after the other."""
    parts = [second_by_second(p, signals) for p in parts_of(expr)]
    if isinstance(expr, Report):
        return signals[expr.sensor]
    n = len(parts[0])
    out = np.zeros(n, bool)
    was, since, latched, shut_for, last = False, -1, False, 0, -(10**9)
    for t in range(n):
        now = [bool(p[t]) for p in parts]
        if isinstance(expr, Not):
            out[t] = not now[0]
        elif isinstance(expr, AnyOf | AllOf | AtLeast):
            least = 1 if isinstance(expr, AnyOf) else len(now) if isinstance(expr, AllOf) else expr.k
            out[t] = sum(now) >= least
        elif isinstance(expr, Hold):
            last = t if now[0] else last
            out[t] = t - last <= expr.seconds
        elif isinstance(expr, OnDelay):
            since = (since if was else t) if now[0] else -1
            out[t], was = now[0] and t - since >= expr.seconds, now[0]
        elif isinstance(expr, MinimumOn):
            if now[0] and not was:
                since = t
            was = now[0] or (was and t - since < expr.seconds)
            out[t] = was
        elif isinstance(expr, StartKeep):
            was = now[0] or (was and now[1])
            out[t] = was
        elif isinstance(expr, DoorLatch):
            motion, door = now
            shut_for = 0 if door else shut_for + 1
            # At the first instant the door has been shut for as long as anybody knows.
            latched = not door and (latched or (motion and shut_for > expr.settle_s))
            last = t if motion or latched else last
            out[t] = t - last <= expr.hold_s
    return out


LEAF = st.sampled_from([Report(sensor=s) for s in "abc"])
SECONDS = st.integers(0, 9).map(float)
EXPR = st.recursive(
    LEAF,
    lambda e: st.one_of(
        st.lists(e, min_size=1, max_size=3).map(lambda x: AnyOf(of=tuple(x))),
        st.lists(e, min_size=1, max_size=3).map(lambda x: AllOf(of=tuple(x))),
        st.tuples(st.integers(1, 3), st.lists(e, min_size=3, max_size=3)).map(
            lambda x: AtLeast(k=x[0], of=tuple(x[1]))
        ),
        e.map(lambda x: Not(of=x)),
        *(st.tuples(e, SECONDS).map(lambda x, k=k: k(of=x[0], seconds=x[1])) for k in (Hold, OnDelay, MinimumOn)),
        st.tuples(e, e).map(lambda x: StartKeep(start=x[0], keep=x[1])),
        st.tuples(e, e, SECONDS, SECONDS).map(
            lambda x: DoorLatch(motion=x[0], door=x[1], hold_s=x[2], settle_s=x[3])
        ),
    ),
    max_leaves=6,
)  # fmt: skip


@given(EXPR, st.lists(st.lists(st.integers(1, 119), max_size=8), min_size=3, max_size=3))
def test_every_operator_is_the_machine_that_hears_one_second_after_the_other(expr, switches):
    signals, grids = {}, {}
    for name, some in zip("abc", switches):
        some = sorted(set(some))
        signals[name] = Signal.from_intervals(list(zip(some[0::2], some[1::2])), 0.0, 120.0)
        grids[name] = signals[name].at(np.arange(120) + 0.0)
    said = evaluate(expr, lambda leaf: signals[leaf.sensor])
    # Between whole seconds nothing switches: asked for in the middle of each, and compared as whole stretches.
    mine = said.at(np.arange(120) + 0.5)
    theirs = second_by_second(expr, grids)
    assert (mine == theirs).all()


def test_a_latch_holds_whoever_sits_still_until_the_door_opens():
    latch = DoorLatch(motion=Report(sensor="m"), door=Report(sensor="d"), hold_s=5.0, settle_s=3.0)
    said = {"m": on((10, 12), (22, 23), (71, 72)), "d": on((8, 14), (70, 74))}
    out = evaluate(latch, lambda leaf: said[leaf.sensor])
    # In through the door from 8 to 14; moves at 22; sits; out through the door at 70.
    assert out.same_as(on((10, 17), (22, 77)))
    # The rest of a report on the way out latches nothing once it is let settle.
    said["m"] = on((10, 16))
    assert evaluate(latch, lambda leaf: said[leaf.sensor]).same_as(on((10, 21)))
    at_once = replace(latch, settle_s=0.0)
    assert evaluate(at_once, lambda leaf: said[leaf.sensor]).same_as(on((10, 75)))


def test_parts_of_an_expression_are_taken_out_and_put_back():
    expr = StartKeep(start=AnyOf(of=(PIR, Report(sensor="b"))), keep=Hold(of=PIR, seconds=5))
    assert [type(p).__name__ for p in every_part(expr)] == ["StartKeep", "AnyOf", "Report", "Report", "Hold", "Report"]
    assert with_parts(expr, parts_of(expr)) is expr
    assert with_parts(expr, (PIR, PIR)).keep is PIR
    assert with_parts(AtLeast(k=3, of=(PIR, PIR, PIR)), (PIR,)).k == 1
    for wrong in (lambda: with_parts(expr, (PIR,)), lambda: with_parts(AnyOf(of=(PIR,)), ())):
        with pytest.raises(ValueError, match=r"parts|at least one"):
            wrong()
    assert leaves(AllOf(of=(Belief(of=(PIR,)), Dark(room="r"))))[0] is PIR


# -- the clock and the dark ----------------------------------------------------------------------------------------

NORTH = Place(latitude=54.0, longitude=0.0, timezone="Europe/London")
WEEK = Calendar(date(2026, 1, 12), "Europe/London", 7)


def test_a_window_over_midnight_counts_to_the_day_it_begins_on():
    night = clock_time(ClockTime(begin="22:30", end="06:00", days="free"), NORTH, WEEK)
    # Saturday is day 5: Saturday night and Sunday night, and nothing of Friday's; Sunday's ends with the week, and that
    # of the Sunday before reaches into it.
    rows = [(0, 21600), (5 * 86400 + 81000, 6 * 86400 + 21600), (6 * 86400 + 81000, 7 * 86400)]
    assert night.intervals.tolist() == [[float(a), float(b)] for a, b in rows]
    # The night before the first day reaches into it.
    assert clock_time(ClockTime(begin="22:30", end="06:00"), NORTH, WEEK).at(3600.0)
    whole = clock_time(ClockTime(begin="08:00", end="08:00"), NORTH, WEEK)
    assert whole.total() == WEEK.end


def test_sunset_moves_and_a_day_without_one_has_no_window():
    dusk = clock_time(ClockTime(begin="sunset-00:30", end="23:00"), NORTH, WEEK)
    assert len(dusk.intervals) == 7
    begins = dusk.intervals[:, 0] - np.arange(7) * 86400
    assert (np.diff(begins) > 30).all() and 15.0 < begins[0] / 3600 < 16.0
    polar = Place(latitude=75.0, longitude=20.0, timezone="Europe/London")
    assert clock_time(ClockTime(begin="sunset", end="23:00"), polar, WEEK).total() == 0
    assert moment("sunrise+01:15") == ("sunrise", 4500.0) and moment("06:30") == (None, 23400.0)
    assert day_time_words("sunset-00:30") == "30 min before sunset"
    assert day_time_words("sunrise+02:00") == "2 h after sunrise"


def test_dark_with_another_figure_and_with_hysteresis(demo):
    room = find(demo.rooms, "sitting")
    asked = darkness(demo, WEEK)["sitting"]
    assert darker_than(demo, room, None, None, WEEK).same_as(asked)
    dim, bright = darker_than(demo, room, 20.0, None, WEEK), darker_than(demo, room, 200.0, None, WEEK)
    assert dim.total() < bright.total()
    both = darker_than(demo, room, 20.0, 200.0, WEEK)
    # It begins with the one and ends with the other.
    assert np.isin(both.intervals[1:, 0], dim.intervals[1:, 0]).all() and dim.total() < both.total() < bright.total()
    assert np.isin(both.intervals[:-1, 1], bright.intervals[:, 1]).all()


# -- that name each other ------------------------------------------------------------------------------------------


def named(*idents: str):
    return AnyOf(of=tuple(ConclusionRef(presence=i) for i in idents))


def test_conclusions_follow_after_what_they_name(room):
    project = replace(
        room,
        presences=(about("house", named("floor")), about("floor", named("here")), *room.presences),
    )  # fmt: skip
    assert [p.id for p in evaluation_order(project).sound] == ["here", "floor", "house"]
    house = project.presences[0]
    assert [p.id for p in with_dependencies(project, house)] == ["here", "floor", "house"]
    assert all_sensors_of(project, house) == ("pir",)
    assert allowed_references(project, find(project.presences, "here")) == []
    assert {p.id for p in allowed_references(project, house)} == {"floor", "here"}
    r = rehearse(project, 1, 1)
    assert r.signals["house"].same_as(r.signals["here"])


def test_a_circle_is_found_and_named_and_says_nothing(room):
    ring = (about("one", named("two")), about("two", named("three", "here")), about("three", named("one")))
    project = replace(room, presences=(*room.presences, *ring, about("after", named("three", "here"))))
    ordered = evaluation_order(project)
    assert [[p.id for p in c] for c in ordered.circles] == [["one", "two", "three"]]
    assert {p.id for p in ordered.sound} == {"here", "after"}
    found = [f for f in findings(project) if f.rule == "circle"]
    assert len(found) == 1 and "“One” names “Two” names “Three” names “One”" in found[0].text
    signals = rehearse(project, 1, 1).signals
    assert signals["one"].total() == signals["three"].total() == 0
    assert signals["after"].same_as(signals["here"])
    alone = replace(room, presences=(*room.presences, about("me", named("me"))))
    assert "“Me” refers to itself" in next(f.text for f in findings(alone) if f.rule == "circle")


def test_several_conclusions_of_a_room_and_one_that_lights_it(room):
    more = about("long", Hold(of=ConclusionRef(presence="here"), seconds=600), room="big", lights=False)
    project = replace(room, presences=(more, *room.presences))
    assert presence_of(project, "big").id == "here" and len(presences_in(project, "big")) == 2
    # What the lamps do is as before, to the bit; and the other follows the first one, waves and all.
    plain, both = rehearse(room, 2, 3), rehearse(project, 2, 3)
    assert both.house.served("big").same_as(plain.house.served("big"))
    assert both.signals["long"].same_as(both.signals["here"].hold(600))
    # Taking the named one away takes along what named nothing else.
    assert removed(project, "here").presences == ()


def test_a_file_keeps_every_kind_of_conclusion(room, tmp_path):
    expr = AllOf(
        of=(
            DoorLatch(motion=PIR, door=PIR, hold_s=30),
            MinimumOn(of=AtLeast(k=1, of=(PIR, ConclusionRef(presence="here"))), seconds=5),
            ClockTime(begin="sunset", end="06:30", days="workday"), Dark(room="big", below_lux=30.0),
            Fact(what="film", room="big"), Belief(of=(PIR,)),
        )
    )  # fmt: skip
    project = replace(room, presences=(*room.presences, about("all-of-it", expr, room="big", lights=False)))
    again = decode(encode(project))
    assert encode(again) == encode(project)
    assert [type(p).__name__ for p in parts_of(again.presences[1].expr)] == [type(p).__name__ for p in parts_of(expr)]
    other = renamed(project, {"here": "there", "big": "hall"})
    assert [p.presence for p in every_part(other.presences[1].expr) if isinstance(p, ConclusionRef)] == ["there"]
    assert [p.room for p in every_part(other.presences[1].expr) if isinstance(p, Dark | Fact)] == ["hall", "hall"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda p: p.update(level="g"), r"presences\[0\].level: 'here' is about a room already"),
        (lambda p: p.update(expr={"op": "presence", "presence": "none"}), "unknown presence 'none'"),
        (lambda p: p.update(expr={"op": "clock", "begin": "25:00", "end": "06:00"}), r"presences\[0\].expr.begin"),
        (lambda p: p.update(expr={"op": "hold", "seconds": -5, "of": {"op": "report", "sensor": "pir"}}), "seconds"),
        (lambda p: p.update(expr={"op": "belief", "of": [{"op": "report", "sensor": "pir"}], "on_above": 1.5}), "on_above"),
        (lambda p: p.update(expr={"op": "guess"}), r"presences\[0\].expr"),
    ],
)  # fmt: skip
def test_what_a_conclusion_cannot_say_is_refused_with_its_place(room, change, words):
    document = json.loads(encode(room))
    change(document["presences"][0])
    with pytest.raises(ProjectError, match=words):
        decode(json.dumps(document).encode())


def test_contradictions_are_findings(room):
    def said(expr) -> str:
        project = replace(room, presences=(replace(room.presences[0], expr=Hold(of=expr, seconds=60)),))
        return " ".join(f.text for f in findings(project) if f.rule == "conclusion")

    assert "at least 3 of 1 is impossible" in said(AtLeast(k=3, of=(PIR,)))
    assert "the second figure must be lower" in said(Belief(of=(PIR,), on_above=0.3, off_below=0.5))
    assert "until 10 lux" in said(AllOf(of=(PIR, Dark(room="big", below_lux=50, until_lux=10))))
    slow = DoorLatch(motion=PIR, door=Report(sensor="pir"), hold_s=5, settle_s=0.1)
    assert "Increase the settling time" in said(slow)
    assert said(PIR) == ""


def test_the_hold_of_a_latch_is_its_own():
    latch = DoorLatch(motion=PIR, door=PIR, hold_s=30)
    assert hold_of(latch) == 30 and with_hold(latch, 45).hold_s == 45
    unequal = AnyOf(of=(Hold(of=PIR, seconds=300), Hold(of=PIR, seconds=20)))
    assert hold_of(unequal) is None and press_hold(unequal) == 300


# -- people who react ----------------------------------------------------------------------------------------------


@given(st.integers(0, 10_000), st.sampled_from([10.0, 45.0, 300.0]))
@example(7, 300.0)
@example(7283, 300.0)
def test_any_conclusion_is_reacted_to_as_a_simple_one_is(seed, hold):
    """With waves that are surely noticed or surely not, no luck decides: what is asked step by step of the whole
    expression is what the fast walk knows of one hold of reports."""
    rng = np.random.default_rng(seed)
    end = 86_400.0

    def reports(n: int, mean: float) -> Signal:
        t = rng.uniform(0, end, n)
        return Signal.from_intervals(np.column_stack([t, t + rng.exponential(mean, n)]), 0.0, end)

    a, b = reports(20, 20.0), reports(100, 60.0)
    cuts = np.sort(rng.uniform(0, end, 12)).reshape(-1, 2)
    # Where only what keeps notices a wave, the fast walk forgets that it reports: not asked for here.
    chance = rng.choice([0.0, 1.0], (2, 6))
    who = OccupancyIntervals(cuts[:, 0], cuts[:, 1], np.full(6, 12.0), np.vstack([chance[0], chance.min(axis=0)]))
    sensors = (WaveSensor(True, 0.3, 5.0, 1), WaveSensor(False, 1.0, 3.0, 2))
    both = AnyOf(of=(Report(sensor="a"), Report(sensor="b")))
    expr = StartKeep(start=Report(sensor="a"), keep=Hold(of=both, seconds=hold))
    fast = react(a, a | b, hold, who, sensors)
    slow = react_to_conclusion(WavedConclusion(expr, LeafInputs((a, a, b), (), ("a", "b"))), who, sensors)
    assert slow.waves == pytest.approx(fast.waves, abs=1e-6)
    assert slow.presses == pytest.approx(fast.presses, abs=1e-6)
    assert slow.falls == pytest.approx(fast.falls, abs=1e-6)
    assert np.diff(slow.light).sum() == pytest.approx(np.diff(fast.light).sum(), abs=1e-3)


def test_who_is_left_in_the_dark_by_unequal_holds_waves_too(room):
    """Whatever the light follows, people react to it."""
    unequal = AnyOf(of=(Hold(of=PIR, seconds=40), Hold(of=Report(sensor="pir", state="moving"), seconds=20)))
    project = replace(room, presences=(replace(room.presences[0], expr=unequal),))
    plain = replace(room, presences=(replace(room.presences[0], expr=Hold(of=PIR, seconds=40)),))
    assert rehearse(project, 3, 1).scores["big"].waves > 0
    # Of one sensor the shorter hold adds nothing, so that it is as with the longer one alone, but for the luck of waves.
    a, b = (rehearse(p, 7, 1).scores["big"] for p in (project, plain))
    assert a.false_offs == pytest.approx(b.false_offs, rel=0.15) and a.dark_min == pytest.approx(b.dark_min, rel=0.15)


def test_causes_are_inquired_into_with_all_that_is_named(demo):
    """Lived again as it was, the light is the one of the rehearsal: conclusions that it names and films included."""
    film = Fact(what="film", room="sitting")
    expr = Hold(
        of=AnyOf(of=(Report(sensor="pir-sitting"), ConclusionRef(presence="presence-landing"), film)), seconds=40
    )
    project = replace(
        demo,
        presences=tuple(replace(p, expr=expr) if p.id == "presence-sitting" else p for p in demo.presences),
    )
    r = rehearse(project, 7, 1)
    again = counterfactual_light(r, "sitting", Counterfactual("furnishing", "none", project))
    assert again.same_as(r.house.served("sitting"), 1e-6)
    nobody = Counterfactual(
        "person", "none", project, without="nobody-at-all", during=Signal.constant(True, 0.0, r.truth.end)
    )
    assert counterfactual_light(r, "sitting", nobody).same_as(r.house.served("sitting"), 1e-6)


def test_a_recording_without_a_film_knows_no_film(room):
    project = replace(room, presences=(about("film", Fact(what="film", room="big"), room="big"),))
    calendar = Calendar(date(2026, 1, 12), "UTC", 1)
    assert run_house(project, Recording(calendar, {})).signals["film"].total() == 0


def test_the_sample_concludes_of_a_zone_a_level_and_the_house():
    demo = load_demo()
    r = rehearse(demo, 7, 1)
    s = r.signals
    assert s["upstairs"].same_as(s["presence-sitting"] | s["presence-landing"])
    film = r.recording.facts["film", "sitting"]
    assert film.total() > 3600 and (s["reading"] & film).total() == 0 < s["reading"].total()
    night = clock_time(ClockTime(begin="22:30", end="sunrise"), demo.place, r.calendar)
    assert (s["quiet"] - night).total() == 0 and (s["quiet"] & s["downstairs"]).total() == 0 < s["quiet"].total()
