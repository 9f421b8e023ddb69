"""Finding things by name, sheets that open once and close with Esc, and Return for what is in the hand."""

from __future__ import annotations

import pytest
from hands import LEFT, inspect, key, project, settle, spot_px, type_into
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox, QUndoView

from vastwatch.advice.checks.findings import findings
from vastwatch.design.edits.building import add_room, rectangle
from vastwatch.design.naming import opening_words
from vastwatch.design.project import find
from vastwatch.desk.shell.about import AboutSheet
from vastwatch.desk.shell.commands import EditsSheet
from vastwatch.desk.shell.finder import Finder, matches
from vastwatch.desk.shell.shortcuts_sheet import KeySheet
from vastwatch.desk.stages.sensors.shelf import DeviceCard, Shelf


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
    assert project(w) is before and "Enter Y as well" in w.status.said.text()
    assert inspect(w, "X").text() == "21.00 m" and "Needs Y" in inspect(w, "X").toolTip()
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


def test_letters_typed_on_a_card_search_and_neither_mark_nor_move(qtbot, window):
    """Typing "ceiling" on a card: nothing is marked, placed or gone to; the list shows what it names."""
    w = window
    w.focus.set(stage="Sensors", level="ground", room="shop", selected="shop")
    settle(qtbot, w)
    w.activateWindow()
    shelf = w.panel("Sensors")
    assert isinstance(shelf, Shelf)
    card = next(c for c in shelf.findChildren(DeviceCard) if c.isVisible())
    card.setFocus()
    for letter in "ceiling":
        QTest.keyClicks(QApplication.focusWidget(), letter)
    assert shelf.finder.text() == "ceiling" and QApplication.focusWidget() is shelf.finder
    assert (w.focus.room, w.focus.selected, w.focus.stage, shelf.compared) == ("shop", "shop", "Sensors", [])
    assert {c.device.id for c in shelf.findChildren(DeviceCard)} >= {"pir-ceiling-6", "radar-60-ceiling"}
    # Esc gives the keys from a card to the plan, where letters act.
    qtbot.waitUntil(lambda: any(c.isVisible() for c in shelf.findChildren(DeviceCard)))
    card = next(c for c in shelf.findChildren(DeviceCard) if c.isVisible())
    card.setFocus()
    key(qtbot, card, Qt.Key.Key_Escape)
    assert w.plan.hasFocus() and w.focus.room == "shop"
    key(qtbot, w.plan, Qt.Key.Key_N)
    assert w.focus.room != "shop"


def test_a_device_placed_by_keyboard_is_on_its_wall_however_far_the_plan_is_zoomed_out(qtbot, window):
    w = window
    w.focus.set(stage="Sensors", level="upper", room="box", selected="box")
    settle(qtbot, w)
    for ident in ("pir-corner-12", "pir-wall-8", "radar-60-ceiling"):
        for _ in range(6):
            w.plan.zoom(0.8)
        w.focus.set(placing=ident)
        w.plan.setFocus()
        key(qtbot, w.plan, Qt.Key.Key_Return)
        made = project(w).sensors[-1]
        assert made.device == ident and w.focus.selected == made.id
        w.plan.fit()
    assert not [f for f in findings(project(w)) if f.rule == "floating"]
    w.focus.set(level="ground", room="store", placing="mat-seat")
    before = project(w)
    key(qtbot, w.plan, Qt.Key.Key_Return)
    assert "Store has no place for Seat pad: it needs a free seat, bed or door." in w.status.said.text()
    assert project(w) is before


def test_f2_renames_and_ctrl_y_does_again_what_was_undone(qtbot, window):
    w = window
    control = Qt.KeyboardModifier.ControlModifier
    w.focus.set(stage="Sensors", level="ground", room="shop", selected="pir-shop")
    w.activateWindow()
    key(qtbot, w.plan, Qt.Key.Key_F2)
    field = QApplication.focusWidget()
    assert field.accessibleName() == "Name" and field.selectedText() == "PIR shop"
    QTest.keyClicks(field, "Counter eye")
    key(qtbot, field, Qt.Key.Key_Return)
    assert find(project(w).sensors, "pir-shop").name == "Counter eye"
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_Z, control)
    assert find(project(w).sensors, "pir-shop").name == "PIR shop"
    key(qtbot, w.plan, Qt.Key.Key_Y, control)
    assert find(project(w).sensors, "pir-shop").name == "Counter eye"
    # A room is renamed where it is built.
    w.focus.set(selected="shop")
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_F2)
    assert w.focus.stage == "Plan" and QApplication.focusWidget().text() == "Shop"
    w.focus.set(selected=None)
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_F2)
    assert "Select an object that has a name first." in w.status.said.text()


def test_what_is_undone_is_said_selected_and_shown(qtbot, window):
    w = window
    control = Qt.KeyboardModifier.ControlModifier
    w.focus.set(stage="Sensors", level="upper", room="box", selected="box", placing="pir-corner-12")
    settle(qtbot, w)
    w.activateWindow()
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_Return)
    made = project(w).sensors[-1].id
    w.focus.set(level="ground", room="shop", selected="shop")
    key(qtbot, w.plan, Qt.Key.Key_Z, control)
    assert (w.focus.level, w.focus.room, w.focus.selected) == ("upper", "box", "box")
    assert w.status.said.text() == "Undone: Place Corner 12 m, 110° in box room."
    w.focus.set(level="ground", room="shop", selected="shop")
    key(qtbot, w.plan, Qt.Key.Key_Y, control)
    assert w.status.said.text() == "Redone: Place Corner 12 m, 110° in box room."
    assert (w.focus.level, w.focus.room, w.focus.selected) == ("upper", "box", made)


def test_the_history_names_what_was_edited(qtbot, plan):
    w = plan
    w.focus.set(level="ground", room="shop", selected="shop")
    door = next(
        o for o in project(w).openings if opening_words(project(w), o) == "door between throwing room and passage"
    )
    w.focus.set(selected=door.id)
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_Delete)
    assert w.document.undo_stack.undoText() == "Delete the door between throwing room and passage"
    w.focus.set(room="kiln", selected="kiln", placing="lamp:lamp")
    key(qtbot, w.plan, Qt.Key.Key_Return)
    assert w.document.undo_stack.undoText() == "Add a lamp in kiln"
