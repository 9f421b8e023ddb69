"""Ladders: which row wins, how lamps go to their levels, how the light depends on what is concluded; and the hand above."""

from __future__ import annotations

import itertools
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.judging.judge import judge
from vastwatch.advice.simulation.room_simulation import simulate_room
from vastwatch.control.ladder import levels_of, ramped, winners
from vastwatch.control.lighting import light_rule as light_given
from vastwatch.control.lighting import lit_only_when_empty, run_ladders
from vastwatch.control.manual.manual_switching import AGAIN_S
from vastwatch.control.manual.override import LightPreferences, UnderlyingLight, apply_overrides, ends_words, overrides
from vastwatch.design.edits.ladders import remove_row
from vastwatch.design.expressions import AllOf, ClockTime, ConclusionRef, Dark, Hold, Not, Report, every_part
from vastwatch.design.ladders import (
    achievable_level,
    as_wired,
    delayed_rows,
    ladder_conclusions,
    ladder_lamps,
)
from vastwatch.design.project import find, put
from vastwatch.design.records import Button, Conclusion, LadderRow, Lamp, LampLevel, Scene
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal import reaction_inputs, rehearse
from vastwatch.rehearsal.run import make_recording
from vastwatch.signals import Calendar, Signal, TimeSeries
from vastwatch.site.building import DarkSource, Spot
from vastwatch.site.people import Errand, Person, Stay

HERE = ConclusionRef(presence="here")


def laddered(*rows, room=None, **changes):
    """The room of the tests with a second lamp and a ladder of (condition, scene) rows."""
    room = make_room() if room is None else room
    return replace(
        room,
        lamps=(*room.lamps, Lamp(id="floor", room="big", name="Floor", at=(1, 1), watts=6, lumens=500)),
        scenes=(
            Scene(id="full", room="big", name="Full", levels=(LampLevel(lamp="lamp", level=1.0, fade_s=2),)),
            Scene(id="faint", room="big", name="Faint", levels=(LampLevel(lamp="floor", level=0.1, fade_s=4),)),
            Scene(id="off", room="big", name="Off"),
        ),
        rules=tuple(
            LadderRow(id=f"r{k}", room="big", name=f"Row {k}", when=when, scene=scene) for k, (when, scene) in enumerate(rows)
        ),
        **changes,
    )  # fmt: skip


EVENING = AllOf(of=(HERE, Dark(room="big")))
USUAL = (
    (ClockTime(begin="12:00", end="12:20"), "off"),
    (EVENING, "full"),
    (ClockTime(begin="15:30", end="16:15"), "faint"),
)

# -- rows and levels -----------------------------------------------------------------------------------------------

SWITCHES = st.lists(st.integers(1, 59), max_size=8).map(lambda x: np.unique(np.array(x, float)))


@given(st.lists(st.tuples(SWITCHES, st.booleans()), min_size=1, max_size=5))
def test_the_first_row_that_holds_wins_second_by_second(rows):
    signals = [Signal(0.0, 60.0, first, switches) for switches, first in rows]
    won = winners(signals, 0.0, 60.0)
    assert (won.row[1:] != won.row[:-1]).all()
    spent = np.zeros(len(rows) + 1)
    for t in range(60):
        first = next((k for k, s in enumerate(signals) if s.at(t)), len(rows))
        assert won.at(t) == first
        spent[first] += 1
    assert won.share(len(rows)) == pytest.approx(spent / 60)
    wanted = np.arange(len(rows) + 1) % 2 == 0
    assert [bool(won.while_on(wanted).at(t)) for t in range(60)] == [bool(wanted[won.at(t)]) for t in range(60)]


@given(
    st.lists(st.integers(1, 199), max_size=8, unique=True),
    st.lists(st.tuples(st.sampled_from([0.0, 0.2, 0.5, 1.0]), st.sampled_from([0.0, 1.0, 7.0, 40.0])), min_size=9,
             max_size=9),
)  # fmt: skip
def test_a_fade_goes_straight_from_where_it_is_by_then(begins, asked):
    begin = np.array([0.0, *sorted(begins)])
    goal, fade = (np.array(x[: len(begin)]) for x in zip(*asked))
    levels = ramped(begin, goal, fade, 200.0)
    assert (np.diff(levels.t) >= 0).all() and levels.start == 0 and levels.end == 200
    # Step by step, as one who knows where it is and how far it has to go.
    now, at = goal[0], 0.0
    for k in range(len(begin)):
        until = begin[k + 1] if k + 1 < len(begin) else 200.0
        takes = fade[k] if k else 0.0
        for t in np.linspace(begin[k], until, 7)[1:-1]:
            share = 1.0 if takes == 0 else min((t - begin[k]) / takes, 1.0)
            assert float(levels.at(t)) == pytest.approx(now + (goal[k] - now) * share)
        share = 1.0 if takes == 0 else min((until - begin[k]) / takes, 1.0)
        now, at = now + (goal[k] - now) * share, until
    assert at == 200.0


