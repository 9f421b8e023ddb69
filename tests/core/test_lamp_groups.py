"""Groups of lamps with ladders of their own: against one who looks at each lamp alone, in curve and rehearsal, in files,
edits, checks, and on the command line."""

from __future__ import annotations

import json
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from test_ladders import EVENING, SWITCHES, USUAL, laddered, sleepers
from test_own_light import SENSOR, lux_room

from vastwatch.advice.checks.findings import findings
from vastwatch.advice.scenes.ladder_states import never_wins
from vastwatch.advice.simulation.room_simulation import simulate_room
from vastwatch.answers import COMMANDS
from vastwatch.control.house import run_house
from vastwatch.control.ladder import while_above, winners
from vastwatch.control.lighting import light_rule as light_given
from vastwatch.control.lighting import lit_by_press, run_ladders
from vastwatch.control.manual.override import Override, UnderlyingLight, overrides
from vastwatch.control.self_illumination import max_self_lux, self_lux_by_scene
from vastwatch.design.edits.ladders import (
    add_group,
    add_row,
    full,
    group_lamps,
    move_row,
    remove_group,
    rename_group,
    with_ladder,
)
from vastwatch.design.edits.removing import removed
from vastwatch.design.expressions import ClockTime, Dark, Not
from vastwatch.design.ladder_templates import STARTING, apply_template, template_rows
from vastwatch.design.ladders import ladder_lamps, ladder_rows, ladders_in, lamps_for
from vastwatch.design.project import find, put
from vastwatch.design.records import Button, Lamp, LampLevel, Scene
from vastwatch.files.check import faults_of
from vastwatch.rehearsal import rehearse
from vastwatch.signals import Calendar, Signal, any_of

NIGHT = ClockTime(begin="21:00", end="07:30")
DARK = Dark(room="big")


def grouped(*rows, project=None, lamps=("floor",), **changes):
    """A room whose floor lamp has a ladder of (condition, scene) rows of its own, beside the room's `USUAL` one."""
    project = laddered(*USUAL) if project is None else project
    project, group = add_group(project, "big", "Corner", lamps)
    for k, (when, scene) in enumerate(rows):
        project, _ = add_row(project, "big", f"Corner {k}", when, scene, group=group.id)
    return replace(project, **changes)


CORNER = ((NIGHT, "faint"), (EVENING, "corner"))


def with_corner(project):
    """With a scene that asks for both lamps."""
    levels = (LampLevel(lamp="lamp", level=0.7, fade_s=1), LampLevel(lamp="floor", level=0.5, fade_s=3))
    return replace(project, scenes=(*project.scenes, Scene(id="corner", room="big", name="Corner", levels=levels)))


# -- what is on ----------------------------------------------------------------------------------------------------


def test_each_lamp_goes_by_the_first_row_of_its_own_ladder_that_holds():
    project = grouped(*CORNER, project=with_corner(laddered(*USUAL)))
    r = rehearse(project, 3, 1)
    did = r.house.ladders["big"]
    assert [x.group_name for x in did.ladders] == ["", "Corner"]
    levels = {s.id: {x.lamp: x.level for x in s.levels} for s in project.scenes}
    t = np.arange(30.0, r.truth.end, 61.0)
    for group, lamp in ((None, "lamp"), ("lamps-corner-1", "floor")):
        of = did.of(group)
        said = [s.at(t) for s in of.row_signals]
        rows = ladder_rows(project, "big", group)
        asked = np.zeros(len(t))
        for holds, row in reversed(list(zip(said, rows))):
            asked[holds] = levels[row.scene].get(lamp, 0.0)
        assert ((asked > 0) == r.house.lit[lamp].at(t)).all() and (asked > 0).any()
        # Fades take 4 s at the most: whatever has been asked for so long is on at that.
        steady = Signal(
            0.0, r.truth.end, False, np.concatenate([x + np.array([0.0, 4.001]) for x in of.winners.edges[1:-1]])
        )
        settled = ~steady.at(t)
        assert r.house.outputs[lamp].at(t)[settled] == pytest.approx(asked[settled])


