"""The builder of conclusions, test mode, and the chart of every way, in the real window."""

from __future__ import annotations

import csv
from datetime import datetime

import pytest
from hands import LEFT, key, plain, project, settle, type_into
from msgspec.structs import replace
from PyQt6.QtCore import Qt

from vastwatch.control.belief.fusion import leaves
from vastwatch.design.edits.conclusions import set_expr, set_holds
from vastwatch.design.edits.expressions import part_at
from vastwatch.design.edits.removing import removed
from vastwatch.design.expressions import (
    AtLeast,
    Belief,
    ClockTime,
    ConclusionRef,
    Dark,
    Hold,
    Not,
    OnDelay,
    Report,
    StartKeep,
)
from vastwatch.design.presence import hold_of
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of, presences_in
from vastwatch.desk.pages.frontier_chart import save
from vastwatch.desk.results import timing as timing_results
from vastwatch.desk.results.findings import FINDINGS
from vastwatch.desk.results.judged import HOUSE_JUDGED
from vastwatch.desk.stages.timing.builder import changed_part, shown_conclusion


@pytest.fixture
def timing(qtbot, window):
    """The window in the Timing stage, in the sitting room."""
    window.focus.set(stage="Timing", level="upper", room="sitting", selected="sitting")
    settle(qtbot, window)
    return window


def builder(window):
    return window.panel("Timing").builder


def expr(window, ident="presence-sitting"):
    return find(project(window).presences, ident).expr


def chip(window, text, nth=0):
    return [c for c in builder(window).view.chips if c.piece.text == text][nth]


def press(qtbot, window, text, nth=0):
    qtbot.mouseClick(builder(window).view, LEFT, pos=chip(window, text, nth).rect.center().toPoint())


def action(menu, *words):
    """The entry of a menu, or of its menus, by its words; where there is a menu for each heading, of any."""
    for k, word in enumerate(words):
        found = next(a for a in entries(menu) if a.text() == word)
        if k == len(words) - 1:
            return found
        menu = found.menu()
    raise AssertionError


def entries(menu):
    """All entries of a menu and of its menus, its own first."""
    own = menu.actions()
    return [*own, *(a for x in own if x.menu() is not None for a in entries(x.menu()))]


def choose(window, piece, *words):
    action(builder(window).menu_of(piece), *words).trigger()


def test_the_sentence_is_that_of_the_conclusion_and_its_lanes_are_its_parts(timing):
    view = builder(timing).view
    said = " ".join(c.text for c in view.chips)
    assert said == "On when PIR sitting room stays on while PIR sitting room or Radar sitting room off 1 min after"
    lanes = [lane.words for lane in timing.ribbon._lanes]
    assert lanes[:8] == [
        "Somebody in the sitting room", "somebody awake there", "on when PIR sitting room", "stays on while hold time 1 min",
        "any of", "PIR sitting room", "Radar sitting room", "result",
    ]  # fmt: skip
    by_words = {lane.words: lane.signal for lane in timing.ribbon._lanes[:8]}
    r = timing.results.rehearsal
    assert by_words["Radar sitting room"].same_as(r.house.report("radar-sitting"))
    assert by_words["result"].same_as(r.signals["presence-sitting"])
    timing.focus.set(stage="Rehearsal")
    assert "result" not in [lane.words for lane in timing.ribbon._lanes]


def test_a_figure_is_typed_over_by_the_mouse_and_by_keys(qtbot, timing):
    press(qtbot, timing, "1 min")
    field = builder(timing).field
    assert field is not None and field.text() == "1 min"
    type_into(qtbot, field, "90 s")
    assert hold_of(expr(timing)) == 90
    # One step of the undo list, and the curve's mark follows.
    timing.document.undo_stack.undo()
    assert hold_of(expr(timing)) == 60
    view = builder(timing).view
    view.setFocus()
    view.point_at(0)
    for _ in range(4):
        key(qtbot, view, Qt.Key.Key_Right)
    assert view.here.text == "1 min"
    key(qtbot, view, Qt.Key.Key_Return)
    type_into(qtbot, builder(timing).field, "never")
    assert hold_of(expr(timing)) == 60 and "never" in plain(timing.status.said.text())


