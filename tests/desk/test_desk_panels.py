"""The panels of the window: what they list, fold, follow and say."""

from __future__ import annotations

import numpy as np
import pytest
from hands import LEFT, key, project, settle
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QPainterPath, QWheelEvent
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QLabel, QPushButton, QSlider, QWidget

from vastwatch.design.edits.sensors import add_sensor, set_hold
from vastwatch.design.project import find
from vastwatch.desk.plan.contours import array_path, band_paths
from vastwatch.desk.plan.legend import Legend
from vastwatch.desk.plan.snapping import clearances, snap
from vastwatch.desk.results.adviser import SCHOOLS
from vastwatch.desk.results.detection import TRIAL
from vastwatch.desk.results.findings import REMEDIES
from vastwatch.desk.shell.about import AboutSheet
from vastwatch.desk.shell.widgets import Choice, LinkCard
from vastwatch.desk.stages import STAGE_NAMES, STAGES
from vastwatch.desk.stages.tiles import Tile
from vastwatch.desk.verdict.baselines_sheet import SchoolsSheet
from vastwatch.desk.verdict.finding_card import no_findings
from vastwatch.devices import catalogue
from vastwatch.geometry import polygons
from vastwatch.memo import MEMO, size_bytes
from vastwatch.sensing import coverage


def labels(w) -> list[str]:
    return [x.text() for x in w.findChildren(QLabel) if x.isVisible()]


# -- contours and snapping, without a window ---------------------------------------------------------------------------


def test_a_path_from_arrays_is_the_polygons_it_was_given(qapp):
    square = np.array([(0, 0), (2, 0), (2, 1), (0, 1), (0, 0)], float)
    hole = np.array([(0.5, 0.25), (0.5, 0.75), (1.5, 0.75), (1.5, 0.25), (0.5, 0.25)], float)
    path = array_path(np.concatenate([square, hole]), np.array([0, 5]))
    assert path.elementCount() == 10
    box = path.boundingRect()
    assert (box.left(), box.top(), box.width(), box.height()) == pytest.approx((0, -1, 2, 1))
    assert path.contains(QPointF(0.2, -0.1))
    assert not path.contains(QPointF(1.0, -0.5))
    assert array_path(np.empty((0, 2)), np.empty(0, int)).isEmpty()


def test_bands_lie_inside_each_other_and_agree_with_the_map(qapp, demo):
    map_ = coverage(demo, "pir-throwing", "towards")
    paths = band_paths(map_)
    areas = [p.boundingRect().width() * p.boundingRect().height() for p in paths]
    assert areas == sorted(areas, reverse=True)
    rng = np.random.default_rng(1)
    agree = []
    for x, y in zip(rng.uniform(0.3, 4.7, 200), rng.uniform(4.0, 7.2, 200)):
        column = int((x - map_.grid.x0) / map_.grid.cell)
        row = int((y - map_.grid.y0) / map_.grid.cell)
        agree.append(paths[2].contains(QPointF(x, -y)) == (map_.notice_s[row, column] <= 5))
    assert np.mean(agree) > 0.96


def test_snapping_takes_hold_only_near_and_only_of_what_hangs_on_walls(demo):
    corner = next(d for d in catalogue() if d.id == "pir-corner-12")
    ceiling = next(d for d in catalogue() if d.id == "pir-ceiling-6")
    free = snap(demo, corner, "ground", 2.5, 5.5, 0.3)
    assert (free.x, free.y, free.yaw) == (2.5, 5.5, None)
    wall = snap(demo, corner, "ground", 2.5, 7.2, 0.3)
    assert (wall.y, wall.yaw) == (pytest.approx(7.5 - 0.15 - 0.03), 270)
    assert snap(demo, ceiling, "ground", 2.5, 7.2, 0.3).yaw is None
    assert snap(demo, corner, "ground", 50, 50, 0.3).yaw is None
    sides = clearances(demo, "ground", 1.0, 7.0)
    assert [s[0] for s in sides] == pytest.approx([0.5, 1.0])
    assert clearances(demo, "ground", 50, 50) == []


