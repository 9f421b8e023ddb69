"""People who are left in the dark, against a house that is run one event after the other, and against arithmetic."""

from __future__ import annotations

import math

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.judging.timing import curve_of
from vastwatch.advice.simulation.hold_curves import WavingCurve
from vastwatch.control.manual.manual_switching import AGAIN_S, PRESS_S
from vastwatch.control.manual.reactions import (
    EPSILON_S,
    MAX_VAIN_WAVES,
    OccupancyIntervals,
    ReactionKeys,
    WaveSensor,
    habits,
    occupancy_arrays,
    react,
    wave_sensor_arrays,
)
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.project import find, put
from vastwatch.design.relations import presence_of
from vastwatch.loops import reactions as loops
from vastwatch.people.truth import There
from vastwatch.rehearsal import rehearse, replay
from vastwatch.rehearsal.reaction_inputs import occupancy_intervals
from vastwatch.rng import at_ms, sub_keys, uniform
from vastwatch.signals import Signal
from vastwatch.site.people import WAVE_AFTER_S

END = 3000.0


def silence(g: float) -> Signal:
    """Reports up to 100 s and again from 100 + g s on."""
    return Signal.from_intervals([(0, 100.0), (100.0 + g, END)], 0.0, END)


def one_there(p: float, end: float = END) -> OccupancyIntervals:
    return OccupancyIntervals(np.array([0.0]), np.array([end]), np.array([WAVE_AFTER_S]), np.full((1, 1), p))


@pytest.mark.parametrize(
    ("g", "hold", "h", "drops", "dark"),
    [(600, 120, 0.0, 4, 48), (600, 120, 5.0, 4, 48), (600, 60, 5.0, 8, 85)],
)
def test_one_silence_brings_several_drops(g, hold, h, drops, dark):
    """The worked figures: with certain notice floor((g + d + h) / (T + d + h)) false-offs, each of d seconds, the last of
    what is left of the silence: at 60 s it comes a second before the next report, and 7 * 12 + 1 s are dark."""
    k = silence(g)
    # A report of no length at all would not be one.
    did = react(k, k, hold, one_there(1.0), (WaveSensor(True, 0.0, max(h, 1e-6), 7),))
    lit = k.hold(hold) | Signal.from_intervals(did.light, 0.0, END)
    assert len(did.falls) == drops
    assert (~lit).total() == pytest.approx(dark)
    nobody = react(k, k, hold, OccupancyIntervals.none(1), (WaveSensor(True, 0.0, 1.0, 7),))
    assert len(nobody.falls) == 1 and (~k.hold(hold)).total() == g - hold


@given(st.floats(30, 2000), st.floats(1, 900), st.floats(0.01, 40), st.integers(1, 12))
def test_the_break_points_of_the_curve(g, hold, h, k):
    """n(T) steps where T = (g + d + h) / k - d - h."""
    d, report = WAVE_AFTER_S, silence(g)
    sensors = (WaveSensor(True, 0.0, h, 7),)

    def drops(hold: float) -> int:
        return len(react(report, report, hold, one_there(1.0), sensors).falls)

    if hold < g:
        n = math.floor((g + d + h) / (hold + d + h) + 1e-9)
        # Within a hair of a step, or of the end of the silence, rounding decides.
        if abs((g + d + h) / n - d - h - hold) > 1e-6 and abs((g + d + h) / (n + 1) - d - h - hold) > 1e-6:
            assert drops(hold) == n
    step = (g + d + h) / k - d - h
    if step > 1.0:
        assert (drops(step - 1e-4), drops(step + 1e-4)) == (k, k - 1)


