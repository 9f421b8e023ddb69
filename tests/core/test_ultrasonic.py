"""The ultrasonic family: worked numbers, a slow reference, and that it is at home everywhere a family has to be."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room, shelf_at
from vastwatch.advice.adviser.shortlist import shortlist
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.project import find, put
from vastwatch.design.records import Settings
from vastwatch.devices.faults import faults
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.bodies import PET, SEATED, STANDING, PersonAt, Stayer, Walker
from vastwatch.sensing.coverage import coverage, spot_notice_s
from vastwatch.sensing.explain import sight_line
from vastwatch.sensing.families.ultrasonic import ACROSS, AROUND, LOOKS_HZ, SMALL, across_factor, view_of
from vastwatch.sensing.hazards import false_rate
from vastwatch.sensing.model import settings_of, stay_detection, walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Hazard

CEILING, WALL = "ultrasonic-ceiling-6", "ultrasonic-wall-9"


def hung(project, ident=CEILING, at=(2.5, 2.0, 2.5), yaw=0.0, **settings):
    new, sensor = add_sensor(project, device(ident), "g", at, yaw, 0.0)
    return put(new, replace(sensor, settings=Settings(**settings))), sensor.id


def it_of(project, ident):
    return mount(project, find(project.sensors, ident))


@pytest.mark.parametrize(("psi", "factor"), [(0, 1.0), (90, ACROSS), (180, 1.0), (45, (0.5 + 0.5 / 0.64) ** -0.5)])
def test_a_walker_across_is_heard_less_far(psi, factor):
    assert float(across_factor(psi)) == pytest.approx(factor)


def test_rates_by_hand_in_an_empty_room():
    project, ident = hung(make_room())
    mounted = it_of(project, ident)
    at = np.array([[4.5, 2.0]])
    slant = math.hypot(2.0, 2.5 - STANDING.middle)
    p = 1 / (1 + math.exp((slant / (6.0 * ACROSS) - 1) / 0.08))
    assert walker_rate(mounted, at, Walker(STANDING, 1.1, 90.0))[0] == pytest.approx(LOOKS_HZ * p)
    # Twice as fast is not twice as often: the tone is there or it is not.
    assert walker_rate(mounted, at, Walker(STANDING, 2.2, 90.0))[0] == pytest.approx(LOOKS_HZ * p)
    seated = math.hypot(2.0, 2.5 - SEATED.middle)
    seen = stay_detection(mounted, at, Stayer(SEATED, None))
    assert seen.large[0] == pytest.approx(1 / (1 + math.exp((seated / 4.0 - 1) / 0.08)))
    assert seen.small[0] == pytest.approx(1 / (1 + math.exp((seated / (SMALL * 4.0) - 1) / 0.08)))
    assert seen.still_per_s[0] == 0.0


def test_a_shelf_in_between_costs_range_in_its_own_room_and_a_wall_everything():
    free, ident = hung(make_room())
    behind, _ = hung(make_room(furnishings=(shelf_at(3.4, 1.0, 3.8, 3.0),)))
    at = np.array([[4.4, 2.0], [6.5, 2.0]])
    open_, hidden = (view_of(it_of(p, ident), at, STANDING) for p in (free, behind))
    assert open_.where.tolist() == hidden.where.tolist() == [0]
    assert (open_.factor[0], hidden.factor[0]) == (1.0, pytest.approx(AROUND))
    assert hidden.share[0] == 0.0


@pytest.mark.parametrize("rest", ["closed", "open"])
def test_next_door_is_heard_through_an_open_door_only(rest):
    room = make_room()
    project, ident = hung(replace(room, openings=(replace(room.openings[0], rest=rest), room.openings[1])))
    beyond = np.array([[5.8, 0.55]])
    assert (walker_rate(it_of(project, ident), beyond, Walker(STANDING, 1.1, 0.0))[0] > 0.5) == (rest == "open")
    glass = replace(room, openings=(replace(room.openings[0], kind="window", leaf="glass", sill=0.0), room.openings[1]))
    project, ident = hung(glass)
    assert walker_rate(it_of(project, ident), beyond, Walker(STANDING, 1.1, 0.0))[0] == 0.0


def test_horns_that_point_away_hear_by_way_of_the_walls():
    project, ident = hung(make_room(), WALL, (0.1, 2.0, 2.3), 0.0)
    away, _ = hung(make_room(), WALL, (0.1, 2.0, 2.3), 180.0)
    at = np.array([[4.0, 2.0]])
    assert view_of(it_of(project, ident), at, STANDING).factor[0] == 1.0
    assert view_of(it_of(away, ident), at, STANDING).factor[0] == pytest.approx(AROUND)


def test_three_decibels_less_is_a_known_share_of_the_range():
    project, ident = hung(make_room())
    less, _ = hung(make_room(), sensitivity_below_max=2)
    at = np.array([[3.0, 2.0]])
    a, b = (view_of(it_of(p, ident), at, STANDING).factor[0] for p in (project, less))
    assert b / a == pytest.approx(10 ** (-6 / 40))
    most, _ = hung(make_room(), sensitivity_below_max=20)
    assert view_of(it_of(most, ident), at, STANDING).factor[0] == pytest.approx(10 ** (-9 / 40))
    assert settings_of(device(CEILING))[:2] == ("hold_s", "sensitivity_below_max")


def slow_factor(project, sensor, point, body) -> float:
    """From the definition, one sight line at a time, on a plan without furniture but one box."""
    box = next(iter(project.furnishings), None)
    x, y, z = sensor.at
    outline = project.rooms[0].outline
    own = outline[0][0] <= point[0] <= outline[2][0] and outline[0][1] <= point[1] <= outline[2][1]
    if not own:
        return -1.0
    seen = 0
    for height in body.heights:
        hit = False
        for k in range(1, 400):
            s = k / 400
            px, py, pz = x + (point[0] - x) * s, y + (point[1] - y) * s, z + (height - z) * s
            inside = (
                box is not None
                and box.outline[0][0] < px < box.outline[2][0]
                and box.outline[0][1] < py < box.outline[2][1]
            )
            hit = hit or (inside and box.z0 < pz < box.z1)
        seen += not hit
    share = seen / len(body.heights)
    return AROUND + (1 - AROUND) * share


def test_the_fast_factors_are_those_of_the_definition():
    project, ident = hung(make_room(furnishings=(shelf_at(3.0, 1.2, 3.6, 2.6, z1=1.3),)))
    sensor = find(project.sensors, ident)
    rng = np.random.default_rng(3)
    points = rng.uniform([0.2, 0.2], [4.8, 3.8], (40, 2))
    for body in (STANDING, SEATED, PET):
        heard = view_of(it_of(project, ident), points, body)
        assert len(heard.where) == 40
        slow = [slow_factor(project, sensor, p, body) * body.size for p in points]
        close = np.abs(heard.factor - slow) < 1e-9
        # A sample that grazes an edge may fall on either side of it.
        assert close.mean() > 0.9 and np.abs(heard.factor - slow).max() < 0.11


def test_moving_air_sets_it_off_and_the_sun_does_not():
    project, ident = hung(make_room())
    mounted = it_of(project, ident)
    outline = ((3.0, 1.5), (3.6, 1.5), (3.6, 2.1), (3.0, 2.1))

    def rate(kind):
        return 3600 * false_rate(mounted, Hazard(id="h", level="g", name="H", kind=kind, outline=outline, strength=1.0))

    assert rate("vent") == pytest.approx(20, rel=0.05) and rate("fan") == pytest.approx(40, rel=0.05)
    assert rate("sun patch") == 0 < rate("insect lamp") < 1


@pytest.mark.parametrize(
    ("change", "field"), [({"minor_m": 7.0}, "minor_m"), ({"moving_m": 200.0}, "moving_m"), ({"mounts": ()}, "mounts")]
)
def test_what_it_cannot_claim(change, field):
    assert not faults(device(CEILING))
    assert field in [f for f, _ in faults(replace(device(CEILING), **change))]


def test_it_is_mapped_explained_rehearsed_and_advised(demo):
    room = find(demo.rooms, "glazing")
    project, sensor = add_sensor(demo, device(CEILING), "ground", (9.3, 5.4, 2.6), 0.0, -90.0)
    assert sensor.name == "Ultrasonic glazing"
    seen = coverage(project, sensor.id, "across")
    assert 10 < (seen.notice_s < 2).sum() * seen.grid.cell**2 < 60
    bench = find(project.spots, "glaze-bench-spot")
    s = sight_line(project, sensor, PersonAt(bench.at, STANDING, bench.activity, bench.facing))
    assert s.notice_s == pytest.approx(spot_notice_s(project, sensor.id, bench), rel=0.05) and s.range_m > 0
    r = rehearse(project, 2, 1)
    assert len(r.recording.report(sensor.id)) > 20
    assert r.scores["glazing"].arrivals > 0
    option = next(o for o in shortlist(demo, room.id, [device(CEILING)]) if o.device.id == CEILING)
    assert option.reason and option.sensor.at[2] == pytest.approx(2.6)
