"""Outputs that are no lamps: rows, guards and locks, second by second; each kind as it usually comes."""

from __future__ import annotations

import os
from datetime import date

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.checks.scenes import outputs_by_presence
from vastwatch.control.outputs.handler import OutputContext, handler_of, handlers
from vastwatch.control.outputs.rows import apply_guards, apply_run_limits, by_rows
from vastwatch.design.edits.outputs import set_locks
from vastwatch.design.expressions import AllOf, ClockTime, ConclusionRef, Dark, Fact, Nothing, Report
from vastwatch.design.project import find
from vastwatch.design.records import Blind, Fan, Machine, OutputRow, Setback
from vastwatch.design.references import without
from vastwatch.files.check import faults_of
from vastwatch.rehearsal import rehearse
from vastwatch.signals import Calendar, Signal, TimeSeries

MANY = 300 if os.environ.get("THOROUGH") else 80
TWO_DAYS = Calendar(date(2026, 1, 12), "UTC", 2)
MINUTE = 60.0
# Whole minutes of two days: everything is then seen by looking once a minute.
SWITCHES = st.lists(st.integers(1, 2879), max_size=14, unique=True).map(lambda x: 60.0 * np.array(sorted(x), float))
GUARDS = st.tuples(
    st.sampled_from([0, 5, 45]), st.sampled_from([0, 7, 90]), st.sampled_from([None, 1, 2, 4])
)  # fmt: skip


def minute_by_minute(wanted: Signal, run: int, rest: int, budget: int | None) -> list[bool]:
    """What runs in each minute, as anybody who stands beside it with a watch would have it."""
    on, since, starts, out = False, -(10**9), 0, []
    for m in range(2880):
        if m % 1440 == 0:
            starts = 0
        wants = bool(wanted.at(m * MINUTE))
        if on and not wants and m - since >= run:
            on, since = False, m
        elif not on and wants and m - since >= rest and (budget is None or starts < budget):
            on, since, starts = True, m, starts + 1
        out.append(on)
    return out


@given(SWITCHES, st.booleans(), GUARDS)
@settings(max_examples=MANY)
def test_guards_are_kept_minute_by_minute(switches, first, guards):
    run, rest, budget = guards
    wanted = Signal(0.0, TWO_DAYS.end, first, switches)
    fan = Fan(id="f", room="big", name="F", at=(0, 0), watts=1, least_run_s=run * MINUTE, least_rest_s=rest * MINUTE,
              moves_a_day=budget)  # fmt: skip
    kept = apply_run_limits(wanted, fan, TWO_DAYS)
    assert [bool(kept.at(m * MINUTE)) for m in range(2880)] == minute_by_minute(wanted, run, rest, budget)


