"""The Scenes stage in the real window: rows by mouse and keys, scenes at sliders, the dark, hands, outputs, sheets."""

from __future__ import annotations

import csv
import json

import pytest
from hands import LEFT, inspect, key, names, project, row_pixel, settle, type_into, undo
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton

from vastwatch.control.ladder import Winners
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.expressions import ClockTime
from vastwatch.design.ladders import ladder_rows
from vastwatch.design.project import find
from vastwatch.desk.stages.brief.free_days import parse_vacation
from vastwatch.desk.stages.scenes.ahead_sheet import AheadSheet
from vastwatch.desk.stages.scenes.meter_dialog import parse_readings
from vastwatch.devices import catalogue

ALT = Qt.KeyboardModifier.AltModifier


# -- rows ----------------------------------------------------------------------------------------------------------


def test_the_row_that_wins_now_is_lit_and_told_why(qtbot, window, scenes):
    did: Winners = scenes.pane.did.winners
    for t in (86_400 + 20.5 * 3600, 86_400 + 4.0 * 3600):
        window.focus.set(time=t)
        wins = [r.name for r in scenes.ladder.rows if r.wins]
        k = did.at(t)
        assert wins == [names(window)[k] if k < 3 else "Else"]
        scenes.grab()
    assert "do not apply now" in scenes.pane._why.text()
    shares = [r.share for r in scenes.ladder.rows if r.row is not None]
    assert shares == pytest.approx(did.share(10)[:3])


def test_a_row_is_dragged_to_its_place_and_back_by_undo(qtbot, window, scenes):
    before = names(window)
    start, to = row_pixel(scenes, before[2]), row_pixel(scenes, before[0]) - QPoint(0, 18)
    qtbot.mousePress(scenes.ladder, LEFT, pos=start)
    for share in (0.3, 0.7, 1.0):
        qtbot.mouseMove(scenes.ladder, start + (to - start) * share)
    scenes.ladder.grab()
    qtbot.mouseRelease(scenes.ladder, LEFT, pos=to)
    assert names(window) == [before[2], before[0], before[1]]
    undo(window)
    assert names(window) == before
    # A click alone only takes it into the hand.
    qtbot.mouseClick(scenes.ladder, LEFT, pos=start)
    assert window.focus.row == "row-evening" and names(window) == before


def test_rows_by_keys_alone(qtbot, window, scenes):
    before = names(window)
    scenes.ladder.setFocus()
    key(qtbot, scenes.ladder, Qt.Key.Key_Down)
    assert window.focus.row == "row-film"
    key(qtbot, scenes.ladder, Qt.Key.Key_Down)
    assert window.focus.row == "row-pause"
    key(qtbot, scenes.ladder, Qt.Key.Key_Up, ALT)
    assert names(window) == [before[1], before[0], before[2]]
    key(qtbot, scenes.ladder, Qt.Key.Key_Up, ALT)
    assert names(window)[0] == before[1]
    key(qtbot, scenes.ladder, Qt.Key.Key_Delete)
    assert names(window) == [before[0], before[2]]
    assert all(s.id != "scene-pause" for s in project(window).scenes)
    undo(window)
    assert before[1] in names(window)


def test_the_menu_of_a_row_changes_scene_and_names(qtbot, window, scenes):
    window.focus.set(row="row-film")
    menu = scenes.row_menu("row-film")
    asks = menu.actions()[0].menu()
    by_name = {a.text(): a for a in asks.actions()}
    assert by_name["Film"].isChecked()
    by_name["Evening"].trigger()
    assert find(project(window).rules, "row-film").scene == "scene-evening"
    by_name["New scene"].trigger()
    new = find(project(window).rules, "row-film").scene
    assert new not in ("scene-film", "scene-evening")
    next(a for a in scenes.row_menu("row-film").actions() if a.text() == "Rename row…").trigger()
    scenes.naming.setTextValue("  At   the film ")
    scenes.naming.accept()
    assert find(project(window).rules, "row-film").name == "At the film"
    next(a for a in scenes.row_menu("row-film").actions() if a.text() == "Rename scene…").trigger()
    scenes.naming.setTextValue("Cinema")
    scenes.naming.accept()
    assert find(project(window).scenes, new).name == "Cinema"
    key(qtbot, scenes.ladder, Qt.Key.Key_Return)


