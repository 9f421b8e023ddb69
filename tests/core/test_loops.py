"""Compiled loops against the same in plain numbers, by their definitions and the draws of `rng`."""

from __future__ import annotations

import ast
import math
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import vastwatch
from vastwatch import cli
from vastwatch.answers.prepare import prepare
from vastwatch.loops import announcing, cache, compiling
from vastwatch.loops import notices as loops
from vastwatch.loops.movements import gaps_of
from vastwatch.loops.notices import Rates, Walks, noticed_moving, noticed_resting, noticed_walking
from vastwatch.loops.rng import exponential_of, normal_of, normal_pair_of, sub_key_of, uniform_of
from vastwatch.people.routes import STEP
from vastwatch.rehearsal.noticing.at_rest import DENSE
from vastwatch.rehearsal.noticing.interval_merging import merge_notices
from vastwatch.rehearsal.noticing.notices import WALK_HZ
from vastwatch.rng import exponential, normal, normal_pair, poisson_times, sub_keys, uniform
from vastwatch.sensing.reporting import hold_blind_merge, hold_merge

seeds = st.integers(0, 2**32 - 1)


@given(st.integers(0, 2**64 - 1), st.integers(0, 2**52))
def test_one_number_is_the_one_of_the_array(key, index):
    k = np.uint64(key)
    assert sub_key_of(k, index) == sub_keys(k, index)
    assert uniform_of(k, index) == uniform(k, index)
    assert exponential_of(k, index) == pytest.approx(float(exponential(k, index)), rel=1e-14)
    assert normal_of(k, index) == pytest.approx(float(normal(k, index)), rel=1e-9, abs=1e-12)
    assert normal_pair_of(k, index) == pytest.approx([float(x[0]) for x in normal_pair(k, [index])], abs=1e-5)


@given(seeds)
def test_small_movements_are_a_sum_of_gaps_from_the_arrival_on(seed):
    rng = np.random.default_rng(seed)
    n = int(rng.integers(1, 6))
    keys = sub_keys(seed, np.arange(n))
    since, lasts = rng.uniform(0, 1e6, n), rng.choice([0.0, 3.0, 200.0, 20_000.0], n)
    dawn = since + rng.choice([-1.0, 50.0], n)
    median, sigma, rate = rng.uniform(2, 90, n), rng.uniform(0.1, 1.5, n), rng.uniform(0.001, 0.5, n)
    t, of = gaps_of(keys, since, lasts, dawn, median, sigma, rate)
    for k in range(n):
        gaps = median[k] * np.exp(sigma[k] * normal(keys[k], np.arange(40_000)))
        moved = np.cumsum(gaps)
        moved = since[k] + moved[moved < lasts[k]]
        assert t[of == k] == pytest.approx(moved[moved >= dawn[k]], abs=1e-6)


def spans_of(walks, rates, begin, end):
    """For how long each walk is looked at: where anything may be noticed of it, and one sample beside."""
    step, reach = STEP / walks.speed, (walks.bearing, walks.route)
    since, until = rates.since[reach], rates.until[reach]
    near = walks.out + (since - rates.out[walks.route] - 1) * step
    far = walks.out + (until - rates.out[walks.route] + 2) * step
    near = np.where(since == 0, walks.leave, np.maximum(walks.leave, near))
    far = np.where(until == rates.samples[walks.route] - 1, walks.arrive, np.minimum(walks.arrive, far))
    first, last = (np.floor(x * WALK_HZ) for x in (np.maximum(near, begin), np.minimum(far, end)))
    return (last + 1 - first) / WALK_HZ


