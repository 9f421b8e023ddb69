"""The Brief stage in the real window: rooms and needs, people and days, wiring, means and what to buy."""

from __future__ import annotations

import pytest
from hands import LEFT, key, plain, project, settle, spot_px, type_into
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QLabel, QLineEdit, QPushButton

from vastwatch.design.edits.removing import removed
from vastwatch.design.needs import needs_of
from vastwatch.design.project import find
from vastwatch.desk.results.adviser import PURCHASES
from vastwatch.desk.shell.widgets import FigureField, LinkCard
from vastwatch.desk.stages.brief.people import clock
from vastwatch.desk.stages.brief.table import RowsTable
from vastwatch.files.check import faults_of


@pytest.fixture
def brief(qtbot, window):
    window.focus.set(stage="Brief")
    panel = window.panel("Brief")
    settle(qtbot, window)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    return panel


def row_of(table: RowsTable, words: str) -> int:
    model = table.model()
    return next(r for r in range(model.rowCount()) if model.index(r, 0).data() == words)


def type_cell(qtbot, table: RowsTable, row: int, column: int, text: str) -> None:
    """Edit a cell as a person does: go there, Return, type, Return."""
    table.setFocus()
    table.setCurrentIndex(table.model().index(row, column))
    key(qtbot, table, Qt.Key.Key_Return)
    editor = table.findChildren(QLineEdit)[-1]
    assert editor is QApplication.focusWidget()
    editor.selectAll()
    qtbot.keyClicks(editor, text)
    key(qtbot, editor, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: table.state() != table.State.EditingState)


# -- rooms ---------------------------------------------------------------------------------------------------------


def test_a_cell_typed_by_key_changes_a_need_and_wrong_ones_are_refused(qtbot, window, brief):
    table = brief.rooms.table
    row = row_of(table, "Sitting room")
    type_cell(qtbot, table, row, 3, "2 s")
    room = find(project(window).rooms, "sitting")
    assert room.needs.notice_s == 2.0 and needs_of(project(window), room).notice_s == 2.0
    said = []
    brief.rooms.say.connect(said.append)
    type_cell(qtbot, table, row, 4, "often")
    assert find(project(window).rooms, "sitting").needs.drops_per_week is None
    assert "often" in said[-1]
    type_cell(qtbot, table, row, 0, "Parlour")
    assert find(project(window).rooms, "sitting").name == "Parlour"
    window.document.undo_stack.undo()
    assert find(project(window).rooms, "sitting").name == "Sitting room"


def test_use_and_control_are_chosen_from_lists(qtbot, window, brief):
    model = brief.rooms.model
    row = row_of(brief.rooms.table, "Box room")
    assert model.setData(model.index(row, 1), "nursery")
    assert find(project(window).rooms, "box").use == "nursery"
    assert model.setData(model.index(row, 2), "absence")
    assert find(project(window).rooms, "box").control == "absence"
    assert model.index(row, 2).data() == "manual on"
    assert not model.setData(model.index(row, 2), "magic")


def test_choosing_a_row_goes_to_the_room_and_explains_it(qtbot, window, brief):
    brief.rooms.table.selectRow(row_of(brief.rooms.table, "Bedroom"))
    assert (window.focus.room, window.focus.level) == ("bedroom", "upper")
    QApplication.processEvents()
    words = [plain(x.text()) for x in brief.rooms.findChildren(type(brief.rooms._title)) if x.isVisibleTo(brief)]
    assert "Needs of Bedroom" in words
    assert "15 % light at most while somebody sleeps" in words
    window.focus.set(room="passage", level="ground", selected="passage")
    assert brief.rooms._title.text() == "Needs of Passage"


def test_a_need_is_changed_in_its_sentence_and_set_back(qtbot, window, brief):
    brief.rooms.table.selectRow(row_of(brief.rooms.table, "Shop"))
    field = next(f for f in brief.rooms.findChildren(FigureField) if "empty room" in f.accessibleName())
    type_into(qtbot, field, "5 min")
    assert find(project(window).rooms, "shop").needs.hold_max_s == 300
    usual = next(b for b in brief.rooms.findChildren(QPushButton) if b.text() == "default")
    qtbot.mouseClick(usual, LEFT)
    assert find(project(window).rooms, "shop").needs.hold_max_s is None
    stays = next(b for b in brief.rooms.findChildren(QCheckBox) if b.text() == "people stay")
    stays.click()
    assert find(project(window).rooms, "shop").needs.stays is False