def test_rows_and_buttons_are_added_and_a_room_without_a_lamp_says_so(qtbot, window, scenes):
    add = {a.text(): a for a in scenes.add_menu().actions()}
    add["Row"].trigger()
    # Occupied and dark is there already: the night's row comes above it, with a name of its own.
    rows = ladder_rows(project(window), "sitting")
    assert [r.name for r in rows[-2:]] == ["Occupied at night", "Somebody there, and dark"]
    assert window.focus.row == rows[-2].id and len(names(window)) == 4
    add["Wall button"].trigger()
    assert len(project(window).buttons) == 2 and window.focus.selected == project(window).buttons[-1].id
    window.document.apply(removed(project(window), *(x.id for x in project(window).lamps)), "no lamps")
    said = []
    scenes.say.connect(said.append)
    scenes._add_row()
    assert "needs a lamp" in said[0]


def test_a_ladder_begins_from_its_use_and_what_cannot_be_says_why(qtbot, window, scenes):
    window.focus.set(room="kitchen")
    settle(qtbot, window)
    assert scenes.ladder.rows == [] and not scenes.states.isVisible()
    starts = {a.text(): a for a in scenes.start_menu().actions()}
    assert len(starts) == 8 and "Film evenings" not in starts
    film = next(a for words, a in starts.items() if words.startswith("Film evenings (needs a sensor"))
    machine = next(a for words, a in starts.items() if words.startswith("Never dark at a machine (needs a sensor"))
    assert film.menu() is not None
    next(a for a in machine.menu().actions() if a.text().startswith("Place a plug")).trigger()
    assert (window.focus.stage, window.focus.placing) == ("Sensors", "plug-meter")
    window.focus.set(stage="Scenes", placing=None)
    window.focus.set(room="throwing", level="ground")
    next(a for a in scenes.start_menu().actions() if a.text() == "Night path").trigger()
    assert names(window, "throwing") == ["Occupied at night", "Occupied and dark"]
    undo(window)
    assert names(window, "throwing") == []


def test_the_condition_of_a_row_is_built_as_a_sentence(qtbot, window, scenes):
    window.focus.set(row="row-evening")
    assert "“Somebody there, and dark” applies" in scenes._condition.text()
    night = ClockTime(begin="23:00", end="06:00")
    scenes.builder._apply(night, "By night")
    assert find(project(window).rules, "row-evening").when is night
    said = []
    scenes.builder.say.connect(said.append)
    scenes.builder._apply(None, "take it out")
    assert "needs a condition" in said[0]
    assert scenes.builder.more_menu().actions() == []


# -- scenes --------------------------------------------------------------------------------------------------------


def test_sliders_set_levels_while_the_plan_shows_them(qtbot, window, scenes):
    window.focus.set(row="row-film", scene="scene-film")
    slider = scenes.scene.sliders["lamp-floor"]
    slider.setFocus()
    before = window.plan.viewport().grab().toImage()
    for _ in range(40):
        key(qtbot, slider, Qt.Key.Key_Right)
    levels = {x.lamp: x.level for x in find(project(window).scenes, "scene-film").levels}
    assert levels["lamp-floor"] == pytest.approx(0.5)
    assert window.plan.viewport().grab().toImage() != before
    share, watts = scenes.scene._figures["lamp-floor"]
    assert share.text() == "50 %" and watts.text() == "3.1 W"
    # All of one drag is one step back.
    undo(window)
    assert {x.lamp: x.level for x in find(project(window).scenes, "scene-film").levels}["lamp-floor"] == 0.1
    type_into(qtbot, scenes.scene.fade, "9 s")
    assert all(x.fade_s == 9 for x in find(project(window).scenes, "scene-film").levels)


def test_states_say_that_none_is_stuck(qtbot, window, scenes):
    assert "none stuck" in scenes.states.text()
    qtbot.mouseClick(scenes.states, LEFT)
    sheet = scenes.sheet
    assert sheet.table.rowCount() == 8 and sheet.table.columnCount() == 5
    assert any("No row is stuck" in x.text() for x in sheet.findChildren(QLabel))
    winners = {sheet.table.item(n, 3).text() for n in range(8)}
    assert winners == {"Film", "Pause", "Evening", "all off"}
    sheet.reject()
    button = replace(project(window).buttons[0], ends="never")
    window.document.apply(replace(project(window), buttons=(button,)), "never ends")
    settle(qtbot, window)
    assert "1 stuck" in scenes.states.text()


