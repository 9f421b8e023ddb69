"""Outputs that are no lamps in the real window: placed, set, drawn, told of, and removed again."""

from __future__ import annotations

from hands import LEFT, inspect, key, project, settle, spot_px, type_into
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from vastwatch.design.project import find


def test_a_fan_is_placed_set_told_of_and_deleted(qtbot, plan):
    w = plan
    before = project(w).outputs
    w.panel("Plan").show_page(2)
    w.show_level("ground")
    qtbot.mouseClick(w.panel("Plan").furnish.outputs["fan"], LEFT)
    assert w.focus.placing == "output:fan"
    qtbot.mouseClick(w.plan.viewport(), LEFT, pos=spot_px(w, 6.35, 6.3))
    (fan,) = (o for o in project(w).outputs if o not in before)
    assert (fan.room, w.focus.selected, w.focus.placing) == ("toilet", fan.id, None)
    words = [label.text() for label in w.verdict.inspector.findChildren(QLabel)]
    assert any("flue" in text for text in words)
    type_into(qtbot, inspect(w, "Run-on time"), "20 min")
    type_into(qtbot, inspect(w, "Watts"), "18")
    now = find(project(w).outputs, fan.id)
    assert (now.run_on_s, now.watts) == (1200.0, 18.0)
    settle(qtbot, w)
    w.focus.set(stage="Rehearsal", room="toilet")
    settle(qtbot, w)
    lanes = [lane.words for lane in w.ribbon._lanes]
    assert "Toilet fan" in lanes
    assert "Toilet fan: runs" in w.verdict._switched.text()
    running = w.results.rehearsal.signals[fan.id]
    w.focus.set(time=float(running.rises[0]) + 5)
    assert w.plan.state.lit[fan.id] == 1.0
    w.grab()
    w.focus.set(stage="Plan", selected=fan.id)
    w.plan.setFocus()
    key(qtbot, w.plan, Qt.Key.Key_Right)
    assert find(project(w).outputs, fan.id).at[0] > fan.at[0]
    key(qtbot, w.plan, Qt.Key.Key_Delete)
    assert project(w).outputs == before
    w.document.undo_stack.undo()
    assert len(project(w).outputs) == len(before) + 1
