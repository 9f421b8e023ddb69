"""One question, one answer: anybody who is asked of a room, by whichever command or panel, says the same of it."""

from __future__ import annotations

import contextlib
import os

import pytest

from everything import everything
from vastwatch.advice.adviser.adviser import advise
from vastwatch.advice.adviser.baselines import baselines
from vastwatch.advice.adviser.purchase import purchases
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.judging.frontier import evaluate_room, frontier
from vastwatch.advice.judging.judge import Judgement, judge
from vastwatch.advice.judging.settings import JudgeSettings, judging_by
from vastwatch.advice.judging.timing import tune
from vastwatch.control.lighting import made_by
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.devices import catalogue
from vastwatch.words import duration_words

THOROUGH = bool(os.environ.get("THOROUGH"))
FEW = JudgeSettings(7, (1, 2, 3), (1001,), 2)


def asked(project: Project, rooms: list[str], types) -> int:
    """Ask everybody of some rooms, and compare what they say; how many rooms were compared."""
    known: dict[str, Judgement] = {}
    for room in rooms:
        with contextlib.suppress(ValueError):
            known[room] = judge(project, room)
    said = [f for f in findings(project, known.get) if f.rule in ("left-dark", "burns")]
    bought = {p.room: p for p in purchases(project, types, budget=1e6, rooms=set(rooms))}
    for room in rooms:
        j = known.get(room)
        meets = j is not None and j.meets
        name = find(project.rooms, room).name
        # The judge's verdict is the tuner's, the frontier's and that of the findings.
        if j is not None:
            with contextlib.suppress(ValueError):
                # What has no single hold has none to tune.
                curve = tune(project, room)
                assert (curve.meets_brief, curve.recommended_s) == (meets, j.recommended_s), name
                # On however few weeks a chart is drawn, what it recommends is what the judge does.
                ways = frontier(project, room, seeds=(1,))
                for point in ways.named("recommended"):
                    assert duration_words(j.recommended_s) in point.name and ways.meets(point) == meets, name
                if hold_of(presence_of(project, room).expr) is not None:
                    assert ways.meets(ways.named("today")[0]) == j.meets_now, name
                # Where the hold has no effect, other delays are as good as they are said to be, once they are set.
                assert made_by(project, room) != "presence" or curve.delays is None, name
                if curve.delays is not None:
                    then = judge(curve.delays.set_in(project), room)
                    assert then.meets_now == curve.delays.judged.meets_now, name
                    assert then.metrics_at(then.current_s) == pytest.approx(
                        curve.delays.judged.metrics_at(curve.delays.judged.current_s)
                    ), name
                    assert then.meets_now >= j.meets_now, name
            assert all(m.passed for m in j.needs_at(j.recommended_s)) == meets, name
            if hold_of(presence_of(project, room).expr) is not None or j.current_s in j.holds:
                assert evaluate_room(project, room)[1].meets == j.meets_now, name
            advised = [r.text for f in said if f.room == room for r in f.remedies]
            for words in (w for w in advised if w.startswith("Set the hold time to ")):
                assert meets and duration_words(j.best_s) in words, (name, words)
            if meets and not j.meets_now and any(f.room == room for f in said):
                assert any(w.startswith("Set the hold time to ") for w in advised), name
            # What is missed now, is found; and what is found, is missed.
            unmet = {m.need for m in j.checks_at(j.current_s) if not m.passed} if j.current_s in j.holds else set()
            missed = bool(unmet & {"drops_per_week", "dark_min_per_day", "idle_h_per_day"})
            assert missed == any(f.room == room for f in said), (name, unmet)
        try:
            found = advise(project, room, types)
        except ValueError:
            continue
        assert found.met_already == meets, name
        # Whatever is offered is judged to do, once it is mounted there as it is said.
        for offer in found.candidates:
            again = judge(offer.project, room)
            assert offer.meets and again.meets and again.meets_now, (name, offer.name)
        # None of the ways does where the adviser says that nothing does.
        with contextlib.suppress(ValueError):
            if any(way.meets for way in baselines(project, room, types)):
                assert meets or found.candidates, name
        # What only helps is bought only where nothing would do.
        if (purchase := bought.get(room)) is not None:
            assert purchase.offer.meets or not found.candidates, name
            now = judge(purchase.project, room)
            assert now.meets_now == purchase.offer.meets, name
            if j is not None and j.current_s in j.holds:
                drops, dark, idle = j.metrics_at(j.current_s)
                before = (purchase.before.drops * 7, purchase.before.dark_min, purchase.before.idle_h)
                assert before == pytest.approx((drops, dark, idle)), name
    return len(known)


def test_nobody_contradicts_anybody_about_the_sample(demo):
    types = catalogue() if THOROUGH else [d for d in catalogue() if d.id in SOME]
    with judging_by(FEW):
        assert asked(demo, [r.id for r in demo.rooms], types) >= 5


# Of each family that serves rooms, one or two.
SOME = ("pir-corner-12", "pir-ceiling-6", "radar-24-state", "mat-seat", "mat-door")


@pytest.mark.parametrize("seed", range(30) if THOROUGH else (1, 10))
def test_nobody_contradicts_anybody_about_a_drawn_house(seed):
    project = everything(seed)
    with judging_by(FEW):
        asked(project, [r.id for r in project.rooms], [d for d in catalogue() if d.id in SOME])