def test_recipes_and_device_settings_are_shown_copied_and_saved(qtbot, window, scenes, tmp_path):
    qtbot.mouseClick(scenes.out.recipes, LEFT)
    sheet = scenes.out.book
    said = []
    sheet.say.connect(said.append)
    words = sheet.text.toPlainText()
    assert "film_playing_in_sitting_room" in words and "button" in words.lower()
    sheet.names.setCurrentIndex(1)
    sheet.names.activated.emit(1)
    assert sheet.text.toPlainText() != words and project(window).brief.naming == "WordsTogether"
    sheet.save_as(tmp_path / "a.json")
    sheet.save_as(tmp_path / "a.csv")
    sheet.save_as(tmp_path / "a.txt")
    assert json.loads((tmp_path / "a.json").read_text())["recipes"]
    assert len(list(csv.reader((tmp_path / "a.csv").open()))) > 5
    assert (tmp_path / "a.txt").read_text().strip() == sheet.text.toPlainText().strip()
    qtbot.mouseClick(sheet.copy, LEFT)
    sheet.what.setCurrentIndex(1)
    sheet._show()
    assert "PIR sitting room" in sheet.text.toPlainText()
    sheet.save_as(tmp_path / "d.csv")
    assert next(csv.reader((tmp_path / "d.csv").open())) == ["device", "type", "room", "setting", "value"]
    sheet.save_as(tmp_path / "nowhere" / "d.csv")
    assert "nowhere" in said[-1]
    sheet.reject()


def test_the_year_is_pointed_at_by_mouse_and_keys_and_saved(qtbot, window, scenes, tmp_path):
    qtbot.mouseClick(scenes.out.year, LEFT)
    sheet = scenes.out.sheet
    sheet.grab()
    assert "Thu 01 Jan" in sheet.told.text() and "First of the year" in sheet.told.text()
    picture = sheet.picture
    picture.setFocus()
    key(qtbot, picture, Qt.Key.Key_PageDown)
    key(qtbot, picture, Qt.Key.Key_Right)
    assert "Sun 01 Feb" in sheet.told.text()
    at = QPointF(picture.width() - 10, 60)
    none = Qt.MouseButton.NoButton
    QApplication.sendEvent(
        picture,
        QMouseEvent(QEvent.Type.MouseMove, at, picture.mapToGlobal(at), none, none, Qt.KeyboardModifier.NoModifier),
    )
    assert "31 Dec" in sheet.told.text()
    sheet.which.setCurrentIndex(1)
    sheet._show()
    assert "Active 2,555 h" in sheet.uses.text()
    sheet.count.setValue(2028)
    assert len(sheet.year.days) == 366
    said = []
    sheet.say.connect(said.append)
    sheet.save_as(tmp_path / "year.csv")
    assert len(list(csv.reader((tmp_path / "year.csv").open()))) == 367
    sheet.save_as(tmp_path / "no" / "year.csv")
    assert "no" in said[-1]
    sheet.reject()


def test_light_ahead_is_found_in_the_background_and_taken(qtbot, window, scenes):
    window.focus.set(room="landing")
    settle(qtbot, window)
    next(a for a in scenes.add_menu().actions() if a.text().startswith("Light ahead")).trigger()
    qtbot.waitUntil(lambda: hasattr(scenes, "offers"), timeout=60_000)
    sheet: AheadSheet = scenes.offers
    assert any("Arrivals in the dark" in x.text() for x in sheet.findChildren(QLabel))
    before = len(names(window, "landing"))
    qtbot.mouseClick(sheet.take[0], LEFT)
    assert len(names(window, "landing")) == before + 1
    assert names(window, "landing")[-1].startswith("Somebody coming from")


# -- the dark ------------------------------------------------------------------------------------------------------


