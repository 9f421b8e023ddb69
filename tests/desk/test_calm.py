"""What is computed has its place while it is on its way: nothing moves under the pointer when it comes."""

from __future__ import annotations

from hands import settle
from msgspec.structs import replace
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication, QFrame, QLabel

HEADS = ("Timing curve", "turns on", "Hold time", "All rooms", "Findings", "Went dark on somebody", "First light, 95 %")


def places(w):
    """How low the headings of both panels stand in the window."""
    return {
        x.text(): x.mapTo(w, QPoint(0, 0)).y() for x in w.findChildren(QLabel) if x.isVisible() and x.text() in HEADS
    }


def test_nothing_moves_while_the_week_the_findings_and_the_curve_come(qtbot, window, demo):
    w = window
    # A week that nothing has been computed for yet.
    w.document.replace(replace(demo, brief=replace(demo.brief, rehearse_from="2026-05-18")), None)
    w.take_over()
    w.focus.set(stage="Timing", level="ground", room="throwing", selected="throwing")
    assert w.results.rehearsal is None
    panel = w.panel("Timing")
    assert w.verdict._basis.text() == "Rehearsing the week…" and w.verdict._scores["drops"]._value.text() == "–"
    assert not panel._use.isEnabled()
    QApplication.sendPostedEvents()
    first = places(w)
    assert set(first) == set(HEADS) and panel.plot.isVisible()
    seen = []
    while w.results.rehearsal is None or w.results.busy():
        qtbot.wait(5)
        seen.append(places(w))
    settle(qtbot, w)
    qtbot.wait(20)
    seen.append(places(w))
    assert all(now == first for now in seen), (first, [now for now in seen if now != first][:1])
    assert "per day" in w.verdict._basis.text() and w.verdict._scores["drops"]._value.text() != "–"
    assert panel._use.isEnabled() and panel._use.text().startswith("Set hold time to")


def test_cards_that_are_to_come_are_gone_when_findings_are_there(qtbot, window, demo):
    w = window
    w.document.replace(demo, None)
    w.take_over()
    w.focus.set(stage="Sensors", level="ground", room="throwing", selected="throwing")
    qtbot.wait(1)

    def to_come():
        return [x for x in w.verdict.findChildren(QFrame) if x.accessibleName() == "A finding to come"]

    assert len(to_come()) == 3
    settle(qtbot, w)
    qtbot.wait(20)
    assert to_come() == []


def test_a_room_with_nothing_to_rehearse_shows_no_empty_figures(qtbot, window):
    w = window
    w.filing.new()
    qtbot.wait(20)
    assert not w.verdict._numbers.isVisible() and not w.panel("Plan").isHidden()
    assert "Draw a room" in w.verdict._nothing.text() and w.verdict._nothing.isVisible()