def test_what_is_asked_for_already_changes_nothing():
    rows = [Signal.from_intervals([(10, 20)], 0.0, 60.0), Signal.from_intervals([(15, 40)], 0.0, 60.0)]
    won = winners(rows, 0.0, 60.0)
    # Both rows ask for the same: the second's slow fade does not begin at 20.
    levels = levels_of(won, np.array([0.5, 0.5, 0.0]), np.array([2.0, 30.0, 0.0]))
    assert levels.same_as(TimeSeries.of([(0, 0), (10, 0), (12, 0.5), (40, 0.5), (40, 0), (60, 0)]))


def test_a_lamp_burns_as_it_can_be_asked_to():
    lamp = make_room().lamps[0]
    assert achievable_level(replace(lamp, least_level=0.2), 0.05) == 0.2
    assert achievable_level(replace(lamp, dims=False), 0.05) == 1.0
    assert achievable_level(replace(lamp, dims=False), 0.0) == 0.0
    assert as_wired(make_room(), lamp) is lamp


def test_a_module_that_only_switches_does_not_dim(demo):
    toilet = find(demo.lamps, "lamp-toilet")
    assert not as_wired(demo, toilet).dims and toilet.dims
    assert achievable_level(as_wired(demo, toilet), 0.3) == 1.0
    assert as_wired(demo, find(demo.lamps, "lamp-landing")).dims


# -- how the light depends on what is concluded ----------------------------------------------------------------------


@pytest.mark.parametrize(
    "rows",
    [USUAL, ((EVENING, "full"),), ((AllOf(of=(Not(of=HERE), Dark(room="big"))), "faint"), (EVENING, "full"))],
)
@pytest.mark.parametrize("control", ["presence", "absence"])
def test_the_light_is_what_follows_and_what_burns_anyway(rows, control):
    project = laddered(*rows)
    project = replace(project, rooms=(replace(project.rooms[0], control=control), *project.rooms[1:]))
    r = rehearse(project, 5, 3)
    how = light_given(project, "big", r.recording)
    own = r.house.conclusions.presences["here"]
    if control == "presence":
        lit = own & how.follows
        lit = lit if how.unconditional is None else lit | how.unconditional
        assert r.house.served("big").same_as(lit, 1e-9)
    days = simulate_room(project, "big", 5, 3)
    hold = project.presences[0].expr.seconds
    outcome, s = days.curve.outcome(hold), r.scores["big"]
    assert days.curve.light(hold).same_as(r.house.served("big"), 1e-9)
    assert len(outcome.false_off_at) / 5 == pytest.approx(s.false_offs)
    assert outcome.dark_s / 300 == pytest.approx(s.dark_min, abs=1e-9)
    assert outcome.wasted_s / 3600 / 5 == pytest.approx(s.wasted_h, abs=1e-9)


SEEN = Report(sensor="pir")


@pytest.mark.parametrize("dark", [None, DarkSource(source="shut door", sensor="pir")])
@pytest.mark.parametrize(
    "rows",
    [(), USUAL, ((Not(of=SEEN), "faint"), (EVENING, "full")), ((ConclusionRef(presence="other"), "faint"), *USUAL)],
)
def test_the_light_of_designs_that_differ_in_a_sensor_is_the_same_only_where_none_is_asked(rows, dark):
    """What is kept of one design stands for another where no row, and nothing a row names, asks a sensor, and none
    tells the dark."""
    other = Conclusion(id="other", name="Other", expr=Hold(of=SEEN, seconds=60.0))
    project = laddered(*rows)
    project = put(project, replace(project.rooms[0], darkness=dark))
    project = replace(project, presences=(*project.presences, other))
    away = put(project, replace(project.sensors[0], yaw=(project.sensors[0].yaw + 180.0) % 360.0))
    truth = simulate_days(project, 3, 5)
    found = []
    for design in (project, away):
        said = make_recording(design, truth)
        found.append(reaction_inputs.effective_light_rule(design, "big", truth, said))
        alone = light_given(design, "big", said)
        assert found[-1].follows.same_as(alone.follows) and found[-1].demand.same_as(alone.demand)
        assert (found[-1].unconditional is None) == (alone.unconditional is None)
        assert alone.unconditional is None or found[-1].unconditional.same_as(alone.unconditional)
    parts = [part for when, _ in rows for part in every_part(when)]
    asked = dark is not None or any(isinstance(p, Report) or getattr(p, "presence", "") == "other" for p in parts)
    assert (found[0] is found[1]) != asked


