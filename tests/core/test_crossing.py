"""Where parts meet: everything a project can hold, crossed with everything that is done to a project.

Projects are drawn from the declarations of their records (`everything`), edits from those of their arguments
(`drawn_edits`), so that a kind or an edit cannot be forgotten here. THOROUGH=1 walks thousands.
"""

from __future__ import annotations

import contextlib
import json
import os

import msgspec
import numpy as np
import pytest
from msgspec.structs import replace

from drawn_edits import Hand, edits_there_are
from everything import everything, kinds_in, kinds_there_are
from samples import device
from vastwatch.advice.adviser.adviser import advise
from vastwatch.advice.adviser.baselines import baselines
from vastwatch.advice.adviser.purchase import purchases
from vastwatch.advice.checks.conclusions import untold
from vastwatch.advice.judging.settings import JudgeSettings, judging_by
from vastwatch.advice.simulation.room_simulation import simulate_room
from vastwatch.causes.chain import explain
from vastwatch.causes.groups import groups
from vastwatch.causes.investigation import investigation
from vastwatch.design.edits.parting import parted
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.selections import mirror_many, move_many, turn_many
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.edits.split_join import join_rooms, split_room
from vastwatch.design.expressions import (
    AnyOf,
    AtLeast,
    DoorLatch,
    Expr,
    Nothing,
    Report,
    StartKeep,
    every_part,
    tells,
)
from vastwatch.design.ladders import ladders_in, rows_of
from vastwatch.design.places import room_at
from vastwatch.design.presence import hold_of
from vastwatch.design.project import Project, find, put
from vastwatch.design.references import astray, settled
from vastwatch.design.relations import outputs_in, presence_of, sensors_of
from vastwatch.design.sentence import in_words
from vastwatch.devices import catalogue
from vastwatch.files import ProjectError
from vastwatch.files.check import faults_of
from vastwatch.files.project_file import decode, encode, save_project
from vastwatch.rehearsal.run import rehearse
from walks import lines_for, said

THOROUGH = bool(os.environ.get("THOROUGH"))
PROJECTS, EDITS = (2_000, 10_000) if THOROUGH else (20, 300)


def test_every_kind_of_record_and_expression_is_drawn_and_what_is_drawn_is_sound():
    seen = set()
    for seed in range(PROJECTS):
        project = everything(seed)
        assert not list(faults_of(project)), seed
        kept = encode(project)
        assert encode(decode(kept)) == kept
        seen |= kinds_in(project)
    assert not kinds_there_are() - seen


@pytest.fixture(scope="module")
def drawn() -> list[Project]:
    return [everything(seed) for seed in range(8)]


def test_no_edit_makes_a_project_that_cannot_be_saved(drawn):
    """Chains of edits, each drawn for what the one before has made; and looked at anew or since the last one, the same
    is found."""
    rng = np.random.default_rng(20_291)
    names, done, project = list(edits_there_are()), set(), drawn[0]
    for k in range(EDITS):
        if k % 6 == 0:
            project = drawn[int(rng.integers(len(drawn)))]
        name = names[k % len(names)] if k < 2 * len(names) else str(rng.choice(names))
        edit = Hand(rng, project).draw(name)
        if edit is None:
            continue
        try:
            made = edit.on(project)
        except (ValueError, IndexError):
            continue
        assert next(faults_of(made, project), None) is None, edit
        assert k % 4 or next(faults_of(made), None) is None, edit
        done.add(name)
        project = made
    # With few drawn, some find nothing to work on.
    assert len(done) > 0.85 * len(names), set(names) - done


@pytest.mark.parametrize("seed", range(6))
def test_what_comes_into_another_room_leaves_what_named_it_and_it_is_said(drawn, seed):
    project = drawn[seed]
    named = {x.lamp for s in project.scenes for x in s.levels} | {x for g in project.lamp_groups for x in g.lamps}
    moved = 0
    for lamp in project.lamps:
        if lamp.id not in named:
            continue
        level = find(project.rooms, lamp.room).level
        other = next(r for r in project.rooms if r.level == level and r.id != lamp.room)
        (x0, y0), (x1, y1) = other.outline[0], other.outline[2]
        to = ((x0 + x1) / 2, (y0 + y1) / 2)
        new = move_many(project, [lamp.id], to[0] - lamp.at[0], to[1] - lamp.at[1])
        assert find(new.lamps, lamp.id).room == room_at(new, level, *find(new.lamps, lamp.id).at).id == other.id
        assert not list(faults_of(new, project))
        told = parted(project, new)
        assert told.startswith(f"{lamp.name} left ") and told.endswith(".")
        left = [s for s in project.scenes if any(x.lamp == lamp.id for x in s.levels)]
        assert f"{len(left)} scenes" in told or all(f"“{s.name}”" in told for s in left)
        # Nothing else is touched.
        for collection in ("rules", "presences", "outputs", "sensors", "zones"):
            assert getattr(new, collection) is getattr(project, collection)
        moved += 1
    assert moved


