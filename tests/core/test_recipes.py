"""Recipes come to what the ladder comes to: played event by event by a player that knows nothing of ladders."""

from __future__ import annotations

import os
from datetime import date

import numpy as np
import pytest
from msgspec.structs import replace

from recipe_player import play
from samples import make_room
from vastwatch.control.evaluation import evaluate_expr
from vastwatch.control.export.recipe_words import as_plain, as_rows, in_words
from vastwatch.control.export.recipes import conventional_name, output_recipes, recipes_of
from vastwatch.control.house import run_house
from vastwatch.control.ladder import ramped
from vastwatch.control.lighting import lit_by_press, run_ladders
from vastwatch.control.manual.override import UnderlyingLight, overrides
from vastwatch.control.recording import Recording
from vastwatch.design.expressions import (
    AllOf,
    AnyOf,
    AtLeast,
    ClockTime,
    ConclusionRef,
    Dark,
    DoorLatch,
    Hold,
    MinimumOn,
    Not,
    OnDelay,
    Report,
    StartKeep,
)
from vastwatch.design.ladders import ladder_lamps
from vastwatch.design.presence import press_hold
from vastwatch.design.project import find
from vastwatch.design.records import Button, Conclusion, Fan, LadderRow, Lamp, LampGroup, LampLevel, OutputRow, Scene
from vastwatch.files.check import faults_of
from vastwatch.signals import Calendar, Signal, any_of
from vastwatch.site.record import seconds_of

ROUNDS = 300 if os.environ.get("THOROUGH") else 60
SENSORS = ("s1", "s2", "s3")


def random_expr(rng: np.random.Generator, leaves: list, deep: int = 3):
    if deep == 0 or rng.random() < 0.35:
        return leaves[rng.integers(len(leaves))]

    def part():
        return random_expr(rng, leaves, deep - 1)

    seconds = float(rng.choice([0, 1, 5, 30, 90, 600]))
    kind = rng.integers(9)
    if kind == 0:
        return AnyOf(of=(part(), part()))
    if kind == 1:
        return AllOf(of=(part(), part()))
    if kind == 2:
        return AtLeast(k=2, of=(part(), part(), part()))
    if kind == 3:
        return Not(of=part())
    if kind == 4:
        return Hold(of=part(), seconds=seconds)
    if kind == 5:
        return OnDelay(of=part(), seconds=seconds)
    if kind == 6:
        return MinimumOn(of=part(), seconds=seconds)
    if kind == 7:
        return StartKeep(start=part(), keep=part())
    return DoorLatch(motion=part(), door=part(), hold_s=seconds, settle_s=float(rng.choice([0, 10])))


def random_ladder(rng: np.random.Generator):
    """A room with three sensors, conclusions that name each other, lamps, scenes, one ladder or two, and buttons."""
    room = make_room()
    sensors = tuple(replace(room.sensors[0], id=s, name=f"Sensor {s}") for s in SENSORS)
    leaves = [Report(sensor=s) for s in SENSORS]
    presences = [
        Conclusion(id="here", room="big", name="Somebody", expr=Hold(of=random_expr(rng, leaves, 1), seconds=90))
    ]
    for k in range(int(rng.integers(0, 3))):
        named_ = [*leaves, *(ConclusionRef(presence=p.id) for p in presences)]
        presences.append(
            Conclusion(id=f"p{k}", room="big", name=f"Fact {k}", lights=False, expr=random_expr(rng, named_, 2))
        )
    lamps = (
        *room.lamps,
        Lamp(id="floor", room="big", name="Floor lamp", at=(1, 1), watts=6, lumens=500, least_level=0.1),
        Lamp(id="plain", room="big", name="Plain lamp", at=(4, 1), watts=6, lumens=500, dims=False),
    )
    scenes = tuple(
        Scene(
            id=f"scene{k}", room="big", name=f"Scene {k}",
            levels=tuple(
                LampLevel(
                    lamp=x.id, level=float(rng.choice([0, 0.05, 0.5, 1.0])), fade_s=float(rng.choice([0, 2, 20]))
                )
                for x in lamps if rng.random() < 0.7
            ),
        )
        for k in range(3)
    )  # fmt: skip
    leaves += [ConclusionRef(presence=p.id) for p in presences]
    leaves += [Dark(room="big"), ClockTime(begin="22:00", end="06:00"), ClockTime(begin="sunset", end="23:30")]
    rules = tuple(
        LadderRow(
            id=f"r{k}", room="big", name=f"Row {k}", when=random_expr(rng, leaves, 2), scene=f"scene{rng.integers(3)}"
        )
        for k in range(int(rng.integers(1, 6)))
    )
    buttons = tuple(
        Button(
            id=f"b{k}", room="big", name=f"Button {k}", at=(1, 1), does=str(rng.choice(["toggle", "off", "scene", "leave"])),
            scene=None if rng.random() < 0.5 else f"scene{rng.integers(3)}",
            ends=str(rng.choice(["vacancy", "minutes", "clock", "press"])), minutes=float(rng.choice([1, 45])),
            clock=str(rng.choice(["06:00", "13:30"])),
        )
        for k in range(int(rng.integers(0, 3)))
    )  # fmt: skip
    groups = ()
    if rng.random() < 0.5:
        # A lamp or two with a ladder of their own.
        mine = tuple(str(x) for x in rng.permutation([x.id for x in lamps])[: int(rng.integers(1, 3))])
        groups = (LampGroup(id="group", room="big", name="Corner", lamps=mine),)
        rules = tuple(replace(r, group="group") if rng.random() < 0.5 else r for r in rules)
    control = "absence" if rng.random() < 0.25 else "presence"
    return replace(
        room, sensors=sensors, presences=tuple(presences), lamps=lamps, scenes=scenes, rules=rules, buttons=buttons,
        lamp_groups=groups,
        rooms=(replace(room.rooms[0], control=control), *room.rooms[1:]),
    )  # fmt: skip