def test_what_stands_for_lives_end_to_end_counts_what_burns_anyway():
    from vastwatch.advice.simulation.curve_batch import curve_batch

    project = laddered(*USUAL)
    each = [simulate_room(project, "big", 4, seed).curve for seed in (1, 2, 3)]
    together = curve_batch(*each)
    assert together._line is not None
    for hold in (45.0, 300.0):
        found = together.outcomes(hold)
        for k, curve in enumerate(each):
            o = curve.outcome(hold)
            assert found.drops[k] == len(o.false_off_at)
            assert found.dark_s[k] == pytest.approx(o.dark_s, abs=1e-6)
            assert found.idle_s[k] == pytest.approx(o.wasted_s, abs=1e-6)
        assert all(a.same_as(c.light(hold), 1e-6) for a, c in zip(together.light_per_replicate(hold), each))


def test_each_lamp_is_wanted_while_a_row_wins_that_asks_for_it():
    project = laddered(*USUAL, (ClockTime(begin="02:00", end="03:00"), "faint"))
    did = run_ladders(
        project, "big", make_recording(project, simulate_days(project, 2, 1)), Signal.constant(False, 0, 172_800)
    )
    (ladder,) = did.ladders
    wanted = {lamp.id: did.wanted[lamp.id] for lamp in ladder.ladder.lamps}
    assert set(wanted) == {"lamp", "floor"} and wanted["floor"].total() > 0 == wanted["lamp"].total()
    for k, lamp in enumerate(ladder.ladder.lamps):
        asks = ladder.scene_levels.goals[:, k] > 0
        expected = sum(
            b - a for a, b, row in zip(ladder.winners.edges, ladder.winners.edges[1:], ladder.winners.row) if asks[row]
        )
        assert wanted[lamp.id].total() == pytest.approx(expected)


def test_light_that_goes_out_on_somebody_unseen_is_a_drop_as_any_other():
    """A light by the clock ends over somebody whom nothing has noticed for long."""
    blind = laddered((ClockTime(begin="10:00", end="11:00"), "full"), (EVENING, "full"))
    blind = replace(blind, sensors=(replace(blind.sensors[0], yaw=45.0),))
    r = rehearse(blind, 3, 1)
    falls = [float(r.calendar.instant(d, 11 * 3600.0)) for d in range(3)]
    dropped = [i.at for i in r.incidents if i.kind == "dropped"]
    needed = [t for t in falls if r.needs_light("big").at(t)]
    assert needed and all(any(abs(t - x) < 1e-6 for x in dropped) for t in needed)
    drops = simulate_room(blind, "big", 3, 1).curve.outcome(60.0).false_off_at
    assert all(any(abs(t - x) < 1e-6 for x in drops) for t in needed)


def test_a_row_with_a_delay_of_its_own_is_told_and_not_judged():
    project = laddered((Hold(of=HERE, seconds=60), "full"))
    assert [r.id for r in delayed_rows(project, "big")] == ["r0"]
    with pytest.raises(ValueError, match=r"Row 0.*delays the light"):
        judge(project, "big", 2, (1,))
    assert delayed_rows(laddered((EVENING, "full")), "big") == []


def test_a_ladder_that_takes_light_from_whoever_is_noticed_is_seen_to():
    project = laddered((HERE, "off"), (ClockTime(begin="08:00", end="20:00"), "full"))
    recording = rehearse(project, 2, 1).recording
    assert lit_only_when_empty(project, "big", recording).total() > 3600
    assert lit_only_when_empty(laddered(*USUAL), "big", recording).total() == 0


def test_removing_a_row_that_never_wins_changes_nothing():
    project = laddered(*USUAL, (AllOf(of=(EVENING, ClockTime(begin="09:00", end="17:00"))), "faint"))
    r = rehearse(project, 4, 2)
    did = r.house.ladders["big"].of(None)
    assert did.winners.share(4)[3] == 0
    without = rehearse(remove_row(project, "r3"), 4, 2)
    assert all(without.house.outputs[x].same_as(r.house.outputs[x]) for x in ("lamp", "floor"))
    assert without.scores == r.scores


