"""Edits of ladders: rows moved and removed, levels, and starting ladders."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from vastwatch.control.lighting import run_ladders
from vastwatch.design.edits.ladders import add_row, add_scene, move_row, remove_row, set_level, set_row, with_ladder
from vastwatch.design.expressions import ConclusionRef
from vastwatch.design.ladder_templates import STARTING, apply_template
from vastwatch.design.ladders import (
    ladder_rows,
    rows_of,
)
from vastwatch.design.project import find
from vastwatch.files.check import faults_of
from vastwatch.rehearsal import rehearse
from vastwatch.signals import Signal

HERE = ConclusionRef(presence="here")


def test_rows_are_moved_within_their_room_and_others_stay(demo):
    before = [r.id for r in demo.rules]
    moved = move_row(demo, "row-evening", 0)
    mine = [r.id for r in rows_of(demo, "sitting")]
    assert mine[:3] == ["row-film", "row-pause", "row-evening"]
    assert [r.id for r in ladder_rows(moved, "sitting")] == ["row-evening", "row-film", "row-pause"]
    assert [r.id for r in moved.rules if r.room != "sitting"] == [i for i in before if i not in mine]
    assert move_row(demo, "row-film", 0) is demo
    last = move_row(demo, "row-film", 99)
    assert [r.id for r in ladder_rows(last, "sitting")] == ["row-pause", "row-evening", "row-film"]
    assert ladder_rows(last, "sitting", "lamps-shelves") == ladder_rows(demo, "sitting", "lamps-shelves")


def test_a_row_goes_with_a_scene_that_nothing_else_asks_for(demo):
    gone = remove_row(demo, "row-film")
    assert all(s.id != "scene-film" for s in gone.scenes) and list(faults_of(gone)) == []
    shared = set_row(demo, "row-film", scene="scene-evening")
    assert any(s.id == "scene-evening" for s in remove_row(shared, "row-film").scenes)
    with pytest.raises(ValueError, match="of its own room"):
        set_row(demo, "row-film", scene="scene-landing")
    with pytest.raises(ValueError, match="of its own room"):
        add_row(demo, "sitting", "x", HERE, "scene-landing")


def test_levels_are_set_within_their_bounds(demo):
    project = set_level(demo, "scene-film", "lamp-floor", 1.7)
    assert find(project.scenes, "scene-film").levels[0].level == 1.0
    more = find(set_level(demo, "scene-film", "lamp-sitting", 0.2).scenes, "scene-film").levels[1]
    # It fades as the scene does.
    assert (more.lamp, more.level, more.fade_s) == ("lamp-sitting", 0.2, 4.0)


@pytest.mark.parametrize("ladder", STARTING, ids=lambda x: x.name)
def test_every_starting_ladder_is_sound_wherever_it_is_offered(demo, ladder):
    offered = 0
    for room in demo.rooms:
        if ladder.make(demo, room) is None:
            with pytest.raises(ValueError, match=room.name):
                apply_template(demo, room.id, ladder)
            continue
        offered += 1
        made = apply_template(demo, room.id, ladder)
        assert list(faults_of(made)) == [] and rows_of(made, room.id)
        assert [r for r in made.rules if r.room != room.id] == [r for r in demo.rules if r.room != room.id]
        did = run_ladders(made, room.id, rehearse(made, 1, 1).recording, Signal.constant(True, 0.0, 86_400.0))
        assert did is not None and did.wanted
    assert offered or ladder.name in ("No ceiling light over sleepers", "Never dark at a machine")


def test_a_mat_and_a_plug_are_what_two_of_them_go_by(demo):
    from samples import device
    from vastwatch.design.records import Sensor

    by_name = {x.name: x for x in STARTING}
    sitting = find(demo.rooms, "sitting")
    mat = Sensor(id="mat", device="mat-seat", level="upper", name="Mat", at=(1.2, 3.9, 0.45))
    plug = Sensor(id="plug", device="plug-meter", level="upper", name="Plug", at=(4.0, 5.0, 0.3))
    project = replace(
        demo, sensors=(*demo.sensors, mat, plug), devices=(*demo.devices, device("mat-seat"), device("plug-meter"))
    )
    for name in ("No ceiling light over sleepers", "Never dark at a machine"):
        assert by_name[name].make(demo, sitting) is None
        assert by_name[name].make(project, sitting) is not None


def test_a_ladder_replaces_the_one_before(demo):
    made = with_ladder(demo, "landing", [("a", HERE, "S", {"lamp-landing": 0.5}, 1.0)])
    assert [r.name for r in rows_of(made, "landing")] == ["a"]
    assert [s.name for s in made.scenes if s.room == "landing"] == ["S"]
    _, scene = add_scene(made, "landing", "S", {"lamp-landing": 1.0})
    assert scene.name == "S 2"