@given(seeds, st.booleans(), st.sampled_from([0.0, 8.0, 100.0]))
def test_walkers_are_looked_at_in_each_fifth_of_a_second(seed, by_speed, joined_s):
    """Every fifth of a second of the whole span, one after the other; also where walks begin and end in sight. Of a
    walk that is short enough the first and the last are told."""
    rng = np.random.default_rng(seed)
    routes, people, bearings = int(rng.integers(1, 4)), 2, 2
    samples = rng.integers(2, 60, routes)
    first = np.concatenate([[0], np.cumsum(samples)])[:-1]
    walk = np.where(rng.random((bearings, samples.sum())) < 0.5, rng.uniform(0, 9, (bearings, samples.sum())), 0.0)
    out = np.array([rng.integers(0, s) for s in samples])
    since, until = np.full((2, bearings, routes), -1)
    for b in range(bearings):
        for r in range(routes):
            seen = np.flatnonzero(walk[b, first[r] : first[r] + samples[r]] > 0)
            if len(seen):
                since[b, r], until[b, r] = seen[0], seen[-1]
    n = int(rng.integers(1, 5))
    route, speed, left = rng.integers(0, routes, n), rng.uniform(0.5, 2.0, n), rng.uniform(20.0, 60.0, n)
    leave = left - out[route] * STEP / speed
    arrive = left + (samples[route] - 1 - out[route]) * STEP / speed
    who, bearing = rng.integers(0, people, n), rng.integers(0, bearings, n)
    some = until[bearing, route] >= 0
    walks = Walks(*(x[some] for x in (leave, arrive, left, route, speed, who, bearing)))
    look, key = sub_keys(seed, np.arange(people)), sub_keys(seed, 7 + np.arange(people))
    begin, end = 25.0, float(rng.uniform(30, 70))
    rates = Rates(first, samples, out, walk, since, until, by_speed, STEP, WALK_HZ)
    t, of = noticed_walking(walks, rates, look, key, begin, end, joined_s)
    expected, told, kept = [], list(zip(t.tolist(), of.tolist())), np.flatnonzero(some).tolist()
    for k in range(n):
        mine: list[tuple[float, int]] = []
        for tick in range(int(100 * WALK_HZ)):
            at = (tick + float(uniform(look[who[k]], tick))) / WALK_HZ
            if not max(leave[k], begin) <= at < min(arrive[k], end):
                continue
            sample = out[route[k]] + math.floor((at - left[k]) * speed[k] / STEP)
            rate = walk[bearing[k], first[route[k]] + min(max(sample, 0), samples[route[k]] - 1)]
            rate *= speed[k] if by_speed else 1.0
            if float(uniform(key[who[k]], tick)) < -math.expm1(-rate / WALK_HZ):
                mine.append((at, int(who[k])))
        if k in kept and spans_of(walks, rates, begin, end)[kept.index(k)] <= joined_s:
            # All of them lie close enough together.
            mine = mine if len(mine) < 3 else [mine[0], mine[-1]]
        expected += mine
    assert told == expected


@given(seeds)
def test_each_small_movement_is_noticed_by_its_chance(seed):
    rng = np.random.default_rng(seed)
    n = 30
    t, spot, large = rng.uniform(0, 1e6, n), rng.integers(0, 3, n), rng.random(n) < 0.5
    who, bearing, key = rng.integers(0, 2, n), np.array([1, 0]), sub_keys(seed, np.arange(2))
    by_large, by_small = rng.choice([0.0, 0.3, 1.0], (2, 2, 3))
    hit = noticed_moving(t, spot, large, who, bearing, by_large, by_small, key)
    chance = np.where(large, by_large[bearing[who], spot], by_small[bearing[who], spot])
    assert hit.tolist() == np.flatnonzero(uniform(key[who], np.floor(1000 * t).astype(int)) < chance).tolist()


@given(seeds, st.floats(0.5, 30.0))
def test_whoever_rests_is_detected_as_a_poisson_process_draws_it(seed, hold):
    rng = np.random.default_rng(seed)
    n = 4
    keys, rate, a = sub_keys(seed, np.arange(n)), rng.choice([0.0, 0.001, 0.05, 0.3], n), rng.uniform(0, 1e5, n)
    b = a + rng.choice([0.5, 60.0, 9000.0], n)
    begin, end, of = noticed_resting(keys, rate, a, b, hold, DENSE)
    for k in range(n):
        mine = of == k
        if rate[k] * hold <= DENSE:
            drawn = poisson_times(keys[k], float(rate[k]), float(a[k]), float(b[k]))
            assert begin[mine] == pytest.approx(drawn, rel=1e-12) and (begin[mine] == end[mine]).all()
            continue
        # Stretches a hold and more apart, within the stay.
        assert (begin[mine][1:] >= end[mine][:-1] + hold).all() and (end[mine] <= b[k]).all()
        assert (begin[mine] >= a[k]).all() and (begin[mine] <= end[mine]).all()


notices = st.lists(st.tuples(st.floats(0.0, 20.0), st.floats(0.0, 9.0)), max_size=40)


def rows_of(steps):
    start = np.cumsum([gap for gap, _ in steps]) if steps else np.empty(0)
    return start, start + np.array([lasts for _, lasts in steps]) if steps else start


