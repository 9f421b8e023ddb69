"""The Zones stage in the real window: drawn, dragged, typed, proposed, made from a walk, lived with."""

from __future__ import annotations

import pytest
from hands import LEFT, drag, key, plain, project, send_move, settle, spot_px
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QLabel, QLineEdit, QPushButton
from shapely import Polygon

from vastwatch.commission.entry_sheet import as_text, entry_sheet
from vastwatch.commission.simulated_device import simulate_walk, true_pose
from vastwatch.design.edits.zones import replace_zones
from vastwatch.design.expressions import zone_part
from vastwatch.design.presence import roles_of
from vastwatch.design.project import find, put
from vastwatch.design.references import without
from vastwatch.desk.plan.zoning import rows_of
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.results.zones import ZONE_HELP, ZONE_SCORES
from vastwatch.desk.stages.zones.entry_dialog import EntryDialog
from vastwatch.desk.stages.zones.pairs_dialog import pairs_dialog
from vastwatch.desk.stages.zones.walk_dialog import WalkDialog
from vastwatch.devices import catalogue
from vastwatch.geometry import polygons
from vastwatch.sensing.mounted import zoned_sensor
from vastwatch.sensing.zoned_sensor import zones_of

TRACKER = "tracker-sitting"


@pytest.fixture
def zones(qtbot, window):
    """The window in the Zones stage, in the sitting room."""
    window.focus.set(stage="Zones", level="upper", room="sitting", selected=TRACKER)
    settle(qtbot, window)
    return window


def drawn(window, sensor=TRACKER):
    return zones_of(project(window), sensor)


def zone(window, ident):
    return find(project(window).zones, ident)


def test_the_numbers_on_the_panel_are_those_of_the_device(zones):
    panel = zones.panel("Zones")
    known = zoned_sensor(project(zones), find(project(zones).sensors, TRACKER))
    assert [r.zone for r in panel.numbers.rows] == [z.id for z in known.zones]
    zones.focus.set(level="ground", room="shop", selected="tracker-shop")
    known = zoned_sensor(project(zones), find(project(zones).sensors, "tracker-shop"))
    for shown, shape in zip(panel.numbers.rows, known.shapes):
        a, b, c, d = (f"{v:g}".replace("-", "−") for v in shape.numbers)
        assert shown.columns == (f"{a} … {b}", f"{c} … {d}")
    assert "to the right" in panel._unit.text()


def test_a_zone_is_dragged_and_all_follows_in_one_step(qtbot, zones):
    panel, before = zones.panel("Zones"), zone(zones, "zone-window-seat").outline
    numbers = panel.numbers.rows
    drag(qtbot, zones, spot_px(zones, 2.4, 6.6), spot_px(zones, 2.4, 6.1))
    after = zone(zones, "zone-window-seat").outline
    assert zones.focus.selected == "zone-window-seat"
    assert [y for _, y in after] == pytest.approx([y - 0.5 for _, y in before], abs=0.051)
    assert panel.numbers.rows != numbers and zones.document.undo_stack.count() == 1
    known = zoned_sensor(project(zones), find(project(zones).sensors, TRACKER))
    window_seat = next(r for r in panel.matrix.rows if r.spot == "window-spot")
    i = [s.id for s in known.spots].index("window-spot")
    assert window_seat.chance == tuple(known.counted[i])
    zones.document.undo_stack.undo()
    assert zone(zones, "zone-window-seat").outline == before


def test_a_zone_is_dragged_by_what_the_device_uses_of_it_too(qtbot, zones):
    """Where the device's shape reaches beyond the drawn one: it is seen as the zone, and the plan stays."""
    zones.focus.set(level="ground", room="shop", selected="tracker-shop")
    settle(qtbot, zones)
    known = zoned_sensor(project(zones), find(project(zones).sensors, "tracker-shop"))
    j = [z.id for z in known.zones].index("zone-counter")
    before, used = known.zones[j].outline, Polygon(known.outline(j))
    free = used.difference(Polygon(before)).difference(Polygon(known.outline(1 - j))).buffer(-0.05)
    at = max(getattr(free, "geoms", [free]), key=lambda part: part.area).representative_point()
    drag(qtbot, zones, spot_px(zones, at.x, at.y), spot_px(zones, at.x, at.y + 0.3))
    after = zone(zones, "zone-counter").outline
    assert zones.focus.selected == "zone-counter" and after != before
    zones.document.undo_stack.undo()
    assert zone(zones, "zone-counter").outline == before


