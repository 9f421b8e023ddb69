"""The core, each against a plain implementation of the same work in the same run: `make bench`.

The ratios are what counts: the absolute figures depend on the machine and on what else it does. A bar missed fails.
"""

from __future__ import annotations

import math
import os
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import pytest
import shapely
from msgspec.structs import replace

from timed import hold_to, median_s, say
from vastwatch.advice.simulation.hold_curves import curves
from vastwatch.control.evaluation import evaluate_expr
from vastwatch.design.project import find, put
from vastwatch.design.relations import presence_of
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.reaction_inputs import start_and_keep
from vastwatch.rehearsal.scoring.scores import false_offs
from vastwatch.sensing.coverage import notice_times, room_cells
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.obstacles import obstacles
from vastwatch.signals import Signal


def per_cell_loop(project, sensor, points, heights) -> np.ndarray:
    """Visible share of the body at each cell, by one shapely sight line per cell and obstacle."""
    around = obstacles(project, sensor.level, "infrared")
    x, y, h = sensor.at
    walls = [shapely.LineString([a, b]) for a, b in zip(around.full.a, around.full.b)]
    prisms = [(shapely.Polygon(p.outline), p.z0, p.z1) for p in around.prisms]
    share = np.zeros(len(points))
    for k, (px, py) in enumerate(points):
        ray = shapely.LineString([(x, y), (px, py)])
        if any(ray.crosses(w) for w in walls):
            continue
        seen = np.ones(len(heights), bool)
        for outline, z0, z1 in prisms:
            over = ray.intersection(outline)
            if over.is_empty or over.length == 0:
                continue
            far = [math.dist((x, y), c) / ray.length for c in over.coords]
            for i, z in enumerate(heights):
                zs = [h + (z - h) * f for f in far]
                if min(zs) < z1 and max(zs) > z0:
                    seen[i] = False
        share[k] = seen.mean()
    return share


def test_coverage_of_a_moved_sensors_room_against_a_per_cell_loop(demo):
    from vastwatch.sensing.bodies import STANDING
    from vastwatch.sensing.coverage import level_grid

    room, sensor = find(demo.rooms, "throwing"), find(demo.sensors, "pir-throwing")
    cells = room_cells(demo.rooms, room)
    points = np.asfortranarray(level_grid(demo.rooms, "ground").points[cells])
    step = iter(range(10_000))

    def moved():
        s = replace(sensor, at=(sensor.at[0] - 0.001 * next(step), *sensor.at[1:]))
        return notice_times(mount(put(demo, s), s), points, "across")

    fast = median_s(moved, 40)
    some = points[:: max(len(points) // 400, 1)]
    start = time.perf_counter()
    per_cell_loop(demo, sensor, some, STANDING.heights)
    slow = (time.perf_counter() - start) * len(points) / len(some)
    say(
        f"coverage of one room, {len(points)} cells of 5 cm: {fast * 1e3:.1f} ms; per-cell loop {slow * 1e3:.0f} ms; × {slow / fast:.0f} (bar 50)"
    )
    assert slow / fast >= 50


def test_the_adviser_ranks_the_whole_sample(demo):
    from vastwatch.advice.adviser.shortlist import shortlist
    from vastwatch.devices import catalogue

    def ranked():
        # Of another project each time: who asks again hears the same at once.
        project = replace(demo, name=f"{demo.name} ")
        return [shortlist(project, room.id) for room in project.rooms]

    seconds = median_s(ranked, 3)
    tried = sum(len(options) for options in ranked())
    hold_to(2.0, seconds, f"the adviser, {len(demo.rooms)} rooms, {tried} options of {len(catalogue())} types")


# -- rehearsal -----------------------------------------------------------------------------------------------------


def test_rehearsing_a_week(demo):
    seeds = iter(range(100, 1000))

    def week():
        return rehearse(demo, 7, next(seeds))

    seconds = median_s(week, 12)
    hold_to(0.5, seconds, f"a rehearsed week, {7 * 86_400 / seconds:,.0f} × real time")


def test_following_a_changed_hold_time(demo):
    from vastwatch.design.edits.sensors import set_hold

    rehearse(demo, 7, 1)
    holds = iter(range(30, 4000))
    seconds = median_s(lambda: rehearse(set_hold(demo, "presence-throwing", float(next(holds))), 7, 1).scores, 30)
    hold_to(0.1, seconds, "ribbon, incidents and verdict after a new hold time")


# -- timing curve --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("room", ["throwing", "sitting"])
def test_the_timing_curve_against_a_thousand_holds_one_by_one(demo, room):
    r = rehearse(demo, 28, 1)
    start, keep = (evaluate_expr(demo, e, r.recording) for e in start_and_keep(presence_of(demo, room).expr))
    awake, dark = r.awake(room), r.house.dark(room)
    need, nobody = awake & dark, dark - awake
    holds = np.linspace(0.5, 3600, 1000)

    def one_pass():
        exact = curves(start, keep, need, nobody)
        return exact.drops(holds), exact.dark_s(holds), exact.idle_s(holds)

    def one_by_one():
        rows = []
        for hold in holds.tolist():
            lit = start.start_keep(keep.hold(hold))
            rows.append((len(false_offs(lit, need)), (need - lit).total(), (nobody & lit).total()))
        return np.array(rows).T

    fast = median_s(one_pass, 20)
    begin = time.perf_counter()
    slow_result = one_by_one()
    slow = time.perf_counter() - begin
    error = max(np.abs(a - b).max() for a, b in zip(one_pass(), slow_result))
    say(
        f"timing curve of {room}, four weeks, {len(keep)} switchings: {fast * 1e3:.1f} ms; 1,000 holds one by one "
        f"{slow * 1e3:.0f} ms; × {slow / fast:.0f} (bar 100); greatest difference {error:.1e} s (bar 1e-6)"
    )
    assert slow / fast >= 100
    assert error <= 1e-6


# -- signals -------------------------------------------------------------------------------------------------------


def test_signal_algebra_on_ten_thousand_switchings():
    rng = np.random.default_rng(1)
    a, b = (Signal(0, 1e6, False, np.sort(rng.random(10_000) * 1e6)) for _ in range(2))

    def plain_any():
        """The same union by a walk over both lists of intervals."""
        rows = sorted([*a.intervals.tolist(), *b.intervals.tolist()])
        out = [rows[0]]
        for lo, hi in rows[1:]:
            if lo <= out[-1][1]:
                out[-1][1] = max(out[-1][1], hi)
            else:
                out.append([lo, hi])
        return out

    plain = median_s(plain_any, 9)
    for name, work in (("any of", lambda: a | b), ("all of", lambda: a & b), ("hold", lambda: a.hold(30.0))):
        seconds = median_s(work, 200)
        hold_to(1e-3, seconds, f"{name}, 10,000 switchings, × {plain / seconds:.0f} a plain walk")


# -- a new hold in the whole window --------------------------------------------------------------------------------