@given(notices, st.floats(0.0, 15.0), st.sampled_from([0.0, 2.0, 8.0]))
def test_what_counts_of_a_run_is_its_ends_and_what_lies_in_the_blind_time(steps, hold, blind):
    start, end = rows_of(steps)
    kept, until = merge_notices(start, end, hold, blind)
    runs: list[list[int]] = []
    reach = -math.inf
    for k in range(len(start)):
        if start[k] > reach + hold:
            runs.append([])
        runs[-1].append(k)
        reach = max(reach, end[k])
    expected = []
    for run in runs:
        early = [k for k in run if blind > 0 and start[k] <= start[run[0]] + blind]
        stay = sorted({run[0], run[-1], *early, *(k + 1 for k in early if k + 1 in run)})
        ends = [start[k] for k in stay[1:]] + [end[: run[-1] + 1].max()]
        expected += list(zip(start[stay].tolist(), ends))
    assert list(zip(kept.tolist(), until.tolist())) == expected


@given(notices, st.floats(0.0, 15.0))
def test_a_device_stays_on_for_its_hold_after_each_notice(steps, hold):
    start, end = rows_of(steps)
    rows: list[list[float]] = []
    for a, b in zip(start.tolist(), end.tolist()):
        if rows and a <= rows[-1][1]:
            rows[-1][1] = max(rows[-1][1], b + hold)
        else:
            rows.append([a, b + hold])
    assert hold_merge(start, end, hold).tolist() == rows


def laid_out(people):
    """Notices of some people, one after the other, and whose each is."""
    rows = [rows_of(steps) for steps in people]
    start, end = (np.concatenate([r[k] for r in rows]) for k in (0, 1))
    return start, end, np.repeat(np.arange(len(rows)), [len(r[0]) for r in rows])


@given(st.lists(notices, min_size=1, max_size=4), st.floats(0.0, 15.0), st.sampled_from([0.0, 2.0, 8.0]))
def test_of_many_people_each_ones_notices_are_left_out_alone(people, hold, blind):
    start, end, of = laid_out(people)
    kept, until, whose = loops.condensed(start, end, of, hold, blind)
    for k in range(len(people)):
        alone = merge_notices(start[of == k], end[of == k], hold, blind)
        assert [x.tolist() for x in alone] == [kept[whose == k].tolist(), until[whose == k].tolist()]


@given(st.lists(notices, min_size=1, max_size=4), st.floats(0.5, 15.0), st.sampled_from([0.0, 2.0, 8.0]))
def test_no_report_depends_on_what_is_left_out_of_each_person(people, hold, blind):
    """Several people in one room: left out of each by itself, and of all together not at all."""
    start, end, of = laid_out(people)

    def said(start, end):
        order = np.argsort(start, kind="stable")
        return hold_blind_merge(start[order], end[order], hold, blind)

    fewer = loops.condensed(start, end, of, hold, blind)
    assert said(*fewer[:2]).tolist() == said(start, end).tolist()


@given(st.lists(notices, min_size=1, max_size=4), st.floats(0.5, 15.0), st.sampled_from([0.0, 2.0, 8.0]), seeds)
def test_a_device_reports_in_each_life_what_it_reports_there_alone(lives, hold, blind, seed):
    start, end, of = laid_out(lives)
    cuts = np.searchsorted(of, np.arange(len(lives) + 1))
    rows, ends = loops.hold_blind_merge(start, end, cuts, hold, blind)
    moving = np.random.default_rng(seed).random(len(of)) < 0.6
    moved, at = loops.hold_merge(start, end, moving, cuts, hold)
    for k in range(len(lives)):
        mine, move = of == k, (of == k) & moving
        assert rows[ends[k] : ends[k + 1]].tolist() == hold_blind_merge(start[mine], end[mine], hold, blind).tolist()
        assert moved[at[k] : at[k + 1]].tolist() == hold_merge(start[move], end[move], hold).tolist()


# `make mutants` runs the loops as plain Python, where coverage sees them.
compiler = pytest.mark.skipif(bool(os.environ.get("NUMBA_DISABLE_JIT")), reason="the compiler is off")

# -- never stale ---------------------------------------------------------------------------------------------------

SOURCES = Path(vastwatch.__file__).parent
# A loop that is quickly compiled, of a callee in another file.
TINY = """from vastwatch.loops.compiling import compiled
from vastwatch.loops.rng import uniform_of

@compiled
def tiny(key):
    return uniform_of(key, 3)
"""
DRAW = "import numpy as np\nfrom vastwatch.loops.tiny import tiny\nprint(tiny(np.uint64(7)))"
MISSES = "\nprint(tiny.stats.cache_misses.total())"


