"""One result of the desk: when it is computed, what supersedes it, and what it says where it cannot be."""

from __future__ import annotations

import threading

import pytest
from hands import project, settle
from PyQt6.QtCore import QThreadPool

from vastwatch.design.edits.sensors import set_hold
from vastwatch.design.references import without
from vastwatch.desk.results.derived import NOT_COMPUTED, Derived
from vastwatch.desk.results.registry import Kind
from vastwatch.desk.results.timing import CURVE


@pytest.fixture
def pool(qapp):
    pool = QThreadPool()
    pool.setMaxThreadCount(1)
    yield pool
    pool.clear()
    pool.waitForDone()


class Source:
    """Something to read, and a count of how often it was worked on."""

    def __init__(self) -> None:
        self.value, self.needed, self.made = object(), True, 0
        self.gate = threading.Event()
        self.gate.set()

    def derived(self, pool, work=None, **more) -> Derived:
        def count(task, value):
            self.gate.wait(5)
            self.made += 1
            return value

        return Derived("thing", pool, lambda _: (self.value,), work or count, needed=lambda: self.needed, **more)


def fresh(qtbot, d):
    qtbot.waitUntil(lambda: d.state == "fresh", timeout=5000)


def test_it_is_computed_once_for_the_same_reading(qtbot, pool):
    s = Source()
    d = s.derived(pool)
    for _ in range(3):
        d.check()
    fresh(qtbot, d)
    d.check()
    assert (d.value, d.of, s.made) == (s.value, (s.value,), 1)
    s.value = object()
    d.check()
    assert d.busy and d.value is not s.value
    fresh(qtbot, d)
    assert d.value is s.value and s.made == 2


def test_nobody_looks_so_nothing_is_computed(qtbot, pool):
    s = Source()
    s.needed = False
    d = s.derived(pool)
    d.check()
    qtbot.wait(30)
    assert (d.state, s.made) == ("nothing", 0)
    s.needed = True
    d.check()
    fresh(qtbot, d)
    s.value, s.needed = object(), False
    d.check()
    assert d.state == "stale" and d.value is not None and s.made == 1
    s.needed = True
    d.check()
    fresh(qtbot, d)
    assert s.made == 2


def test_a_newer_question_supersedes_an_older(qtbot, pool):
    s = Source()
    s.gate.clear()
    d = s.derived(pool)
    seen = []
    d.changed.connect(lambda: seen.append((d.state, d.value)))
    values = [object() for _ in range(4)]
    for value in values:
        s.value = value
        d.check()
    s.gate.set()
    fresh(qtbot, d)
    assert d.value is values[-1]
    # The one that had begun was finished and dropped, those between never began.
    assert s.made <= 2
    assert [state for state, _ in seen].count("fresh") == 1


def test_work_hears_that_it_is_no_longer_wanted_and_says_how_far_it_is(qtbot, pool):
    s = Source()
    began, heard = threading.Event(), []

    def work(task, value):
        task.report_progress(0.5)
        began.set()
        for _ in range(400):
            if not task.should_continue():
                heard.append(value)
                return None
            threading.Event().wait(0.01)
        return value

    d = s.derived(pool, work)
    d.check()
    qtbot.waitUntil(lambda: d.progress == 0.5)
    assert began.is_set()
    d.forget()
    qtbot.waitUntil(lambda: bool(heard))
    qtbot.wait(20)
    assert (d.state, d.value) == ("nothing", None)


def test_a_refusal_is_its_words_and_a_failure_leaves_nobody_waiting(qtbot, pool, caplog):
    s = Source()

    def refuses(task, value):
        raise ValueError("there is nothing to tune")

    d = s.derived(pool, refuses)
    d.check()
    qtbot.waitUntil(lambda: d.state == "refused")
    assert (d.words, d.value) == ("there is nothing to tune", None)
    d.check()
    assert d.state == "refused"

    def fails(task, value):
        raise ZeroDivisionError("oh")

    said = []
    d = s.derived(pool, fails)
    d.failed.connect(said.append)
    d.check()
    qtbot.waitUntil(lambda: d.state == "failed")
    assert d.words == NOT_COMPUTED and "oh" in caplog.text
    assert said == ["The thing: this could not be computed because of an internal error; see the log."]


def test_what_is_asked_for_is_forgotten_with_what_it_was_of(qtbot, pool):
    s = Source()
    d = s.derived(pool, forgetful=True)
    d.ask()
    fresh(qtbot, d)
    d.spoil()
    assert (d.state, d.value, d.of) == ("nothing", None, None)


# -- in the window -------------------------------------------------------------------------------------------------