# -- people --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "wanted"), [("7", "07:00"), ("7:30", "07:30"), ("0730", "07:30"), ("7.30 pm", "19:30"), ("12 am", "00:00")]
)
def test_times_of_day_are_read_as_people_write_them(text, wanted):
    assert clock(text) == wanted


@pytest.mark.parametrize("text", ["25", "7:60", "soon", "", "-3"])
def test_what_is_no_time_of_day_says_so(text):
    with pytest.raises(ValueError, match="time of day"):
        clock(text)


def test_a_day_sheet_is_typed_lines_come_and_go(qtbot, window, brief):
    brief.show_page(2)
    people = brief.people
    assert people.person.id == "potter"
    lines = len(people.person.stays)
    row = next(r for r, x in enumerate(people.stays.rows) if x.line.at == "21:40")
    type_cell(qtbot, people.tables["stays"], row, 1, "9.15 pm")
    assert "21:15" in {s.at for s in people.person.stays}
    said = []
    people.say.connect(said.append)
    type_cell(qtbot, people.tables["stays"], row, 1, "late")
    assert "time of day" in said[-1]
    add = [b for b in people.findChildren(QPushButton) if b.text() == "Add line"]
    qtbot.mouseClick(add[0], LEFT)
    assert len(people.person.stays) == lines + 1
    take = [b for b in people.findChildren(QPushButton) if b.text() == "Delete line"]
    qtbot.mouseClick(take[0], LEFT)
    assert len(people.person.stays) == lines
    qtbot.mouseClick(add[1], LEFT)
    assert people.errands.setData(people.errands.index(len(people.errands.rows) - 1, 4), "3")
    assert people.person.errands[-1].per_day == 3
    assert not people.errands.setData(people.errands.index(0, 4), "900")
    assert not list(faults_of(project(window)))


def test_weight_speed_kind_and_the_side_of_the_bed(qtbot, window, brief):
    brief.show_page(2)
    people = brief.people
    type_into(qtbot, people.weight, "81 kg")
    type_into(qtbot, people.speed, "0.95")
    type_into(qtbot, people.waves, "40 s")
    assert (people.person.body_kg, people.person.speed, people.person.wave_after_s) == (81.0, 0.95, 40.0)
    people.sleeps.setCurrentIndex(people.sleeps.findData("bed-right"))
    people.sleeps.activated.emit(people.sleeps.currentIndex())
    assert "bed-right" in {s.spot for s in people.person.stays}
    people.name.setText("Q, potter")
    people.name.editingFinished.emit()
    assert find(project(window).people, "potter").name == "Q, potter"


def test_typical_people_come_and_groups_go_together(qtbot, window, brief):
    brief.show_page(2)
    people = brief.people
    before = len(project(window).people)
    people.typical.setCurrentIndex(people.typical.findData("class"))
    qtbot.mouseClick(people.add, LEFT)
    assert len(project(window).people) == before + 6
    assert people.person.group == "Evening class 2"
    qtbot.mouseClick(people.away, LEFT)
    assert len(project(window).people) == before
    while project(window).people:
        qtbot.mouseClick(people.away, LEFT)
    assert people._nobody.isVisible() and not people._sheet.isVisible()


def test_a_block_of_the_week_leads_to_its_place(qtbot, window, brief):
    brief.show_page(2)
    week = brief.people.week
    blocks = week.blocks()
    assert {day for _, day, _ in blocks} == set(range(7))
    for day in range(7):
        mine = sorted((r.left(), r.right()) for r, d, _ in blocks if d == day)
        assert all(a[1] <= b[0] + 1.5 for a, b in zip(mine, mine[1:]))  # noqa: RUF007
    rect = next(r for r, _, b in blocks if b.spot == "bed-left" and r.width() > 20)
    qtbot.mouseClick(week, LEFT, pos=QPoint(int(rect.center().x()), int(rect.center().y())))
    assert window.focus.selected == "bed-left" and window.focus.level == "upper"
    week.grab()


# -- wiring --------------------------------------------------------------------------------------------------------


