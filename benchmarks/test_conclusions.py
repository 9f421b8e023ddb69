"""Conclusions, logs and the frontier: against plain implementations of the same work, in the same run."""

from __future__ import annotations

import csv
import itertools
import os
import time
from datetime import datetime, timedelta

import numpy as np
import pytest

from timed import hold_to, say
from vastwatch.advice.judging.frontier import Search, pareto_points
from vastwatch.advice.judging.parameters import parameters
from vastwatch.commission.event_log import read_log
from vastwatch.commission.format_guess import guess_format
from vastwatch.control.belief.fusion import evaluate
from vastwatch.control.house import run_house
from vastwatch.design.edits.conclusions import set_expr
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.expressions import AnyOf, Hold, OnDelay, Report, StartKeep
from vastwatch.files import load_demo
from vastwatch.rehearsal import rehearse, replay
from vastwatch.signals import Signal

LINES = 1_000_000


def once(work):
    begin = time.perf_counter()
    out = work()
    return time.perf_counter() - begin, out


def test_a_week_with_all_conclusions():
    """Another week in a building that is known: rehearsed, concluded, scored, all incidents found: 0.6 s on two cores."""
    demo = load_demo()
    cold, _ = once(lambda: rehearse(demo, 7, 10).incidents)
    taken = []
    for seed in (11, 12, 13):
        t, _ = once(lambda s=seed: (r := rehearse(demo, 7, s), r.scores, r.incidents))
        taken.append(t)
    say(f"the first week of a building, its ways and maps included: {cold:.2f} s")
    hold_to(0.6, min(taken), "a week with all conclusions")


def test_a_new_hold_of_a_conclusion(demo=None):
    """Ribbon, scores and incidents of another hold: 50 ms."""
    demo = load_demo()
    r = rehearse(demo, 7, 1)
    taken = []
    for hold in (70.0, 75.0, 80.0, 85.0, 90.0):
        other = set_hold(demo, "presence-sitting", hold)
        t, _ = once(lambda p=other: (x := replay(r, p), x.scores, x.incidents, x.signals))
        taken.append(t)
    hold_to(0.05, float(np.median(taken)), "a new hold")


@pytest.fixture(scope="module")
def million(tmp_path_factory):
    path = tmp_path_factory.mktemp("log") / "million.csv"
    demo = load_demo()
    rng = np.random.default_rng(1)
    ids = [s.id for s in demo.sensors]
    who, on, gaps = rng.integers(0, len(ids), LINES), rng.integers(0, 2, LINES), rng.uniform(0, 5, LINES)
    t = datetime(2026, 1, 12)
    with path.open("w", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(["time", "device", "value"])
        for k in range(LINES):
            t += timedelta(seconds=float(gaps[k]))
            writer.writerow([t.isoformat(timespec="milliseconds"), ids[who[k]], "on" if on[k] else "off"])
    return path


def test_a_log_of_a_million_lines(million):
    """Opened in 5 s, and concluded of with another hold in 1 s; beside it a plain reader of the same lines."""
    demo = load_demo()
    taken, log = once(lambda: read_log(million, demo, guess_format(million, demo)))

    def plainly():
        last: dict[str, tuple[float, str]] = {}
        rows = []
        with million.open() as file:
            for row in csv.DictReader(file):
                at = datetime.fromisoformat(row["time"]).timestamp()
                was = last.get(row["device"])
                if was is None or was[1] != row["value"]:
                    rows.append((at, row["device"], row["value"]))
                last[row["device"]] = at, row["value"]
        return rows

    plain, _ = once(plainly)
    again, _ = once(lambda: run_house(set_hold(demo, "presence-shop", 77.0), log.recording))
    say(f"a million lines, plainly: {plain:.1f} s")
    hold_to(5.0, taken, "a million lines")
    hold_to(1.0, again, "another hold for them")


def test_operators_against_asking_every_second():
    """One expression over four weeks, against a grid of its seconds."""
    rng = np.random.default_rng(2)
    end = 28 * 86_400.0

    def signal(n):
        t = rng.uniform(0, end, n)
        return Signal.from_intervals(np.column_stack([t, t + rng.exponential(40, n)]), 0.0, end)

    said = {"a": signal(8000), "b": signal(20_000)}
    a, b = (Report(sensor=s) for s in "ab")
    expr = StartKeep(start=OnDelay(of=a, seconds=2), keep=Hold(of=AnyOf(of=(a, b)), seconds=120))
    fast = min(once(lambda: evaluate(expr, lambda leaf: said[leaf.sensor]))[0] for _ in range(5))

    def plainly():
        t = np.arange(int(end)) + 0.5
        grid = {k: s.at(t) for k, s in said.items()}
        last = np.maximum.accumulate(np.where(grid["a"] | grid["b"], np.arange(len(t)), -(10**9)))
        keep = np.arange(len(t)) - last <= 120
        run_ = np.arange(len(t)) - np.maximum.accumulate(np.where(~grid["a"], np.arange(len(t)), -1))
        start = run_ > 2
        out, on = np.zeros(len(t), bool), False
        for k in range(len(t)):
            on = bool(start[k] or (on and keep[k]))
            out[k] = on
        return out

    slow, _ = once(plainly)
    say(f"operators: {slow / fast:.0f} times")
    assert slow / fast > 100


def test_a_joint_search_against_the_whole_grid():
    """Four figures of a conclusion: within 1 % of the frontier of all their combinations, at a fiftieth of the
    evaluations; with WHOLE=1 over 20 seeds of four weeks, some minutes of work."""
    seeds, days = (tuple(range(1, 21)), 28) if os.environ.get("WHOLE") else ((1,), 7)
    demo = load_demo()
    pir, radar = Report(sensor="pir-sitting"), Report(sensor="radar-sitting")
    kept = AnyOf(of=(Hold(of=pir, seconds=60), Hold(of=OnDelay(of=radar, seconds=2), seconds=30)))
    project = set_expr(demo, "presence-sitting", StartKeep(start=pir, keep=Hold(of=kept, seconds=15)))
    figures = [p for p in parameters(project, "sitting") if p.figure][:4]
    over = [_some(p, 6) for p in figures]
    whole = Search(project, "sitting", over, seeds, days)
    for places in itertools.product(*(range(len(p.values)) for p in over)):
        whole.at(places)
    n = len(whole.known)
    search = Search(project, "sitting", over, seeds, days)
    found = pareto_points(search.run(max(n // 50, 8), lambda: True, lambda _: None))
    best = pareto_points(list(whole.known.values()))
    share = _volume(found) / _volume(best)
    say(f"joint search: {len(search.known)} of {n} evaluations, {100 * share:.1f} % of the frontier's area")
    assert len(search.known) <= n / 50 and share > 0.99


def _some(p, most):
    from dataclasses import replace

    keep = sorted({*np.linspace(0, len(p.values) - 1, most).astype(int).tolist(), p.place})
    return replace(p, values=tuple(p.values[k] for k in keep), place=keep.index(p.place))


def _volume(front):
    """What a frontier dominates up to 60 min of dark and 3 h of light while empty a day, on logarithmic scales."""
    points = sorted((np.log1p(p.figures.wasted_h / 0.05), np.log1p(p.figures.dark_min / 0.1)) for p in front)
    right, top, area = np.log1p(3 / 0.05), np.log1p(60 / 0.1), 0.0
    for k, (x, y) in enumerate(points):
        nxt = points[k + 1][0] if k + 1 < len(points) else right
        area += max(min(nxt, right) - x, 0) * max(top - y, 0)
    return area
