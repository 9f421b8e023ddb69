"""The walk test and the causes at the desk: doors that are red, a way that is drawn and walked, groups that step."""

from __future__ import annotations

import pytest
from hands import LEFT, key, plain, settle
from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QPushButton

from vastwatch.advice.detection.walk_test import in_and_out
from vastwatch.design.project import find, put
from vastwatch.desk.plan.over_coverage_layer import beyond_words
from vastwatch.desk.plan.walk_layer import beside
from vastwatch.desk.results.detection import SPILL, SWAYS, WALK
from vastwatch.desk.results.findings import CAUSES
from vastwatch.desk.shell.widgets import LinkCard
from vastwatch.desk.verdict.light_strip import LightStrip


def words(window):
    return [plain(x.text()) for x in window.verdict.findChildren(QLabel) if x.isVisible()]


def click(window, x, y):
    at = window.plan.bench.pixel_of(x, y).toPoint()
    QTest.mouseMove(window.plan.viewport(), at)
    QTest.mouseClick(window.plan.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, at)


def test_each_door_says_how_soon_somebody_there_is_noticed(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="passage", selected="passage")
    settle(qtbot, window)
    sways = window.results[SWAYS].value
    assert len(sways) >= 5 and window.plan.state.sways == tuple(sways)
    for said in ("Side-steps at the door", "from toilet", "from outside", "never noticed"):
        qtbot.waitUntil(lambda said=said: said in words(window))
    window.focus.set(stage="Timing")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: "Side-steps at the door" not in words(window) and window.plan.state.sways == ())


def test_a_way_is_drawn_walked_and_follows_the_sensors(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="shop", selected="shop")
    settle(qtbot, window)
    button = next(b for b in window.verdict.findChildren(QPushButton) if b.text().startswith("Draw a walk"))
    qtbot.mouseClick(button, LEFT)
    assert window.focus.placing == "draw:walk"
    for x, y in ((1.0, 0.9), (2.5, 1.2), (3.5, 2.6), (3.6, 2.6)):
        click(window, x, y)
    # The last one is taken back.
    key(qtbot, window.plan, Qt.Key.Key_Backspace)
    key(qtbot, window.plan, Qt.Key.Key_Return)
    assert window.focus.placing is None
    settle(qtbot, window)
    walk = window.results[WALK].value
    assert walk is not None and len(walk.points) == 3 and window.plan.state.walk is walk
    assert "pir-shop" in [n.sensor for n in walk.noticings]
    qtbot.waitUntil(lambda: any("Noticed by" in w and "after" in w for w in words(window)))
    (strip,) = [s for s in window.verdict.walk.findChildren(LightStrip) if s.isVisible()]
    assert strip.lit_share is walk.lit_share and f"{walk.dark_s:.1f} s of it in the dark" in strip.accessibleName()
    # Red where it sets out in the dark, amber where it has come on.
    picture = strip.grab().toImage()
    ends = [picture.pixelColor(x, 3) for x in (1, picture.width() - 2)]
    lamp, dropped = (window.verdict.theme.lamp, window.verdict.theme.dropped)
    assert abs(ends[0].green() - dropped.green()) < 40 and abs(ends[1].green() - lamp.green()) < 25
    window.focus.set(selected="pir-shop")
    key(qtbot, window.plan, Qt.Key.Key_Delete)
    settle(qtbot, window)
    assert all(n.sensor != "pir-shop" for n in window.results[WALK].value.noticings)
    assert window.document.undo_stack.count() == 1


def test_what_the_selected_sensor_sees_next_door_is_dotted_with_its_figures(qtbot, window):
    window.focus.set(stage="Sensors", level="upper", room="landing", selected="pir-landing")
    settle(qtbot, window)
    state = window.plan.state
    qtbot.waitUntil(lambda: [s.room for s in state.spills] == ["sitting"])
    ((_, said, harmless),) = beyond_words(state)
    spill = state.spills[0]
    assert said == f"{spill.area_m2:.1f} m², {spill.false_ons_per_day:.1f} × a day" and not harmless
    dotted = window.plan.grab().toImage()
    window.focus.set(selected="landing")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: state.spills == () and window.results[SPILL].value is None)
    assert dotted != window.plan.grab().toImage()
    # With its face to the wall it sees nothing there any more.
    window.focus.set(selected="radar-sitting", room="sitting")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: [s.room for s in state.spills] == ["landing"])
    away = replace(find(window.document.project.sensors, "radar-sitting"), yaw=180.0)
    window.document.apply(put(window.document.project, away), "Turn it away")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: state.spills == () and window.results[SPILL].value == [])


def test_labels_of_neighbouring_doors_do_not_lie_on_each_other():
    taken = []
    for x in (100.0, 104.0, 98.0, 101.0):
        box = beside(QRectF(x, 50.0, 40.0, 16.0), taken)
        assert not any(box.intersects(t) for t in taken)
        taken.append(box)
    assert taken[0].y() == 50.0 and {abs(b.y() - 50.0) for b in taken} == {0.0, 18.0, 36.0}


def test_by_keyboard_the_way_goes_in_by_the_first_door_and_out(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="toilet", selected="toilet")
    settle(qtbot, window)
    window.focus.set(placing="draw:walk")
    key(qtbot, window.plan, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.results[WALK].value.points == in_and_out(window.document.project, "toilet", "toilet-door")


def test_the_weeks_incidents_are_grouped_by_cause_and_a_card_steps_to_the_first(qtbot, window):
    window.focus.set(stage="Rehearsal", level="ground", room="throwing", selected="throwing")
    qtbot.waitUntil(lambda: window.results[CAUSES].state == "fresh", timeout=20_000)
    groups = window.results[CAUSES].value.groups
    qtbot.waitUntil(lambda: "What went wrong, and why" in words(window))
    card = next(c for c in window.verdict.findChildren(LinkCard) if c.accessibleName() == groups[0].heading)
    key(qtbot, card, Qt.Key.Key_Return)
    r = window.results.rehearsal
    assert r.incidents[window.focus.incident] is groups[0].incidents[0]
    qtbot.waitUntil(lambda: "Cause" in words(window))


@pytest.mark.parametrize("stage", ["Plan", "Sensors"])
def test_causes_are_not_sought_where_nobody_looks_for_them(qtbot, window, stage):
    window.focus.set(stage=stage, room="shop", selected="shop")
    settle(qtbot, window)
    assert window.results[CAUSES].state in ("nothing", "stale")