@given(st.lists(SWITCHES, min_size=2, max_size=2), GUARDS)
@settings(max_examples=MANY // 4)
def test_what_runs_on_does_so_at_the_level_it_had(switches, guards):
    run, rest, budget = guards
    rows = tuple(Signal(0.0, TWO_DAYS.end, False, s) for s in switches)
    fan = Fan(
        id="f", room="big", name="F", at=(0, 0), watts=1, least_run_s=run * MINUTE, least_rest_s=rest * MINUTE,
        moves_a_day=budget, rows=tuple(OutputRow(when=ClockTime(begin="00:00", end="00:00"), level=v) for v in (0.4, 1.0)),
    )  # fmt: skip
    levels = by_rows(fan, rows, TWO_DAYS)
    wanted = rows[0] | rows[1]
    kept = apply_run_limits(wanted, fan, TWO_DAYS)
    level = 0.0
    for m in range(2880):
        t = m * MINUTE
        if wanted.at(t):
            level = 0.4 if rows[0].at(t) else 1.0
        assert float(levels.at(t)) == (level if kept.at(t) else 0.0), m


def test_without_guards_it_is_what_is_wanted():
    fan = Fan(id="f", room="big", name="F", at=(0, 0), watts=1)
    wanted = TimeSeries.steps(Signal.from_intervals([(10, 20)], 0.0, TWO_DAYS.end), 0.3)
    assert apply_guards(wanted, fan, TWO_DAYS) is wanted
    assert by_rows(fan, (), TWO_DAYS).integral() == 0


# -- each kind -----------------------------------------------------------------------------------------------------


def somebody(*hours):
    return Signal.from_intervals([(a * 3600.0, b * 3600.0) for a, b in hours], 0.0, TWO_DAYS.end)


@pytest.mark.parametrize("called", list(handlers()))
def test_each_kind_runs_as_it_comes_keeps_its_guards_and_says_its_caution(called):
    handler = handlers()[called]
    output = handler.new("o", "big", "O", (1.0, 1.0))
    presence = somebody((1, 2), (10, 10.02), (11, 13), (30, 40))
    rows = tuple(somebody((k, k + 3)) for k in range(len(output.rows)))
    situation = OutputContext(presence, somebody((0, 8)), calendar=TWO_DAYS, rows=rows)
    levels = handler.run(output, situation)
    assert levels.start == 0 and levels.end == TWO_DAYS.end and handler_of(output) is handler
    on = levels.above(0.0)
    runs = np.diff(on.intervals, axis=1).ravel()
    inside = on.intervals[:, 1] < TWO_DAYS.end
    assert (runs[inside] >= output.least_run_s - 1e-6).all()
    rests = on.intervals[1:, 0] - on.intervals[:-1, 1]
    assert (rests >= output.least_rest_s - 1e-6).all()
    assert handler.watts(output, levels).integral() == pytest.approx(output.watts * levels.integral())
    assert handler.caution and handler.why


def test_a_fan_waits_and_runs_on_and_a_cleaner_comes_out_by_day_when_empty():
    fan = handlers()["fan"]
    plain = replace(fan.new("f", "big", "F", (1, 1)), wait_s=60.0, run_on_s=600.0)
    on = fan.run(plain, OutputContext(somebody((1, 2), (5, 5.01)), somebody(), calendar=TWO_DAYS)).above(0.0)
    assert on.intervals.tolist() == [[3660.0, 7800.0]]
    vacuum = handlers()["vacuum"]
    cleaner = replace(vacuum.new("v", "big", "V", (1, 1)), least_rest_s=0.0, moves_a_day=None, empty_s=300.0)
    out = vacuum.run(cleaner, OutputContext(somebody((8, 12)), somebody(), calendar=TWO_DAYS)).above(0.0)
    first = out.intervals[0]
    assert first[0] == pytest.approx(12 * 3600 + 300) and first[1] <= 20 * 3600


# -- locks ---------------------------------------------------------------------------------------------------------


def with_outputs(*outputs):
    return replace(make_room(), outputs=outputs)


def test_a_lock_stands_above_rows_and_guards():
    fan = Fan(
        id="fan", room="big", name="Fan", at=(1, 1), watts=10, least_run_s=3600.0,
        rows=(OutputRow(when=ClockTime(begin="06:00", end="18:00")),),
    )  # fmt: skip
    free = rehearse(with_outputs(fan), 2, 1)
    locked = set_locks(with_outputs(fan), "fan", (ClockTime(begin="12:00", end="12:30"), Report(sensor="pir")))
    r = rehearse(locked, 2, 1)
    lock = r.recording.report("pir")
    noon = Signal.from_intervals([(43_200, 45_000), (129_600, 131_400)], 0.0, r.truth.end)
    assert r.signals["fan"].same_as(free.signals["fan"] - lock - noon)
    assert list(faults_of(locked)) == []
    # With the sensor that locks it gone its clock still locks it, and the lock
    # that was the sensor's keeps its place, so that a finding can say it is empty.
    clock, empty = find(without(locked, ["pir"]).outputs, "fan").locks
    assert isinstance(clock, ClockTime) and isinstance(empty, Nothing)


def test_faults_of_locks_and_covers_are_named():
    bad = set_locks(
        with_outputs(Fan(id="fan", room="big", name="Fan", at=(1, 1), watts=1)), "fan", (Report(sensor="no"),)
    )
    assert any("locks[0]" in x and "no" in x for x in faults_of(bad))
    cover = with_outputs(Blind(id="c", room="big", name="Cover", at=(1, 1), watts=0, window="nowhere"))
    assert any("nowhere" in x for x in faults_of(cover))


# -- findings ------------------------------------------------------------------------------------------------------


def rules(project):
    return {f.rule for f in outputs_by_presence(project)}


def test_heat_by_presence_alone_is_cautioned_and_with_the_clock_not():
    here = ConclusionRef(presence="here")
    heat = Setback(id="h", room="big", name="Heat", at=(1, 1), watts=0, rows=(OutputRow(when=here),))
    assert "scene-heat" in rules(with_outputs(heat))
    more = replace(heat, rows=(OutputRow(when=AllOf(of=(here, ClockTime(begin="08:00", end="18:00")))),))
    assert "scene-heat" not in rules(with_outputs(more))


def test_a_cover_without_a_window_and_a_machine_that_bothers_are_told():
    assert "scene-cover" in rules(with_outputs(Blind(id="c", room="big", name="Cover", at=(1, 1), watts=0)))
    assert "scene-cover" not in rules(
        with_outputs(Blind(id="c", room="big", name="Cover", at=(1, 1), watts=0, window="window"))
    )
    project = with_outputs(
        Machine(id="m", room="big", name="Hum", at=(1, 1), watts=30, rows=(OutputRow(when=Dark(room="big")), ))
    )  # fmt: skip
    (chair, away), (person,) = project.spots, project.people
    evening = (replace(person.stays[0], at="18:00"), replace(person.stays[1], at="22:00"))
    films = replace(
        project, spots=(replace(chair, activity="film"), away), people=(replace(person, stays=evening, errands=()),)
    )
    assert "scene-bothers" in rules(films) and "scene-bothers" not in rules(project)
    (machine,) = films.outputs
    quiet = replace(machine, rows=(OutputRow(when=Fact(what="film", room="big"), level=0.0), *machine.rows))
    assert "scene-bothers" not in rules(replace(films, outputs=(quiet,)))


def test_a_run_that_went_on_rests_too():
    """It is wanted again while it still runs by its least run: the rest counts from when that is over."""
    fan = Fan(id="f", room="big", name="F", at=(0, 0), watts=1, least_run_s=45 * MINUTE, least_rest_s=90 * MINUTE)
    wanted = Signal.from_intervals([(600, 720), (1800, 3600), (4800, 5400), (12_000, 12_600)], 0.0, TWO_DAYS.end)
    assert apply_run_limits(wanted, fan, TWO_DAYS).intervals.tolist() == [[600.0, 3600.0], [12_000.0, 14_700.0]]