def test_the_same_scene_asks_each_ladder_for_its_own_lamps():
    project = with_corner(grouped((EVENING, "corner"), project=with_corner(laddered((EVENING, "corner")))))
    both = ladders_in(project, "big")
    assert [[x.id for x in ladder.lamps] for ladder in both] == [["lamp"], ["floor"]]
    one = with_corner(laddered((EVENING, "corner")))
    a, b = (rehearse(p, 2, 1).house for p in (project, one))
    assert all(a.outputs[x].same_as(b.outputs[x]) for x in ("lamp", "floor"))


def test_a_group_without_rows_leaves_its_lamps_to_the_room():
    project = laddered(*USUAL)
    alone, group = add_group(project, "big", "Corner", ("floor",))
    assert [x.id for x in ladder_lamps(alone, "big")] == ["lamp", "floor"] and len(ladders_in(alone, "big")) == 1
    assert lamps_for(alone, "big", group.id)[0].id == "floor"
    a, b = (rehearse(p, 2, 1) for p in (alone, project))
    assert a.house.outputs["floor"].same_as(b.house.outputs["floor"]) and a.scores == b.scores


def test_a_room_with_a_groups_ladder_alone_lights_its_other_lamps_as_without():
    project = grouped((NIGHT, "faint"), project=laddered())
    r = rehearse(project, 2, 1)
    presence, dark = r.house.conclusions.presences["here"], r.house.conclusions.dark["big"]
    assert r.house.lit["lamp"].same_as(presence & dark)
    assert r.house.ladders["big"].of(None) is None


@given(
    st.lists(st.tuples(SWITCHES, st.booleans()), min_size=2, max_size=4),
    st.lists(st.sampled_from([0.0, 0.1, 0.2, 0.3]), min_size=6, max_size=6),
    st.sampled_from([0.1, 0.3, 0.45]),
)
def test_what_ladders_give_together_is_their_sum_second_by_second(rows, gives, limit):
    signals = [Signal(0.0, 60.0, first, switches) for switches, first in rows]
    parts = [
        (winners(signals[:1], 0.0, 60.0), np.array(gives[:2])),
        (winners(signals[1:], 0.0, 60.0), np.array([*gives[2:][: len(signals) - 1], 0.0])),
    ]
    over = while_above(parts, limit)
    for t in range(60):
        total = sum(float(lit[won.at(t)]) for won, lit in parts)
        assert bool(over.at(t)) == (total > limit + 1e-9)
    with pytest.raises(ValueError, match="at least one row"):
        while_above([], limit)


# -- what is said of it ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize("control", ["presence", "absence"])
@pytest.mark.parametrize("rows", [CORNER, ((EVENING, "corner"),), ((Not(of=DARK), "corner"),)])
def test_the_curve_is_what_is_rehearsed(rows, control):
    project = grouped(*rows, project=with_corner(laddered(*USUAL)))
    project = replace(project, rooms=(replace(project.rooms[0], control=control), *project.rooms[1:]))
    r = rehearse(project, 5, 3)
    if control == "presence":
        how = light_given(project, "big", r.recording)
        lit = r.house.conclusions.presences["here"] & how.follows
        lit = lit if how.unconditional is None else lit | how.unconditional
        assert r.house.served("big").same_as(lit, 1e-9)
    hold = project.presences[0].expr.seconds
    curve = simulate_room(project, "big", 5, 3).curve
    assert curve.light(hold).same_as(r.house.served("big"), 1e-9)
    outcome, s = curve.outcome(hold), r.scores["big"]
    assert len(outcome.false_off_at) / 5 == pytest.approx(s.false_offs)
    assert outcome.dark_s / 300 == pytest.approx(s.dark_min, abs=1e-9)