def test_the_dark_by_a_sensor_is_proposed_and_calibrated(qtbot, window, scenes):
    said = []
    scenes.dark.say.connect(said.append)
    kind = next(d for d in catalogue() if d.id == "light-lux")
    new, made = add_sensor(project(window), kind, "upper", (2.5, 5.3, 2.2), 0.0, -90.0)
    window.document.apply(new, "a sensor of light")
    settle(qtbot, window)
    dark = scenes.dark
    dark._set_source(dark.source.findData("sensor"))
    settle(qtbot, window)
    source = find(project(window).rooms, "sitting").darkness
    assert (source.source, source.sensor) == ("sensor", made.id)
    assert dark.propose.isVisible() and dark.meter.isVisible() and "would cycle" in dark.blinks.text()
    qtbot.mouseClick(dark.propose, LEFT)
    settle(qtbot, window)
    source = find(project(window).rooms, "sitting").darkness
    assert source.until_lux > source.below_lux and "gets dark" in said[-1]
    assert "will not cycle" in dark.blinks.text()
    qtbot.mouseClick(dark.meter, LEFT)
    dialog = dark.dialog
    dialog.text.setPlainText("40 110\n12")
    assert not dialog.take.isEnabled() and "line 2" in dialog.words.text().lower()
    dialog.text.setPlainText("40 110\n10 30")
    assert "0.38 times" in dialog.words.text().replace("\u00a0", " ")
    qtbot.mouseClick(dialog.take, LEFT)
    source = find(project(window).rooms, "sitting").darkness
    assert len(source.readings) == 2 and source.below_lux is None and "its sensor" in said[-1]
    type_into(qtbot, dark.below, "77")
    assert find(project(window).rooms, "sitting").darkness.below_lux == 77
    dark._set_source(dark.source.findData("shut door"))
    assert "No door contact" in said[-1]


@pytest.mark.parametrize("text", ["1 2\n3 4\n5 6", "a b", "1", "1 2 3", "-1 5", "nan 3"])
def test_readings_that_are_none_say_why(text):
    with pytest.raises(ValueError):
        parse_readings(text)


# -- hands, outputs ------------------------------------------------------------------------------------------------


def test_a_button_is_set_in_its_form(qtbot, window, scenes):
    window.focus.set(selected="button-sofa")
    does, ends = inspect(window, "Action"), inspect(window, "Until")
    does.setCurrentIndex(2)
    does.activated.emit(2)
    ends.setCurrentIndex(1)
    ends.activated.emit(1)
    type_into(qtbot, inspect(window, "Minutes"), "45")
    clock = inspect(window, "Time")
    at = clock.findData("22:30")
    clock.setCurrentIndex(at)
    clock.activated.emit(at)
    button = find(project(window).buttons, "button-sofa")
    assert (button.does, button.ends, button.minutes, button.clock) == ("scene", "minutes", 45.0, "22:30")
    scene = inspect(window, "Scene")
    at = scene.findData("scene-film")
    scene.setCurrentIndex(at)
    scene.activated.emit(at)
    assert find(project(window).buttons, "button-sofa").scene == "scene-film"


def test_an_output_has_its_own_ladder_level_and_lock(qtbot, window, scenes):
    window.focus.set(selected="extractor")
    pane = scenes.other
    assert scenes.pages.currentWidget() is pane
    rows = [r.name for r in pane.ladder.rows]
    assert rows[:3] == ["A film is playing", "Somebody is on a call", "By day"]
    pane.ladder.setFocus()
    for _ in range(3):
        key(qtbot, pane.ladder, Qt.Key.Key_Down)
    type_into(qtbot, pane.level, "40")
    assert find(project(window).outputs, "extractor").rows[2].level == 0.4
    key(qtbot, pane.ladder, Qt.Key.Key_Up, ALT)
    assert [r.name for r in find(project(window).outputs, "extractor").rows][1] == "By day"
    words = [pane.lock.itemText(k) for k in range(pane.lock.count())]
    at = words.index("Radar sitting room")
    pane._set_lock(at)
    settle(qtbot, window)
    assert len(find(project(window).outputs, "extractor").locks) == 1
    assert pane.lock.currentText() == "Radar sitting room"
    r = window.results.rehearsal
    assert (r.signals["extractor"] & r.recording.report("radar-sitting")).total() == 0
    pane._set_lock(0)
    assert find(project(window).outputs, "extractor").locks == ()
    qtbot.mouseClick(pane.add, LEFT)
    assert len(find(project(window).outputs, "extractor").rows) == 4
    next(a for a in pane.row_menu(window.focus.row).actions() if a.text() == "Delete row").trigger()
    assert len(find(project(window).outputs, "extractor").rows) == 3
    qtbot.mouseClick(pane.back, LEFT)
    assert scenes.pages.currentWidget() is not pane


# -- the brief's side ----------------------------------------------------------------------------------------------


