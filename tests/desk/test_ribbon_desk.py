"""The ribbon at full depth: day, week and month, folds, pace, and which incidents are stepped through."""

from __future__ import annotations

import numpy as np
import pytest
from hands import LEFT, key, project, settle
from PyQt6.QtCore import QPoint, Qt

from vastwatch.desk.results.findings import CAUSES, causes_of
from vastwatch.desk.results.registry import MONTH
from vastwatch.desk.shell.focus import PACES
from vastwatch.desk.shell.playhead import stepped
from vastwatch.signals import DAY

WEEK = 7


@pytest.fixture
def throwing(qtbot, window):
    window.focus.set(stage="Rehearsal", level="ground", room="throwing", selected="throwing")
    settle(qtbot, window)
    return window


def days_panel(window):
    return window.panel("Rehearsal").days


@pytest.mark.usefixtures("a_week")
def test_a_week_in_strips_is_pressed_to_a_moment_and_opened_as_a_day(qtbot, throwing):
    w = throwing
    qtbot.mouseClick(w.spans.buttons["week"], LEFT)
    assert w.focus.span == "week" and w.strips.isVisible() and not w.ribbon.isVisible()
    strips = w.strips
    assert strips.days == list(range(-1, WEEK))
    x, y = strips.x_of(3, strips._calendar().noon(3) + 8 * 3600), strips.y_of(3) + strips.high / 2
    qtbot.mouseClick(strips, LEFT, pos=QPoint(round(x), round(y) + 2))
    assert w.focus.day == 3 and w.focus.time == pytest.approx(3 * DAY + DAY / 2 + 8 * 3600, abs=300)
    strips.grab()
    key(qtbot, strips, Qt.Key.Key_Down)
    assert w.focus.day == 4
    key(qtbot, strips, Qt.Key.Key_Return)
    assert w.focus.span == "day" and w.ribbon.isVisible()


@pytest.mark.usefixtures("a_week")
def test_what_stands_beside_a_strip_is_what_the_day_came_to(qtbot, throwing):
    w = throwing
    w.focus.set(span="week")
    r, calendar = w.results.rehearsal, w.results.rehearsal.calendar
    for day in range(5):
        lo, hi = calendar.noon(day), calendar.noon(day + 1)
        drops = [i for i in r.incidents if i.room == "throwing" and i.kind == "dropped" and lo <= i.at < hi]
        dark = (r.needs_light("throwing") - r.house.served("throwing")).clip(lo, hi).total() / 60
        assert w.strips.day_words(day) == f"{len(drops)} × {dark:.1f} min"
    tooth = next(i for i, x in r.incidents_by_room["throwing"] if x.dark)
    at = r.incidents[tooth].at
    day = calendar.noon_day(at)
    pos = QPoint(round(w.strips.x_of(day, at)), round(w.strips.y_of(day) + w.strips.high - 4))
    qtbot.mouseClick(w.strips, LEFT, pos=pos)
    assert abs(r.incidents[w.focus.incident].at - at) < 300


@pytest.mark.usefixtures("a_week")
def test_a_month_is_rehearsed_once_looked_at_and_its_first_week_is_the_week(qtbot, throwing):
    w = throwing
    week = w.results.rehearsal
    assert week.days == WEEK
    qtbot.mouseClick(w.spans.buttons["month"], LEFT)
    qtbot.waitUntil(lambda: w.results.rehearsal is not None and w.results.rehearsal.days == MONTH, timeout=60_000)
    month = w.results.rehearsal
    first = [i.at for i in month.incidents if i.at < 6 * DAY and i.room == "throwing"]
    assert np.allclose(first, [i.at for i in week.incidents if i.at < 6 * DAY and i.room == "throwing"], atol=1e-6)
    settle(qtbot, w)
    assert len(days_panel(w)._tiles) == MONTH + 1
    w.strips.grab()
    w.focus.set(day=20, time=20.5 * DAY + 3600)
    assert w.strips.y_of(20) < w.strips.height()
    # A day of it is looked at; a week again is the week it began as.
    w.focus.set(span="day")
    assert w.focus.day == 20 and w.results.days == MONTH
    w.focus.set(span="week")
    assert w.results.days == WEEK and w.focus.day == 6 and w.focus.time == pytest.approx(6.5 * DAY + 3600)
    settle(qtbot, w)


def test_by_key_the_ribbon_shows_day_week_month(qtbot, throwing):
    w = throwing
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_S)
    assert w.focus.span == "week"
    key(qtbot, w.plan, Qt.Key.Key_S)
    assert w.focus.span == "month"
    key(qtbot, w.plan, Qt.Key.Key_S)
    assert w.focus.span == "day"
    w.focus.set(span="week")
    settle(qtbot, w)