def test_parts_are_joined_wrapped_and_taken_out(qtbot, timing):
    radar = chip(timing, "Radar sitting room").piece
    choose(timing, radar, "Or", "Tracker sitting room")
    assert len(expr(timing).keep.of.of) == 3
    choose(timing, chip(timing, "Radar sitting room").piece, "And", "dark in sitting room")
    choose(timing, chip(timing, "Tracker sitting room").piece, "Wrap in", "On-delay")
    parts = expr(timing).keep.of.of
    assert isinstance(parts[2], OnDelay) and isinstance(parts[1].of[1], Dark)
    view = builder(timing).view
    view.setFocus()
    tracker = next(k for k, c in enumerate(view._picked()) if c.piece.text == "Tracker sitting room")
    view.point_at(tracker)
    key(qtbot, view, Qt.Key.Key_Delete)
    # A delay of nothing goes with it.
    assert len(expr(timing).keep.of.of) == 2
    choose(timing, chip(timing, "or").piece, "at least 2")
    assert isinstance(expr(timing).keep.of, AtLeast)
    # The week is lived with it; how it would do at every hold takes longer, and is not waited for.
    qtbot.waitUntil(lambda: timing.results.week.state == "fresh", timeout=20_000)
    assert timing.results.rehearsal.project is project(timing)
    while timing.document.undo_stack.canUndo():
        timing.document.undo_stack.undo()
    assert expr(timing).keep.of.of[1].sensor == "radar-sitting"