def test_lamps_that_no_scene_names_go_their_own_way():
    project = laddered((EVENING, "full"))
    assert [x.id for x in ladder_lamps(project, "big")] == ["lamp", "floor"]
    fewer = replace(project, scenes=(project.scenes[0], project.scenes[2]))
    assert [x.id for x in ladder_lamps(fewer, "big")] == ["lamp"]
    r = rehearse(fewer, 2, 1)
    presence, dark = r.house.conclusions.presences["here"], r.house.conclusions.dark["big"]
    assert r.house.lit["floor"].same_as(presence & dark)


def test_rows_hear_of_other_conclusions_what_sensors_say():
    from vastwatch.design.expressions import OnDelay
    from vastwatch.design.records import Conclusion

    room = make_room()
    long = Conclusion(id="long", room="big", name="Long", lights=False, expr=OnDelay(of=HERE, seconds=600))
    project = laddered((ConclusionRef(presence="long"), "faint"), (EVENING, "full"), room=room)
    project = replace(project, presences=(*project.presences, long))
    assert ladder_conclusions(project, "big") == ("here", "long")
    # What depends on the room's own conclusion with a delay cannot be told apart from it.
    assert [r.id for r in delayed_rows(project, "big")] == ["r0"]


# -- the hand ------------------------------------------------------------------------------------------------------


def ladder_of(lit, own, hold=60.0, end=86_400.0):
    return UnderlyingLight(Signal.from_intervals(lit, 0.0, end), Signal.from_intervals(own, 0.0, end), hold)


def button(**changes) -> Button:
    return Button(id="b", room="big", name="Button", at=(1, 1), **changes)


DAY = Calendar(date(2026, 1, 12), "UTC", 1)


@pytest.mark.parametrize(
    ("ends", "end"),
    [
        ({"ends": "minutes", "minutes": 20}, 3600 + 1200),
        # Left at 5000, and the hold of the press is over long before.
        ({"ends": "vacancy"}, 5000),
        ({"ends": "clock", "clock": "06:00"}, 6 * 3600),
        ({"ends": "clock", "clock": "00:30"}, 86_400),
        ({"ends": "press"}, 86_400),
    ],
)
def test_a_press_ends_as_its_button_says(ends, end):
    ladder = ladder_of([(3000, 8000)], [(3000, 5000)])
    (did,) = overrides(ladder, (button(**ends),), DAY, None, [(3600.0, "b")])
    assert (did.begin, did.end, did.does) == (3600.0, end, "off")


def test_a_press_in_an_empty_room_lasts_its_hold():
    (did,) = overrides(ladder_of([], [(9000, 9500)], 90.0), (button(),), DAY, None, [(3600.0, "b")])
    assert (did.does, did.end) == ("on", 3690.0)
    # Anybody who is noticed meanwhile keeps it.
    (did,) = overrides(ladder_of([], [(3650, 9500)], 90.0), (button(),), DAY, None, [(3600.0, "b")])
    assert did.end == 9500.0


def test_the_second_press_lets_go_where_the_ladder_then_lights():
    ladder = ladder_of([(3000, 8000)], [(3000, 8000)])
    first, *rest = overrides(ladder, (button(ends="press"),), DAY, None, [(3600.0, "b"), (4000.0, "b")])
    assert (first.end, rest) == (4000.0, [])
    # In the dark it lights by itself.
    _, second = overrides(ladder, (button(ends="press"),), DAY, None, [(3600.0, "b"), (9000.0, "b")])
    assert (second.does, second.begin) == ("on", 9000.0)


def test_whoever_is_disturbed_presses_it_away_and_gives_way_once():
    end = 86_400.0
    ladder = ladder_of([(1000, 9000)], [(1000, 9000)])
    always = Signal.from_intervals([(1000, 9000)], 0.0, end)
    nobody = Signal.constant(False, 0.0, end)
    away = overrides(ladder, (button(),), DAY, LightPreferences(always, nobody, 1, 1.0))
    assert [(o.begin, o.does) for o in away] == [(1006.0, "off")]
    # Somebody who needs light presses it back after 12 s; that is the end of the quarrel.
    quarrel = overrides(ladder, (button(),), DAY, LightPreferences(always, always, 1, 1.0))
    assert [(o.begin, o.end) for o in quarrel] == [(1006.0, 1018.0)]
    assert overrides(ladder, (button(),), DAY, LightPreferences(always, nobody, 1, 0.0)) == ()


def test_hands_lie_over_the_rows():
    ladder = ladder_of([(1000, 9000)], [(1000, 9000)])
    hands = overrides(ladder, (button(ends="minutes", minutes=10),), DAY, None, [(2000.0, "b"), (20_000.0, "b")])
    over = apply_overrides(winners([ladder.lit], 0.0, ladder.lit.end), 1, hands)
    assert [over.won.at(t) for t in (500, 1500, 2100, 2700, 9500, 20_100, 21_000)] == [1, 0, 1, 0, 1, 2, 1]
    assert over.scenes == (None,)


