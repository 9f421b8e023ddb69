"""Designs side by side, and what goes wrong in use, by mouse and keys in the real window."""

from __future__ import annotations

import pytest
from hands import LEFT, key, project, settle, type_into
from PyQt6.QtCore import Qt

from vastwatch.design import variants
from vastwatch.design.edits.conclusions import set_holds
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.results import designs
from vastwatch.desk.results.designs import DESIGNS

BRIEF_WIRING = 3


@pytest.fixture
def sheet(qtbot, window, monkeypatch):
    """The comparison of the demo with its variant, in few weeks."""
    monkeypatch.setattr(designs, "COMPARED_SEEDS", 2)
    monkeypatch.setattr(designs, "DAYS", 7)
    window.focus.set(stage="Rehearsal", level="upper", room="sitting", selected="sitting")
    settle(qtbot, window)
    qtbot.mouseClick(window.panel("Rehearsal").designs, LEFT)
    sheet = window.panel("Rehearsal").sheet
    qtbot.waitUntil(lambda: sheet.isVisible() and not window.results[DESIGNS].busy, timeout=60_000)
    yield sheet
    sheet.accept()


def cells(sheet, row):
    return [sheet.table.item(row, k).text() for k in range(sheet.table.columnCount())]


def test_rooms_are_compared_with_how_sure_each_difference_is(qtbot, window, sheet):
    rows = [cells(sheet, k) for k in range(sheet.table.rowCount())]
    names = [r[0] for r in rows]
    assert names[-1] == "All rooms" and "Sitting room" in names
    assert rows[names.index("Toilet")][4] == "the same in both"
    # From the copy to the design: its radar keeps the reader's light.
    assert "Less false-offs" in rows[names.index("Sitting room")][4]
    # Each plan with what is mounted there and what it costs.
    assert sheet.plans[0].costs.text().startswith("7 sensors") and sheet.plans[1].costs.text().startswith("10 sensors")
    assert sheet.plans[0].name.text() == "Before: Motion sensors alone"
    assert sheet.plans[1].name.text() == "Current design"
    assert sheet.plans[0].image != sheet.plans[1].image


def test_a_day_of_the_chosen_room_is_turned_by_keys_and_buttons(qtbot, window, sheet):
    sheet.table.selectRow([cells(sheet, k)[0] for k in range(sheet.table.rowCount())].index("Sitting room"))
    first = sheet.day.worst_day()
    assert sheet.day.room == "sitting" and sheet.day.day == first
    sheet.day.turn_to(3)
    key(qtbot, sheet.day, Qt.Key.Key_Right)
    assert sheet.day.day == 4
    for _ in range(9):
        key(qtbot, sheet.day, Qt.Key.Key_Left)
    assert sheet.day.day == 0
    a, b = sheet.day.pair
    assert a.truth is b.truth and b.project is project(window)


def test_a_copy_is_kept_changed_adopted_and_undone(qtbot, window, sheet):
    type_into(qtbot, sheet.keep_as, "")
    qtbot.mouseClick(sheet.keep, LEFT)
    assert "needs a name" in sheet._basis.text() and len(project(window).variants) == 1
    type_into(qtbot, sheet.keep_as, "Patient")
    qtbot.mouseClick(sheet.keep, LEFT)
    assert [v.name for v in project(window).variants] == ["Motion sensors alone", "Patient"]
    assert sheet.variant.name == "Patient"
    presence = presence_of(project(window), "toilet")
    window.document.apply(set_holds(project(window), {presence.id: 900.0}), "Hold")
    assert hold_of(presence_of(project(window), "toilet").expr) == 900.0
    before = project(window)
    qtbot.mouseClick(sheet.adopt, LEFT)
    assert hold_of(presence_of(project(window), "toilet").expr) == hold_of(presence.expr)
    assert [v.name for v in project(window).variants] == ["Motion sensors alone", variants.FORMER]
    window.document.undo_stack.undo()
    assert project(window) is before
    qtbot.mouseClick(sheet.drop, LEFT)
    assert [v.name for v in project(window).variants] == ["Motion sensors alone"]
    window.document.undo_stack.undo()


def test_without_a_variant_the_sheet_says_what_to_do(qtbot, window, sheet):
    qtbot.mouseClick(sheet.drop, LEFT)
    assert project(window).variants == ()
    assert not sheet.adopt.isEnabled() and not sheet.table.isVisible() and not sheet.plans[0].isVisible()
    assert "Save a copy" in sheet._basis.text()
    window.document.undo_stack.undo()
    assert sheet.adopt.isEnabled()


# -- what goes wrong in use ----------------------------------------------------------------------------------------


@pytest.fixture
def wiring(qtbot, window):
    window.focus.set(stage="Brief")
    window.panel("Brief").show_page(BRIEF_WIRING)
    settle(qtbot, window)
    return window.panel("Brief").wiring


def test_how_often_things_go_wrong_is_typed_and_lived(qtbot, window, wiring):
    calm = len(window.results.rehearsal.incidents)
    type_into(qtbot, wiring.troubles.fields["supply_off_per_week"], "14")
    type_into(qtbot, wiring.troubles.fields["messages_lost"], "2.5")
    troubles = project(window).brief.troubles
    assert (troubles.supply_off_per_week, troubles.messages_lost) == (14.0, 0.025)
    settle(qtbot, window)
    assert len(window.results.rehearsal.incidents) != calm
    assert any(what == "supply" for what, _ in window.results.rehearsal.recording.facts)
    window.document.undo_stack.undo()
    window.document.undo_stack.undo()
    assert wiring.troubles.fields["messages_lost"].text() == "0"


def test_a_mains_sensor_is_put_behind_a_switch_and_taken_off(qtbot, window, wiring):
    from vastwatch.design.edits import wiring as edits

    could = [s for s in project(window).sensors if edits.could_feed(project(window), s)]
    assert {s.id for s in could} == {"tracker-sitting"}
    circuit = next(c for c in project(window).circuits if c.name == "Sitting room circuit")
    wiring._feed(circuit.id, "tracker-sitting", True)
    settle(qtbot, window)
    assert find(project(window).circuits, circuit.id).feeds == ("tracker-sitting",)
    assert not edits.could_feed(project(window), could[0])
    from PyQt6.QtWidgets import QPushButton

    away = [b for b in wiring.findChildren(QPushButton) if "has its own supply" in b.accessibleName()]
    qtbot.mouseClick(away[0], LEFT)
    assert find(project(window).circuits, circuit.id).feeds == ()


def test_a_sensors_own_share_of_lost_messages_is_typed(qtbot, window):

    window.focus.set(stage="Sensors", level="upper", room="sitting", selected="pir-sitting")
    settle(qtbot, window)
    from vastwatch.desk.shell.widgets import FigureField

    field = next(f for f in window.findChildren(FigureField) if f.accessibleName() == "Lost messages" and f.isVisible())
    type_into(qtbot, field, "10")
    assert find(project(window).sensors, "pir-sitting").settings.messages_lost == 0.1