def test_after_three_vain_waves_somebody_goes_to_the_switch():
    k = silence(600)
    did = react(k, k, 60.0, one_there(0.0), (WaveSensor(True, 0.0, 5.0, 7),))
    first = 160.0 + WAVE_AFTER_S * np.arange(1, MAX_VAIN_WAVES + 1)
    assert did.waves[:MAX_VAIN_WAVES] == pytest.approx(first)
    press = first[-1] + AGAIN_S
    assert did.presses[0] == pytest.approx(press)
    assert did.light[0] == pytest.approx([press, press + PRESS_S + 60.0])
    # Anybody who leaves before that waves no more.
    left = react(k, k, 60.0, one_there(0.0, 190.0), (WaveSensor(True, 0.0, 5.0, 7),))
    assert len(left.waves) == 2 and len(left.presses) == 0


def event_by_event(
    start: Signal,
    keep: Signal,
    hold: float,
    who: OccupancyIntervals,
    sensors: tuple[WaveSensor, ...],
    offs: list[float] | None,
) -> tuple[list[float], list[float], list[tuple[float, float]]]:
    """A house, its sensors and one person after the other, an event at a time: waves, presses, and when it was lit.

    `offs`: when the light goes off if nobody reacts; None to be nobody.
    """
    t, lit, lit_since = 0.0, False, 0.0
    shown: list[tuple[float, float]] = []
    waves: list[float] = []
    presses: list[float] = []
    # Reports of waves: begin, end, whether one of a starter.
    more: list[tuple[float, float, bool]] = []
    vain, clock, stretch, counts = 0, 0.0, -1, {}

    def on(rows: list[tuple[float, float]], t: float) -> bool:
        return any(a <= t < b for a, b in rows)

    starts, keeps = [tuple(r) for r in start.intervals], [tuple(r) for r in keep.intervals]
    while t < END:
        # What the sensors say now.
        starting = on(starts, t) or any(a <= t < b and s for a, b, s in more)
        last = max([b for a, b in keeps if a <= t] + [b for a, b, _ in more if a <= t], default=-math.inf)
        if not lit and starting:
            lit, lit_since = True, t
        if lit and not starting and t >= last + hold:
            lit = False
            shown.append((lit_since, t))
            clock, vain = t, 0
        here = next((k for k in range(len(who.begin)) if who.begin[k] <= t < who.end[k]), -1)
        if here != stretch:
            stretch, clock, vain = here, max(t, clock), 0
        due = math.inf
        if offs is not None and here >= 0 and not lit:
            due = max(clock, float(who.begin[here])) + (float(who.after_s[here]) if vain < MAX_VAIN_WAVES else AGAIN_S)
        if due <= t and vain >= MAX_VAIN_WAVES:
            presses.append(t)
            more.append((t, t + PRESS_S, True))
            vain = 0
            continue
        if due <= t:
            waves.append(t)
            off = max([f for f in offs or [] if f <= t], default=None)
            anchor = max(
                int(at_ms((0.0 if off is None else off - hold) + EPSILON_S)), int(at_ms(who.begin[here] + EPSILON_S))
            )
            j = counts.get(anchor, 0)
            counts[anchor] = j + 1
            hits = [
                s for k, s in enumerate(sensors)
                if uniform(sub_keys(s.key, anchor), j) < who.chance[k, here] and s.latency_s < s.report_s
            ]  # fmt: skip
            clock = t
            if any(s.starts for s in hits):
                more += [(t + s.latency_s, t + s.report_s, s.starts) for s in hits]
                # Meanwhile they wait and see.
                clock = t + max(s.latency_s for s in hits)
                vain = 0
            else:
                vain += 1
            continue
        edges = [x for row in starts + keeps for x in row] + [x for a, b, _ in more for x in (a, b)]
        edges += who.begin.tolist() + who.end.tolist() + [due, END]
        if lit and math.isfinite(last):
            edges.append(last + hold)
        t = min(x for x in edges if x > t)
    if lit:
        shown.append((lit_since, END))
    return waves, presses, shown


times = st.lists(st.integers(1, 2990), min_size=2, max_size=14, unique=True)
# Short reports, close together: those of waves outlast them, and the light they begin.
short = st.lists(st.tuples(st.integers(1, 800), st.integers(1, 9)), min_size=1, max_size=14)