def test_people_press_at_what_all_ladders_give_together_and_the_curve_knows():
    """Neither ladder alone is too much for a sleeper; both together are."""
    project = sleepers(ends="vacancy")
    faint = (LampLevel(lamp="lamp", level=0.12), LampLevel(lamp="floor", level=0.15))
    project = put(project, replace(find(project.scenes, "full"), levels=faint))
    lumens = {x.id: x.lumens for x in project.lamps}
    shares = {x.lamp: x.level * lumens[x.lamp] / sum(lumens.values()) for x in faint}
    assert max(shares.values()) < 0.1235 < sum(shares.values())
    limit = replace(find(project.rooms, "big").needs or _needs(), asleep_share=0.1235)
    project = put(project, replace(find(project.rooms, "big"), needs=limit))
    both = grouped((EVENING, "full"), project=project)
    one = grouped((EVENING, "off"), project=project)
    assert not rehearse(one, 6, 1).house.actions["big"].overrides
    r = rehearse(both, 6, 1)
    assert r.house.actions["big"].overrides
    assert r.house.actions["big"].overrides == rehearse(project, 6, 1).house.actions["big"].overrides
    curve = simulate_room(both, "big", 6, 1).curve
    assert curve.light(60.0).same_as(r.house.served("big"), 1e-9)
    assert curve.outcome(60.0).dark_s / 360 == pytest.approx(r.scores["big"].dark_min, abs=1e-9)


def _needs():
    from vastwatch.site.building import Needs

    return Needs()


def test_a_scene_by_hand_reaches_the_ladders_whose_lamps_it_names():
    project = grouped((Not(of=NIGHT), "faint"), project=with_corner(laddered(*USUAL)))
    r = rehearse(project, 1, 1)
    hand = r.house.actions["big"]
    noon = 12.5 * 3600.0

    def burning(*overrides):
        did = run_house(project, r.recording, {"big": hand._replace(overrides=overrides)})
        return {x: float(did.outputs[x].at(noon)) for x in ("lamp", "floor")}

    before, after = noon - 600.0, noon + 600.0
    own = burning()
    assert own["floor"] == 0.1
    full_alone = burning(Override(before, after, "b", "scene", "full"))
    assert full_alone == {"lamp": 1.0, "floor": 0.1}
    assert burning(Override(before, after, "b", "scene", "corner")) == {"lamp": 0.7, "floor": 0.5}
    assert burning(Override(before, after, "b", "off")) == {"lamp": 0.0, "floor": 0.0}
    # The brightest of each: all of the one lamp, half of the other, though no scene asks for both.
    assert burning(Override(before, after, "b", "on")) == {"lamp": 1.0, "floor": 0.5}
    assert burning(Override(before, after, "b", "leave", None, before)) == own
    # Left as it was at night: the corner lamp was out.
    assert burning(Override(before, after, "b", "leave", None, 3600.0))["floor"] == 0.0
    # A scene, and then left alone: the other ladder is kept too.
    assert burning(Override(before, after, "b", "scene", "full", 3600.0)) == {"lamp": 1.0, "floor": 0.0}


def test_a_sensor_of_light_sees_what_every_ladder_lights():
    room = lux_room(replace(SENSOR, below_lux=200, until_lux=210))
    room = replace(room, lamps=(*room.lamps, Lamp(id="floor", room="big", name="F", at=(1, 1), watts=6, lumens=500)))
    levels = (LampLevel(lamp="lamp", level=1.0), LampLevel(lamp="floor", level=1.0))
    room = put(room, replace(find(room.scenes, "full"), levels=levels))
    # The lamp that the sensor sees most follows the group's ladder.
    split, group = add_group(room, "big", "Corner", ("lamp",))
    split, _ = add_row(split, "big", "", room.rules[0].when, "full", group=group.id)
    big, eye = find(split.rooms, "big"), find(split.sensors, "eye")
    assert len(self_lux_by_scene(split, big, eye)) == 2
    assert max_self_lux(split, big, eye) == pytest.approx(max_self_lux(room, big, eye))
    one, two = (rehearse(p, 2, 1) for p in (room, split))
    assert two.house.dark("big").same_as(one.house.dark("big"), 1e-6)
    unlit = rehearse(replace(room, lamps=room.lamps[1:], scenes=_without(room, "lamp")), 2, 1)
    assert not two.house.dark("big").same_as(unlit.house.dark("big"), 60.0)


def _without(project, lamp):
    return tuple(replace(s, levels=tuple(x for x in s.levels if x.lamp != lamp)) for s in project.scenes)


