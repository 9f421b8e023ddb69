"""Ladders, light at points and sliders: against plain implementations of the same work, in the same run."""

from __future__ import annotations

import time

import numpy as np
from msgspec.structs import replace

from timed import hold_to, median_s, say
from vastwatch.control.house import run_house
from vastwatch.control.ladder import levels_of, winners
from vastwatch.control.light.illuminance import lit_grid, spot_lux
from vastwatch.control.lighting import run_ladders
from vastwatch.design.project import find, put
from vastwatch.memo import MEMO
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.reaction_inputs import manual_actions
from vastwatch.signals import Signal

ROOMS, ROWS = 40, 6
WEEK = 7 * 86_400.0


def some_rows(rng) -> list[Signal]:
    """Six rows of a room's week: some that change often, some seldom."""
    return [
        Signal(0.0, WEEK, bool(rng.integers(0, 2)), np.sort(rng.uniform(0, WEEK, int(n))))
        for n in rng.choice([14, 60, 400, 2000], ROWS)
    ]


def plain_ladder(rows, goals, fades):
    """The same from the definition, switch after switch: the first that holds, and from where to where a lamp goes."""
    edges = sorted({0.0, *(t for r in rows for t in r.switches.tolist())})
    points, goal, fade, begin, start = [], float(goals[-1]), 0.0, 0.0, float(goals[-1])
    for t in edges:
        k = next((k for k, r in enumerate(rows) if r.at(t)), len(rows))
        if goals[k] != goal:
            now = goal if fade == 0 or t - begin >= fade else start + (goal - start) * (t - begin) / fade
            points.append((t, now))
            goal, fade, begin, start = float(goals[k]), float(fades[k]), t, now
    return points


def test_ladders_of_forty_rooms_for_a_week():
    """0.3 s on two cores."""
    rng = np.random.default_rng(4)
    every = [some_rows(rng) for _ in range(ROOMS)]
    goals, fades = np.array([0.1, 1.0, 0.4, 1.0, 0.0, 0.6, 0.0]), np.array([4.0, 1.0, 2.0, 0.0, 5.0, 30.0, 2.0])

    def fast():
        return [levels_of(winners(rows, 0.0, WEEK), goals, fades) for rows in every]

    taken = median_s(fast, 5)
    begin = time.perf_counter()
    plain = [plain_ladder(rows, goals, fades) for rows in every[:2]]
    slow = (time.perf_counter() - begin) * ROOMS / 2
    for levels, points in zip(fast()[:2], plain):
        t = np.array([p[0] for p in points])
        assert np.allclose(levels.before(t[1:]), [p[1] for p in points][1:], atol=1e-9)
    hold_to(0.3, taken, f"ladders of {ROOMS} rooms with {ROWS} rows for a week, {slow / taken:.0f} times a plain one")


def test_the_samples_week_with_everything_on(demo):
    """Another week with ladders, hands, outputs and all scores: 1.0 s."""
    rehearse(demo, 7, 10)
    taken = []
    for seed in (21, 22, 23):
        begin = time.perf_counter()
        r = rehearse(demo, 7, seed)
        _ = r.scores, r.incidents, r.light_scores, r.output_scores
        taken.append(time.perf_counter() - begin)
    hold_to(1.0, min(taken), "the sample's week with everything on")


def test_the_house_alone_concludes_and_lights_a_known_week(demo):
    r = rehearse(demo, 7, 1)
    hands = manual_actions(demo, r.truth, r.recording)

    def afresh():
        MEMO.clear()
        return run_house(demo, r.recording, hands)

    say(f"the house alone, nothing kept: {1e3 * median_s(afresh, 3):.0f} ms")


def test_light_at_points_against_one_point_after_the_other(demo):
    lamps = len([x for x in demo.lamps if x.room == "sitting"])
    grid = lit_grid(demo, "sitting")
    levels = {x.id: 0.7 for x in demo.lamps if x.room == "sitting"}
    summed = median_s(lambda: grid.lux(levels), 20)
    hold_to(0.004, summed, f"a floor of {grid.inside.size} squares at other levels, {lamps} lamps")


def test_a_slider_moved_to_lux_repainted(app, demo):
    """From a level that a slider asks for until pools and figures of it are on the plan: 16 ms, a frame."""
    from PyQt6.QtTest import QTest

    from vastwatch.desk.shell.app import Desk
    from vastwatch.desk.shell.document import Document

    desk = Desk(Document(demo))
    window = desk.window
    window.resize(1280, 800)
    window.show()
    window.focus.set(stage="Scenes", room="sitting", level="upper", row="row-evening", scene="scene-evening")
    window.focus.set(time=86_400 + 20.5 * 3600)
    QTest.qWait(300)
    while window.results.busy():
        QTest.qWait(20)
    slider = window.panel("Scenes").scene.sliders["lamp-sitting"]
    slider.setSliderDown(True)
    frames = []
    for k in range(40):
        begin = time.perf_counter()
        slider.setValue(95 - k)
        window.plan.viewport().repaint()
        frames.append(1e3 * (time.perf_counter() - begin))
        QTest.qWait(1)
    slider.setSliderDown(False)
    frames = sorted(frames[5:])
    desk.document.undo_stack.setClean()
    window.close()
    hold_to(
        0.016, 1e-3 * frames[len(frames) // 2], f"a slider moved to lux repainted, worst {frames[-1]:.1f} ms; median"
    )


def test_another_level_in_a_scene_costs_the_algebra_of_one_room(demo):
    r = rehearse(demo, 7, 1)
    own = r.house.conclusions.presences["presence-sitting"]
    taken = []
    for k in range(8):
        scene = find(demo.scenes, "scene-evening")
        levels = tuple(replace(x, level=0.3 + 0.05 * k) for x in scene.levels)
        other = put(demo, replace(scene, levels=levels))
        begin = time.perf_counter()
        run_ladders(other, "sitting", r.recording, own)
        taken.append(time.perf_counter() - begin)
    hold_to(0.02, float(np.median(taken)), "a room's ladder at another level")


def test_lux_at_spots_is_known_at_once(demo):
    MEMO.clear()
    begin = time.perf_counter()
    spot_lux(demo, "throwing")
    say(
        f"lux at the spots of a room, its walls as shadows, nothing known: {1e3 * (time.perf_counter() - begin):.1f} ms"
    )