def test_parts_are_dragged_and_moved_by_keys(qtbot, timing):
    view = builder(timing).view
    a, b = (
        chip(timing, words, n).rect.center().toPoint()
        for words, n in (("Radar sitting room", 0), ("PIR sitting room", 1))
    )
    qtbot.mousePress(view, LEFT, pos=a)
    for k in (1, 2, 3, 4):
        qtbot.mouseMove(view, a + (b - a) * k / 4)
    qtbot.mouseRelease(view, LEFT, pos=b)
    assert [r.sensor for r in expr(timing).keep.of.of] == ["radar-sitting", "pir-sitting"]
    view.setFocus()
    view.point_at(next(k for k, c in enumerate(view._picked()) if c.piece.text == "Radar sitting room"))
    key(qtbot, view, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert [r.sensor for r in expr(timing).keep.of.of] == ["pir-sitting", "radar-sitting"]
    key(qtbot, view, Qt.Key.Key_Up)
    assert view.here.path != (1, 0, 1)


def test_what_cannot_be_is_not_offered_and_what_cannot_go_says_so(qtbot, timing):
    timing.focus.set(conclusion="reading")
    words = {
        a.text()
        for a in entries(action(builder(timing).menu_of(chip(timing, "Window seat").piece), "Replace with").menu())
    }
    assert "“Somebody upstairs”" in words
    timing.focus.set(conclusion=None)
    words = {
        a.text()
        for a in entries(action(builder(timing).menu_of(chip(timing, "PIR sitting room").piece), "Replace with").menu())
    }
    # It would go in a circle.
    assert "“Somebody upstairs”" not in words and "“Somebody in the shop”" in words
    timing.document.apply(set_expr(project(timing), "presence-sitting", Report(sensor="pir-sitting")), "plain")
    view = builder(timing).view
    view.setFocus()
    key(qtbot, view, Qt.Key.Key_Delete)
    assert "A conclusion needs at least one condition" in plain(timing.status.said.text())
    assert isinstance(expr(timing), Report)


def test_conclusions_of_zone_level_and_house_are_shown_and_changed(qtbot, timing):
    b = builder(timing)
    assert [b.choice.itemText(k) for k in range(b.choice.count())] == [
        "Somebody in the sitting room", "Reading at the window seat", "Somebody upstairs", "House quiet at night",
    ]  # fmt: skip
    b.choice.setCurrentIndex(3)
    b.choice.activated.emit(3)
    assert shown_conclusion(project(timing), timing.focus).id == "quiet" and "the building" in b._about.text()
    piece = chip(timing, "22:30 to sunrise").piece
    b._type(piece)
    type_into(qtbot, b.field, "21:00 to sunrise+00:30")
    clock = next(x for x in leaves(expr(timing, "quiet")) if isinstance(x, ClockTime))
    assert (clock.begin, clock.end) == ("21:00", "sunrise+00:30")
    settle(qtbot, timing)
    assert "result" in [lane.words for lane in timing.ribbon._lanes]


def test_a_further_conclusion_a_name_and_whose_lamps_follow(qtbot, timing):
    b = builder(timing)
    action(b.more_menu(), "Add a conclusion", "about Sitting room").trigger()
    made = shown_conclusion(project(timing), timing.focus)
    assert made.room == "sitting" and not made.lights and len(presences_in(project(timing), "sitting")) == 3
    action(b.more_menu(), "Rename…").trigger()
    type_into(qtbot, b.field, "Anybody at all")
    assert find(project(timing).presences, made.id).name == "Anybody at all"
    action(b.more_menu(), "Make the lamps follow it").trigger()
    assert presence_of(project(timing), "sitting").id == made.id
    settle(qtbot, timing)
    action(b.more_menu(), "Delete").trigger()
    # Nothing lights the room by itself now, and what it was lit by is still concluded.
    assert presence_of(project(timing), "sitting") is None
    assert {p.id for p in presences_in(project(timing), "sitting")} == {"presence-sitting", "reading"}
    timing.document.undo_stack.undo()
    assert presence_of(project(timing), "sitting").id == made.id


def test_a_pattern_is_taken_and_says_when_it_fails(qtbot, timing):
    b = builder(timing)
    patterns = action(b.more_menu(), "Add a pattern for this room").menu()
    able = {a.text(): a.isEnabled() for a in patterns.actions()}
    assert able["Occupancy probability"] and able["Two out of three against false-ons"] and not able["Door latch"]
    assert "Requires one contact" in next(a for a in patterns.actions() if a.text() == "Door latch").toolTip()
    next(a for a in patterns.actions() if a.text() == "Occupancy probability").trigger()
    assert isinstance(expr(timing), Belief) and "routines" in b._fails.text()
    settle(qtbot, timing)
    lane = next(x for x in timing.ribbon._lanes if x.levels is not None)
    assert lane.marks == (0.6, 0.1) and 0 <= lane.levels.v.min() <= lane.levels.v.max() <= 1
    timing.ribbon.grab()
    press(qtbot, timing, "10 %")
    type_into(qtbot, b.field, "2 %")
    assert expr(timing).off_below == pytest.approx(0.02)
    type_into_fails = ["0", "100", "often"]
    for text in type_into_fails:
        with pytest.raises(ValueError, match=r"probability"):
            changed_part(expr(timing), "off_below", text)
    # It has no hold to tune: the panel says so, and offers the chart of every way all the same.
    assert "no single hold time" in timing.panel("Timing")._reason.text()
    assert timing.panel("Timing").every.isVisibleTo(timing)


def test_figures_of_the_dark_are_typed():
    dark = Dark(room="r")
    assert changed_part(dark, "", "20 40").until_lux == 40 and changed_part(dark, "", "15 lux").below_lux == 15
    assert changed_part(changed_part(dark, "", "15"), "", "").below_lux is None
    for text, words in (
        ("40 20", "must not be lower"),
        ("a", "not a value"),
        ("1 2 3", "one value"),
        ("-3", "one value"),
    ):
        with pytest.raises(ValueError, match=words):
            changed_part(dark, "", text)
    with pytest.raises(ValueError, match="a start and end"):
        changed_part(ClockTime(begin="10:00", end="11:00"), "", "at night")
    with pytest.raises(ValueError, match="2 h"):
        changed_part(Hold(of=dark, seconds=5), "seconds", "3 h")
    assert part_at(Not(of=ConclusionRef(presence="a")), (0,)).presence == "a"


# -- all rooms, and test mode --------------------------------------------------------------------------------------


def test_holds_are_shortened_to_walk_by_and_put_back(qtbot, timing):
    foot, strip = timing.panel("Timing").all, timing.strip
    foot._now = lambda: datetime(2026, 3, 4, 15, 30)
    before = {p.id: hold_of(p.expr) for p in project(timing).presences}
    assert not strip.testing.isVisible()
    qtbot.mouseClick(foot.test, LEFT)
    assert {hold_of(p.expr) for p in project(timing).presences if before[p.id]} == {5.0}
    assert strip.testing.isVisible() and strip.testing.text() == "test mode, 5 s"
    assert "2026-03-04 15:30" in foot.told.text() and not foot.accept.isVisibleTo(timing)
    settle(qtbot, timing)
    assert any(f.rule == "test-mode" for f in timing.results[FINDINGS].value)
    timing.focus.set(stage="Plan")
    qtbot.mouseClick(strip.testing, LEFT)
    assert timing.focus.stage == "Timing"
    # What was set by hand meanwhile stays; the rest is as in service, and it is one step.
    timing.document.apply(set_holds(project(timing), {"presence-shop": 77.0}), "by hand")
    qtbot.mouseClick(foot.test, LEFT)
    after = {p.id: hold_of(p.expr) for p in project(timing).presences}
    assert after == {**before, "presence-shop": 77.0} and not strip.testing.isVisible()
    assert project(timing).brief.test_mode is None
    timing.document.undo_stack.undo()
    assert project(timing).brief.test_mode is not None
    bare = removed(project(timing), *(p.id for p in project(timing).presences))
    timing.document.apply(replace(bare, brief=replace(bare.brief, test_mode=None)), "nothing")
    qtbot.mouseClick(foot.test, LEFT)
    assert "no conclusion has a hold" in plain(timing.status.said.text())


def test_all_rooms_are_held_as_recommended_in_one_step(qtbot, timing):
    foot, results = timing.panel("Timing").all, timing.results
    timing.judge.rest.start(0)
    qtbot.waitUntil(lambda: results[HOUSE_JUDGED].state == "fresh", timeout=60_000)
    settle(qtbot, timing)
    better = foot.better()
    assert better and foot.accept.isVisibleTo(timing)
    before = project(timing)
    qtbot.mouseClick(foot.accept, LEFT)
    for ident, seconds in better.items():
        assert hold_of(find(project(timing).presences, ident).expr) == seconds
    timing.document.undo_stack.undo()
    assert project(timing) is before


# -- every way on one chart ----------------------------------------------------------------------------------------


def test_every_way_is_shown_picked_set_and_saved(qtbot, timing, tmp_path, monkeypatch):
    monkeypatch.setattr(timing_results, "FRONTIER_SETTINGS", 4)
    panel = timing.panel("Timing")
    timing.focus.set(level="ground", room="toilet", selected="toilet")
    settle(qtbot, timing)
    qtbot.mouseClick(panel.every, LEFT)
    sheet = panel.sheet
    qtbot.waitUntil(lambda: sheet.chart.found is not None, timeout=60_000)
    found = sheet.chart.found
    sheet.grab()
    kinds = {p.kind for p in found.points}
    assert {"today", "curve", "recommended", "belief", "search"} <= kinds
    assert "today" in sheet.told.text() and not sheet.set_it.isEnabled()
    best = next(p for p in found.points if p.kind == "recommended")
    qtbot.mouseClick(sheet.chart, LEFT, pos=sheet.chart.at(best).toPoint())
    assert sheet.chart.marked is not None and sheet.set_it.isEnabled()
    sheet.chart.pick(best)
    sheet.chart.setFocus()
    key(qtbot, sheet.chart, Qt.Key.Key_Right)
    assert sheet.chart.marked.figures.idle_h >= best.figures.idle_h
    for ending in ("pdf", "png", "csv"):
        sheet.save_to(tmp_path / f"chart.{ending}")
        assert (tmp_path / f"chart.{ending}").stat().st_size > 200
    with (tmp_path / "chart.csv").open() as file:
        rows = list(csv.reader(file))
    assert rows[0][0] == "name" and len(rows) == len(found.points) + 1
    sheet.save_to(tmp_path / "none" / "chart.csv")
    assert sheet._wrong.text()
    with pytest.raises(ValueError, match="must end in"):
        save(found, tmp_path / "chart.doc", "t")
    qtbot.mouseClick(sheet.why, LEFT)
    qtbot.waitUntil(lambda: "present conditions" in sheet.lines.text().lower(), timeout=60_000)
    assert "PIR toilet fails" in sheet.lines.text() and "hold time of PIR toilet" in sheet.lines.text()
    qtbot.mouseClick(sheet.why, LEFT)
    assert sheet.pages.currentIndex() == 0
    sheet.chart.pick(best)
    qtbot.mouseClick(sheet.set_it, LEFT)
    assert hold_of(expr(timing, "presence-toilet")) == hold_of(find(best.project.presences, "presence-toilet").expr)
    timing.document.undo_stack.undo()
    assert hold_of(expr(timing, "presence-toilet")) == 180


def test_another_seed_is_another_week_of_the_same_people(qtbot, window):
    window.focus.set(stage="Rehearsal", level="ground", room="throwing", selected="throwing")
    settle(qtbot, window)
    first = window.results.rehearsal
    seed = window.panel("Rehearsal").days.seed
    seed.setFocus()
    seed.selectAll()
    qtbot.keyClicks(seed, "9")
    key(qtbot, seed, Qt.Key.Key_Return)
    settle(qtbot, window)
    second = window.results.rehearsal
    assert second.seed == 9 and "seed 9" in window.status._when
    assert second.scores["throwing"].false_offs != first.scores["throwing"].false_offs
    # A new hold is replayed on that very week.
    window.document.apply(set_holds(project(window), {"presence-throwing": 600.0}), "hold")
    assert window.results.rehearsal.seed == 9
    assert window.results.rehearsal.truth is second.truth


def test_what_is_around_a_part_is_taken_off_and_the_part_stays(qtbot, timing):
    view = builder(timing).view
    view.setFocus()
    view.point_at(next(k for k, c in enumerate(view._picked()) if c.piece.text == "1 min"))
    key(qtbot, view, Qt.Key.Key_Delete)
    assert [r.sensor for r in expr(timing).keep.of] == ["pir-sitting", "radar-sitting"]
    timing.document.undo_stack.undo()
    timing.focus.set(conclusion="reading")
    choose(timing, chip(timing, "film playing in sitting room").piece, "Remove the not")
    assert type(expr(timing, "reading").of[1]).__name__ == "Fact"


def test_a_start_and_keep_is_made_from_a_single_report(timing):
    timing.document.apply(set_expr(project(timing), "presence-sitting", Report(sensor="pir-sitting")), "plain")
    choose(timing, chip(timing, "PIR sitting room").piece, "Wrap in", "One starts, another keeps")
    assert isinstance(expr(timing), StartKeep) and expr(timing).keep.seconds == 120


def test_no_menu_of_conditions_is_higher_than_a_low_screen(timing):
    """The longest in the sample: of a conclusion of the whole building, which could name everything."""
    seen = 0
    for conclusion in project(timing).presences:
        timing.focus.set(conclusion=conclusion.id)
        for chip_ in builder(timing).view.chips:
            menu = builder(timing).menu_of(chip_.piece)
            menus = [] if menu is None else [menu, *(a.menu() for a in entries(menu) if a.menu() is not None)]
            assert all(m.sizeHint().height() <= 690 for m in menus), (conclusion.name, chip_.piece.text)
            seen += len(menus)
    assert seen > 50