def test_the_curve_is_not_computed_while_its_panel_is_not_shown(qtbot, window):
    w = window
    assert w.focus.stage != "Timing" and w.results[CURVE].state == "nothing"
    w.focus.set(stage="Timing", room="throwing", level="ground")
    settle(qtbot, w)
    qtbot.waitUntil(lambda: w.results[CURVE].state == "fresh", timeout=30_000)
    curve = w.results[CURVE].value
    w.focus.set(stage="Sensors")
    w.document.apply(set_hold(project(w), "presence-throwing", 240.0), "Hold")
    settle(qtbot, w)
    assert w.results[CURVE].state == "stale" and w.results[CURVE].value is curve


def test_a_new_hold_is_followed_within_the_call(qtbot, window):
    w = window
    before = w.results.rehearsal
    w.document.apply(set_hold(project(w), "presence-throwing", 1500.0), "Hold")
    after = w.results.rehearsal
    assert after is not before and after.project is project(w)
    assert after.recording is before.recording and w.results.week.state == "fresh"
    assert after.scores["throwing"].false_offs < before.scores["throwing"].false_offs


def test_a_recording_by_hand_is_shown_without_anybody(qtbot, window):
    """What sensors said, and nobody's truth: lanes for sensors, presence and lamp, the hold replayed, no people."""
    from datetime import date

    from vastwatch.control.recording import Recording
    from vastwatch.signals import Calendar, Signal

    w = window
    calendar = Calendar(date(2026, 1, 12), project(w).place.timezone, 2)
    hour = 3600.0
    report = Signal.from_intervals([(17 * hour, 17 * hour + 60), (18 * hour, 18 * hour + 30)], 0.0, calendar.end)
    heard = Signal.from_intervals([(0.0, 30 * hour)], 0.0, calendar.end)
    w.results.show_recording(Recording(calendar, {("pir-throwing", None): report}, {"pir-throwing": heard}))
    w.focus.set(stage="Timing", room="throwing", level="ground", selected="throwing", day=0, time=17 * hour)
    settle_recording = lambda: not w.results.busy()  # noqa: E731
    qtbot.waitUntil(settle_recording, timeout=20_000)
    house = w.results.house
    assert house is not None and w.results.rehearsal is None
    lanes = {lane.words: lane for lane in w.ribbon._lanes if lane.room == "throwing"}
    assert set(lanes) == {
        "Throwing room", "PIR throwing room", "presence", "light", "Somebody in the throwing room", "result",
    }  # fmt: skip
    assert lanes["PIR throwing room"].unknown.intervals.tolist() == [[30 * hour, 48 * hour]]
    assert lanes["presence"].signal.intervals.tolist() == [[17 * hour, 17 * hour + 360], [18 * hour, 18 * hour + 330]]
    assert lanes["light"].signal.total() > 0 and not lanes["light"].incidents
    assert house.recording.reports_a_day("pir-throwing") == 4 / 1.25
    w.grab()
    w.document.apply(set_hold(project(w), "presence-throwing", 3600.0), "Hold")
    longer = {lane.words: lane for lane in w.ribbon._lanes if lane.room == "throwing"}["presence"].signal
    assert longer.intervals.tolist() == [[17 * hour, 18 * hour + 3630]]
    w.results.show_recording(None)
    settle(qtbot, w)
    assert w.results.rehearsal is not None and len(w.results.rehearsal.truth.tracks) > 2


def test_a_part_adds_a_kind_of_result_and_nothing_else_is_told(qtbot, window):
    w = window
    made = []

    def work(task, project, wanted):
        made.append(wanted)
        return len(project.rooms), wanted

    kind = Kind("rooms counted", lambda results, wanted: (results.document.project, wanted), work, _on_plan, ("stage",))
    counted = w.results[kind]
    assert w.results[kind] is counted and counted.state == "nothing"
    counted.want("so")
    assert not made and counted.state == "nothing"
    w.focus.set(stage="Plan")
    fresh(qtbot, counted)
    assert counted.value == (len(project(w).rooms), "so")
    # Another design: after a pause it is counted anew, without being asked.
    w.document.apply(without(project(w), [project(w).rooms[-1].id]), "One room less")
    qtbot.waitUntil(lambda: counted.value == (len(project(w).rooms), "so"))
    # Another project: nothing is wanted of it any more.
    w.document.replace(project(w), None)
    assert counted.wanted is None and counted.value is None


def _on_plan(focus):
    return focus.stage == "Plan"


def test_what_is_asked_for_is_gone_with_the_design_and_what_is_of_a_room_with_the_room(qtbot, window):
    w = window
    of_room = Kind("room", lambda results, _: (results.focus.room,), lambda task, room: room, of_room=True, asked=True)
    asked = Kind("house", lambda results, _: (results.document.project,), lambda task, p: p.name, asked=True)
    room, house = w.results[of_room], w.results[asked]
    for derived in (room, house):
        derived.check()
        assert derived.state == "nothing"
        derived.ask()
        fresh(qtbot, derived)
    w.focus.set(room="shop")
    assert room.value is None and house.value == project(w).name
    w.document.apply(set_hold(project(w), project(w).presences[0].id, 77.0), "hold")
    assert house.value is None