def sleepers(**changes):
    """Two people, one of whom gets up at night, over whom the light comes on."""
    project = laddered((EVENING, "full"), buttons=(button(**changes),))
    bed = Spot(id="bed", room="big", name="bed", at=(4, 1), posture="lying", activity="sleeping")
    a = replace(project.people[0], stays=(Stay(at="07:00", spot="chair"), Stay(at="22:00", spot="bed")), errands=())
    b = Person(
        id="b", name="B", stays=(Stay(at="07:00", spot="exit"), Stay(at="23:30", spot="bed")),
        errands=(Errand(between=("00:30", "05:00"), spot="exit", per_day=3, minutes=3),),
    )  # fmt: skip
    return replace(project, spots=(*project.spots, bed), people=(a, b))


@pytest.mark.parametrize(
    "changes", [{"ends": "minutes", "minutes": 30}, {"ends": "vacancy"}, {"ends": "clock", "clock": "07:30"}]
)
def test_hands_are_in_the_rehearsal_and_in_the_curve_alike_and_end(changes):
    project = sleepers(**changes)
    r = rehearse(project, 6, 1)
    hands = r.house.actions["big"].overrides
    assert hands and r.light_scores["big"].presses > 0
    assert all(a.end <= b.begin for a, b in itertools.pairwise(hands))
    curve = simulate_room(project, "big", 6, 1).curve
    assert curve.light(60.0).same_as(r.house.served("big"), 1e-9)
    outcome = curve.outcome(60.0)
    assert len(outcome.false_off_at) / 6 == pytest.approx(r.scores["big"].false_offs)
    assert outcome.dark_s / 360 == pytest.approx(r.scores["big"].dark_min, abs=1e-9)
    # None is stuck: what a hand did is over before the day is, or waits for a room that is still in use.
    for h in hands:
        if changes["ends"] == "vacancy":
            back = h.end - h.begin == pytest.approx(AGAIN_S)
            assert back or h.end == r.calendar.end or not r.house.conclusions.presences["here"].at(h.end)
        else:
            assert h.end - h.begin <= 86_400


def test_nobody_presses_where_the_brief_says_that_nobody_does():
    project = sleepers()
    calm = replace(project, brief=replace(project.brief, unwanted_off=0.0))
    assert rehearse(calm, 4, 1).house.actions["big"].overrides == ()


def test_ends_are_told():
    words = {ends_words(button(ends=e)) for e in ("vacancy", "minutes", "clock", "press", "never")}
    assert len(words) == 5 and "for 30 min" in words and "until 06:00" in words


@given(
    SWITCHES, SWITCHES, st.sampled_from(["vacancy", "minutes", "clock"]), st.sampled_from(["toggle", "off", "scene", "leave"]),
    st.lists(st.integers(0, 59), min_size=1, max_size=6, unique=True), st.integers(0, 9),
)  # fmt: skip
def test_every_press_ends_by_its_own_law(row, own, ends, does, at, hold):
    """No reachable state is stuck: whatever was pressed is over once what its button says has come."""
    hour = 3600.0
    span = Calendar(date(2026, 1, 12), "UTC", 3)
    here = Signal(0.0, span.end, False, own * hour)
    button = Button(id="b", room="big", name="B", at=(0, 0), does=does, ends=ends, minutes=90.0, clock="06:00")
    ladder = UnderlyingLight(Signal(0.0, span.end, True, row * hour), here, hold * 600.0)
    pressed = [(t * hour + 7.0, "b") for t in sorted(at)]
    for h in overrides(ladder, (button,), span, None, pressed):
        if ends == "minutes":
            latest = h.begin + 90 * 60.0
        elif ends == "clock":
            latest = h.begin + 86_400.0
        else:
            # The first instant from the press's device hold time on at which nobody is concluded to be there.
            left = np.concatenate([[h.begin + hold * 600.0], here.falls])
            left = left[(left >= h.begin + hold * 600.0) & ~here.at(np.minimum(left, span.end))]
            latest = float(left.min(initial=span.end))
        assert h.end <= min(latest, span.end) + 1e-6


def test_a_fade_of_next_to_no_time_is_a_step():
    begin, goal = np.array([0.0, 10.0, 20.0]), np.array([0.0, 1.0, 0.2])
    slight, none_ = (ramped(begin, goal, np.full(3, fade), 60.0) for fade in (1e-308, 0.0))
    assert np.isfinite(slight.v).all() and slight.same_as(none_, 1e-9)
