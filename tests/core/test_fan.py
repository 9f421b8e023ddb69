"""A fan that follows presence: what it does, what that costs, and that it is at home wherever an output has to be."""

from __future__ import annotations

import json
from datetime import date

import numpy as np
import pytest
from msgspec.structs import replace

from vastwatch.cli import main
from vastwatch.control.house import run_house
from vastwatch.control.outputs.handler import handler_of, handlers, kwh
from vastwatch.control.recording import Recording
from vastwatch.design.edits.fittings import add_output
from vastwatch.design.edits.levels import copy_level
from vastwatch.design.edits.removing import remove
from vastwatch.design.edits.selections import duplicate_many, move_many
from vastwatch.design.edits.split_join import split_room
from vastwatch.design.edits.whole_rooms import copy_room, move_room
from vastwatch.design.project import find, put
from vastwatch.files import load_project, save_project
from vastwatch.files.check import faults_of
from vastwatch.files.svg import svg_of
from vastwatch.rehearsal import rehearse
from vastwatch.signals import Calendar, Signal

HOUR = 3600.0


@pytest.fixture
def fanned(room):
    project, fan = add_output(room, "g", (1.0, 3.0), "fan", handlers()["fan"].new)
    return project, fan


def house_of(project, *rows):
    calendar = Calendar(date(2026, 1, 12), "UTC", 1)
    return run_house(
        project, Recording(calendar, {("pir", None): Signal.from_intervals(list(rows), 0.0, calendar.end)})
    )


def slow_fan(there: np.ndarray, wait: int, run_on: int) -> np.ndarray:
    """Second by second: on from the moment presence has lasted the wait, until the run-on after its end is over."""
    out, lasted, left = np.zeros(len(there), bool), 0, 0
    for k, somebody in enumerate(there):
        lasted = lasted + 1 if somebody else 0
        if lasted > wait:
            left = run_on
            out[k] = True
        elif left > 0:
            out[k], left = True, left - 1
    return out


def test_it_starts_after_its_wait_and_runs_on(fanned):
    project, fan = fanned
    # Presence holds a minute: 5:00:00 to 5:03:00, and 5:30:00 to 5:30:50 is too short with a wait of two minutes.
    project = put(project, replace(fan, wait_s=120.0, run_on_s=600.0))
    house = house_of(project, (5 * HOUR, 5 * HOUR + 120), (5.5 * HOUR, 5.5 * HOUR + 50))
    running = house.signals[fan.id]
    assert running.intervals.tolist() == [[5 * HOUR + 120, 5 * HOUR + 180 + 600]]
    assert house.kwh(find(project.outputs, fan.id)) == pytest.approx(660 * 12 / 3.6e6)
    # By day as well: it does not ask how dark it is.
    assert house_of(project, (12 * HOUR, 12 * HOUR + 300)).signals[fan.id].total() > 0


def test_it_lights_nothing(fanned):
    project, fan = fanned
    assert not handler_of(fan).lights and handler_of(project.lamps[0]).lights
    unlit = replace(project, lamps=())
    assert house_of(unlit, (5 * HOUR, 5 * HOUR + 300)).served("big") is None


@pytest.mark.parametrize("seed", range(4))
def test_it_is_what_a_clock_would_do(fanned, seed):
    project, fan = fanned
    rng = np.random.default_rng(seed)
    wait, run_on = int(rng.integers(0, 200)), int(rng.integers(0, 900))
    project = put(project, replace(fan, wait_s=float(wait), run_on_s=float(run_on)))
    starts = np.sort(rng.choice(80_000, 60, replace=False)).astype(float)
    house = house_of(project, *[(a, a + float(rng.integers(1, 400))) for a in starts])
    clock = np.arange(0, 86_400) + 0.5
    expected = slow_fan(house.presence("big").at(clock), wait, run_on)
    assert (house.signals[fan.id].at(clock) == expected).mean() > 0.999


def test_its_idle_hours_and_energy_are_counted(demo):
    project, fan = add_output(demo, "ground", (5.9, 7.0), "fan", handlers()["fan"].new)
    assert (fan.room, fan.name) == ("toilet", "Toilet fan")
    r = rehearse(project, 7, 1)
    s = r.output_scores[fan.id]
    running = r.signals[fan.id]
    assert s.run_h == pytest.approx(running.total() / HOUR / 7) and s.run_h > 0.2
    # It runs on for ten minutes each time with nobody there.
    assert s.idle_h == pytest.approx((running - r.occupied("toilet")).total() / HOUR / 7)
    assert 0.3 * s.run_h < s.idle_h < s.run_h
    assert s.kwh == pytest.approx(s.run_h * 0.012)
    assert s.starts == pytest.approx(len(running.rises) / 7)
    longer = rehearse(put(project, replace(fan, run_on_s=1800.0)), 7, 1).output_scores[fan.id]
    assert longer.idle_h > s.idle_h and longer.kwh > s.kwh
    # The light is judged as it was.
    assert r.scores == rehearse(demo, 7, 1).scores


def test_the_command_tells_of_it(fanned, tmp_path, capsys):
    project, fan = fanned
    path = tmp_path / "a.vastwatch.json"
    save_project(project, path)
    assert load_project(path).outputs[0].run_on_s == 600
    assert json.loads(path.read_text())["outputs"][0]["kind"] == "fan"
    assert main(["rehearse", str(path), "--days", "2", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["outputs"]
    assert set(told) == {"lamp", fan.id}
    assert set(told[fan.id]) == {
        "run_h_per_day",
        "idle_h_per_day",
        "kwh_per_day",
        "starts_per_day",
        "bothered_min_per_day",
    }
    assert main(["rehearse", str(path), "--days", "2"]) == 0
    assert f"{fan.id}: runs" in capsys.readouterr().out


def test_it_goes_where_its_room_goes(fanned):
    project, fan = fanned
    gone = remove(project, ["big"])
    assert gone.project.outputs == () and "1 output" in gone.gone
    assert remove(project, [fan.id]).project.outputs == ()
    copied, level = copy_level(project, "g")
    twin = next(o for o in copied.outputs if o.id != fan.id)
    assert find(copied.rooms, twin.room).level == level.id and not list(faults_of(copied))
    moved = move_room(replace(project, people=()), "big", -10.0, 0.0).project
    assert find(moved.outputs, fan.id).at == (-9.0, 3.0)
    twice, other = copy_room(project, "big")
    assert [o.room for o in twice.outputs] == ["big", other.id]
    halves, new = split_room(project, "big", (2.5, 0.0), (2.5, 4.0))
    assert find(halves.outputs, fan.id).room in ("big", new.id) and not list(faults_of(halves))
    more, made = duplicate_many(project, [fan.id])
    assert len(more.outputs) == 2 and made != [fan.id]
    assert find(move_many(project, [fan.id], 0.5, 0.0).outputs, fan.id).at == (1.5, 3.0)
    assert 'width="3"' in svg_of(project, "g")


def test_it_hangs_inside_a_room(room):
    with pytest.raises(ValueError, match="fan must be inside a room"):
        add_output(room, "g", (50.0, 3.0), "fan", handlers()["fan"].new)
    bad = replace(room, outputs=(handlers()["fan"].new("f", "nowhere", "F", (1.0, 1.0)),))
    assert list(faults_of(bad)) == ["outputs[0].room: unknown room 'nowhere'"]


def test_energy_is_the_area_under_what_it_draws(fanned):
    _, fan = fanned
    from vastwatch.signals import TimeSeries

    half = TimeSeries.of([(0, 0.0), (HOUR, 1.0)])
    assert kwh(fan, half) == pytest.approx(0.006)