# -- ribbon ------------------------------------------------------------------------------------------------------------


def test_the_ribbon_lists_the_room_first_and_scrolls(qtbot, window):
    window.focus.set(stage="Rehearsal", room="sitting", level="upper")
    lanes = [x.words for x in window.ribbon._lanes]
    assert lanes[0] == "Sitting room"
    assert [x.strip() for x in lanes[1:13]] == [
        "P, potter",
        "R, resident",
        "Cat",
        "PIR sitting room",
        "Radar sitting room",
        "Tracker sitting room",
        "Sofa",
        "Window seat",
        "Door",
        "Player sitting room",
        "presence",
        "light",
    ]
    assert "Landing" in lanes
    assert lanes.index("Landing") < lanes.index("Throwing room")
    before = window.ribbon._offset
    wheel = QWheelEvent(
        QPointF(300, 100), QPointF(300, 100), QPoint(0, 0), QPoint(0, -240), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(window.ribbon, wheel)
    assert window.ribbon._offset > before
    window.focus.set(room="throwing")
    assert window.ribbon._offset == 0


def test_a_lane_of_the_ribbon_selects_its_sensor_and_its_room(qtbot, window):
    window.focus.set(stage="Rehearsal", room="throwing", level="ground")
    lane = next(x for x in window.ribbon._lanes if x.words == "PIR shop")
    qtbot.mouseClick(window.ribbon, LEFT, pos=QPoint(40, round(lane.y + 8)))
    assert (window.focus.selected, window.focus.room) == ("pir-shop", "shop")


def test_bars_are_the_signal_on_the_shown_day(window):
    window.focus.set(day=2)
    ribbon = window.ribbon
    signal = window.results.rehearsal.house.served("throwing")
    bars = ribbon._bars(signal)
    noon = ribbon.start
    on = signal.clip(noon, noon + 86_400).total() / 86_400 * (ribbon.width() - 128 - 14)
    assert sum(b - a for a, b in bars) == pytest.approx(on, abs=0.9 * len(bars) + 2)
    for t in (noon + 100, noon + 40_000):
        assert ribbon.time_at(ribbon.x_of(t)) == pytest.approx(t, abs=1)


def test_arrows_move_the_playhead_of_the_ribbon(qtbot, window):
    window.ribbon.setFocus()
    t = window.focus.time
    key(qtbot, window.ribbon, Qt.Key.Key_Right)
    assert window.focus.time == t + 60
    key(qtbot, window.ribbon, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert window.focus.time == t - 540
    window.playhead.step_time(-1e9)
    assert window.focus.time == 0


def test_a_room_without_incidents_says_so(qtbot, window):
    window.focus.set(room="kiln")
    window.playhead.step_incident(1)
    assert "No incidents" in window.status.said.text()


# -- sidebars ----------------------------------------------------------------------------------------------------------


@pytest.mark.usefixtures("a_week")
def test_days_tell_what_went_wrong_and_go_there(qtbot, window):
    window.focus.set(stage="Rehearsal", room="throwing", level="ground", day=0, time=43_200.0 + 3600)
    tiles = window.panel("Rehearsal").days._tiles
    assert sorted(tiles) == list(range(-1, 7))
    r = window.results.rehearsal
    for day, tile in tiles.items():
        lo = day * 86_400 + 43_200
        drops = sum(i.kind == "dropped" and i.room == "throwing" and lo <= i.at < lo + 86_400 for i in r.incidents)
        assert tile.figure == (str(drops) if drops else "")
    qtbot.mouseClick(tiles[3], LEFT)
    assert window.focus.day == 3
    assert window.focus.time == pytest.approx(3 * 86_400 + 43_200 + 3600)
    assert tiles[3].current
    key(qtbot, tiles[1], Qt.Key.Key_Return)
    assert window.focus.day == 1


def test_the_list_of_rooms_goes_to_rooms_and_counts_sensors(qtbot, window):
    window.focus.set(stage="Plan")
    tile = window.panel("Plan").rooms._tiles["sitting"]
    assert tile.figure == "4 sensors"
    qtbot.mouseClick(tile, LEFT)
    assert (window.focus.room, window.focus.level) == ("sitting", "upper")
    assert isinstance(tile, Tile)
    assert tile.current
    window.focus.set(selected="radar-sitting")
    window.plan.setFocus()
    key(qtbot, window.plan, Qt.Key.Key_Delete)
    assert window.panel("Plan").rooms._tiles["sitting"].figure == "3 sensors"


def test_the_level_box_shows_the_level_and_changes_it(qtbot, window):
    box = window.level
    assert box.currentText() == "Ground floor"
    box.setCurrentIndex(box.findText("Upper floor"))
    box.activated.emit(box.currentIndex())
    assert window.focus.level == "upper"


# -- verdict -----------------------------------------------------------------------------------------------------------


def test_findings_fold_but_cautions_never(qtbot, window):
    settle(qtbot, window)
    window.focus.set(stage="Sensors", room="throwing", selected="pir-throwing")
    qtbot.waitUntil(lambda: any(t.startswith("Caution:") for t in labels(window.verdict)))
    cards = [c for c in window.verdict.findChildren(LinkCard) if c.isVisible()]
    more = next(b for b in window.verdict.findChildren(QPushButton) if b.text().endswith("more"))
    more.click()
    qtbot.waitUntil(lambda: len([c for c in window.verdict.findChildren(LinkCard) if c.isVisible()]) > len(cards))


def test_a_finding_leads_to_its_record(qtbot, window):
    settle(qtbot, window)
    window.focus.set(stage="Sensors", room="toilet", selected="toilet")
    card = next(c for c in window.verdict.findChildren(LinkCard) if c.accessibleName().startswith("Toilet, seated"))
    key(qtbot, card, Qt.Key.Key_Return)
    assert window.focus.selected == "toilet-seat"
    assert find(project(window).spots, "toilet-seat").room == "toilet"


def test_figures_that_miss_the_brief_are_red_and_others_are_not(qtbot, window):
    red = window.theme.dropped.name()
    scores = window.verdict._scores
    window.focus.set(room="throwing")
    assert red in scores["drops"]._value.styleSheet()
    window.focus.set(room="passage")
    assert red not in scores["drops"]._value.styleSheet()
    assert scores["idle"]._aside.text().endswith("kWh")
    window.focus.set(room="kiln", level="ground")
    assert not window.verdict._numbers.isVisible()
    assert "No sensor controls" in window.verdict._nothing.text()


def test_a_room_the_checks_praise_and_the_week_does_not_is_told_apart(qtbot, window):
    settle(qtbot, window)
    words = no_findings(window.results, "shop")
    assert "somebody was left in the dark" in words
    assert no_findings(window.results, "kiln") == "No problems found in this room."


def test_an_incident_closes_when_the_design_changes(qtbot, window):
    r = window.results.rehearsal
    window.playhead.open_incident(next(i for i, x in enumerate(r.incidents) if x.room == "throwing"))
    assert window.focus.incident >= 0
    window.focus.set(selected="pir-throwing")
    window.plan.nudge(-0.1, 0)
    assert window.focus.incident == -1


def test_about_tells_what_the_memo_holds_of_its_budget_and_can_empty_it(qtbot, window):
    settle(qtbot, window)
    key(qtbot, window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    sheet = window.findChild(AboutSheet)
    assert sheet.isVisible() and sheet.bar.maximum() == MEMO.budget == 512 * 1024 * 1024
    assert 0 < sheet.bar.value() == MEMO.bytes
    used, results, _ = sheet.figures.values()
    assert used.text() == f"{MEMO.bytes / 1024**2:.0f} of 512 MiB" and results.text() == f"{len(MEMO):,}"
    qtbot.mouseClick(sheet.empty, LEFT)
    assert used.text() == "0 of 512 MiB" and sheet.bar.value() == 0 and len(MEMO) == 0
    key(qtbot, sheet, Qt.Key.Key_Escape)
    assert not sheet.isVisible()


def test_the_legend_has_a_hue_for_each_kind_of_contour_on_the_level(window):
    legend = next(w for w in window.findChildren(Legend))
    before = legend.families()
    assert "ultrasonic" not in before and "pir" in before
    p = project(window)
    room = next(r for r in p.rooms if r.level == window.focus.level)
    device = next(d for d in catalogue() if d.family == "ultrasonic")
    new, _ = add_sensor(p, device, room.level, (*polygons.centroid(room.outline), 2.4), 0.0, -90.0)
    window.document.apply(new, "Place")
    assert set(legend.families()) == {*before, "ultrasonic"}
    window.document.undo_stack.undo()
    assert legend.families() == before


def test_every_stage_has_a_tab_a_key_a_panel_and_a_hint(qtbot, window):
    for k, stage in enumerate(STAGES, 1):
        qtbot.keyClick(window.plan, Qt.Key(Qt.Key.Key_0 + k), Qt.KeyboardModifier.ControlModifier)
        assert window.focus.here is stage and window.strip.tabs[stage.name].current
        assert window.left.currentWidget() is window.panel(stage.name) and window.left.width() == stage.width
        assert window._figures.isVisible() == stage.covers and window.moment.isVisible() == stage.follows_time
        assert window._hint() in (stage.hint, *stage.hints.values())
        window.focus.set(selected="radar-sitting")
        assert window._hint() == stage.hints.get("sensors", stage.hint)
        window.focus.set(selected=window.focus.room)


def test_pictures_and_paths_in_the_memo_weigh_what_they_are():
    picture, path = QImage(100, 50, QImage.Format.Format_ARGB32), QPainterPath()
    for k in range(500):
        path.lineTo(k, k)
    assert 20_000 <= size_bytes(picture) < 21_000
    assert 12_000 <= size_bytes((path,)) < 13_000


def turn_wheel(field: QWidget) -> None:
    """One notch down, with the pointer in the middle of a field."""
    at = QPointF(field.rect().center())
    event = QWheelEvent(
        at, QPointF(field.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(field, event)


def shown_in(field):
    if isinstance(field, QComboBox):
        return field.currentIndex()
    return field.text() if isinstance(field, QAbstractSpinBox) else field.value()


@pytest.mark.parametrize("stage", STAGE_NAMES)
def test_the_wheel_turns_nothing_that_was_not_clicked(qtbot, window, stage):
    """Over every field of every stage: it scrolls what they stand on, and the project stays as it is."""
    window.focus.set(stage=stage, selected="sofa", room="sitting", level="upper")
    settle(qtbot, window)
    window.plan.setFocus()
    before = project(window)
    fields = [w for w in window.findChildren(QWidget) if isinstance(w, QComboBox | QAbstractSpinBox | QSlider)]
    assert fields
    for field in fields:
        was = shown_in(field)
        turn_wheel(field)
        assert shown_in(field) == was
        assert not field.hasFocus()
    assert project(window) is before


def test_a_list_that_has_the_keys_is_turned_by_the_wheel(qtbot):
    box = Choice()
    box.addItems(["a", "b", "c"])
    qtbot.addWidget(box)
    box.show()
    box.activateWindow()
    qtbot.waitUntil(box.isActiveWindow)
    box.setFocus()
    turn_wheel(box)
    assert box.currentText() == "b"


def test_an_answer_that_comes_after_the_end_is_told_to_nobody(qtbot, window):
    """The work was done, and its answer is under way, when the window closes."""
    week = window.results.week
    heard = []
    week.changed.connect(lambda: heard.append(week.state))
    week.ask()
    assert heard == ["busy"]
    week.pool.waitForDone()
    window.results.stop()
    qtbot.wait(50)
    assert heard == ["busy"] and week.state == "busy"


def test_a_long_name_in_a_chain_of_causes_leaves_the_verdict_its_width(qtbot, window):
    project_ = project(window)
    spots = tuple(replace(s, name=f"{s.name} behind the tall rack by the north window") for s in project_.spots)
    window.document.replace(replace(project_, spots=spots), None)
    window.take_over()
    settle(qtbot, window)
    r = window.results.rehearsal
    drop = next(i for i, x in enumerate(r.incidents) if x.kind == "dropped")
    window.playhead.open_incident(drop)
    settle(qtbot, window)
    verdict = window.verdict
    qtbot.waitUntil(lambda: any(w.isVisible() for w in verdict.findChildren(LinkCard)))
    cards = [w for w in verdict.findChildren(LinkCard) if w.isVisible()]
    assert any("behind the tall rack" in w.accessibleName() for w in cards)
    for card in cards:
        assert card.minimumSizeHint().width() < verdict.width() - 40


def test_a_spot_is_tried_as_soon_as_it_is_selected(qtbot, window):
    window.focus.set(stage="Sensors", room="throwing", selected="left-wheel")
    settle(qtbot, window)
    view = window.verdict.trial
    assert view.isVisible() and "The light goes off" in view._words.text() and len(view._strip.lit_share) > 100
    before = window.results[TRIAL].value
    window.document.apply(set_hold(project(window), "presence-throwing", 3600.0), "Set the hold time to")
    settle(qtbot, window)
    assert window.results[TRIAL].value.drops < before.drops
    # Nobody need live there.
    window.document.apply(replace(project(window), people=()), "Nobody")
    settle(qtbot, window)
    assert view.isVisible() and window.results[TRIAL].value.hold_s == 3600
    window.focus.set(selected="throwing")
    settle(qtbot, window)
    assert not view.isVisible()
    window.document.undo_stack.setClean()


def test_four_ways_are_shown_side_by_side_and_one_is_hung(qtbot, window):
    window.focus.set(stage="Sensors", room="toilet", selected="toilet")
    settle(qtbot, window)
    button = next(b for b in window.verdict.findChildren(QPushButton) if b.text() == "Compare four strategies")
    qtbot.mouseClick(button, LEFT)
    sheet = window.findChild(SchoolsSheet)
    qtbot.waitUntil(lambda: window.results[SCHOOLS].value is not None, timeout=60_000)
    words = [x.text() for x in sheet.findChildren(QLabel)]
    assert "Motion turns on, radar keeps on" in words and "false-offs a week" in words
    way = window.results[SCHOOLS].value[2]
    hang = next(b for b in sheet.findChildren(QPushButton) if b.accessibleName() == f"Use: {way.name}")
    qtbot.mouseClick(hang, LEFT)
    assert project(window) is way.project and "radar keeps" in window.document.undo_stack.undoText()
    window.document.undo_stack.undo()
    # Closed while it lives through the weeks, it stops.
    settle(qtbot, window)
    window.verdict.show_schools()
    again = window.findChildren(SchoolsSheet)[-1]
    again.reject()
    assert not window.results[SCHOOLS].busy
    window.document.undo_stack.setClean()


def test_trying_can_be_stopped(qtbot, window):
    window.focus.set(room="throwing", selected="throwing")
    window.verdict.try_remedies()
    assert window.results[REMEDIES].busy
    stop = next(b for b in window.verdict.findChildren(QPushButton) if "stop" in b.text())
    stop.click()
    assert not window.results[REMEDIES].busy
    assert window.results[REMEDIES].value is None
    qtbot.waitUntil(lambda: any("Try improvements" in b.text() for b in window.verdict.findChildren(QPushButton)))
