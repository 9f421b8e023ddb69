"""The walk test and the causes at the desk: doors that are red, a way that is drawn and walked, groups that step."""

from __future__ import annotations

import pytest
from hands import LEFT, key, plain, settle
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QPushButton

from vastwatch.advice.walk_test import in_and_out
from vastwatch.desk.shell.parts import LinkCard


def words(window):
    return [plain(x.text()) for x in window.verdict.findChildren(QLabel) if x.isVisible()]


def click(window, x, y):
    at = window.plan.bench.pixel_of(x, y).toPoint()
    QTest.mouseMove(window.plan.viewport(), at)
    QTest.mouseClick(window.plan.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, at)


def test_each_door_says_how_soon_somebody_there_is_noticed(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="passage", selected="passage")
    settle(qtbot, window)
    sways = window.results.sways.value
    assert len(sways) >= 5 and window.plan.state.sways == tuple(sways)
    for said in ("Side-steps at the door", "from toilet", "from outside", "never noticed"):
        qtbot.waitUntil(lambda said=said: said in words(window))
    window.focus.set(stage="Timing")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: "Side-steps at the door" not in words(window) and window.plan.state.sways == ())


def test_a_way_is_drawn_walked_and_follows_the_sensors(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="shop", selected="shop")
    settle(qtbot, window)
    button = next(b for b in window.verdict.findChildren(QPushButton) if b.text().startswith("Walk a way"))
    qtbot.mouseClick(button, LEFT)
    assert window.focus.placing == "draw:walk"
    for x, y in ((1.0, 0.9), (2.5, 1.2), (3.5, 2.6), (3.6, 2.6)):
        click(window, x, y)
    # The last one is taken back.
    key(qtbot, window.plan, Qt.Key.Key_Backspace)
    key(qtbot, window.plan, Qt.Key.Key_Return)
    assert window.focus.placing is None
    settle(qtbot, window)
    walk = window.results.walk.value
    assert walk is not None and len(walk.points) == 3 and window.plan.state.walk is walk
    assert walk.noticings[0].sensor == "pir-shop"
    qtbot.waitUntil(lambda: any("Noticed by PIR shop after" in w for w in words(window)))
    window.focus.set(selected="pir-shop")
    key(qtbot, window.plan, Qt.Key.Key_Delete)
    settle(qtbot, window)
    assert all(n.sensor != "pir-shop" for n in window.results.walk.value.noticings)
    assert window.document.undo_stack.count() == 1


def test_by_keyboard_the_way_goes_in_by_the_first_door_and_out(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="toilet", selected="toilet")
    settle(qtbot, window)
    window.focus.set(placing="draw:walk")
    key(qtbot, window.plan, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert window.results.walk.value.points == in_and_out(window.document.project, "toilet", "toilet-door")


def test_the_weeks_incidents_are_grouped_by_cause_and_a_card_steps_to_the_first(qtbot, window):
    window.focus.set(stage="Rehearsal", level="ground", room="throwing", selected="throwing")
    qtbot.waitUntil(lambda: window.results.causes.state == "fresh", timeout=20_000)
    groups = window.results.causes.value.groups
    qtbot.waitUntil(lambda: "What went wrong this week, and why" in words(window))
    card = next(c for c in window.verdict.findChildren(LinkCard) if c.accessibleName() == groups[0].heading)
    key(qtbot, card, Qt.Key.Key_Return)
    r = window.results.rehearsal
    assert r.incidents[window.focus.incident] is groups[0].incidents[0]
    qtbot.waitUntil(lambda: "Because" in words(window))


@pytest.mark.parametrize("stage", ["Plan", "Sensors"])
def test_causes_are_not_sought_where_nobody_looks_for_them(qtbot, window, stage):
    window.focus.set(stage=stage, room="shop", selected="shop")
    settle(qtbot, window)
    assert window.results.causes.state in ("nothing", "stale")