def random_signal(rng: np.random.Generator, end: float, each: float) -> Signal:
    n = max(int(end / each), 1)
    at = np.sort(np.round(rng.uniform(0, end, n), 3))
    # Some switch at the very instants at which timers of others run out.
    more = at[: n // 4] + rng.choice([1.0, 5.0, 30.0, 90.0], n // 4)
    switches = np.unique(np.concatenate([at, np.round(more, 3)]))
    switches = switches[(switches > 0) & (switches < end)]
    return Signal(0.0, end, bool(rng.random() < 0.3), switches)


def a_week(rng: np.random.Generator, days: int = 7) -> Recording:
    calendar = Calendar(date(2026, 1, 12), "UTC", days)
    reports = {(s, None): random_signal(rng, calendar.end, float(rng.choice([60.0, 900.0, 7200.0]))) for s in SENSORS}
    return Recording(calendar, reports)


@pytest.mark.parametrize("seed", range(ROUNDS))
def test_a_week_of_recipes_is_the_week_of_the_ladder(seed):
    rng = np.random.default_rng(seed)
    project = random_ladder(rng)
    assert list(faults_of(project)) == []
    recording = a_week(rng)
    end, calendar = recording.end, recording.calendar
    lamps = ladder_lamps(project, "big")
    book = recipes_of(project, "big")
    if not lamps:
        assert book is None
        return
    here = find(project.presences, "here")
    own = evaluate_expr(project, here.expr, recording)
    presses = []
    by_hand = find(project.rooms, "big").control == "absence"
    wall = random_signal(rng, end, 9000.0) if by_hand else None
    if wall is not None:
        wall = Signal.from_intervals(np.column_stack([wall.rises, wall.rises + 0.5]), 0.0, end)
        keep = own | wall.hold(press_hold(here.expr))
        own = wall.start_keep(keep)
    if project.buttons:
        at = np.sort(np.round(rng.uniform(0, end, 60), 3))
        at = at[np.concatenate([[True], np.diff(at) > 0])]
        presses = [(float(t), str(rng.choice([b.id for b in project.buttons]))) for t in at]
    # The ladder, with hands above it.
    below = run_ladders(project, "big", recording, own)
    lit = any_of(list(below.wanted.values()))
    beneath = UnderlyingLight(lit, own, press_hold(here.expr), lit_by_press(below, project.scenes))
    hands = overrides(beneath, project.buttons, calendar, None, presses)
    did = run_ladders(project, "big", recording, own, hands)
    # The recipes, played.
    inputs = {i.name: evaluate_expr(project, i.expr, recording) for i in book.inputs}
    if wall is not None:
        name = next(n for n, what in book.buttons.items() if what == "the wall switch")
        inputs[name] = wall
    by_id = {ident: name for name, ident in book.buttons.items()}

    def next_clock(clock: str, t: float) -> float:
        days = (calendar.instant(d, seconds_of(clock)) for d in range(calendar.days + 1))
        return next((x for x in days if x > t), end)

    played = play(book, inputs, [(t, by_id[b]) for t, b in presses], end, next_clock)
    for name, ident in book.lamps.items():
        t, level, fade = (np.array(x) for x in zip(*played[name]))
        mine = ramped(t, level, fade, end)
        assert mine.same_as(did.levels[ident], 1e-6), (seed, name)
        wanted = Signal.from_intervals(
            np.column_stack([t, np.append(t[1:], end)])[level > 0] if (level > 0).any() else [], 0.0, end
        )
        assert wanted.same_as(did.wanted[ident], 1e-3)


def test_the_recipes_of_the_sample_are_told_in_words_in_json_and_as_a_table(demo):
    book = recipes_of(demo, "sitting")
    lines = in_words(book)
    assert "  1. radar_sitting_room held" not in lines and any("film_playing_in_sitting_room" in x for x in lines)
    plain = as_plain(book)
    facts = {x["name"] for x in plain["inputs"]} | set(plain["helpers"])
    for r in plain["recipes"]:
        for trigger in r["when"]:
            if trigger["kind"] == "becomes":
                assert trigger["fact"] in facts
    rows = list(as_rows(book))
    assert len(rows) == len(plain["recipes"]) + 1 and all(len(r) == 5 for r in rows)
    assert recipes_of(demo, "throwing") is None


def test_names_keep_to_one_convention():
    assert conventional_name("PIR, stair foot", "pir-1", "words_with_underscores") == "pir_stair_foot"
    assert conventional_name("PIR, stair foot", "pir-1", "WordsTogether") == "PIRStairFoot"
    assert conventional_name("PIR, stair foot", "pir-1", "words with spaces") == "PIR stair foot"
    assert conventional_name("PIR, stair foot", "pir-1", "ids") == "pir-1"


def test_the_recipes_of_outputs_come_to_their_rows_and_locks():
    """Without guards, which are set on what switches it."""
    span = Calendar(date(2026, 1, 12), "UTC", 1)
    for luck in range(ROUNDS // 2):
        rng = np.random.default_rng(10_000 + luck)
        project = random_ladder(rng)
        leaves = [Report(sensor=s) for s in SENSORS] + [ConclusionRef(presence=p.id) for p in project.presences]
        fan = Fan(
            id="fan", room="big", name="Fan", at=(1, 1), watts=10,
            rows=tuple(
                OutputRow(name=f"Row {k}", when=random_expr(rng, leaves, 2), level=float(rng.choice([0.0, 0.4, 1.0])))
                for k in range(int(rng.integers(1, 4)))
            ),
            locks=tuple(random_expr(rng, leaves, 1) for _ in range(int(rng.integers(0, 3)))),
        )  # fmt: skip
        project = replace(project, outputs=(fan,))
        reports = {}
        for s in SENSORS:
            switches = np.sort(rng.choice(np.arange(1, 86_400), int(rng.integers(2, 60)), replace=False)).astype(float)
            reports[s, None] = Signal(0.0, span.end, bool(rng.integers(2)), switches)
        recording = Recording(span, reports)
        levels = run_house(project, recording).outputs["fan"]
        book = output_recipes(project, fan)
        inputs = {i.name: evaluate_expr(project, i.expr, recording) for i in book.inputs}
        (steps,) = play(book, inputs, (), span.end).values()
        begin, level = (np.array(x) for x in zip(*[(t, v) for t, v, _ in steps]))
        played = ramped(begin, level, np.zeros(len(begin)), span.end)
        assert played.same_as(levels, 1e-3), luck


def test_guards_are_noted_and_names_differ_from_room_to_room(demo):
    extractor = find(demo.outputs, "extractor")
    book = output_recipes(demo, extractor)
    assert any("stays on for at least 2 min" in n for n in book.notes)
    assert output_recipes(demo, replace(extractor, rows=())) is None
    books = [recipes_of(demo, room) for room in ("landing", "passage")]
    rows = [set(b.row) for b in books]
    assert not rows[0] & rows[1]