def test_rooms_fold_away_and_open_by_mouse_and_keys(qtbot, throwing):
    w = throwing

    def lanes(room):
        return [lane.words for lane in w.ribbon._lanes if lane.room == room]

    short = lanes("shop")
    assert short == ["Shop", "PIR shop", "light"]
    heading = next(lane for lane in w.ribbon._lanes if lane.words == "Shop")
    qtbot.mouseClick(w.ribbon, LEFT, pos=QPoint(7, round(heading.y + 8 - w.ribbon._offset)))
    assert "presence" in lanes("shop") and w.focus.room == "throwing"
    w.ribbon.fold("room shop")
    assert lanes("shop") == ["Shop"]
    folded = next(lane for lane in w.ribbon._lanes if lane.words == "Shop")
    assert folded.shut and folded.brief is w.results.house.served("shop")
    w.ribbon.grab()
    # The first room is open, and shut by keys.
    w.ribbon.setFocus()
    w.ribbon._fold = None
    key(qtbot, w.ribbon, Qt.Key.Key_Down)
    assert w.ribbon._fold == "room throwing"
    key(qtbot, w.ribbon, Qt.Key.Key_Return)
    assert lanes("throwing") == ["Throwing room"]
    key(qtbot, w.ribbon, Qt.Key.Key_Return)
    assert len(lanes("throwing")) > 3


def test_parts_of_a_conclusion_fold_away(qtbot, window):
    window.focus.set(stage="Timing", level="upper", room="sitting", selected="sitting", conclusion="quiet")
    settle(qtbot, window)
    lanes = [
        lane for lane in window.ribbon._lanes if lane.fold is not None and lane.fold.startswith("conclusion quiet (")
    ]
    assert lanes
    before = len(window.ribbon._lanes)
    window.ribbon.fold(lanes[0].fold)
    after = [lane for lane in window.ribbon._lanes if lane.fold == lanes[0].fold]
    assert len(window.ribbon._lanes) < before and after[0].shut
    window.ribbon.fold("conclusion quiet")
    assert [x.words for x in window.ribbon._lanes][1] != "somebody awake there" and window.ribbon._lanes[0].shut
    window.ribbon.grab()


def test_time_runs_at_the_pace_that_is_set(qtbot, throwing, monkeypatch):
    w = throwing
    panel = days_panel(w)
    panel.pace.activated.emit(panel.pace.findData(3600.0))
    assert w.focus.pace == 3600.0
    w.playhead.play()
    begin = w.focus.time
    monkeypatch.setattr(w.playhead, "_since", type("Time", (), {"restart": lambda self: 100})())
    w.playhead._tick()
    assert w.focus.time == pytest.approx(begin + 360.0)
    w.focus.set(pace=1.0)
    w.playhead._tick()
    assert w.focus.time == pytest.approx(begin + 360.1)
    w.playhead.stop()
    w.plan.setFocus()
    for _ in range(9):
        key(qtbot, w.plan, ">")
    assert w.focus.pace == PACES[-1]
    key(qtbot, w.plan, "<")
    assert w.focus.pace == PACES[-2] and panel.pace.currentData() == PACES[-2]


def test_incidents_are_stepped_by_kind_and_by_cause(qtbot, throwing):
    w = throwing
    panel, r = days_panel(w), w.results.rehearsal
    panel.only.activated.emit(panel.only.findData("nobody"))
    assert w.focus.only == "nobody"
    seen = set()
    for _ in range(8):
        w.playhead.step_incident(1)
        seen.add(r.incidents[w.focus.incident].kind)
    assert seen <= {"idle", "false start"} and seen
    w.focus.set(only="dropped")
    drops = [k for k, i in r.incidents_by_room["throwing"] if i.kind == "dropped"]
    assert stepped(w.focus, r) == drops
    # A group of one cause: pressed in the verdict, stepped through, and left again.
    w.focus.set(incident=-1, only="all")
    qtbot.waitUntil(
        lambda: causes_of(w.results, r, "throwing") is not None and not w.results[CAUSES].busy, timeout=60_000
    )
    group = causes_of(w.results, r, "throwing").groups[0]
    w.verdict._step_to(group)
    assert {r.incidents[k] for k in stepped(w.focus, r)} == set(group.incidents)
    assert w.focus.day == r.calendar.noon_day(group.incidents[0].at)
    assert panel._group.text().startswith(f"{len(group.incidents)} of one cause")
    w.playhead.step_incident(1)
    assert r.incidents[w.focus.incident] in group.incidents
    qtbot.mouseClick(panel._group, LEFT)
    assert w.focus.group == frozenset() and len(stepped(w.focus, r)) > len(group.incidents)


def test_any_week_of_the_year_is_rehearsed(qtbot, throwing):
    from PyQt6.QtWidgets import QPushButton

    w = throwing
    later = next(b for b in days_panel(w).findChildren(QPushButton) if b.accessibleName() == "A week later")
    qtbot.mouseClick(later, LEFT)
    assert project(w).brief.rehearse_from == "2026-01-19"
    settle(qtbot, w)
    assert w.results.rehearsal.begin.isoformat() == "2026-01-19"
    assert days_panel(w).begins.date().toPyDate().isoformat() == "2026-01-19"
    w.document.undo_stack.undo()
    settle(qtbot, w)
    assert days_panel(w).begins.date().toPyDate().isoformat() == "2026-01-12"
