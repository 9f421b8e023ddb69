"""The real window, driven by mouse and keys."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hands import LEFT, drag, field, key, pixel, plain, project, send_move, sensor, settle, spot_px, type_into
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton

from vastwatch.design.presence import hold_of, roles_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of
from vastwatch.desk.plan import painting
from vastwatch.desk.results.adviser import OPTIONS
from vastwatch.desk.results.findings import CAUSES, FINDINGS, REMEDIES
from vastwatch.desk.results.timing import CURVE, best_curve
from vastwatch.desk.shell.units import parse_angle, parse_length, parse_time, show_length
from vastwatch.desk.shell.widgets import LinkCard
from vastwatch.desk.stages.sensors.shelf import DeviceCard
from vastwatch.files.project_file import encode
from vastwatch.words import duration_words

# -- sensors on the plan -------------------------------------------------------------------------------------------


def test_a_drag_moves_a_sensor_in_one_undo_step_and_coverage_follows(qtbot, window):
    before = sensor(window, "pir-throwing")
    start = pixel(window, "pir-throwing")
    seen = []
    window.document.changed.connect(lambda old, new: seen.append(find(new.sensors, "pir-throwing").at))
    drag(qtbot, window, start, spot_px(window, 2.5, 5.6), modifier=Qt.KeyboardModifier.AltModifier)
    after = sensor(window, "pir-throwing")
    assert after.at[:2] == pytest.approx((2.5, 5.6), abs=0.05)
    assert after.at[2] == before.at[2]
    assert len(seen) >= 4
    assert window.document.undo_stack.count() == 1
    assert window.document.undo_stack.undoText() == "Move PIR throwing room"
    assert window.focus.selected == "pir-throwing"
    key(qtbot, window.plan, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert sensor(window, "pir-throwing") is before
    key(qtbot, window.plan, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert sensor(window, "pir-throwing").at == after.at


def test_near_a_wall_a_sensor_takes_hold_and_faces_into_the_room(qtbot, window):
    window.focus.set(stage="Sensors")
    drag(qtbot, window, pixel(window, "pir-throwing"), spot_px(window, 2.4, 3.78))
    s = sensor(window, "pir-throwing")
    # On the inner face of the wall at y = 3.7, 10 cm thick.
    assert s.at[1] == pytest.approx(3.7 + 0.05 + 0.03)
    assert s.yaw == pytest.approx(90)
    drag(qtbot, window, pixel(window, "pir-throwing"), spot_px(window, 0.2, 7.3))
    s = sensor(window, "pir-throwing")
    # In the corner of two brick walls, 30 cm thick.
    assert s.at[:2] == pytest.approx((0.18, 7.32), abs=1e-6)
    drag(qtbot, window, pixel(window, "pir-throwing"), spot_px(window, 0.2, 3.95))
    # Brick to the left, 10 cm of plasterboard below.
    assert sensor(window, "pir-throwing").at[:2] == pytest.approx((0.18, 3.78), abs=1e-6)
    drag(qtbot, window, pixel(window, "pir-throwing"), spot_px(window, 0.2, 7.3))
    s = sensor(window, "pir-throwing")
    assert s.yaw == pytest.approx(315)


def test_outside_every_room_a_sensor_stays_where_it_was(qtbot, window):
    drag(qtbot, window, pixel(window, "pir-shop"), spot_px(window, -0.9, 2.0), steps=3)
    x, y, _ = sensor(window, "pir-shop").at
    assert 0 <= x <= 5
    assert 0 <= y <= 3.7


@pytest.mark.own_window
def test_the_handle_turns_and_keys_nudge_turn_and_delete(qtbot, window):
    view, plan = window.plan.viewport(), window.plan
    qtbot.mouseClick(view, LEFT, pos=pixel(window, "pir-throwing"))
    s = sensor(window, "pir-throwing")
    a = math.radians(s.yaw)
    handle = pixel(window, "pir-throwing") + QPoint(
        round(math.cos(a) * painting.HANDLE_REACH), round(-math.sin(a) * painting.HANDLE_REACH)
    )
    drag(qtbot, window, handle, pixel(window, "pir-throwing") + QPoint(-80, 0))
    assert sensor(window, "pir-throwing").yaw == pytest.approx(180)
    key(qtbot, plan, Qt.Key.Key_L)
    assert sensor(window, "pir-throwing").yaw == pytest.approx(185)
    key(qtbot, plan, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    assert sensor(window, "pir-throwing").yaw == pytest.approx(170)
    x, y, _ = sensor(window, "pir-throwing").at
    key(qtbot, plan, Qt.Key.Key_Left)
    key(qtbot, plan, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert sensor(window, "pir-throwing").at[:2] == pytest.approx((x - 0.05, y - 0.25))
    key(qtbot, plan, Qt.Key.Key_Delete)
    assert all(s.id != "pir-throwing" for s in project(window).sensors)
    assert presence_of(project(window), "throwing") is None
    assert window.document.undo_stack.undoText() == "Delete PIR throwing room"
    while window.document.undo_stack.canUndo():
        window.document.undo_stack.undo()
    assert encode(project(window)) == encode(window.document.undo_stack.command(0).old)


def test_a_device_from_the_shelf_is_placed_by_click_and_by_return(qtbot, window):
    before = window.results.rehearsal.scores["throwing"]
    card = next(c for c in window.panel("Sensors").findChildren(DeviceCard) if c.device.id == "radar-24-state")
    qtbot.mouseClick(card, LEFT)
    assert window.focus.placing == "radar-24-state"
    qtbot.mouseClick(window.plan.viewport(), LEFT, pos=spot_px(window, 0.4, 7.2))
    assert window.focus.placing is None
    new = project(window).sensors[-1]
    assert new.device == "radar-24-state"
    assert new.yaw == pytest.approx(315)
    presence = presence_of(project(window), "throwing")
    assert roles_of(presence.expr).keeps == ("pir-throwing", new.id)
    assert roles_of(presence.expr).starts == ("pir-throwing",)
    settle(qtbot, window)
    assert window.results.rehearsal.scores["throwing"].false_offs < before.false_offs / 3
    # By keyboard alone: choose on the device list with Return, mount it with Return.
    card = next(c for c in window.panel("Sensors").findChildren(DeviceCard) if c.device.id == "pir-low-5")
    key(qtbot, card, Qt.Key.Key_Return)
    window.plan.setFocus()
    key(qtbot, window.plan, Qt.Key.Key_Return)
    assert project(window).sensors[-1].device == "pir-low-5"
    assert window.document.undo_stack.undoText() == "Place Low, for feet, 5 m in throwing room"


def test_escape_puts_a_chosen_device_back_and_outside_nothing_is_placed(qtbot, window):
    n = len(project(window).sensors)
    window.focus.set(placing="pir-low-5")
    qtbot.mouseClick(window.plan.viewport(), LEFT, pos=spot_px(window, -1.2, 2))
    assert len(project(window).sensors) == n
    key(qtbot, window.plan, Qt.Key.Key_Escape)
    assert window.focus.placing is None


def test_the_shelf_finds_by_word(qtbot, window):
    qtbot.keyClicks(window.panel("Sensors").finder, "long still 60")

    def shown():
        return [c.device.id for c in window.panel("Sensors").findChildren(DeviceCard) if c.isVisible()]

    qtbot.waitUntil(lambda: shown() == ["radar-60-still"])
    window.panel("Sensors").finder.setText("qqq")
    qtbot.waitUntil(lambda: not shown())


def test_dropping_from_the_shelf_places(qtbot, window):
    assert window.plan.place("pir-ceiling-6", 9.0, 5.0)
    new = project(window).sensors[-1]
    assert (new.pitch, new.at) == (-90.0, (9.0, 5.0, 2.6))
    assert presence_of(project(window), "glazing") is not None


# -- exact figures -------------------------------------------------------------------------------------------------


def test_exact_figures_take_units_and_say_what_is_wrong(qtbot, window):
    window.focus.set(selected="pir-throwing", room="throwing")
    type_into(qtbot, field(window, "Height"), "8 ft 2")
    assert sensor(window, "pir-throwing").at[2] == pytest.approx(2.489, abs=1e-3)
    type_into(qtbot, field(window, "X"), "40 cm")
    assert sensor(window, "pir-throwing").at[0] == pytest.approx(0.4)
    type_into(qtbot, field(window, "Aim"), "-45")
    assert sensor(window, "pir-throwing").yaw == pytest.approx(315)
    count = window.document.undo_stack.count()
    type_into(qtbot, field(window, "Height"), "tall")
    assert field(window, "Height").property("wrong") == "true"
    assert "'tall' is not a length" in field(window, "Height").toolTip()
    type_into(qtbot, field(window, "Height"), "9 m")
    assert "between" in field(window, "Height").toolTip()
    key(qtbot, field(window, "Height"), Qt.Key.Key_Escape)
    type_into(qtbot, field(window, "X"), "70")
    assert window.document.undo_stack.count() == count
    assert sensor(window, "pir-throwing").at[0] == pytest.approx(0.4)
    key(qtbot, field(window, "Height"), Qt.Key.Key_Up)
    assert sensor(window, "pir-throwing").at[2] == pytest.approx(2.539, abs=1e-3)


def test_lengths_in_feet_are_read_and_written_in_feet(qtbot, window, monkeypatch, tmp_path):
    window.focus.set(selected="pir-throwing", room="throwing")
    key(qtbot, window.plan, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)
    assert field(window, "Height").text() == "7 ft 3 in"
    type_into(qtbot, field(window, "Height"), "8 ft 2")
    assert sensor(window, "pir-throwing").at[2] == pytest.approx(2.4892, abs=1e-3)
    type_into(qtbot, field(window, "Height"), "7")
    assert sensor(window, "pir-throwing").at[2] == pytest.approx(2.1336, abs=1e-3)
    key(qtbot, window.plan, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)
    assert field(window, "Height").text() == "2.13 m"


def test_a_card_of_the_chain_goes_to_its_record_by_return(qtbot, window):
    r = window.results.rehearsal
    window.playhead.open_incident(
        next(i for i, x in enumerate(r.incidents) if x.room == "throwing" and x.kind == "dropped")
    )
    qtbot.waitUntil(lambda: window.results[CAUSES].state == "fresh", timeout=20_000)

    def rack():
        return [c for c in window.verdict.findChildren(LinkCard) if c.accessibleName().startswith("Drying rack")]

    qtbot.waitUntil(lambda: bool(rack()))
    key(qtbot, rack()[0], Qt.Key.Key_Return)
    assert window.focus.selected == "drying-rack"


@pytest.mark.parametrize(
    ("parse", "text", "value"),
    [
        (parse_length, "2.2", 2.2),
        (parse_length, "2,2 m", 2.2),
        (parse_length, "40 cm", 0.4),
        (parse_length, "8 ft 2", 2.4892),
        (parse_length, "8' 2\"", 2.4892),
        (parse_length, "-1.5", -1.5),
        (parse_time, "90", 90),
        (parse_time, "2 min", 120),
        (parse_time, "1 min 30", 90),
        (parse_time, "1 h 5 min", 3900),
        (parse_angle, "45°", 45),
    ],
)
def test_units(parse, text, value):
    assert parse(text) == pytest.approx(value)


@pytest.mark.parametrize("text", ["", "two", "3 parsecs", "1.2.3", "12 m!", "9e9 m", "99999999 m"])
def test_units_refuse_in_a_sentence(text):
    with pytest.raises(ValueError, match=r"is not|too large"):
        parse_length(text)


def test_lengths_are_shown_in_feet_where_wanted():
    assert show_length(2.4892, feet=True) == "8 ft 2 in"
    assert show_length(2.4892) == "2.49 m"


# -- looking around ------------------------------------------------------------------------------------------------


def test_rooms_levels_figures_stages_and_zoom_by_key(qtbot, window):
    plan, focus = window.plan, window.focus
    plan.setFocus()
    qtbot.mouseClick(plan.viewport(), LEFT, pos=spot_px(window, 4.5, 2.2))
    assert focus.room == "shop"
    key(qtbot, plan, Qt.Key.Key_PageUp)
    assert focus.level == "upper"
    assert find(project(window).rooms, focus.room).level == "upper"
    key(qtbot, plan, Qt.Key.Key_PageDown)
    assert focus.level == "ground"
    key(qtbot, plan, Qt.Key.Key_V)
    assert focus.figure == "towards"
    key(qtbot, plan, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    assert focus.stage == "Zones"
    key(qtbot, plan, Qt.Key.Key_5, Qt.KeyboardModifier.ControlModifier)
    assert focus.stage == "Timing"
    scale = plan.scale_px
    key(qtbot, plan, Qt.Key.Key_Plus)
    assert plan.scale_px > scale
    key(qtbot, plan, Qt.Key.Key_F)
    key(qtbot, plan, Qt.Key.Key_N)
    assert focus.selected == focus.room
    key(qtbot, plan, Qt.Key.Key_M)
    assert focus.selected in {s.id for s in project(window).sensors}


def test_zoom_keeps_the_point_under_the_pointer(window):
    plan = window.plan
    at = QPointF(300, 200)
    before = plan.plan_at(at)
    plan.zoom(2.0, at)
    assert plan.plan_at(at) == pytest.approx(before, abs=0.03)
    for _ in range(40):
        plan.zoom(2.0, at)
    assert plan.scale_px <= 600


def test_dragging_the_ground_pans(qtbot, window):
    plan = window.plan
    before = plan.plan_at(QPointF(300, 300))
    drag(qtbot, window, spot_px(window, 9.5, 4.5), spot_px(window, 9.5, 4.5) + QPoint(60, 30))
    after = plan.plan_at(QPointF(300, 300))
    assert (before[0] - after[0]) * plan.scale_px == pytest.approx(60, abs=2)


def test_hovering_explains_the_point(window):
    window.focus.set(stage="Sensors", selected="pir-throwing", room="throwing", figure="seated")
    send_move(window, spot_px(window, 0.75, 5.9), buttons=Qt.MouseButton.NoButton)
    card = window.plan.card
    assert card.isVisible()
    words = dict(card.rows)
    assert words["seated still"].startswith("noticed every")
    assert "Drying rack" in words
    window.focus.set(figure="across")
    send_move(window, spot_px(window, 11.0, 1.0), buttons=Qt.MouseButton.NoButton)
    assert "never" in dict(card.rows)["walking across"]


@pytest.mark.own_window
@pytest.mark.usefixtures("a_week")
def test_the_plan_paints_what_it_should(window):
    """The same plan with and without contours differs; by night it is dark and a lamp that is on glows."""
    window.focus.set(stage="Plan", room="sitting", selected="sitting", level="upper")
    paper = window.plan.grab().toImage()
    window.focus.set(stage="Sensors", figure="across")
    contours = window.plan.grab().toImage()
    lamp = find(project(window).lamps, "lamp-sitting").at
    p = window.plan.pixel_of(lamp[0] + 0.35, lamp[1] + 0.4).toPoint()
    assert paper.pixelColor(p).lightnessF() > 0.95
    assert contours.pixelColor(p).saturationF() > 0.1
    window.focus.set(stage="Rehearsal", time=86_400 + 20.2 * 3600, day=1)
    night = window.plan.grab().toImage()
    assert night.pixelColor(p).redF() > 2 * night.pixelColor(p).blueF()
    dark = window.plan.pixel_of(9.0, 1.0).toPoint()
    assert night.pixelColor(dark).lightnessF() < 0.2


# -- time ----------------------------------------------------------------------------------------------------------


@pytest.mark.usefixtures("a_week")
def test_scrubbing_the_ribbon_moves_the_moment(qtbot, window):
    ribbon = window.ribbon
    window.focus.set(stage="Rehearsal", day=1)
    x = round(ribbon.x_of(86_400 + 18 * 3600))
    qtbot.mouseClick(ribbon, LEFT, pos=QPoint(x, 12))
    assert window.focus.time == pytest.approx(86_400 + 18 * 3600, abs=180)
    key(qtbot, window.plan, Qt.Key.Key_BracketRight)
    assert window.focus.time == pytest.approx(86_400 + 18 * 3600 + 60, abs=180)
    before = window.focus.time
    key(qtbot, window.plan, Qt.Key.Key_D)
    assert window.focus.time == pytest.approx(before + 86_400)
    assert window.focus.day == 2
    assert "18:0" in window.moment.text()


@pytest.mark.usefixtures("a_week")
def test_incidents_are_stepped_through_and_explained(qtbot, window):
    window.focus.set(room="throwing", selected="throwing", time=86_400.0)
    key(qtbot, window.plan, Qt.Key.Key_Period)
    r = window.results.rehearsal
    first = window.focus.incident
    assert r.incidents[first].room == "throwing"
    assert r.incidents[first].at >= 86_400
    assert window.focus.stage == "Rehearsal"
    key(qtbot, window.plan, Qt.Key.Key_Period)
    assert window.focus.incident > first
    key(qtbot, window.plan, Qt.Key.Key_Comma)
    assert window.focus.incident == first
    drop = next(i for i, x in enumerate(r.incidents) if x.room == "throwing" and x.kind == "dropped")
    window.playhead.open_incident(drop)

    def texts():
        return [plain(w.text()) for w in window.verdict.findChildren(QLabel) if w.isVisible()]

    qtbot.waitUntil(lambda: any("light went off on P" in t for t in texts()))
    assert any("its hold time of 5 min ran out." in t for t in texts())
    assert window.plan.state.scene is not None
    assert window.plan.state.night > 0 or r.clock(window.focus.time).hour in range(8, 16)


@pytest.mark.usefixtures("a_week")
def test_a_tooth_on_the_ribbon_opens_its_incident(qtbot, window):
    window.focus.set(room="throwing", day=1, stage="Rehearsal")
    r = window.results.rehearsal
    lane = next(x for x in window.ribbon._lanes if x.incidents)
    index, incident = next(
        (i, x) for i, x in lane.incidents if x.dark and window.ribbon.start < x.at < window.ribbon.start + 80_000
    )
    y = lane.y + 16
    qtbot.mouseClick(window.ribbon, LEFT, pos=QPoint(round(window.ribbon.x_of(incident.at)), round(y)))
    opened = r.incidents[window.focus.incident]
    assert opened.room == "throwing"
    assert abs(window.ribbon.x_of(opened.at) - window.ribbon.x_of(incident.at)) < 8
    assert index >= 0


def test_time_runs_and_stops_with_the_space_bar(qtbot, window):
    window.plan.setFocus()
    key(qtbot, window.plan, Qt.Key.Key_Space)
    start = window.focus.time
    qtbot.waitUntil(lambda: window.focus.time > start + 20, timeout=5000)
    key(qtbot, window.plan, Qt.Key.Key_Space)
    assert not window.playhead.runs


def test_people_are_drawn_where_they_are(window):
    r = window.results.rehearsal
    track = r.truth.tracks[0]
    k = next(i for i, s in enumerate(track.spot) if r.truth.spots[s].id == "left-wheel")
    window.focus.set(stage="Rehearsal", level="ground", time=float(track.arrive[k] + track.leave[k]) / 2)
    assert ("potter", "P", r.truth.spots[track.spot[k]].at) in [p[:3] for p in window.plan.state.people]


# -- presence and timing -------------------------------------------------------------------------------------------


def test_the_mark_on_the_curve_sets_the_hold_and_all_follows_at_once(qtbot, window):
    window.focus.set(stage="Timing", room="throwing", selected="throwing")
    qtbot.waitUntil(lambda: window.results[CURVE].value is not None, timeout=30_000)
    panel = window.panel("Timing")
    before = window.results.rehearsal.scores["throwing"]
    panel.plot.mark.setPos(np.log10(900.0))
    presence = presence_of(project(window), "throwing")
    assert hold_of(presence.expr) == 900
    # No waiting: the rehearsal already shown is of the new hold.
    after = window.results.rehearsal.scores["throwing"]
    assert window.results.rehearsal.project is project(window)
    assert after.false_offs < before.false_offs
    assert after.wasted_h > before.wasted_h
    assert window.verdict._scores["drops"]._value.text() == f"{after.false_offs:.1f}"
    assert panel.roles.hold.text() == "15 min"
    assert window.document.undo_stack.count() == 1
    panel.plot.mark.setPos(np.log10(600.0))
    assert window.document.undo_stack.count() == 1
    # Once other weeks have settled it, it stays what it is.
    qtbot.waitUntil(lambda: best_curve(window.results).judged is not None, timeout=60_000)
    qtbot.mouseClick(panel._use, LEFT)
    assert hold_of(presence_of(project(window), "throwing").expr) == best_curve(window.results).recommended_s
    assert not panel._use.isEnabled()
    assert panel._reason.text() == best_curve(window.results).reason
    # What is said of the hold is what the judge says of it, and not what the few days of the curve gave.
    curve = best_curve(window.results)
    drops, dark, idle = curve.judged.metrics_at(curve.recommended_s)
    assert f"{drops:.1f} false-offs a week, {dark:.1f} min dark and {idle:.1f} h" in panel._here.text()
    assert (drops, dark, idle) != curve.at(curve.recommended_s)


def test_the_chart_shows_drops_against_their_limit_and_names_each_line_by_its_hold(qtbot, window):
    window.focus.set(stage="Timing", room="throwing", selected="throwing")
    qtbot.waitUntil(lambda: best_curve(window.results) is not None, timeout=30_000)
    curve, chart = best_curve(window.results), window.panel("Timing").plot
    x, y = chart._drops.getData()
    for hold in (30.0, 300.0, 1800.0):
        drawn = (10 ** np.interp(np.log10(hold), x, y) - 1) / 4
        assert drawn == pytest.approx(curve.at(hold)[0] * 7, rel=0.1, abs=0.3)
    assert chart._limit.value() == pytest.approx(np.log10(1 + 4 * curve.limit_per_week))
    # One false-off in four weeks and none are apart on the paper.
    view = chart._upper.plot.getViewBox()
    apart = view.mapViewToScene(QPointF(1, 0)).y() - view.mapViewToScene(QPointF(1, chart._limit.value())).y()
    assert apart > 5
    for name, seconds in (("knee", curve.knee_s), ("recommended", curve.recommended_s)):
        assert chart._words[name].toPlainText() == f"{name} {duration_words(seconds)}"
        assert 10 ** chart._words[name].line.value() == pytest.approx(seconds)


def test_a_room_without_presence_says_why_there_is_no_curve(qtbot, window):
    window.focus.set(stage="Timing", room="kiln", selected="kiln")
    panel = None
    qtbot.waitUntil(lambda: "no presence to tune" in window.results[CURVE].words, timeout=30_000)
    panel = window.panel("Timing")
    assert "Kiln has no presence to tune" in panel._reason.text()


def test_roles_are_ticked_and_the_last_starter_is_kept(qtbot, window):
    window.focus.set(stage="Sensors", room="sitting", selected="sitting", level="upper")
    boxes = {b.accessibleName(): b for b in window.verdict.inspector.findChildren(QCheckBox)}
    boxes["Radar sitting room turns presence on"].click()
    roles = roles_of(presence_of(project(window), "sitting").expr)
    assert roles.starts == ("pir-sitting", "radar-sitting")
    assert window.document.undo_stack.undoText() == "Radar sitting room turns presence on"
    window.document.undo_stack.undo()
    boxes = {b.accessibleName(): b for b in window.verdict.inspector.findChildren(QCheckBox)}
    boxes["PIR sitting room keeps presence on"].click()
    assert roles_of(presence_of(project(window), "sitting").expr).starts == ("pir-sitting",)


def test_remedies_are_tried_shown_and_applied(qtbot, window):
    window.focus.set(room="throwing", selected="throwing")
    before = project(window)
    key(qtbot, window.plan, Qt.Key.Key_T)
    qtbot.waitUntil(lambda: bool(window.results[REMEDIES].value), timeout=30_000)
    assert project(window) is before
    buttons = [b for b in window.verdict.findChildren(QPushButton) if "false-offs" in b.accessibleName()]
    assert len(buttons) >= 2
    best = window.results[REMEDIES].value[0]
    was, now = best.others
    assert (
        f"{now.weeks} other weeks: {was.drops_per_week:.1f} → {now.drops_per_week:.1f}" in buttons[0].accessibleName()
    )
    qtbot.mouseClick(buttons[0], LEFT)
    assert project(window) is best.project
    settle(qtbot, window)
    assert window.results.rehearsal.scores["throwing"] == best.after


def test_the_adviser_ranks_and_hangs_what_would_do(qtbot, window):
    window.focus.set(stage="Sensors", level="upper", room="box", selected="box")
    key(qtbot, window.plan, Qt.Key.Key_W)
    qtbot.waitUntil(lambda: window.results[OPTIONS].state == "fresh", timeout=60_000)
    best = window.results[OPTIONS].value.candidates[0]
    cards = [c for c in window.verdict.findChildren(LinkCard) if c.accessibleName().startswith(best.name)]
    key(qtbot, cards[0], Qt.Key.Key_Return)
    assert window.focus.selected == best.sensors[-1].id
    assert presence_of(project(window), "box") is not None
    assert window.document.undo_stack.undoText() == f"Place {best.name} in box room"
    settle(qtbot, window)
    assert "box" in window.results.rehearsal.scores
    # The findings say no other than the adviser did.
    assert window.results.judged.get("box").meets_now
    assert not [f for f in window.results[FINDINGS].value if f.room == "box" and f.rule in ("spot-unseen", "left-dark")]