def test_a_lamp_that_stays_in_its_room_leaves_nothing(demo):
    for edit in (lambda p: move_many(p, ["lamp-landing"], 0.1, 0.0), lambda p: turn_many(p, ["lamp-landing"], 90.0),
                 lambda p: mirror_many(p, ["lamp-landing"], True)):  # fmt: skip
        new = edit(demo)
        assert new.scenes is demo.scenes and parted(demo, new) == "" and settled(new) is new


def test_the_same_room_is_declared_and_the_check_and_the_rehoming_follow_it(demo):
    lamp = find(demo.lamps, "lamp-landing")
    wrong = put(demo, replace(lamp, room="bedroom"))
    assert [(a.holder.name, a.other.name) for a in astray(wrong)] == [
        ("Landing", lamp.name), ("Night path", lamp.name)
    ]  # fmt: skip
    with pytest.raises(ProjectError, match=r"the scene “Landing” .*: the lamp .* is of another room"):
        save_project(wrong, "never-written.vastwatch.json")
    right = settled(wrong)
    assert not list(faults_of(right)) and parted(demo, right) == f"{lamp.name} left 2 scenes."


# -- rooms joined and cut ----------------------------------------------------------------------------------------------


def _joins(project: Project):
    for a in project.rooms:
        for b in project.rooms:
            if a is not b and a.level == b.level:
                try:
                    yield a, b, join_rooms(project, a.id, b.id).project
                except ValueError:
                    continue


@pytest.mark.parametrize("seed", range(4))
def test_joined_rooms_keep_every_ladder_and_all_that_named_the_other(drawn, seed):
    project, joined = drawn[seed], 0
    for a, b, new in _joins(project):
        assert not list(faults_of(new)), (a.id, b.id)
        assert len(new.scenes) == len(project.scenes) and len(new.rules) == len(project.rules)
        assert len(new.presences) == len(project.presences) and len(new.lamps) == len(project.lamps)
        assert len(new.variants[0].scenes) == len(project.variants[0].scenes)
        # Whatever governed a lamp still does, by rows of the same conditions.
        for room in (a, b):
            for ladder in ladders_in(project, room.id):
                for lamp in ladder.lamps:
                    (now,) = [x for x in ladders_in(new, a.id) if lamp.id in {y.id for y in x.lamps}]
                    assert [r.id for r in now.rows] == [r.id for r in ladder.rows], (a.id, b.id, lamp.id)
        joined += 1
    assert joined


def test_every_two_rooms_of_the_sample_can_be_joined_and_saved(demo, tmp_path):
    found = list(_joins(demo))
    assert len(found) == 40
    for a, b, new in found:
        assert next(faults_of(new), None) is None, (a.id, b.id)
    save_project(found[0][2], tmp_path / "joined.vastwatch.json")


@pytest.mark.parametrize("seed", range(4))
def test_a_cut_room_can_be_saved_and_what_lies_in_its_new_part_belongs_there(drawn, seed):
    project, cut = drawn[seed], 0
    for room in project.rooms:
        (x0, y0), (x1, y1) = room.outline[0], room.outline[2]
        for share in (0.3, 0.5, 0.7):
            x = round(x0 + share * (x1 - x0), 2)
            try:
                new, part = split_room(project, room.id, (x, y0 - 1), (x, y1 + 1))
            except ValueError:
                continue
            assert not list(faults_of(new)), (room.id, share)
            for output in (*outputs_in(new, room.id), *outputs_in(new, part.id)):
                assert room_at(new, room.level, *output.at).id == output.room
            cut += 1
    assert cut


def test_what_is_outside_the_declared_bounds_is_found_before_it_is_written(demo):
    lamp = demo.lamps[0]
    for wrong, words in ((replace(lamp, watts=-1.0), "at least 0"), (replace(lamp, watts="much"), "a number"),
                         (replace(lamp, least_level=1.5), "at most 1")):  # fmt: skip
        (fault,) = faults_of(put(demo, wrong), demo)
        assert words in fault and fault.startswith("lamps[0].")
    many = replace(demo, variants=tuple(replace(demo.variants[0], id=f"v{k}") for k in range(21)))
    assert any("20 at most" in fault for fault in faults_of(many))
    assert msgspec.to_builtins(decode(encode(demo))) == msgspec.to_builtins(demo)


# -- what is left when what told of people is gone ---------------------------------------------------------------------


