"""Groups of lamps with ladders of their own, in the Scenes stage of the real window."""

from __future__ import annotations

import pytest
from hands import LEFT, key, names, project, row_pixel, settle, type_into, undo
from msgspec.structs import replace
from PyQt6.QtCore import Qt

from vastwatch.design.ladders import ladder_rows
from vastwatch.design.project import find

ALT = Qt.KeyboardModifier.AltModifier


def test_the_ladder_of_some_lamps_is_chosen_and_shows_its_own_rows_and_sliders(qtbot, window, scenes):
    assert scenes.pane.of.isVisible() and not scenes.pane.lamps.isEnabled()
    assert set(scenes.scene.sliders) == {"lamp-sitting", "lamp-floor", "lamp-window-seat"}
    scenes.pane.of.setFocus()
    key(qtbot, scenes.pane.of, Qt.Key.Key_Down)
    assert window.focus.lamps == "lamps-shelves" and scenes.pane.lamps.isEnabled()
    shown = [r.name for r in scenes.ladder.rows]
    assert shown == ["Manual override", "Behind the film", "Somebody there of an evening", "Else"]
    assert set(scenes.scene.sliders) == {"lamp-shelves"}
    did = window.results.house.ladders["sitting"].of("lamps-shelves")
    assert scenes.pane.did is did
    for t in (86_400 + 20.5 * 3600, 86_400 + 4.0 * 3600):
        window.focus.set(time=t)
        k = did.winners.at(t)
        assert [r.name for r in scenes.ladder.rows if r.wins] == [shown[1 + k]]
    # Its rows are dragged among themselves, and a click takes one into the hand.
    qtbot.mouseClick(scenes.ladder, LEFT, pos=row_pixel(scenes, "Behind the film"))
    assert window.focus.row == "row-shelves-film"
    key(qtbot, scenes.ladder, Qt.Key.Key_Down, ALT)
    assert names(window, group="lamps-shelves") == ["Somebody there of an evening", "Behind the film"]
    assert len(names(window)) == 3
    # Another room: its own ladder.
    window.focus.set(room="landing")
    assert window.focus.lamps is None and not scenes.pane.of.isVisible()


def test_some_lamps_get_a_ladder_of_their_own_and_are_given_back(qtbot, window, scenes):
    before = project(window)
    {a.text(): a for a in scenes.add_menu().actions()}["Ladder for some of the lamps…"].trigger()
    dialog = scenes.pane.dialog
    assert not dialog.take.isEnabled() and "Tick at least one" in dialog.words.text()
    assert "now in Shelves" in dialog.ticks["lamp-shelves"].text()
    dialog.ticks["lamp-floor"].click()
    assert "name is needed" in dialog.words.text()
    heard = window.results.rehearsal.recording
    type_into(qtbot, dialog.name, "Reading corner")
    assert not dialog.isVisible()
    # What sensors said is known: the week is not lived anew.
    assert window.results.rehearsal.project is project(window) and window.results.rehearsal.recording is heard
    (group,) = [g for g in project(window).lamp_groups if g.name == "Reading corner"]
    assert group.lamps == ("lamp-floor",) and window.focus.lamps == group.id
    assert scenes.ladder.rows == [] and scenes.pane._title.text() == "Reading corner has no ladder"
    # Without a row its lamp is still the room's.
    assert "follow the room" in scenes.pane._why.text()
    assert "floor" in " ".join(r.asks for r in _rows_of(scenes, window, None))
    window.focus.set(lamps=group.id)
    {a.text(): a for a in scenes.add_menu().actions()}["Row"].trigger()
    (row,) = ladder_rows(project(window), "sitting", group.id)
    assert row.group == group.id and scenes.ladder.rows[-2].row == row.id
    assert {x.lamp for x in find(project(window).scenes, row.scene).levels} == {"lamp-floor"}
    assert "floor" not in " ".join(r.asks for r in _rows_of(scenes, window, None))
    # Another name and another lamp, which leaves the group that it was in.
    window.focus.set(lamps=group.id)
    qtbot.mouseClick(scenes.pane.lamps, LEFT)
    dialog = scenes.pane.dialog
    dialog.ticks["lamp-shelves"].click()
    type_into(qtbot, dialog.name, "Corner")
    group = find(project(window).lamp_groups, group.id)
    assert group.name == "Corner" and set(group.lamps) == {"lamp-floor", "lamp-shelves"}
    assert find(project(window).lamp_groups, "lamps-shelves").lamps == ()
    qtbot.mouseClick(scenes.pane.lamps, LEFT)
    qtbot.mouseClick(scenes.pane.dialog.dissolve, LEFT)
    assert [g.id for g in project(window).lamp_groups] == ["lamps-shelves"] and window.focus.lamps is None
    assert all(r.id != row.id for r in project(window).rules)
    for _ in range(4):
        undo(window)
    assert project(window) == before


def _rows_of(scenes, window, group):
    window.focus.set(lamps=group)
    return scenes.ladder.rows


def test_a_ladder_of_a_group_that_is_gone_behind_its_dialog_is_told(qtbot, window, scenes):
    window.focus.set(lamps="lamps-shelves")
    scenes.pane.change_group()
    window.document.apply(replace(project(window), lamp_groups=(), rules=project(window).rules[:3]), "gone")
    dialog = scenes.pane.dialog
    qtbot.mouseClick(dialog.take, LEFT)
    assert dialog.isVisible() and dialog.words.text()
    qtbot.mouseClick(dialog.dissolve, LEFT)
    assert not dialog.isVisible() and window.focus.lamps is None


def test_the_plan_shows_a_scene_over_what_the_other_ladders_light(qtbot, window, scenes):
    window.focus.set(lamps="lamps-shelves", row="row-shelves", scene="scene-shelves")
    settle(qtbot, window)
    now = window.results.house.outputs
    t = window.focus.time
    lit = window.plan.state.lit
    assert lit["lamp-shelves"] == pytest.approx(0.6)
    assert lit.get("lamp-sitting", 0.0) == pytest.approx(float(now["lamp-sitting"].at(t)))
    window.focus.set(lamps=None, row="row-film", scene="scene-film")
    settle(qtbot, window)
    lit = window.plan.state.lit
    assert lit["lamp-floor"] == pytest.approx(0.1) and "lamp-sitting" not in lit
    assert lit.get("lamp-shelves", 0.0) == pytest.approx(float(now["lamp-shelves"].at(t)))