def test_a_corner_is_dragged_and_esc_takes_it_back(qtbot, zones):
    zones.focus.set(selected="zone-window-seat")
    x, y = min(zone(zones, "zone-window-seat").outline)
    view = zones.plan.viewport()
    start = spot_px(zones, x, y)
    qtbot.mousePress(view, LEFT, Qt.KeyboardModifier.NoModifier, start)
    send_move(zones, spot_px(zones, x + 0.3, y + 0.2))
    moved = zone(zones, "zone-window-seat").outline
    assert min(moved) == pytest.approx((x + 0.3, y + 0.2), abs=0.06) and len(set(moved)) == 4
    card = [plain(words) for words, _ in rows_of(project(zones), zones.plan.state, "zone-window-seat")]
    assert any(words.endswith("% counted") for words in card)
    key(qtbot, zones.plan, Qt.Key.Key_Escape)
    assert min(zone(zones, "zone-window-seat").outline) == (x, y) and zones.document.undo_stack.count() == 0


def test_a_zone_stops_at_its_neighbour_and_alt_lets_it(qtbot, zones):
    outlines = [z.outline for z in drawn(zones) if z.id != "zone-sofa"]
    start, end = spot_px(zones, 2.0, 3.6), spot_px(zones, 2.6, 6.4)
    drag(qtbot, zones, start, end, steps=12)
    sofa = Polygon(zone(zones, "zone-sofa").outline)
    assert all(sofa.distance(Polygon(o)) >= 0.05 - 1e-6 for o in outlines)
    zones.document.undo_stack.undo()
    drag(qtbot, zones, start, end, steps=12, modifier=Qt.KeyboardModifier.AltModifier)
    assert any(Polygon(zone(zones, "zone-sofa").outline).intersects(Polygon(o)) for o in outlines)


def test_a_zone_is_dragged_by_the_seat_in_it_and_a_click_chooses_the_seat(qtbot, zones):
    seat, before = find(project(zones).spots, "window-spot"), zone(zones, "zone-window-seat").outline
    qtbot.mouseClick(zones.plan.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, spot_px(zones, *seat.at))
    assert zones.focus.selected == "window-spot" and zones.document.undo_stack.count() == 0
    drag(qtbot, zones, spot_px(zones, *seat.at), spot_px(zones, seat.at[0], seat.at[1] - 0.4))
    assert find(project(zones).spots, "window-spot").at == seat.at
    assert zone(zones, "zone-window-seat").outline[0][1] == pytest.approx(before[0][1] - 0.4, abs=0.051)


def arm(qtbot, window, token):
    qtbot.mouseClick(window.panel("Zones").tools[token], LEFT)
    assert window.focus.placing == f"draw:{token}"


def bare(window, sensor=TRACKER):
    """Without zones, as if none had been drawn."""
    here = find(project(window).sensors, sensor)
    window.document.apply(replace_zones(project(window), here, ()), "Without")


def test_a_rectangle_an_outline_and_round_a_seat(qtbot, zones):
    bare(zones)
    arm(qtbot, zones, "zone")
    drag(qtbot, zones, spot_px(zones, 1.5, 4.9), spot_px(zones, 2.5, 5.6))
    (made,) = drawn(zones)
    assert {tuple(p) for p in made.outline} == {(1.5, 4.9), (2.5, 4.9), (2.5, 5.6), (1.5, 5.6)}
    assert zones.focus.selected == made.id and zones.focus.placing is None
    arm(qtbot, zones, "zone-outline")
    for x, y in ((3.2, 5.6), (4.0, 5.6), (3.6, 6.4)):
        qtbot.mouseClick(zones.plan.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, spot_px(zones, x, y))
    key(qtbot, zones.plan, Qt.Key.Key_Return)
    assert len(drawn(zones)) == 2 and len(drawn(zones)[1].outline) == 3
    arm(qtbot, zones, "zone-here")
    qtbot.mouseClick(zones.plan.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, spot_px(zones, 1.2, 3.9))
    assert drawn(zones)[2].name == "Sofa" and len(drawn(zones)) == 3
    # There again there is no room.
    arm(qtbot, zones, "zone-here")
    qtbot.mouseClick(zones.plan.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, spot_px(zones, 1.2, 3.9))
    assert len(drawn(zones)) == 3 and "must not overlap" in zones.status.said.text()