def test_a_press_knows_what_the_ladders_light_that_it_does_not_reach():
    """A scene that lights nothing of its own ladder: the room is lit while the other ladder lights it."""
    project = grouped((Not(of=NIGHT), "faint"), project=with_corner(laddered(*USUAL)))
    dark = Scene(id="dark", room="big", name="Dark", levels=(LampLevel(lamp="lamp", level=0.0),))
    project = replace(project, scenes=(*project.scenes, dark))
    r = rehearse(project, 1, 1)
    own = r.house.conclusions.presences["here"]
    below = run_ladders(project, "big", r.recording, own)
    lit = lit_by_press(below, project.scenes)
    assert lit["full"].total() == lit[None].total() == r.house.end
    assert lit["dark"].same_as(below.of("lamps-corner-1").wanted["floor"])
    # A toggle then switches off by day, and on at night.
    toggle = Button(id="t", room="big", name="T", at=(1, 1), ends="minutes", minutes=5)
    scene = Button(id="s", room="big", name="S", at=(1, 1), does="scene", scene="dark", ends="minutes", minutes=300)
    beneath = UnderlyingLight(any_of(list(below.wanted.values())), own, 0.0, lit)
    for hour, does in ((12.5, "off"), (3.0, "on")):
        at = hour * 3600.0
        pressed = overrides(beneath, (toggle, scene), r.calendar, None, [(at, "s"), (at + 60.0, "t")])
        assert [h.does for h in pressed] == ["scene", does]


def test_what_is_left_alone_after_a_scene_is_left_in_every_ladder():
    leave = Button(id="l", room="big", name="L", at=(1, 1), does="leave", ends="minutes", minutes=60)
    scene = Button(id="s", room="big", name="S", at=(1, 1), does="scene", scene="full", ends="minutes", minutes=60)
    off = Signal.constant(False, 0.0, 86_400.0)
    day = Calendar(date(2026, 1, 12), "UTC", 1)
    pressed = overrides(UnderlyingLight(off, off, 0.0), (leave, scene), day, None, [(100.0, "s"), (200.0, "l")])
    assert [(h.does, h.scene, h.kept_level) for h in pressed] == [("scene", "full", -1.0), ("scene", "full", 200.0)]
    # Pressed once more by another button: what was kept is kept as it was.
    other = replace(leave, id="m")
    again = overrides(
        UnderlyingLight(off, off, 0.0), (leave, scene, other), day, None, [(100.0, "s"), (200.0, "l"), (300.0, "m")]
    )
    assert [h.kept_level for h in again] == [-1.0, 200.0, 200.0]


def test_rows_of_a_group_that_never_win_are_found_and_named():
    project = grouped((EVENING, "faint"), (EVENING, "corner"), project=with_corner(laddered(*USUAL)))
    r = rehearse(project, 3, 1)
    assert ("Corner", 1) in {(did.group_name, k) for _, did, k in never_wins(r)}
    found = [f for f in findings(project) if f.rule == "scene-shadowed"]
    assert any("Corner: row “Corner 1”" in f.text for f in found)


# -- files, edits, answers -----------------------------------------------------------------------------------------


def test_lamps_that_cannot_be_a_group_are_told():
    project = grouped(*CORNER, project=with_corner(laddered(*USUAL)))
    (group,) = project.lamp_groups
    twice = replace(project, lamp_groups=(group, replace(group, id="other", name="Other")))
    assert any("'floor' is already in 'Corner'" in f for f in faults_of(twice))
    lamps = (*project.lamps, replace(project.lamps[0], id="lamp2", room="small", at=(6, 1)))
    away = replace(project, lamps=lamps, lamp_groups=(replace(group, lamps=("lamp2",)),))
    assert any("is of another room than 'Corner'" in f for f in faults_of(away))
    gone = replace(project, lamp_groups=())
    assert any("unknown lamp group 'lamps-corner-1'" in f for f in faults_of(gone))
    moved = replace(project, lamp_groups=(replace(group, room="small", lamps=()),))
    assert any("is of another room" in f and ".group" in f for f in faults_of(moved))
    assert list(faults_of(project)) == []