def _conditions(project: Project):
    """Every condition that something is switched by: who it is of, and what it says."""
    for row in project.rules:
        yield row.id, row.when
    for output in project.outputs:
        for k, row in enumerate(output.rows):
            yield f"{output.id} {k}", row.when
        for k, lock in enumerate(output.locks):
            yield f"{output.id} lock {k}", lock


@pytest.mark.parametrize("seed", range(8))
def test_no_condition_forgets_that_somebody_must_be_there(drawn, seed):
    """Whatever is removed, in whatever order: a row that followed a sensor or a conclusion still does, or never holds;
    "somebody there and dark" is never just "dark"."""
    rng = np.random.default_rng(seed)
    project = drawn[seed]
    before = dict(_conditions(project))
    while project.sensors:
        victims = [*project.sensors, *(p for p in project.presences if rng.random() < 0.15)]
        project = removed(project, victims[int(rng.integers(len(victims)))].id)
        assert not list(faults_of(project))
        for ident, when in _conditions(project):
            if tells(before[ident]):
                assert tells(when) or isinstance(when, Nothing) or _by_other_ways(before[ident], when), ident


def test_a_lock_whose_sensor_is_removed_stays_and_is_found(drawn):
    """A fan that a window contact locks: without the contact it is said that nothing locks it."""
    for project in drawn:
        for output in project.outputs:
            for k, lock in enumerate(output.locks):
                if not isinstance(lock, Report):
                    continue
                bare = removed(project, lock.sensor)
                left = next(x for x in bare.outputs if x.id == output.id)
                assert len(left.locks) == len(output.locks) and isinstance(left.locks[k], Nothing)
                assert any(f.records == (output.id,) and "lock" in f.text for f in untold(bare))
                return
    raise AssertionError("no lock by a sensor was drawn")


def _by_other_ways(before: Expr, when: Expr) -> bool:
    """Whether a condition held in another way as well: any of several, of which one asks nobody."""
    return any(isinstance(part, AnyOf | StartKeep | DoorLatch | AtLeast) for part in every_part(before))


def test_the_last_sensor_of_a_room_leaves_its_ladder_waiting_and_the_next_takes_it_up(demo):
    """The sample's landing: its rows ask for somebody there, and dark."""
    reads = sensors_of(presence_of(demo, "landing"))
    bare = removed(demo, *reads)
    assert bare.rules is demo.rules and presence_of(bare, "landing") is None
    (stub,) = [p for p in bare.presences if p.room == "landing" and p.lights]
    assert isinstance(stub.expr, Nothing) and in_words(bare, stub.expr) == "Never on: no sensor feeds it yet."
    (found,) = untold(bare)
    assert stub.name in found.text and "2 rows" in found.text
    lamps = [x.id for x in demo.lamps if x.room == "landing"]
    run = rehearse(bare, 2)
    assert sum(run.house.lit[x].total() for x in lamps) == 0
    # Anybody who passes there in the dark has no light, and is said to have none.
    assert run.scores["landing"].dark_min > 1 and run.scores["landing"].wasted_h == 0
    again, sensor = add_sensor(bare, device("pir-ceiling-6"), "upper", (5.9, 4.5, 2.4), 0.0, -90.0)
    assert sensors_of(presence_of(again, "landing")) == (sensor.id,) and again.rules is demo.rules
    assert not list(untold(again)) and sum(rehearse(again, 2).house.lit[x].total() for x in lamps) > 0


# -- what could be mounted there instead -------------------------------------------------------------------------------------


def _said_by(project: Project):
    """All that follows what is concluded, as plain values: rows, what outputs do, scenes, groups and buttons."""
    return msgspec.to_builtins(
        (project.rules, project.outputs, project.scenes, project.lamp_groups, project.buttons)
    )  # fmt: skip


def _by_conclusion(project: Project, room: str) -> Project:
    """The same with rows and outputs that name the room's conclusion where they named one of its sensors."""
    lighting = presence_of(project, room)
    if lighting is None:
        return project
    mine = sensors_of(lighting)

    def put_in(plain):
        if isinstance(plain, dict):
            if plain.get("op") == "report" and plain["sensor"] in mine:
                return {"op": "presence", "presence": lighting.id}
            if plain.get("op") == "belief" and any(r["sensor"] in mine for r in plain["of"]):
                return {"op": "presence", "presence": lighting.id}
            return {k: put_in(v) for k, v in plain.items()}
        return [put_in(v) for v in plain] if isinstance(plain, list) else plain

    plain = json.loads(encode(project))
    for name in ("rules", "outputs"):
        plain[name] = put_in(plain[name])
    return decode(json.dumps(plain).encode())