def test_free_days_come_from_a_calendar_and_vacations_are_typed(qtbot, window, tmp_path):
    window.focus.set(stage="Brief")
    brief = window.panel("Brief")
    brief.show_page(0)
    free = brief.project.free
    said = []
    free.say.connect(said.append)
    path = tmp_path / "days.ics"
    path.write_bytes(
        b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20200917\r\n"
        b"SUMMARY:Harvest\r\nRRULE:FREQ=YEARLY\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
    )
    free.read(path)
    assert {h.on for h in project(window).brief.holidays} >= {"2026-09-17", "2027-09-17", "2026-05-01"}
    assert "3 days off" in said[-1].replace("\u00a0", " ")
    path.write_bytes(b"nothing")
    free.read(path)
    assert "days.ics" in said[-1]
    qtbot.keyClicks(free.typed, "2026-12-27 to 2027-01-02")
    key(qtbot, free.typed, Qt.Key.Key_Return)
    assert [v.begin for v in project(window).brief.vacations] == ["2026-08-03", "2026-12-27"]
    qtbot.keyClicks(free.typed, "tomorrow")
    qtbot.mouseClick(free.add, LEFT)
    assert "tomorrow" in said[-1] and free.typed.text() == "tomorrow"
    gone = next(b for b in free.findChildren(QPushButton) if b.accessibleName() == "Delete vacation from 2026-08-03")
    qtbot.mouseClick(gone, LEFT)
    assert len(project(window).brief.vacations) == 1
    qtbot.mouseClick(free.none, LEFT)
    assert project(window).brief.holidays == () and not free.none.isEnabled()


@pytest.mark.parametrize(
    "text", ["", "soon", "2026-02-30", "2026-05-02 to 2026-05-01", "2026-01-01 to 2029-01-01", "1 to 2 to 3"]
)
def test_vacations_that_cannot_be_say_why(text):
    with pytest.raises(ValueError):
        parse_vacation(text)
    assert parse_vacation("2026-05-01").end == "2026-05-01"


def test_a_circuit_has_its_truth_table_and_contacts(qtbot, window):
    window.focus.set(stage="Brief")
    brief = window.panel("Brief")
    brief.show_page(3)
    page = brief.wiring
    page.show_table("circuit-passage")
    table = page.table.table
    assert table.rowCount() == 8
    lit = [[table.item(n, k).text() for k in range(3)] for n in range(8) if table.item(n, 3).text() == "● lit"]
    assert lit == [["up", "down", "signalled on"], ["down", "up", "signalled on"]]
    page.table.reject()
    page._live("circuit-passage", True)
    assert find(project(window).circuits, "circuit-passage").live
    relay = next(d for d in catalogue() if d.relays and d.presence)
    new, made = add_sensor(project(window), relay, "ground", (5.2, 5.5, 1.1), 0.0, 0.0)
    window.document.apply(new, "a sensor switch")
    page._contact("circuit-passage", made.id, True)
    assert find(project(window).circuits, "circuit-passage").contacts == (made.id,)
    page.show_table("circuit-passage")
    assert page.table.cure.isVisible()
    qtbot.mouseClick(page.table.cure, LEFT)
    assert find(project(window).presences, "presence-passage").expr.sensor == made.id
    page._contact("circuit-passage", made.id, False)
    assert find(project(window).circuits, "circuit-passage").contacts == ()


def test_calls_and_exercise_are_set_at_a_spot(qtbot, window):
    window.focus.set(stage="Plan", selected="cooker", room="kitchen", level="upper")
    type_into(qtbot, inspect(window, "Calls/h"), "1.5")
    screen = inspect(window, "Screen")
    screen.setCurrentIndex(1)
    screen.activated.emit(1)
    spot = find(project(window).spots, "cooker")
    assert spot.calls_per_hour == 1.5 and spot.exercise
    window.focus.set(selected="sofa-spot")
    assert all(f.accessibleName() != "Calls/h" for f in window.verdict.inspector.findChildren(QLabel))


def test_the_plan_of_a_stage_with_other_room_for_it_is_painted_anew(qtbot, window):
    """The picture of a layer is not only shifted where another panel leaves the plan another width."""
    window.focus.set(stage="Timing", room="sitting", level="upper", time=86_400 + 20.5 * 3600)
    settle(qtbot, window)
    view = window.plan.viewport()
    for stage in ("Scenes", "Timing", "Rehearsal"):
        window.focus.set(stage=stage)
        settle(qtbot, window)
        qtbot.wait(50)
        shown = view.grab().toImage()
        for layer in window.plan._layers.values():
            layer.spread(layer.area)
        assert view.grab().toImage() == shown, stage