def test_groups_are_made_changed_and_given_back():
    project = with_corner(laddered(*USUAL))
    made, first = add_group(project, "big", "Corner", ("floor",))
    made, second = add_group(made, "big", "Corner", ("floor", "lamp"))
    # A lamp is in one of them, and names are numbered on.
    assert second.name == "Corner 2" and find(made.lamp_groups, first.id).lamps == ()
    assert list(faults_of(made)) == []
    made = rename_group(group_lamps(made, first.id, ("floor",)), first.id, "  By the\nwindow ")
    assert find(made.lamp_groups, first.id).name == "By the window"
    assert find(made.lamp_groups, second.id).lamps == ("lamp",)
    for wrong in ((), ("lamp", "nothing")):
        with pytest.raises(ValueError, match="at least one lamp"):
            group_lamps(made, first.id, wrong)
    with pytest.raises(ValueError, match="needs a name"):
        rename_group(made, first.id, " ")
    laid = with_ladder(made, "big", [("x", DARK, "Mine", {"floor": 0.4}, 1.0)], first.id)
    assert [r.name for r in ladder_rows(laid, "big", first.id)] == ["x"]
    assert ladder_rows(laid, "big") == ladder_rows(project, "big")
    back = remove_group(laid, first.id)
    assert back.rules == project.rules and all(s.name != "Mine" for s in back.scenes)
    assert [g.id for g in back.lamp_groups] == [second.id]


def test_rows_are_moved_within_their_own_ladder():
    project = grouped(*CORNER, project=with_corner(laddered(*USUAL)))
    first, second = ladder_rows(project, "big", "lamps-corner-1")
    moved = move_row(project, second.id, 0)
    assert ladder_rows(moved, "big", "lamps-corner-1") == (second, first)
    assert ladder_rows(moved, "big") == ladder_rows(project, "big")
    assert full(project, "big") == {"lamp": 1.0} and full(project, "big", "lamps-corner-1") == {"floor": 1.0}


def test_what_goes_takes_along_what_hangs_on_it():
    project = grouped(*CORNER, project=with_corner(laddered(*USUAL)))
    lampless = removed(project, "floor")
    assert find(lampless.lamp_groups, "lamps-corner-1").lamps == () and list(faults_of(lampless)) == []
    assert [x.group for x in ladders_in(lampless, "big")] == [None]
    groupless = removed(project, "lamps-corner-1")
    assert groupless.rules == ladder_rows(project, "big") and list(faults_of(groupless)) == []
    roomless = removed(project, "big")
    assert roomless.lamp_groups == () and roomless.rules == ()


@pytest.mark.parametrize("ladder", STARTING, ids=lambda x: x.name)
def test_a_group_begins_with_a_ladder_for_its_own_lamps(demo, ladder):
    rows = template_rows(demo, "sitting", ladder, "lamps-shelves")
    if rows is None:
        with pytest.raises(ValueError, match="Sitting room"):
            apply_template(demo, "sitting", ladder, "lamps-shelves")
        return
    made = apply_template(demo, "sitting", ladder, "lamps-shelves")
    assert list(faults_of(made)) == []
    assert {x for _, _, _, levels, _ in rows for x in levels} == {"lamp-shelves"}
    assert ladder_rows(made, "sitting") == ladder_rows(demo, "sitting")


def test_the_command_line_tells_of_every_ladder(demo):
    from argparse import Namespace

    document, lines = COMMANDS["scenes"](demo, Namespace(room="sitting", days=1, seed=1))
    room = json.loads(json.dumps(document))["rooms"]["sitting"]
    assert [r["id"] for r in room["rows"]] == ["row-film", "row-pause", "row-evening"]
    shelves = room["groups"]["lamps-shelves"]
    assert shelves["lamps"] == ["lamp-shelves"] and [r["id"] for r in shelves["rows"]] == [
        "row-shelves-film", "row-shelves",
    ]  # fmt: skip
    for x in (room, shelves):
        assert sum(r["share"] for r in x["rows"]) + x["else_share"] + x["hand_share"] == pytest.approx(1.0, abs=1e-4)
    assert "Sitting room, Shelves:" in lines


def test_a_button_of_a_room_with_a_groups_ladder_alone_does_something():
    button = Button(id="b", room="big", name="Button", at=(1, 1))
    project = grouped((NIGHT, "faint"), project=laddered(), buttons=(button,))
    assert all(f.rule != "scene-button" for f in findings(project))
