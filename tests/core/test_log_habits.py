"""How people use rooms, read from a log: held against the people who made it; and diary notes laid over one."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room
from vastwatch import cli
from vastwatch.advice.logs.habits import GapMixture, fit_gap_mixture, habits_of_log, in_words, people_of
from vastwatch.advice.logs.replay import dated, explain_note, notes_of
from vastwatch.commission.log_writing import write_log
from vastwatch.control.house import run_house
from vastwatch.control.recording import Recording
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import DiaryNote, put
from vastwatch.design.records import Conclusion, Sensor
from vastwatch.files.project_file import save_project
from vastwatch.people.truth import simulate_days
from vastwatch.rehearsal import rehearse
from vastwatch.rehearsal.run import make_recording
from vastwatch.signals import DAY, Calendar, Signal
from vastwatch.site.building import Spot
from vastwatch.site.people import Errand, Stay

# The slowest silence of somebody there is told apart from an absence of so much longer.
SEEDS = (1, 2, 3)


def watched_room(days: str = "every"):
    """A room that somebody comes into five times a day for half an hour, seen well by a radar."""
    room = make_room()
    radar = Sensor(id="radar", device="radar-24-state-mains", level="g", name="Radar", at=(0.1, 2.0, 1.5))
    bench = Spot(id="bench", room="small", name="bench", at=(6.5, 1.0), posture="seated", activity="desk")
    comes = replace(
        room.people[0], stays=(Stay(at="00:00", spot="bench"),),
        errands=(Errand(days=days, between=("08:00", "20:00"), spot="chair", per_day=5, minutes=30),),
    )  # fmt: skip
    expr = from_roles(Roles(("pir",), ("pir", "radar"), 60.0))
    return replace(
        room, spots=(*room.spots, bench), people=(comes,), devices=(*room.devices, device("radar-24-state-mains")), sensors=(*room.sensors, radar),
        presences=(Conclusion(id="here", room="big", name="Somebody", expr=expr),),
    )  # fmt: skip


def at_s(habits):
    return 60.0 if habits.parting is None else habits.parting.at_s


@pytest.mark.parametrize("seed", SEEDS)
def test_visits_and_stays_are_those_of_the_people_who_made_the_log(seed):
    project = watched_room()
    truth = simulate_days(project, 28, seed)
    found = habits_of_log(run_house(project, make_recording(project, truth)))
    (big,) = found.rooms
    occupied = truth.occupied("big", False)
    # Absences too short to be told from sitting still are none to a log.
    apart = occupied.hold(at_s(big))
    visits = len(apart.rises) / 28
    assert big.visits[0] == pytest.approx(visits, rel=0.2) and big.visits[1] == pytest.approx(visits, rel=0.35)
    mean = apart.total() / len(apart.rises) - at_s(big)
    assert big.mean_stay_s == pytest.approx(mean, rel=0.2)
    hours = np.bincount(((apart.rises % DAY) // 3600).astype(int), minlength=24) / len(apart.rises)
    assert np.abs(np.array(big.by_hour) - hours).sum() < 0.35
    assert sum(big.by_hour[:7]) == 0


def test_who_only_comes_on_workdays_is_told_so():
    project = watched_room("workday")
    found = habits_of_log(rehearse(project, 28, 1).house)
    assert found.rooms[0].visits[0] > 3 and found.rooms[0].visits[1] == 0
    assert found.rooms[0].days == (20.0, 8.0)


def test_somebody_made_of_a_log_uses_the_room_as_the_log_says():
    project = watched_room()
    found = habits_of_log(rehearse(project, 28, 1).house)
    bare = replace(project, people=())
    with pytest.raises(ValueError, match="no way out of this building"):
        people_of(replace(bare, spots=bare.spots[:1]), found)
    again, (person,) = people_of(bare, found)
    assert person.name == "Occupant of big room, from the log" and {s.spot for s in person.stays} == {"chair", "exit"}
    back = habits_of_log(rehearse(again, 28, 2).house)
    assert back.rooms[0].visits[0] == pytest.approx(round(found.rooms[0].visits[0]), rel=0.2)
    assert back.rooms[0].mean_stay_s == pytest.approx(found.rooms[0].mean_stay_s, rel=0.35)


@pytest.mark.parametrize(("near", "far", "share"), [(20.0, 3000.0, 0.9), (90.0, 9000.0, 0.97), (60.0, 1200.0, 0.6)])
def test_two_kinds_of_silence_come_apart(near, far, share):
    rng = np.random.default_rng(4)
    n = 4000
    there = rng.random(n) < share
    gaps = np.where(there, rng.exponential(near, n), rng.exponential(far, n))
    p = fit_gap_mixture(gaps)
    assert p.still_s == pytest.approx(near, rel=0.1) and p.away_s == pytest.approx(far, rel=0.15)
    assert p.there == pytest.approx(share, abs=0.03)
    # Where it parts both meanings are as likely.
    a = p.there / p.still_s * math.exp(-p.at_s / p.still_s)
    b = (1 - p.there) / p.away_s * math.exp(-p.at_s / p.away_s)
    assert a == pytest.approx(b, rel=1e-6)


def test_silences_of_one_kind_or_too_few_are_not_parted():
    rng = np.random.default_rng(1)
    assert fit_gap_mixture(np.array([1.0, 2.0, 3.0])) is None
    assert fit_gap_mixture(np.full(50, 10.0)) is None
    assert fit_gap_mixture(np.empty(0)) is None
    one = fit_gap_mixture(rng.exponential(50.0, 3000))
    assert one is None or isinstance(one, GapMixture)


def test_what_cannot_be_told_is_told():
    project = watched_room()
    house = rehearse(project, 14, 1).house
    found = habits_of_log(house)
    said = " ".join(found.undetermined)
    assert "cannot be told apart" in said and "a log has no names" in said and "No sensor in: Small room" in said
    assert "visits on a working day" in in_words(found, project)[0]
    calendar = Calendar(house.recording.calendar.begin, "UTC", 5)
    silent = Recording(calendar, {(s.id, None): Signal.constant(False, 0.0, calendar.end) for s in project.sensors})
    nothing = habits_of_log(run_house(project, silent))
    assert nothing.rooms == () and "no reports from" in nothing.undetermined[0]


def test_hours_in_which_nobody_listened_are_no_absence():
    project = watched_room()
    r = rehearse(project, 14, 1)
    deaf = Signal.from_intervals([(k * DAY + 10 * 3600, k * DAY + 16 * 3600) for k in range(14)], 0.0, r.truth.end)
    reports = {key: signal - deaf for key, signal in r.recording.reports.items()}
    heard = Recording(r.calendar, reports, {"pir": ~deaf, "radar": ~deaf})
    found = habits_of_log(run_house(project, heard)).rooms[0]
    assert sum(found.by_hour[10:16]) == 0
    assert sum(found.days) == pytest.approx(14 * 0.75)


def test_somebody_in_two_rooms_at_once_is_two_people():
    project = watched_room()
    other = replace(
        project,
        presences=(*project.presences, Conclusion(id="there", room="small", name="T",
                                                expr=from_roles(Roles(("radar",), ("radar",), 60.0)))),
    )  # fmt: skip
    calendar = Calendar(rehearse(project, 1, 1).calendar.begin, "UTC", 4)
    rows = [(k * 7200.0, k * 7200.0 + 900.0) for k in range(1, 40)]
    both = Signal.from_intervals(rows, 0.0, calendar.end)
    log = Recording(calendar, {("pir", None): both, ("radar", None): both})
    assert habits_of_log(run_house(other, log)).people == 2
    assert "at least 2" in in_words(habits_of_log(run_house(other, log)), other)[-1]


def test_the_command_line_tells_habits(tmp_path, capsys):
    project = watched_room()
    path, out = tmp_path / "a.vastwatch.json", tmp_path / "log.csv"
    save_project(project, path)
    write_log(make_recording(project, simulate_days(project, 14, 1)), out)
    assert cli.main(["replay", str(path), str(out), "--habits", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)["habits"]
    # Twelve silent hours in a house of one room are taken for a house that nobody listened to.
    assert 4 < said["rooms"]["big"]["visits_per_workday"] < 8 and len(said["rooms"]["big"]["begin_by_hour"]) == 24
    assert said["people_at_least"] == 1 and said["untold"]


# -- diary ---------------------------------------------------------------------------------------------------------


def test_notes_of_the_log_s_days_are_explained_in_the_room_they_name():
    project = watched_room()
    short = put(project, replace(project.presences[0], expr=from_roles(Roles(("pir",), ("pir",), 20.0))))
    house = rehearse(short, 4, 1).house
    fell = float(house.served("big").falls[3])
    when = house.recording.calendar.clock(fell)
    notes = (
        DiaryNote(id="a", at=when.strftime("%Y-%m-%dT%H:%M"), text="light off in the big room"),
        DiaryNote(id="b", at=when.strftime("%Y-%m-%dT%H:%M"), text="small room dark"),
        DiaryNote(id="c", at="2031-01-01T10:00", text="another year"),
    )
    noted = run_house(replace(short, diary=notes), house.recording, house.actions)
    found = notes_of(noted)
    assert [i for i, _ in found] == ["a", "b"]
    assert explain_note(noted, found[0][1]).room == "big"
    assert "The hold time of 20 s ran out" in " ".join(explain_note(noted, found[0][1]).chain)


def test_a_note_is_a_date_a_time_and_words():
    assert dated("2026-01-13 21:10 light went off") == ("2026-01-13T21:10", "light went off")
    assert dated("2026-01-13T9:05, dark") == ("2026-01-13T09:05", "dark")
    for wrong in ("light went off", "2026-02-31 10:00 x", "2026-01-13 25:00 x", "2026-01-13 21:10"):
        with pytest.raises(ValueError, match="not a note such as"):
            dated(wrong)
