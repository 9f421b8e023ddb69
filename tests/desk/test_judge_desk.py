"""The judge of the whole house, asked in the background once the design has rested."""

from __future__ import annotations

import pytest
from hands import settle
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton

from vastwatch.advice.judging.judge import judge
from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.expressions import AllOf, Dark, Hold, Report
from vastwatch.design.project import find
from vastwatch.desk.results import judged as module
from vastwatch.desk.results.adviser import OPTIONS
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.results.judged import HOUSE_JUDGED
from vastwatch.desk.results.timing import SETTLED
from vastwatch.desk.shell.widgets import LinkCard
from vastwatch.desk.verdict.adviser_view import OffersView


def wait_for_all(qtbot, window):
    qtbot.waitUntil(lambda: window.results[HOUSE_JUDGED].state == "fresh", timeout=60_000)


def test_once_the_design_rests_every_room_is_judged_and_findings_say_what_the_judge_says(qtbot, window):
    results, project = window.results, window.document.project
    window.focus.set(stage="Sensors", level="ground", room="toilet", selected="toilet")
    settle(qtbot, window)
    assert results.judged.get("toilet") is None and results.judged.get("landing") is None
    assert results[HOUSE_JUDGED].state == "nothing"
    window.judge.rest.start(0)
    wait_for_all(qtbot, window)
    settle(qtbot, window)
    for room in dict.fromkeys(p.room for p in project.presences if p.room is not None):
        known = results.judged.get(room)
        assert known is not None and known.recommended_s == judge(project, room).recommended_s
    # Maps are asked no more: every room whose false-offs or dark are missed is told so in the judge's figures.
    late = {room for room, j in results.judged.items() if not all(m.passed for m in j.checks_at(j.current_s))}
    told = {f.room for f in results[FINDINGS].value if f.rule == "left-dark"}
    assert late and told == late
    assert not [f for f in results[FINDINGS].value if f.rule == "spot-unseen" and f.room in results.judged]


def test_a_change_makes_it_be_asked_again_and_the_adviser_goes_first(qtbot, window):
    results = window.results
    window.focus.set(stage="Sensors", level="ground", room="toilet", selected="toilet")
    settle(qtbot, window)
    results[HOUSE_JUDGED].ask()
    assert results[HOUSE_JUDGED].busy
    results[OPTIONS].ask()
    # It gives way at once, and comes back.
    assert not results[HOUSE_JUDGED].busy and window.judge.rest.isActive()
    settle(qtbot, window)
    window.judge.rest.start(0)
    wait_for_all(qtbot, window)
    before = results.judged.get("toilet")
    window.document.apply(set_hold(window.document.project, "presence-toilet", 1200.0), "Set the hold time to")
    assert (
        results.judged.get("toilet") is None and results[HOUSE_JUDGED].state == "stale" and window.judge.rest.isActive()
    )
    settle(qtbot, window)
    window.judge.rest.start(0)
    wait_for_all(qtbot, window)
    now = results.judged.get("toilet")
    assert now is not before and now.current_s == 1200.0


@pytest.mark.own_window
def test_a_building_too_large_to_be_judged_unasked_is_not(qtbot, window, monkeypatch):
    monkeypatch.setattr(module, "judged_by_default", lambda project: False)
    window.judge.rest.start(0)
    qtbot.wait(50)
    assert window.results[HOUSE_JUDGED].state == "nothing"


def test_a_hold_that_is_not_legal_is_judged_as_well(qtbot, window):
    window.focus.set(stage="Sensors", level="ground", room="toilet", selected="toilet")
    window.document.apply(set_hold(window.document.project, "presence-toilet", 2.0), "Hold it for a test")
    settle(qtbot, window)
    window.judge.rest.start(0)
    wait_for_all(qtbot, window)
    assert window.results.judged.get("toilet").current_s == 2.0
    settle(qtbot, window)
    unmet = {m.need for m in window.results.judged.get("toilet").needs_at(2.0) if not m.passed}
    assert "drops_per_week" in unmet
    assert any(f.rule == "left-dark" and f.room == "toilet" for f in window.results[FINDINGS].value)


def test_the_advisers_answer_is_built_anew_only_where_a_line_of_it_is_new(qtbot, window):
    results = window.results
    window.focus.set(stage="Sensors", level="upper", room="box", selected="box")
    settle(qtbot, window)
    (view,) = window.findChildren(OffersView)
    built = []

    def heard() -> None:
        built.append(view.findChildren(QPushButton)[0])
        found = results[OPTIONS].value
        assert found is None or len(view.findChildren(LinkCard)) == min(len(found.candidates), 3)

    results[OPTIONS].changed.connect(heard)
    view.ask()
    settle(qtbot, window)
    # Types are judged one after the other, and most of that changes no line: the buttons stay.
    assert len(built) > 4 and len({id(b) for b in built}) < len(built)
    assert view.findChildren(LinkCard)
    cards = view.findChildren(LinkCard)
    results[OPTIONS].changed.emit()
    assert [c is d for c, d in zip(view.findChildren(LinkCard), cards, strict=True)] == [True] * len(cards)
    view._fold()
    assert not any(c is d for c in view.findChildren(LinkCard) for d in cards)
    assert any(b.text() == "Hide the others" for b in view.findChildren(QPushButton))


def test_where_a_hold_has_no_effect_timing_sets_the_delays_that_have(qtbot, window):
    project = window.document.project
    row = find(project.rules, "row-toilet")
    own = AllOf(of=(Hold(of=Report(sensor="pir-toilet"), seconds=15.0), Dark(room="toilet")))
    rules = tuple(replace(row, when=own) if r is row else r for r in project.rules if r.id != "row-toilet-night")
    window.document.apply(replace(project, rules=rules), "Have a row read the sensor")
    window.focus.set(stage="Timing", room="toilet", selected="")
    settle(qtbot, window)
    panel = window.panel("Timing")
    qtbot.waitUntil(panel._use.isVisible, timeout=60_000)
    # A curve over a hold that changes nothing would be a lie.
    assert not panel.plot.isVisible() and panel._use.text() == "Set these delays"
    assert "its hold time has no effect" in panel._reason.text() and "row “" in panel._reason.text()
    before = window.document.project
    qtbot.mouseClick(panel._use, Qt.MouseButton.LeftButton)
    (found,) = (r for r in window.document.project.rules if r.id == "row-toilet")
    assert found.when.of[0].seconds > 15.0
    assert found.when.of[0].seconds == window.results[SETTLED].value.delays.changes[0].seconds
    window.document.undo_stack.undo()
    assert window.document.project is before