@given(times | short, times | short, times, st.floats(5, 400), st.floats(0, 1), st.floats(0, 1), st.integers(0, 5))
def test_reactions_against_a_house_run_event_by_event(s, k, there, hold, p, q, seed):
    def rows(edges: list, off: float) -> np.ndarray:
        if isinstance(edges[0], tuple):
            return np.array([(a, a + long) for a, long in edges], float) + off
        edges = sorted(edges)[: len(edges) // 2 * 2]
        # Off the whole second, and each kind by another hair, so that nothing happens at the same time.
        return np.array(edges, float).reshape(-1, 2) + off

    start = Signal.from_intervals(rows(s, 0.137), 0.0, END)
    keep = start | Signal.from_intervals(rows(k, 0.271), 0.0, END)
    here = rows(there, 0.391)
    chance = np.vstack([np.full(len(here), p), np.full(len(here), q)])
    who = OccupancyIntervals(here[:, 0], here[:, 1], np.full(len(here), WAVE_AFTER_S), chance)
    sensors = (WaveSensor(True, 0.0313, 4.0171, 11 + seed), WaveSensor(False, 0.0517, 9.0293, 12 + seed))
    did = react(start, keep, hold, who, sensors)
    lit = start.start_keep(keep.hold(hold)) | Signal.from_intervals(did.light, 0.0, END)
    _, _, alone = event_by_event(start, keep, hold, who, sensors, None)
    offs = [b for _, b in alone if b < END]
    waves, presses, shown = event_by_event(start, keep, hold, who, sensors, offs)
    assert did.waves.tolist() == pytest.approx(waves)
    assert did.presses.tolist() == pytest.approx(presses)
    assert lit.same_as(Signal.from_intervals(shown, 0.0, END), 1e-6)
    assert did.falls.tolist() == pytest.approx([b for _, b in shown if b < END])


@pytest.mark.parametrize("seed", range(60))
def test_lights_that_run_into_one_another_are_walked_in_turn(seed):
    """Reports of waves that outlast many short lights, several in a row: each begins the dark after it later, and what
    is done in that dark then is what counts for the next."""
    rng = np.random.default_rng(seed)
    begins = np.sort(rng.uniform(0, END, 12))
    start = Signal.from_intervals(np.column_stack([begins, begins + rng.choice([1.0, 5.0, 30.0])]), 0.0, END)
    begins = np.sort(rng.uniform(0, END, 30))
    keep = start | Signal.from_intervals(np.column_stack([begins, begins + rng.uniform(0.1, 50.0, 30)]), 0.0, END)
    here = np.sort(rng.uniform(0, END, 6)).reshape(-1, 2)
    who = OccupancyIntervals(
        here[:, 0], here[:, 1], rng.choice([5.0, 12.0, 30.0], 3), rng.choice([0.1, 0.6, 1.0], (2, 3))
    )
    sensors = (
        WaveSensor(True, 0.4, float(rng.uniform(1, 40)), 7),
        WaveSensor(False, 1.2, float(rng.uniform(1, 90)), 8),
    )
    hold = float(rng.choice([0.0, 5.0, 20.0, 60.0]))
    did = react(start, keep, hold, who, sensors)
    _, _, alone = event_by_event(start, keep, hold, who, sensors, None)
    waves, presses, shown = event_by_event(start, keep, hold, who, sensors, [b for _, b in alone if b < END])
    assert did.waves.tolist() == pytest.approx(waves) and did.presses.tolist() == pytest.approx(presses)
    assert did.falls.tolist() == pytest.approx([b for _, b in shown if b < END])


def looped(start, keep, hold, who, sensors):
    """What `react` tells, of the compiled loop."""
    kept = loops.hold_rows(keep.intervals, hold, END)
    lit = loops.start_keep_rows(start.rises, kept)
    events = loops.react_in_gaps(
        lit, kept, hold, 0.0, END, habits(), occupancy_arrays(who, sensors), wave_sensor_arrays(sensors)
    )

    def rows(kind):
        return events[events[:, 0] == kind, 1:]

    return rows(loops.WAVE)[:, 0], rows(loops.PRESS)[:, 0], rows(loops.FALL)[:, 0], rows(loops.LIGHT)


@given(st.integers(0, 10**6), st.sampled_from([0.0, 5.0, 30.0]))
def test_reports_that_every_longer_hold_joins_may_be_joined_before(seed, least):
    rng = np.random.default_rng(seed)
    n = int(rng.integers(1, 40))
    begins = np.sort(rng.uniform(0, END, n))
    keep = Signal.from_intervals(np.column_stack([begins, begins + rng.uniform(0.1, 50.0, n)]), 0.0, END)
    rises = np.sort(rng.choice(keep.intervals, int(rng.integers(1, len(keep.intervals) + 1)), replace=False)[:, 0])
    rows = loops.merge_within(keep.intervals, least)
    first = np.ascontiguousarray(loops.start_keep_rows(rises, rows)[:, 0])
    for hold in (least, least + 0.5, 60.0):
        whole = loops.hold_rows(keep.intervals, hold, END)
        assert loops.hold_rows(rows, hold, END).tolist() == whole.tolist()
        assert loops.start_keep_rows(first, whole).tolist() == loops.start_keep_rows(rises, whole).tolist()


@given(st.integers(0, 10**6))
def test_for_many_lives_the_same_is_walked(seed):
    """Arrays of gaps, and one event after the other: also where lights run into one another, of several lives' luck, at
    holds of zero."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(1, 30))
    begins = np.sort(rng.uniform(0, END, n))
    start = Signal.from_intervals(np.column_stack([begins, begins + rng.choice([1.0, 5.0, 30.0])]), 0.0, END)
    begins = np.sort(rng.uniform(0, END, 2 * n))
    keep = start | Signal.from_intervals(np.column_stack([begins, begins + rng.uniform(0.1, 50, 2 * n)]), 0.0, END)
    here = np.sort(rng.uniform(0, END, 2 * int(rng.integers(1, 9)))).reshape(-1, 2)
    m = len(here)
    luck = ReactionKeys(rng.integers(0, 2**62, (2, m)).astype(np.uint64), np.zeros(m)) if rng.random() < 0.5 else None
    who = OccupancyIntervals(
        here[:, 0], here[:, 1], rng.choice([5.0, 12.0, 30.0], m), rng.choice([0.0, 0.1, 0.6, 1.0], (2, m)), luck
    )
    sensors = (
        WaveSensor(True, 0.4, float(rng.uniform(0.2, 40)), 7),
        WaveSensor(bool(rng.random() < 0.3), 1.2, float(rng.uniform(0, 90)), 8),
    )
    hold = float(rng.choice([0.0, 5.0, 60.0, 400.0]))
    did = react(start, keep, hold, who, sensors)
    waves, presses, falls, light = looped(start, keep, hold, who, sensors)
    assert np.array_equal(did.waves, waves) and np.array_equal(did.presses, presses)
    assert np.array_equal(did.falls, np.sort(falls))
    assert Signal.from_intervals(did.light, 0.0, END).same_as(Signal.from_intervals(light, 0.0, END), 1e-9)


def test_the_luck_in_a_silence_does_not_depend_on_the_hold():
    k = silence(2000)
    sensors = (WaveSensor(True, 0.0, 5.0, 3),)
    tries = []
    for hold in (20.0, 45.0, 80.0):
        did = react(k, k, hold, one_there(0.4), sensors)
        lit_at = did.light[:, 0]
        tries.append([int(((did.waves > a) & (did.waves <= b)).sum()) for a, b in zip(did.falls, lit_at)][:5])
    assert tries[0] == tries[1] == tries[2] and len(set(tries[0])) > 1


def test_what_a_hold_comes_to_is_what_the_signals_say():
    rng = np.random.default_rng(4)
    edges = np.sort(rng.uniform(0, END, 60))
    report = Signal.from_intervals(np.column_stack([edges, edges + 2.0]), 0.0, END)
    need = Signal.from_intervals([(100, 1400), (1800, 2900)], 0.0, END)
    nobody, always = ~need, Signal.constant(True, 0.0, END)
    who = OccupancyIntervals(
        np.array([100.0, 1800.0]), np.array([1400.0, 2900.0]), np.full(2, 12.0), np.full((1, 2), 0.7)
    )
    sensors = (WaveSensor(True, 0.2, 3.0, 5),)
    curve = WavingCurve(report, report, There(need, need), always, who, sensors)
    for hold in (5.0, 17.0, 60.0, 200.0):
        did = react(report, report, hold, who, sensors)
        lit = report.hold(hold) | Signal.from_intervals(did.light, 0.0, END)
        out = curve.outcome(hold)
        assert out.dark_s == pytest.approx((need - lit).total())
        assert out.wasted_s == pytest.approx((lit & nobody).total())
        assert len(out.false_off_at) == need.at(lit.falls).sum()
        assert (out.waves, out.trips) == (len(did.waves), len(did.presses))


@pytest.mark.parametrize("control", ["presence", "absence"])
def test_curve_and_rehearsal_are_one_also_where_people_react(control):
    project = make_room()
    project = put(project, msgspec.structs.replace(project.rooms[0], control=control))
    base = rehearse(project, 7, 2)
    curve = curve_of(base, "big")
    for hold in (5.0, 20.0, 45.0, 300.0):
        lived = replay(base, set_hold(project, "here", hold)).scores["big"]
        drops, dark_min, idle_h = curve.at(hold)
        assert (drops, dark_min, idle_h) == pytest.approx((lived.false_offs, lived.dark_min, lived.wasted_h), abs=1e-9)
        out = curve.exact.outcome(hold)
        assert (out.waves / 7, out.trips / 7) == pytest.approx((lived.waves, lived.switch_trips))
    assert lived.dark_min < 60


def test_sleepers_and_who_watches_a_film_do_not_wave(demo):
    r = rehearse(demo, 7, 1)
    for presence in (p for p in demo.presences if p.room is not None):
        who = occupancy_intervals(demo, presence, r.truth, r.house.dark(presence.room), r.recording.observed)
        assert (who.begin[1:] >= who.end[:-1]).all() and (who.end > who.begin).all()
        awake = r.awake(presence.room)
        middle = (who.begin + who.end) / 2
        assert awake.at(middle).all() and r.house.dark(presence.room).at(middle).all()
        for t in middle[:30]:
            doing = [
                w.spot.activity for track in r.truth.tracks if track.person.kind != "pet"
                and (w := r.truth.where(track, float(t))).spot is not None and w.spot.room == presence.room
            ]  # fmt: skip
            assert set(doing) - {"sleeping", "film", "away"}


def test_each_waits_before_they_wave_as_long_as_is_said_of_them(demo):
    slow = put(demo, replace(find(demo.people, "potter"), wave_after_s=45.0))
    presence = presence_of(slow, "throwing")
    r = rehearse(slow, 7, 1)
    who = occupancy_intervals(slow, presence, r.truth, r.house.dark("throwing"), r.recording.observed)
    assert set(who.after_s) == {12.0, 45.0}
    for begin, end, after in zip(who.begin, who.end, who.after_s):
        there = [t.person for t in r.truth.tracks if r.truth.person_in(t.person.id, "throwing").at((begin + end) / 2)]
        assert after in {p.wave_after_s for p in there}
    # Anybody who waits longer waves less, and has more of the dark.
    less, more = r.scores["throwing"], rehearse(demo, 7, 1).scores["throwing"]
    assert less.waves < more.waves and less.dark_min > more.dark_min