def test_no_more_zones_than_the_device_takes(qtbot, zones):
    zones.focus.set(level="ground", room="shop", selected="tracker-shop")
    for x in (1.0, 3.4):
        arm(qtbot, zones, "zone")
        drag(qtbot, zones, spot_px(zones, x, 0.3), spot_px(zones, x + 0.5, 0.7))
    assert len(drawn(zones, "tracker-shop")) == 4 and "supports 4 zones" in zones.status.said.text()


def test_by_keyboard_a_zone_is_drawn_nudged_deleted(qtbot, zones):
    bare(zones)
    zones.focus.set(selected="window-spot")
    zones.focus.set(placing="draw:zone-here")
    key(qtbot, zones.plan, Qt.Key.Key_Return)
    (made,) = drawn(zones)
    key(qtbot, zones.plan, Qt.Key.Key_Left)
    assert zone(zones, made.id).outline[0][0] == pytest.approx(made.outline[0][0] - 0.05)
    key(qtbot, zones.plan, Qt.Key.Key_Delete)
    assert drawn(zones) == () and zones.focus.selected == TRACKER


def test_a_row_of_the_matrix_shows_the_reports_of_that_spot(qtbot, zones):
    matrix = zones.panel("Zones").matrix
    k = [r.spot for r in matrix.rows].index("window-spot")
    at = QPoint(20, 20 + 22 * k + 10)
    assert matrix.row_at(at.toPointF()).spot == "window-spot"
    qtbot.mouseClick(matrix, LEFT, Qt.KeyboardModifier.NoModifier, at)
    assert zones.focus.selected == "window-spot"
    dots = zones.plan.state.zones.dots
    assert len(dots) > 50 and sum(inside for *_, inside in dots) > 0.9 * len(dots)
    key(qtbot, matrix, Qt.Key.Key_Up)
    assert zones.focus.selected == matrix.rows[k - 1].spot