def said_by(package: Path, kept: Path, words: str = DRAW) -> str:
    """What a process prints that imports the program from a folder and keeps compiled code in another."""
    env = {**os.environ, "PYTHONPATH": str(package), "NUMBA_CACHE_DIR": str(kept)}
    return subprocess.run([sys.executable, "-c", words], env=env, capture_output=True, text=True, check=True).stdout


@pytest.fixture
def package(tmp_path):
    """A copy of what loops are made of, as a package of its own."""
    shutil.copytree(SOURCES / "loops", tmp_path / "vastwatch" / "loops", ignore=shutil.ignore_patterns("__pycache__"))
    for name in ("__init__.py", "rng.py"):
        shutil.copy(SOURCES / name, tmp_path / "vastwatch")
    (tmp_path / "vastwatch" / "loops" / "tiny.py").write_text(TINY)
    return tmp_path


@compiler
def test_a_changed_callee_or_constant_changes_the_figure_and_changed_back_compiles_nothing(package):
    """The caller's own file stays as it is, and so does its time: by itself numba would run what it kept."""
    kept = package / "kept"
    before = said_by(package, kept)
    for file, old, new in (("loops/rng.py", ">> DROPPED", ">> (DROPPED + 1)"), ("rng.py", "0x9E37", "0x9E35")):
        changed = package / "vastwatch" / file
        source = changed.read_text()
        assert old in source
        changed.write_text(source.replace(old, new))
        assert said_by(package, kept) != before
        changed.write_text(source)
    assert said_by(package, kept, DRAW + MISSES) == f"{before}0\n"
    assert len(list(kept.iterdir())) == 3


def test_where_nothing_can_be_kept_a_loop_is_compiled_all_the_same(package):
    (package / "kept").write_text("a file where a folder is wanted")
    assert said_by(package, package / "kept") == said_by(package, package / "other")


def test_loops_import_nothing_else_of_the_program():
    """Compiled code depends on what a loop names when it is compiled: all of that must be in the digest."""
    for file in sorted((SOURCES / "loops").glob("*.py")):
        for node in ast.walk(ast.parse(file.read_text())):
            names = [node.module or ""] if isinstance(node, ast.ImportFrom) else []
            names += [a.name for a in node.names] if isinstance(node, ast.Import) else []
            own = [n for n in names if n.startswith("vastwatch") and n not in ("vastwatch", "vastwatch.rng")]
            assert all(n.startswith("vastwatch.loops") for n in own), f"{file.name} imports {own}"


def test_compiled_code_that_nobody_used_for_a_month_is_removed(tmp_path, monkeypatch):
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path))
    old, young = tmp_path / "loops-old", tmp_path / "loops-young"
    for other in (old, young):
        other.mkdir()
    os.utime(old, (0, 0))
    cache.folder.cache_clear()
    try:
        here = cache.folder()
        assert here is not None and not cache.is_prepared()
        cache.set_prepared()
        assert cache.is_prepared() and young.exists() and not old.exists()
    finally:
        cache.folder.cache_clear()


@compiler
def test_whoever_asked_hears_once_that_loops_are_compiled(monkeypatch):
    monkeypatch.setattr(compiling, "folder", lambda: None)
    heard = []
    announcing.when_compiling(lambda: heard.append(1))
    for add in (1, 2):
        assert compiling.compiled(lambda x, add=add: x + add)(2) == 2 + add
    assert heard == [1]


@compiler
def test_set_up_has_compiled_all_that_a_judge_asks_for():
    """`answers.prepare` calls every loop: a room judged afterwards, in a process of its own, compiles nothing."""
    prepare()
    script = (
        "from vastwatch.loops.announcing import when_compiling\nwhen_compiling(lambda: print('compiled'))\n"
        "from vastwatch.advice.judging.judge import judge\nfrom vastwatch.files import load_demo\n"
        "print(len(judge(load_demo(), 'landing', 7, (1,)).holds) > 9)"
    )
    said = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert said.stdout == "True\n"


def test_a_command_that_has_to_compile_says_so_once(monkeypatch, capsys):
    def compiling_check(project, args):
        announcing.tell_compiling()
        announcing.tell_compiling()
        return {}, ["done"]

    monkeypatch.setitem(cli.COMMANDS, "check", compiling_check)
    assert cli.main(["check", "--demo"]) == 0
    out, err = capsys.readouterr()
    assert out == "done\n" and err.count("preparing compiled code") == 1
