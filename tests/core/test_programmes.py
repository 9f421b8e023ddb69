"""What players play and who is on a call: films, clips, pauses, skips, exercise; and what the house is told of them."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from samples import make_room
from vastwatch.advice.checks.scenes import films_without_player
from vastwatch.design.expressions import AllOf, Dark, Fact, Not, Report
from vastwatch.design.ladder_templates import STARTING, apply_template
from vastwatch.design.project import find, put
from vastwatch.design.records import Fan, Machine, OutputRow, Sensor, Settings
from vastwatch.devices import catalogue
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.room_sensors.humidity import FALLS_S, RISES_S, STEAM, excess_humidity
from vastwatch.rehearsal.room_sensors.media_and_calls import SETTLES_S, calls_in, fact_signal, player_in
from vastwatch.rehearsal.run import replay
from vastwatch.signals import Signal
from vastwatch.site.people import Stay

DAYS = 14


def watching(**spot):
    """The room of the tests with a film in the chair from 18 to 22 every day."""
    room = make_room()
    (chair, away), (person,) = room.spots, room.people
    spot = {"activity": "film", **spot}
    stays = (replace(person.stays[0], at="18:00"), replace(person.stays[1], at="22:00"))
    return replace(
        room, spots=(replace(chair, **spot), away), people=(replace(person, stays=stays, errands=()),)
    )  # fmt: skip


@pytest.fixture(scope="module")
def truth():
    return simulate_days(watching(), DAYS, 1)


def second_by_second(raw: Signal, begin: float, end: float) -> np.ndarray:
    """What is told of a signal: each change counts once it has lasted SETTLES_S, in steps of a tenth of a second."""
    step = 0.1
    now, since, out = False, begin, []
    for t in np.arange(begin, end, step):
        is_on = bool(raw.at(t))
        if is_on == now:
            since = t
        elif t - since >= SETTLES_S - step / 2:
            now, since = is_on, t
        out.append(now)
    return np.array(out)


def test_a_film_is_told_late_and_without_skips(truth):
    raw, film = player_in(truth, "big").film, fact_signal(truth, "film", "big")
    begin = float(film.rises[0]) - 60.0
    t = np.arange(begin, begin + 4000.0, 0.1)
    apart = second_by_second(raw, begin, begin + 4000.0) != film.at(t)
    # At the very instants a tenth of a second decides.
    assert apart.sum() < 4 * len(film.rises)
    assert len(film.rises) < len(raw.rises)


def test_skips_are_shorter_than_what_settles_and_pauses_longer(truth):
    player = player_in(truth, "big")
    rows = player.film.intervals
    gaps = rows[1:, 0] - rows[:-1, 1]
    short = gaps[gaps < SETTLES_S]
    assert len(short) > 20 and short.max() < SETTLES_S
    pauses = np.diff(player.paused.intervals, axis=1)
    assert len(pauses) > 10 and (pauses >= SETTLES_S).all()


def test_a_film_and_its_pause_are_never_told_together_and_leave_no_gap(truth):
    film, paused = fact_signal(truth, "film", "big"), fact_signal(truth, "paused", "big")
    assert (film & paused).total() == 0
    # Whenever a pause is told the film has just been: the room is not without either in between.
    before = film.at(paused.rises - 1e-3)
    assert before.mean() > 0.95


def test_clips_are_no_films(truth):
    player = player_in(truth, "big")
    clips = player.anything - player.film - player.paused
    lengths = np.diff(clips.intervals, axis=1).ravel()
    long = lengths[lengths > SETTLES_S + 1]
    assert len(long) >= 5 and long.max() < 600.0
    assert (fact_signal(truth, "film", "big") & clips).total() < SETTLES_S * (len(clips.rises) + 1)


def test_nothing_plays_while_nobody_is_there_and_a_cat_watches_nothing(truth):
    there = truth.person_in("a", "big")
    assert (player_in(truth, "big").anything - there).total() == 0
    project = watching()
    cat = replace(project, people=(replace(project.people[0], kind="pet"),))
    assert player_in(simulate_days(cat, 3, 1), "big").anything.total() == 0


def test_an_exercise_programme_plays_and_is_no_film():
    project = watching(activity="hands-on", posture="standing", exercise=True)
    truth = simulate_days(project, 3, 1)
    player = player_in(truth, "big")
    assert player.film.total() == 0 and player.anything.same_as(truth.person_in("a", "big"), 60.0)


def test_days_of_a_shorter_run_are_those_of_a_longer(truth):
    short = simulate_days(watching(), 5, 1)
    assert player_in(short, "big").film.same_as(player_in(truth, "big").film.clip(0, short.end), 1e-6)


def test_calls_come_as_often_as_said_and_while_somebody_is_there():
    project = watching(activity="desk", calls_per_hour=2.0)
    truth = simulate_days(project, 28, 1)
    calls = calls_in(truth, "big")
    hours = truth.person_in("a", "big").total() / 3600.0
    # Two an hour over four hours a day; those that overlap are one.
    assert 1.2 * hours < len(calls.rises) < 2.3 * hours
    assert (calls - truth.person_in("a", "big")).total() == 0
    assert calls_in(simulate_days(watching(activity="desk"), 3, 1), "big").total() == 0
    with pytest.raises(ValueError, match="no source for"):
        fact_signal(truth, "opera", "big")


# -- in the house --------------------------------------------------------------------------------------------------


def test_playing_dims_and_paused_raises_and_off_is_as_ever():
    project = apply_template(watching(), "big", next(s for s in STARTING if s.name == "Film evenings"))
    film, pause, here = project.rules
    assert [find(project.scenes, r.scene).name for r in (film, pause, here)] == ["Film", "Pause", "Full"]
    r = rehearse(project, 3, 1)
    did = r.house.ladders["big"]
    dark = r.house.conclusions.dark["big"]
    playing, held = (fact_signal(r.truth, what, "big") & dark for what in ("film", "paused"))
    levels = did.levels["lamp"]
    for signal, level in ((playing, 0.1), (held, 0.5)):
        settled = signal.on_delay(6.0)
        middle = settled.intervals.mean(axis=1)
        assert len(middle) and np.allclose(levels.at(middle), level)


def test_a_quiet_machine_is_still_during_films_and_calls():
    rows = (
        OutputRow(name="Film", when=Fact(what="film", room="big"), level=0.0),
        OutputRow(name="Call", when=Fact(what="call", room="big"), level=0.0),
        OutputRow(name="Else", when=Not(of=AllOf(of=(Dark(room="big"), Not(of=Dark(room="big")))))),
    )
    machine = Machine(id="hum", room="big", name="Hum", at=(1, 1), watts=30, rows=rows)
    for spot, what in (({}, "film"), ({"activity": "desk", "calls_per_hour": 3.0}, "call")):
        project = replace(watching(**spot), outputs=(machine,))
        r = rehearse(project, 3, 1)
        assert (r.signals["hum"] & fact_signal(r.truth, what, "big")).total() == 0
        careless = replace(project, outputs=(replace(machine, rows=rows[2:]),))
        assert rehearse(careless, 3, 1).output_scores["hum"].bothered_min > 10
        assert r.output_scores["hum"].bothered_min < 2.0


def test_a_week_that_is_replayed_is_told_what_nobody_had_asked_for_before():
    rows = (OutputRow(name="Film", when=Fact(what="film", room="big"), level=0.0),)
    quiet = watching()
    asks = replace(quiet, outputs=(Machine(id="hum", room="big", name="Hum", at=(1, 1), watts=30, rows=rows),))
    before = rehearse(quiet, 3, 2)
    assert ("film", "big") not in before.recording.facts and len(before.recording.facts) == 0
    again, anew = replay(before, asks), rehearse(asks, 3, 2)
    assert list(again.recording.facts) == [("film", "big")] and again.recording.facts["film", "big"].total() > 0
    assert again.signals["hum"].same_as(anew.signals["hum"])


def test_a_film_that_nothing_tells_of_is_said_until_a_player_is_there():
    project = apply_template(watching(), "big", next(s for s in STARTING if s.name == "Film evenings"))
    (found,) = films_without_player(project)
    assert found.rule == "scene-untold" and found.records == (project.rules[0].id, project.rules[1].id)
    player = next(d for d in catalogue() if d.family == "player")
    box = Sensor(id="box", device=player.id, level="g", name="Player", at=(0.2, 2.0, 0.8))
    project = replace(project, devices=(*project.devices, player), sensors=(*project.sensors, box))
    assert list(films_without_player(project)) == []


def test_a_media_player_on_the_plan_reports_that_it_plays_and_nobody():
    project = watching()
    player = next(d for d in catalogue() if d.family == "player")
    box = Sensor(id="box", device=player.id, level="g", name="Player", at=(0.2, 2.0, 0.8))
    project = replace(project, devices=(*project.devices, player), sensors=(*project.sensors, box))
    r = rehearse(project, 3, 1)
    assert r.recording.report("box").same_as(player_in(r.truth, "big").anything)
    assert not player.presence


# -- damp ----------------------------------------------------------------------------------------------------------


def washing(minutes):
    """Somebody at a place for washing for so many minutes in the morning, every day."""
    project = watching(activity="washing", posture="standing")
    (person,) = project.people
    stays = (
        Stay(at="07:00", spot="chair", jitter_min=0),
        Stay(at=f"07:{minutes:02d}", spot="exit", jitter_min=0),
    )
    tag = next(d for d in catalogue() if d.family == "humidity")
    damp = Sensor(id="damp", device=tag.id, level="g", name="Damp", at=(0.2, 2.0, 1.8))
    return replace(
        project,
        people=(replace(person, stays=stays),),
        devices=(*project.devices, tag),
        sensors=(*project.sensors, damp),
    )


def test_humidity_goes_towards_steam_and_back_as_small_steps_do():
    steam = Signal.from_intervals([(600.0, 1500.0), (2400.0, 2600.0)], 0.0, 9000.0)
    t = np.arange(0.0, 9000.0, 10.0)
    now, slow = 0.0, []
    for k in np.arange(0.0, 9000.0, 0.5):
        if k % 10.0 == 0:
            slow.append(now)
        goal, takes = (STEAM, RISES_S) if steam.at(k) else (0.0, FALLS_S)
        now += 0.5 * (goal - now) / takes
    assert np.allclose(excess_humidity(steam, t), slow, atol=0.1)


def test_a_shower_is_damp_and_a_wash_of_hands_is_not():
    shower, hands = (rehearse(washing(m), 3, 1).recording.report("damp") for m in (15, 3))
    assert len(shower.rises) == 3 and hands.total() == 0
    lasts = np.diff(shower.intervals, axis=1)
    # From 15 % on the way up until 7 % on the way down: STEAM (1 - e^(-t / RISES)), then e^(-t / FALLS).
    up = RISES_S * np.log(STEAM / (STEAM - 15.0))
    peak = STEAM * (1 - np.exp(-900.0 / RISES_S))
    expected = 900.0 - up + FALLS_S * np.log(peak / 7.0)
    assert np.allclose(lasts, expected, rtol=0.35)


def test_a_fan_by_humidity_runs_while_it_is_damp_and_the_interval_counts():
    fan = Fan(id="fan", room="big", name="Fan", at=(1, 1), watts=12, rows=(OutputRow(when=Report(sensor="damp")),))
    project = replace(washing(15), outputs=(fan,))
    r = rehearse(project, 3, 1)
    assert r.signals["fan"].same_as(r.recording.report("damp")) and r.signals["fan"].total() > 3 * 1800
    slow = put(project, replace(find(project.sensors, "damp"), settings=Settings(report_interval_s=1800)))
    edges = rehearse(slow, 3, 1).recording.report("damp").switches
    assert len(edges) and np.allclose(edges % 1800.0, 0.0)