def test_switches_and_sockets_are_put_on_the_plan_by_clicks(qtbot, window, brief):
    brief.show_page(3)
    window.focus.set(level="ground", room="glazing", selected="glazing")
    switch = next(b for b in brief.wiring.findChildren(QPushButton) if b.property("token") == "wiring:circuit-glazing")
    qtbot.mouseClick(switch, LEFT)
    assert window.focus.placing == "wiring:circuit-glazing"
    qtbot.mouseClick(window.plan.viewport(), LEFT, pos=spot_px(window, 11.7, 6.4))
    made = project(window).switches[-1]
    # It took hold of the east wall's face.
    assert made.circuit == "circuit-glazing" and made.at[0] == pytest.approx(11.83, abs=0.01)
    key(qtbot, window.plan, Qt.Key.Key_Escape)
    qtbot.mouseClick(brief.wiring.socket, LEFT)
    before = len(project(window).sockets)
    for x in (7.5, 8.5):
        qtbot.mouseClick(window.plan.viewport(), LEFT, pos=spot_px(window, x, 7.3))
    assert len(project(window).sockets) == before + 2
    key(qtbot, window.plan, Qt.Key.Key_Escape)
    qtbot.mouseClick(window.plan.viewport(), LEFT, pos=spot_px(window, *project(window).sockets[-1].at))
    assert window.focus.selected == project(window).sockets[-1].id
    key(qtbot, window.plan, Qt.Key.Key_Delete)
    assert len(project(window).sockets) == before + 1


def test_circuits_are_made_named_fed_and_taken_away(qtbot, window, brief):
    brief.show_page(3)
    wiring = brief.wiring
    for circuit in project(window).circuits:
        wiring._remove(circuit.id, circuit.name)
    assert project(window).circuits == () and project(window).switches == ()
    qtbot.mouseClick(wiring.all, LEFT)
    assert sorted(x for c in project(window).circuits for x in c.lamps) == sorted(x.id for x in project(window).lamps)
    wiring._module(project(window).circuits[0].id, "module-switch-neutral")
    words = [x.text() for x in wiring.findChildren(type(brief.rooms._title))]
    assert any("needs a neutral" in w for w in words)
    box = next(b for b in wiring.findChildren(QCheckBox) if b.text() == "neutral in the switch box")
    box.click()
    assert project(window).circuits[0].neutral
    type_into(qtbot, wiring.cable, "5 m")
    assert project(window).brief.cable_m == 5.0
    wiring.controller.setText("a controller")
    wiring.controller.editingFinished.emit()
    assert project(window).brief.controller == "a controller"
    assert not list(faults_of(project(window)))


# -- means ---------------------------------------------------------------------------------------------------------


def test_budget_weights_and_kit_are_set_and_undone(qtbot, window, brief):
    brief.show_page(4)
    means = brief.means
    type_into(qtbot, means.budget, "420,50")
    assert project(window).brief.budget == 420.5
    said = []
    means.say.connect(said.append)
    type_into(qtbot, means.budget, "much")
    assert "'much' is not a sum of money" in said[-1] and project(window).brief.budget == 420.5
    means.budget.clear()
    means.budget.editingFinished.emit()
    assert project(window).brief.budget is None
    means.weights["no_cables"].setFocus()
    key(qtbot, means.weights["no_cables"], Qt.Key.Key_Right)
    assert project(window).brief.weights.no_cables == 2
    means.kit.setCurrentIndex(means.kit.findData("radar-24-bands"))
    means.count.setValue(3)
    have = next(b for b in means.findChildren(QPushButton) if b.text() == "Add to kit")
    qtbot.mouseClick(have, LEFT)
    assert any(o.device == "radar-24-bands" and o.count == 3 for o in project(window).brief.owned)
    assert find(project(window).devices, "radar-24-bands")
    means._remove_owned("radar-24-bands")
    assert all(d.id != "radar-24-bands" for d in project(window).devices)
    assert not list(faults_of(project(window)))