def test_numbers_are_stepped_and_copied(qtbot, zones):
    panel = zones.panel("Zones")
    panel.numbers.setFocus()
    key(qtbot, panel.numbers, Qt.Key.Key_Down)
    assert zones.focus.selected == panel.numbers.rows[0].zone
    key(qtbot, panel.numbers, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    sheet = entry_sheet(project(zones), find(project(zones).sensors, TRACKER))
    assert QApplication.clipboard().text() == as_text(sheet)


def test_zones_for_this_room_on_one_press(qtbot, zones):
    bare(zones)
    panel = zones.panel("Zones")
    qtbot.mouseClick(panel.propose, LEFT)
    assert {z.role for z in drawn(zones)} >= {"detect", "entry"}
    said = zones.status.said.text()
    assert "there may be better ones" in said
    zones.document.undo_stack.undo()
    assert drawn(zones) == ()


def test_what_would_help_is_tried_and_taken(qtbot, zones):
    zones.plan.setFocus()
    for _ in range(8):
        key(qtbot, zones.plan, Qt.Key.Key_L)
    settle(qtbot, zones)
    panel = zones.panel("Zones")
    yaw = find(project(zones).sensors, TRACKER).yaw
    qtbot.waitUntil(lambda: panel._helps.count() > 0, timeout=20_000)
    button = panel._helps.itemAt(0).widget().findChild(QPushButton)
    before = zones.results[ZONE_HELP].value[0].counted_before
    qtbot.mouseClick(button, LEFT)
    assert find(project(zones).sensors, TRACKER).yaw != yaw
    known = zoned_sensor(project(zones), find(project(zones).sensors, TRACKER))
    assert known.counted[known.intended].min() > before


def test_a_zone_is_set_in_the_inspector_and_a_lamp_follows_it(qtbot, zones):
    zones.focus.set(selected="zone-sofa")
    form = zones.verdict.inspector
    words = [plain(x.text()) for x in form.findChildren(QLabel)]
    assert any("reports counted" in w for w in words)
    box = next(b for b in form.findChildren(QComboBox) if b.accessibleName() == "Zone lamp")
    k = box.findData("lamp-window-seat")
    box.setCurrentIndex(k)
    box.activated.emit(k)
    assert find(project(zones).lamps, "lamp-window-seat").zone == "zone-sofa"
    role = next(b for b in form.findChildren(QComboBox) if b.accessibleName() == "Type")
    role.setCurrentIndex(2)
    role.activated.emit(2)
    assert zone(zones, "zone-sofa").role == "ignore"
    settle(qtbot, zones)
    said = zones.results.rehearsal.recording.reports[TRACKER, zone_part("zone-sofa")]
    assert said.total() == 0


def test_false_minutes_are_those_of_the_week(qtbot, zones):
    panel = zones.panel("Zones")
    qtbot.waitUntil(lambda: zones.results[ZONE_SCORES].value is not None)
    score = zones.results[ZONE_SCORES].value
    sofa = score.zones["zone-sofa"]
    assert f"Sofa: {sofa.false_min:.1f} min false, occupied {100 * sofa.counted:.0f} %" in plain(panel._false.text())


def test_targets_wander_about_people_while_it_plays(qtbot, zones):
    r = zones.results.rehearsal
    said = r.recording.reports[TRACKER, zone_part("zone-window-seat")]
    a, b = max(said.intervals.tolist(), key=lambda ab: ab[1] - ab[0])
    zones.focus.set(stage="Rehearsal", time=(a + b) / 2)
    targets = [p for s, p in zones.plan.state.targets if s == TRACKER]
    people = [p[2] for p in zones.plan.state.people if p[1] != "cat"]
    assert targets and min(abs(x - px) + abs(y - py) for x, y in targets for px, py in people) < 1.5
    lanes = [lane.words.strip() for lane in zones.ribbon._lanes if lane.room == "sitting"]
    assert "Window seat" in lanes and "Sofa" in lanes


def test_without_a_tracking_radar_it_says_what_to_do(zones):
    zones.document.apply(replace_zones(project(zones), find(project(zones).sensors, TRACKER), ()), "x")
    zones.focus.set(selected=TRACKER)
    key_ = zones.panel("Zones")
    zones.document.apply(without(project(zones), [TRACKER]), "Delete it")
    zones.focus.set(selected=None)
    assert "No tracking radar" in key_._title.text() and not key_.propose.isVisible()


# -- from a walk, entry sheet --------------------------------------------------------------------------------------


def read(qtbot, it):
    """Wait until a log is understood."""
    qtbot.waitUntil(lambda: not it._work.busy, timeout=20_000)


def dialog(window):
    return WalkDialog(window.document, find(project(window).sensors, TRACKER), window.around.theme, window)


def test_a_walk_past_the_simulated_device_corrects_the_plan(qtbot, zones):
    it = dialog(zones)
    qtbot.addWidget(it)
    it.show()
    qtbot.mouseClick(next(b for b in it.findChildren(QPushButton) if "simulated" in b.text()), LEFT)
    read(qtbot, it)
    true = true_pose(project(zones), it.sensor, 1)
    assert abs((it.found.pose.yaw - true.yaw + 180) % 360 - 180) < 4 * it.found.sd[2] + 0.2
    qtbot.mouseClick(it.plan, LEFT)
    now = find(project(zones).sensors, TRACKER)
    assert now.yaw == pytest.approx(it.found.pose.yaw, abs=0.06) and now.settings.measured_bias_m is not None
    assert zones.document.undo_stack.count() == 1 and "corrected" in it.told
    zones.document.undo_stack.undo()
    assert find(project(zones).sensors, TRACKER).settings.measured_bias_m is None


def test_a_log_file_corrects_the_numbers_alone_and_makes_a_zone(qtbot, zones, tmp_path):
    path = tmp_path / "walk.csv"
    path.write_text(simulate_walk(project(zones), find(project(zones).sensors, TRACKER), 4))
    it = dialog(zones)
    qtbot.addWidget(it)
    it.read(str(path))
    read(qtbot, it)
    before = [s.numbers for s in zoned_sensor(project(zones), it.sensor).shapes]
    qtbot.mouseClick(it.numbers, LEFT)
    now = find(project(zones).sensors, TRACKER)
    assert (now.at, now.yaw) == (it.sensor.at, it.sensor.yaw) and now.settings.measured_at is not None
    assert [s.numbers for s in zoned_sensor(project(zones), now).shapes] != before
    again = dialog(zones)
    qtbot.addWidget(again)
    again.read(str(path))
    read(qtbot, again)
    again.which.setCurrentIndex(again.which.findText("sofa-spot"))
    qtbot.mouseClick(again.zone, LEFT)
    assert polygons.contains_point(drawn(zones)[-1].outline, *find(project(zones).spots, "sofa-spot").at)


def test_a_bad_log_is_told_and_changes_nothing(qtbot, zones, tmp_path):
    path = tmp_path / "walk.csv"
    path.write_text("t,x,y,mark\n0,1,1,nowhere\n")
    it = dialog(zones)
    qtbot.addWidget(it)
    it.read(str(path))
    read(qtbot, it)
    assert "nowhere" in it.words.text() and not it.plan.isEnabled()
    it.read(str(tmp_path / "gone.csv"))
    read(qtbot, it)
    assert "no such file" in it.words.text()


def test_the_entry_sheet_is_saved_and_ticked(qtbot, zones, tmp_path):
    it = EntryDialog(zones.document, TRACKER, zones)
    qtbot.addWidget(it)
    it.show()
    name = next(iter(it.ticks))
    it.ticks[name].setChecked(True)
    assert name in zone(zones, name.split(":")[0]).ticked
    for suffix in (".txt", ".csv", ".pdf"):
        it.save(tmp_path / f"sheet{suffix}")
        assert (tmp_path / f"sheet{suffix}").stat().st_size > 200
    page = (tmp_path / "sheet.pdf").read_bytes()
    assert page.startswith(b"%PDF") and page.rstrip().endswith(b"%%EOF")
    it.save(tmp_path / "no" / "such" / "sheet.txt")
    assert "cannot be saved" in it.told.text()
    again = EntryDialog(zones.document, TRACKER, zones)
    qtbot.addWidget(again)
    assert again.ticks[name].isChecked()


def test_tape_and_reading_of_a_radar_with_bands(qtbot, zones):
    window = zones
    bands = next(d for d in catalogue() if d.id == "radar-24-bands")
    there = find(project(window).sensors, TRACKER)
    new = replace(project(window), devices=(*project(window).devices, bands))
    window.document.apply(put(new, replace(there, device=bands.id)), "Bands")
    window.focus.set(selected=TRACKER)
    panel = window.panel("Zones")
    assert panel.walk.text() == "Tape measurements…" and panel.numbers.rows[0].columns[0].startswith("bands")
    it = pairs_dialog(window.document, find(project(window).sensors, TRACKER), window)
    qtbot.addWidget(it)
    assert not it.take.isEnabled()
    it.text.setPlainText("1.00 1.42\n2.00 2.41\n3.50 3.93")
    assert "too long" in it.words.text()
    qtbot.mouseClick(it.take, LEFT)
    assert find(project(window).sensors, TRACKER).settings.measured_bias_m == pytest.approx(0.42, abs=0.03)
    # Sensitivities by band are typed at the right.
    window.focus.set(selected="sitting")
    window.focus.set(selected=TRACKER)
    field = next(
        f for f in window.verdict.inspector.findChildren(QLineEdit) if f.accessibleName() == "Moving, per band"
    )
    field.setText("9 9 7")
    field.editingFinished.emit()
    assert find(project(window).sensors, TRACKER).settings.bands_below_max == (0, 0, 2)
    field.setText("12")
    field.editingFinished.emit()
    assert field.text() == "9 9 7" and "1 to 9" in window.status.said.text()


def test_a_zone_starts_and_keeps_presence(qtbot, zones):
    zones.focus.set(stage="Timing", room="sitting", selected="sitting")
    settle(qtbot, zones)
    boxes = zones.panel("Timing").roles.findChildren(QCheckBox)
    box = next(b for b in boxes if b.accessibleName() == "Sofa keeps presence on")
    qtbot.mouseClick(box, LEFT)
    presence = next(p for p in project(zones).presences if p.room == "sitting")
    assert f"{TRACKER}/zone-sofa" in roles_of(presence.expr).keeps
    settle(qtbot, zones)
    house = zones.results.rehearsal.house
    said = zones.results.rehearsal.recording.reports[TRACKER, zone_part("zone-sofa")]
    assert (said - house.presence("sitting")).total() < 0.2 * said.total()
    zones.document.undo_stack.undo()
    assert (
        f"{TRACKER}/zone-sofa"
        not in roles_of(next(p for p in project(zones).presences if p.room == "sitting").expr).keeps
    )


def test_a_walk_is_taken_live_by_clicking_where_one_is(qtbot, zones, monkeypatch):
    from vastwatch.desk.stages.zones import walk_dialog
    from vastwatch.desk.stages.zones.walk_dialog import WalkDialog

    monkeypatch.setattr(walk_dialog, "LIVE_MS", 10**6)
    window = zones
    sensor = find(project(window).sensors, "tracker-sitting")
    dialog = WalkDialog(window.document, sensor, window.theme, window)
    dialog.show()
    qtbot.mouseClick(dialog.live, LEFT)
    assert len(dialog.over.places) >= 3 and "Click the ring" in dialog.words.text()
    # A click beside every ring says nothing.
    qtbot.mouseClick(dialog.over, LEFT, pos=QPoint(2, 2))
    assert dialog._device.marks == []
    for place in list(dialog.over.places)[:4]:
        qtbot.mouseClick(dialog.over, LEFT, pos=dialog.over.pixel_of(place).toPoint())
        for _ in range(70):
            dialog._tick()
    assert [m for _, m in dialog._device.marks] == list(dialog.over.places)[:4]
    dialog.over.grab()
    true = dialog._device.pose
    qtbot.mouseClick(dialog.live, LEFT)
    qtbot.waitUntil(lambda: dialog.found is not None, timeout=20_000)
    assert abs((dialog.found.pose.yaw - true.yaw + 180) % 360 - 180) < 3.0
    assert dialog.plan.isEnabled() and dialog.which.count() == 3 and not dialog.over.places
    dialog.reject()


def test_another_type_is_chosen_for_a_tracker_and_its_zones_wait(qtbot, zones):
    from vastwatch.desk.shell.widgets import Choice

    window = zones
    window.focus.set(stage="Sensors", level="upper", room="sitting", selected="tracker-sitting")
    settle(qtbot, window)
    box = next(b for b in window.verdict.inspector.findChildren(Choice) if b.accessibleName() == "Type")
    assert box.currentText() == find(project(window).devices, "radar-60-tracker").name
    before = project(window)
    k = box.findData("radar-24-state-mains")
    box.setCurrentIndex(k)
    box.activated.emit(k)
    assert find(project(window).sensors, "tracker-sitting").device == "radar-24-state-mains"
    assert project(window).zones == before.zones
    settle(qtbot, window)
    assert any(f.rule == "zones-aside" for f in window.results[FINDINGS].value)
    window.document.undo_stack.undo()
    assert project(window) is before


def test_tape_and_reading_keep_a_scale_that_surely_is_one(qtbot, zones):
    from vastwatch.desk.stages.zones.pairs_dialog import pairs_dialog

    window = zones
    sensor = find(project(window).sensors, "tracker-sitting")
    dialog = pairs_dialog(window.document, sensor, window)
    dialog.text.setPlainText("1.00 1.28\n2.00 2.36\n3.00 3.44\n4.00 4.53\n5.00 5.59")
    assert "times 1.0" in dialog.words.text()
    qtbot.mouseClick(dialog.take, LEFT)
    settings = find(project(window).sensors, "tracker-sitting").settings
    assert settings.measured_scale == pytest.approx(1.078, abs=0.01)
    window.document.undo_stack.undo()
