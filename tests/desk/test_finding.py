"""Finding things by name, sheets that open once and close with Esc, and Return for what is in the hand."""

from __future__ import annotations

import pytest
from hands import LEFT, inspect, key, project, settle, spot_px, type_into
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox, QUndoView

from vastwatch.design.edits.building import add_room, rectangle
from vastwatch.design.project import find
from vastwatch.desk.shell.about import AboutSheet
from vastwatch.desk.shell.commands import EditsSheet
from vastwatch.desk.shell.finder import Finder, matches
from vastwatch.desk.shell.keysheet import KeySheet
from vastwatch.desk.stages.sensors.shelf import DeviceCard


def test_what_is_found_and_in_which_order(demo):
    words = [m.words for m in matches(demo, "sitting")]
    assert words[0] == "Sitting room, room, upper floor"
    assert any(w.startswith("PIR sitting room, sensor") for w in words)
    assert [m.ident for m in matches(demo, "pir shop")] == ["pir-shop"]
    assert matches(demo, "") == [] == matches(demo, "zzz")
    # Whatever has a name and a place is found by it.
    for kept in (demo.buttons, demo.zones, demo.outputs, demo.spots, demo.lamps):
        assert kept and all(x.id in [m.ident for m in matches(demo, x.name)] for x in kept)


def test_the_keys_that_step_through_a_room_come_to_its_buttons_and_move_them(qtbot, plan):
    plan.focus.set(level="upper", room="sitting", selected="sitting")
    button = next(b for b in project(plan).buttons if b.room == "sitting")
    plan.plan.setFocus()
    for _ in range(len(plan.plan.builder.things_of_room()) + 1):
        if plan.focus.selected == button.id:
            break
        key(qtbot, plan.plan, Qt.Key.Key_O)
    assert plan.focus.selected == button.id
    plan.focus.set(marked=frozenset({button.id}))
    key(qtbot, plan.plan, Qt.Key.Key_Right)
    assert find(project(plan).buttons, button.id).at[0] > button.at[0]


def test_a_room_on_another_level_is_typed_and_gone_to(qtbot, window):
    w = window
    w.focus.set(level="ground", room="shop", selected="shop")
    key(qtbot, w.plan, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    finder = w.findChild(Finder)
    assert finder is not None and finder.isVisible()
    QTest.keyClicks(finder.typed, "bath")
    key(qtbot, finder.typed, Qt.Key.Key_Return)
    assert (w.focus.level, w.focus.room, w.focus.selected) == ("upper", "bath", "bath")
    w.commands.find_anything()
    finder = next(f for f in w.findChildren(Finder) if f.isVisible())
    QTest.keyClicks(finder.typed, "throwing")
    key(qtbot, finder.typed, Qt.Key.Key_Down)
    key(qtbot, finder.typed, Qt.Key.Key_Return)
    assert w.focus.level == "ground" and w.focus.selected == "lamp-throwing" and w.focus.room == "throwing"


@pytest.mark.parametrize(
    ("show", "kind"),
    [("show_keys", KeySheet), ("show_about", AboutSheet), ("show_edits", EditsSheet), ("find_anything", Finder)],
)
def test_a_sheet_opens_once_and_closes_with_escape(qtbot, window, show, kind):
    getattr(window.commands, show)()
    getattr(window.commands, show)()
    (sheet,) = [s for s in window.findChildren(kind) if s.isVisible()]
    key(qtbot, sheet, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not [s for s in window.findChildren(kind) if s.isVisible()])


def test_the_list_of_edits_is_the_undo_list(qtbot, window):
    window.commands.show_edits()
    assert window.findChild(QUndoView).stack() is window.document.undo_stack


def test_return_hangs_the_chosen_card_though_the_card_has_the_keys(qtbot, window):
    w = window
    w.focus.set(stage="Sensors", level="ground", room="shop", selected="shop")
    settle(qtbot, w)
    n = len(project(w).sensors)
    card = next(c for c in w.panel("Sensors").findChildren(DeviceCard) if c.isVisible())
    qtbot.mouseClick(card, LEFT)
    card.setFocus()
    assert w.focus.placing and QApplication.focusWidget() is card
    key(qtbot, card, Qt.Key.Key_Return)
    assert len(project(w).sensors) == n + 1
    # With nothing in the hand it is the card's again.
    assert not w.focus.placing
    card.setFocus()
    key(qtbot, card, Qt.Key.Key_Return)
    assert w.focus.placing and len(project(w).sensors) == n + 1
    w.focus.set(placing=None)


def test_a_tool_for_openings_stays_in_the_hand_until_escape(qtbot, window):
    w = window
    w.focus.set(stage="Plan", level="ground", room="glazing", selected="glazing")
    settle(qtbot, w)
    w.focus.set(placing="opening:archway")
    n = len(project(w).openings)
    for x in (7.6, 9.4):
        qtbot.mouseClick(w.plan.viewport(), LEFT, pos=spot_px(w, x, 3.4))
        assert w.focus.placing == "opening:archway"
    assert len(project(w).openings) == n + 2
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_Escape)
    assert not w.focus.placing


def test_x_typed_first_waits_for_y(qtbot, window):
    """From one room to another whose X alone would be outside: neither figure is refused, and it is one step."""
    w = window
    shed, _ = add_room(project(w), "ground", "Shed", "store", rectangle(20, 20, 3, 3))
    w.document.apply(shed, "Build a shed")
    w.focus.set(stage="Sensors", level="ground", room="shop", selected="pir-shop")
    settle(qtbot, w)
    before, at = project(w), find(shed.sensors, "pir-shop").at
    steps = w.document.undo_stack.index()
    type_into(qtbot, inspect(w, "X"), "21 m")
    assert project(w) is before and "Or type Y too" in w.status.said.text()
    assert inspect(w, "X").text() == "21.00 m" and "Waits for Y" in inspect(w, "X").toolTip()
    # Both together are outside: both come back.
    type_into(qtbot, inspect(w, "Y"), "30 m")
    assert project(w) is before and inspect(w, "X").text() == f"{at[0]:.2f} m"
    type_into(qtbot, inspect(w, "X"), "21 m")
    type_into(qtbot, inspect(w, "Y"), "22 m")
    assert find(project(w).sensors, "pir-shop").at == (21.0, 22.0, at[2])
    assert w.document.undo_stack.index() == steps + 1


def test_files_of_late_are_in_the_menu_and_one_that_is_gone_is_forgotten(qtbot, window, tmp_path, monkeypatch):
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    w = window
    for name in ("one & only", "two"):
        assert w.filing.save_to(tmp_path / f"{name}.vastwatch.json")
    assert [p.name.split(".")[0] for p in w.filing.recent()] == ["two", "one & only"]
    w.commands.menu.aboutToShow.emit()
    _, second = w.commands.recent.actions()
    assert second.text().startswith("one && only   ")
    second.trigger()
    assert w.document.path.name == "one & only.vastwatch.json"
    (tmp_path / "two.vastwatch.json").unlink()
    w.filing.open_recent(tmp_path / "two.vastwatch.json")
    assert [p.name.split(".")[0] for p in w.filing.recent()] == ["one & only"]