def test_what_to_buy_is_asked_by_key_told_and_taken(qtbot, window):
    settle(qtbot, window)
    kept = window.own.all
    window.own.all = lambda p: [d for d in kept(p) if d.id in ("pir-ceiling-6", "radar-24-bands")]
    # Some rooms are enough.
    dark = [x.id for x in project(window).lamps if x.room not in ("shop", "kitchen", "store", "toilet")]
    window.document.apply(removed(project(window), *dark), "Fewer lamps")
    settle(qtbot, window)
    key(qtbot, window.plan, Qt.Key.Key_B)
    assert window.focus.stage == "Brief"
    means = window.panel("Brief").means
    assert means._working.isVisible()
    # What is found so far is shown meanwhile.
    asked = window.results[PURCHASES]
    qtbot.waitUntil(lambda: asked.value is not None and not asked.busy, timeout=60_000)
    window.own.all = kept
    cards = [
        c
        for c in means.findChildren(LinkCard)
        if " a day" in c.accessibleName() and "No cost" not in c.accessibleName()
    ]
    assert cards and not means._working.isVisible()
    assert any("No cost" in c.accessibleName() for c in means.findChildren(LinkCard))
    rooms = {p.room for p in window.results[PURCHASES].value.found}
    assert len(cards) == min(len(rooms), 6)
    before = len(project(window).sensors)
    key(qtbot, cards[0], Qt.Key.Key_Return)
    assert len(project(window).sensors) == before + 1
    assert window.focus.selected == project(window).sensors[-1].id
    # What was found was found for another design.
    assert window.results[PURCHASES].value is None
    window.document.undo_stack.undo()
    assert len(project(window).sensors) == before


def test_a_starter_set_wants_a_budget_and_asking_can_be_stopped(qtbot, window, brief):
    brief.show_page(4)
    means = brief.means
    means.budget.clear()
    means.budget.editingFinished.emit()
    said = []
    means.say.connect(said.append)
    qtbot.mouseClick(means.starter, LEFT)
    assert "needs a budget" in said[-1] and not window.results[PURCHASES].busy
    type_into(qtbot, means.budget, "150")
    qtbot.mouseClick(means.starter, LEFT)
    assert window.results[PURCHASES].busy
    qtbot.mouseClick(means._stop, LEFT)
    assert not window.results[PURCHASES].busy and not means._working.isVisible()
    settle(qtbot, window)
    assert window.results[PURCHASES].value is None


def test_a_room_nobody_was_in_is_not_called_well(qtbot, window):
    """Naughts are no verdict: what is missing is said, and offered."""
    w = window
    w.document.apply(replace(project(w), people=()), "Nobody")
    w.focus.set(room="throwing", selected="throwing")
    settle(qtbot, w)
    assert not w.verdict._numbers.isVisibleTo(w.verdict)
    assert "This project has no occupants" in w.verdict._nothing.text()
    assert "No problems found" not in " ".join(x.text() for x in w.verdict.findChildren(QLabel))
    assert not [b for b in w.verdict.findChildren(QPushButton) if "same week" in b.text()]
    qtbot.mouseClick(w.verdict._offer, Qt.MouseButton.LeftButton)
    assert w.focus.stage == "Brief" and w.panel("Brief").people.isVisibleTo(w)
    w.document.undo_stack.undo()
    settle(qtbot, w)
    assert w.verdict._numbers.isVisibleTo(w.verdict) and not w.verdict._offer.isVisibleTo(w.verdict)


def test_who_cannot_get_to_a_place_is_told_at_the_person(qtbot, window):
    w = window
    shut = replace(project(w), openings=tuple(o for o in project(w).openings if o.kind == "window"))
    w.document.apply(shut, "No doors")
    w.focus.set(stage="Brief")
    page = w.panel("Brief")
    page.offer_people()
    settle(qtbot, w)
    assert "No way leads to" in page.people.lost.text() and page.people.lost.isVisibleTo(w)
    w.document.undo_stack.undo()
    settle(qtbot, w)
    assert not page.people.lost.isVisibleTo(w)


def test_choosing_a_module_keeps_the_list_where_it_is(qtbot, window, brief):
    wiring = brief.wiring
    brief.show_page(3)
    qtbot.mouseClick(wiring.all, LEFT)
    qtbot.wait(50)
    bar = wiring._area.verticalScrollBar()
    bar.setValue(bar.maximum())
    at = bar.value()
    assert at > 200
    last = project(window).circuits[-1]
    wiring._module(last.id, None if last.module == "module-dimmer-plain" else "module-dimmer-plain")
    assert find(project(window).circuits, last.id).module != last.module
    qtbot.wait(50)
    assert abs(bar.value() - at) < 40
