"""Drawn houses in short and in long runs, in logs out and in again, and in recipes: each says what the others say."""

from __future__ import annotations

import os

import numpy as np
import pytest

from everything import everything
from recipe_player import play
from vastwatch.commission.event_log import read_log
from vastwatch.commission.format_guess import guess_format, match
from vastwatch.commission.log_writing import write_log
from vastwatch.control.evaluation import evaluate_expr
from vastwatch.control.export.recipes import recipes_of
from vastwatch.control.ladder import ramped
from vastwatch.control.lighting import run_ladders
from vastwatch.design.conclusions import expressions
from vastwatch.design.expressions import (
    zone_part,
)
from vastwatch.design.presence import reports
from vastwatch.design.relations import lighting_of
from vastwatch.rehearsal.run import rehearse
from vastwatch.signals.memoised_ops import never
from vastwatch.site.record import seconds_of

THOROUGH = bool(os.environ.get("THOROUGH"))


def _firsts(signal, end: float):
    return signal.intervals[signal.intervals[:, 0] < end].clip(max=end)


@pytest.mark.parametrize("seed", range(100) if THOROUGH else range(8))
def test_what_is_reported_does_not_depend_on_the_length_of_the_run(seed):
    """The first two days of nine are those of two: what each expression, lamp and row hears, and so how far all is on."""
    project = everything(seed)
    short, long = rehearse(project, 2), rehearse(project, 9)
    end = short.truth.end
    named = {(r.sensor, r.part) for expr in expressions(project) for r in reports(expr)}
    zones = {z.id: z for z in project.zones}
    named |= {(zones[x.zone].sensor, zone_part(x.zone)) for x in project.lamps if x.zone is not None}
    assert named
    for key in named:
        if key in short.recording.reports or key in long.recording.reports:
            a, b = short.recording.reports[key], long.recording.reports[key]
            assert np.array_equal(_firsts(a, end), _firsts(b, end)), key
    for ident, lit in short.house.lit.items():
        assert np.array_equal(_firsts(lit, end - 60), _firsts(long.house.lit[ident], end - 60)), ident


@pytest.mark.parametrize("seed", range(100) if THOROUGH else (1, 6))
def test_a_log_of_a_drawn_week_says_what_was_said(tmp_path, seed):
    """Every sensor, state and zone of a rehearsal, written as a log and read by itself: the same to the millisecond."""
    project, file = everything(seed), tmp_path / "log.csv"
    recording = rehearse(project, 2).recording
    if write_log(recording, file, parts=True) == 0:
        # Of few sensors some hear nothing in two days.
        assert THOROUGH
        return
    log = read_log(file, project, guess_format(file, project), unnamed=lambda name: match(name, project))
    assert not log.unknown_devices
    # After its last word a log has heard nothing.
    until = max((float(x.switches[-1]) for x in recording.reports.values() if len(x.switches)), default=0.0)
    for key, out in recording.reports.items():
        if len(out.switches):
            back = log.recording.reports[key]
            assert ((out | back) - (out & back)).cumulative(until) < 0.002 * (len(out) + 2), key


@pytest.mark.parametrize("seed", range(200) if THOROUGH else range(1, 9))
def test_the_recipes_of_a_drawn_house_burn_its_lamps_as_its_ladders_do(seed):
    project, compared = everything(seed), 0
    r = rehearse(project, 2)
    recording, end = r.recording, r.truth.end
    calendar = recording.calendar

    def next_clock(clock: str, t: float) -> float:
        days = (calendar.instant(d, seconds_of(clock)) for d in range(calendar.days + 1))
        return next((x for x in days if x > t), end)

    for room in project.rooms:
        book, lighting = recipes_of(project, room.id), lighting_of(project, room.id)
        if book is None or room.control == "absence":
            continue
        own = never(end) if lighting is None else evaluate_expr(project, lighting.expr, recording)
        did = run_ladders(project, room.id, recording, own)
        inputs = {i.name: evaluate_expr(project, i.expr, recording) for i in book.inputs}
        played = play(book, inputs, [], end, next_clock)
        for name, ident in book.lamps.items():
            # A lamp that is never told anything is off.
            t, level, fade = (np.array(x) for x in zip(*(played[name] or [(0.0, 0.0, 0.0)])))
            assert ramped(t, level, fade, end).same_as(did.levels[ident], 1e-6), (room.id, name)
            compared += 1
    assert compared or THOROUGH


@pytest.mark.parametrize("seed", range(40) if THOROUGH else (2,))
def test_four_weeks_begin_with_the_days_that_two_have(seed):
    """Scores, incidents and reports of a run of 28 days are those of a short one as far as it goes."""
    project = everything(seed)
    short, long = rehearse(project, 2), rehearse(project, 28)
    cut = short.truth.end - 3600.0
    for room in project.rooms:
        found = [[(i.kind, i.at) for _, i in r.incidents_by_room.get(room.id, ()) if i.at + i.duration_s < cut]
                for r in (short, long)]  # fmt: skip
        assert found[0] == found[1], room.id
    for key, told in short.recording.reports.items():
        if key in long.recording.reports:
            assert np.array_equal(_firsts(told, cut), _firsts(long.recording.reports[key], cut)), key