@pytest.mark.parametrize("seed", range(40) if THOROUGH else (2, 4))
def test_what_is_tried_in_a_room_keeps_every_row(seed):
    """Offers, the four ways, and purchases: rows, outputs, scenes, groups and buttons are as before, but that rows which
    read a sensor that went name the room's conclusion."""
    project, tried = everything(seed), 0
    types = catalogue() if THOROUGH else [device(x) for x in ("pir-corner-12", "radar-24-bands", "mat-door")]
    with judging_by(JudgeSettings(3, (1, 2), (1001,), 2)):
        for room in project.rooms:
            if not rows_of(project, room.id):
                continue
            as_they_were, by_conclusion = _said_by(project), _said_by(_by_conclusion(project, room.id))
            with contextlib.suppress(ValueError):
                found = advise(project, room.id, types)
                for offer in (*found.candidates, *found.rejected):
                    assert _said_by(offer.project) in (as_they_were, by_conclusion), offer.name
                    assert not list(faults_of(offer.project))
                    tried += 1
            with contextlib.suppress(ValueError):
                for way in baselines(project, room.id, types):
                    if way.project is not None:
                        assert _said_by(way.project) == by_conclusion, way.name
                        assert presence_of(way.project, room.id) is not None
                        tried += 1
        for purchase in purchases(project, types):
            assert _said_by(purchase.project) == as_they_were
            tried += 1
    # In many a drawn room nobody is ever awake, or delays of its rows hide what its hold does.
    assert tried or seed != 2


def test_the_ways_of_the_landing_burn_no_more_than_somebody_is_there(demo):
    """Each of them gave 24 h a day while empty, and the adviser recommended one: light within 0.0 s."""
    with judging_by(JudgeSettings(7, (1, 2), (1001,), 2)):
        for way in baselines(demo, "landing"):
            assert way.judged is not None
            _, _, idle_h = way.judged.metrics_at(way.judged.recommended_s)
            assert idle_h < 3.0, way.name
            assert way.project.rules is demo.rules or _said_by(way.project) == _said_by(demo)


# -- a week, its causes, and every command -----------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(200) if THOROUGH else (1, 2, 4, 7))
def test_every_incident_of_a_drawn_week_is_explained(seed):
    """Rows that believe, rooms that nothing concludes of, conclusions without a hold: each has its story, and what is
    grouped is what there was."""
    r = rehearse(everything(seed), 7 if THOROUGH else 2)
    for room in r.project.rooms:
        mine = [i for _, i in r.incidents_by_room.get(room.id, [])]
        for incident in mine[:25]:
            assert explain(r, incident).story
        asked = [
            x for kind in dict.fromkeys(i.kind for i in mine) if (x := investigation(r, room.id, kind)) is not None
        ]
        for group in groups(r, asked):
            assert len(group.incidents) <= group.of and group.heading


@pytest.mark.parametrize("seed", range(200) if THOROUGH else (2,))
def test_every_command_answers_for_a_drawn_project(tmp_path, seed):
    project = everything(seed)
    file = tmp_path / "drawn.vastwatch.json"
    save_project(project, file)
    with judging_by(JudgeSettings(1, (1, 2), (1001,), 2)):
        for line in lines_for(project, file, 2):
            code, _, wrong = said(line)
            assert code in (0, 1) and "internal error" not in wrong, (line, code, wrong[-800:])
            assert code == 0 or wrong.startswith("vastwatch: ") or line[0] == "check", (line, wrong)


# -- the same, however long and by whichever way it is asked -------------------------------------------------------------


@pytest.mark.parametrize("seed", range(200) if THOROUGH else (1, 2, 10, 12, 14))
def test_the_judge_reckons_with_what_the_rehearsal_gives(seed):
    """Whatever makes a room's light (ladders, groups, zones, other conclusions, occupancy probabilities, hands, buttons, supply): under
    one seed a room's curve has at its device hold time the false-offs, the dark and the lit time that the rehearsal scores."""
    project = everything(seed)
    r, compared = rehearse(project, 3), 0
    for room in project.rooms:
        try:
            curve = simulate_room(project, room.id, 3, 1).curve
        except ValueError:
            continue
        did, scored = curve.outcome(hold_of(presence_of(project, room.id).expr) or 0.0), r.scores[room.id]
        assert len(did.false_off_at) / 3 == pytest.approx(scored.false_offs), room.id
        assert did.dark_s / 60 / 3 == pytest.approx(scored.dark_min, abs=1e-3), room.id
        assert did.wasted_s / 3600 / 3 == pytest.approx(scored.wasted_h, abs=1e-4), room.id
        compared += 1
    assert compared


# -- out, and in again -------------------------------------------------------------------------------------------------
