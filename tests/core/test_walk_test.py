"""The walk test: side-steps at the doors, and ways that are walked, against looks taken one by one."""

from __future__ import annotations

import json
import math
from itertools import pairwise

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room, shelf_at
from vastwatch.advice.detection.walk_test import (
    NOTICED,
    SIDE_M,
    SIDE_SPEED,
    SWAYED_S,
    entrances,
    in_and_out,
    sidestep_tests,
    walk,
)
from vastwatch.cli import main
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.needs import needs_of
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import find, put
from vastwatch.geometry import polygons
from vastwatch.people.floors import blocked
from vastwatch.sensing.bodies import STANDING, Walker
from vastwatch.sensing.model import walker_rate
from vastwatch.sensing.mounted import mount


def test_the_doors_of_a_room_are_those_in_its_walls(demo):
    for room in demo.rooms:
        for opening, at, _ in entrances(demo, room):
            assert opening.kind != "window"
            x, y = np.asarray(room.outline).T
            assert x.min() < at[0] < x.max() and y.min() < at[1] < y.max()
    passage = {o.id for o, *_ in entrances(demo, find(demo.rooms, "passage"))}
    assert passage >= {"shop-passage", "throwing-passage", "toilet-door", "back-door"}
    assert {s.beyond for s in sidestep_tests(demo, "toilet")} == {"Passage"}
    assert "outside" in {s.beyond for s in sidestep_tests(demo, "passage")}


def test_side_steps_are_noticed_as_a_look_at_each_instant_says(room):
    """By hand: somebody who sways, looked at every tenth of a second, a thousand times over."""
    (sway,) = sidestep_tests(room, "big")
    pir = room.sensors[0]
    mounted = mount(room, pir)
    rng = np.random.default_rng(1)
    seen = np.full(1000, np.inf)
    x, y = sway.at
    for t in np.arange(0.0, SWAYED_S, 0.1):
        phase = (t * SIDE_SPEED / SIDE_M) % 4
        # Along the wall between the rooms, which runs along y.
        offset = SIDE_M * (phase if phase < 1 else 2 - phase if phase < 3 else phase - 4)
        up = phase < 1 or phase >= 3
        rate = walker_rate(
            mounted, np.array([[x, y + offset]]), Walker(STANDING, SIDE_SPEED, None, [90.0 if up else 270.0])
        )
        hit = rng.random(1000) < -math.expm1(-rate[0] * 0.1)
        seen = np.where(hit & np.isinf(seen), t + mounted.device.latency.typical_s, seen)
    assert sway.median_s == pytest.approx(np.quantile(seen, 0.5, method="higher"), abs=0.3)
    assert sway.p90_s == pytest.approx(np.quantile(seen, NOTICED, method="higher"), abs=0.5)
    assert sway.sensor == "pir" and sway.limit_s == needs_of(room, room.rooms[0]).notice_s + 1.0


def test_a_sensor_that_looks_away_or_may_not_start_leaves_the_door_red(room):
    (good,) = sidestep_tests(room, "big")
    (blind,) = sidestep_tests(put(room, replace(room.sensors[0], at=(4.8, 0.2, 2.2), yaw=270.0)), "big")
    assert not blind.good and blind.sensor is None and math.isinf(blind.p90_s)
    hidden = replace(room, furnishings=(shelf_at(3.9, 1.4, 4.8, 1.5),))
    assert sidestep_tests(hidden, "big")[0].p90_s >= good.p90_s
    more, radar = add_sensor(put(room, replace(room.sensors[0], at=(4.8, 0.2, 2.2), yaw=270.0)),
                             device("radar-24-state"), "g", (0.2, 2.0, 1.5), 0.0, 0.0)  # fmt: skip
    keeps = put(more, replace(more.presences[0], expr=from_roles(Roles(("pir",), ("pir", radar.id), 60.0))))
    assert not sidestep_tests(keeps, "big")[0].good
    starts = put(more, replace(more.presences[0], expr=from_roles(Roles((radar.id,), ("pir", radar.id), 60.0))))
    assert sidestep_tests(starts, "big")[0].sensor == radar.id
    assert sidestep_tests(replace(room, presences=(), sensors=()), "big")[0].sensor is None


def test_a_way_is_noticed_where_its_walkers_are(room):
    """A hundred walks by hand, at a tenth of a second; and the dark until the light comes on."""
    points = ((4.5, 0.6), (1.0, 1.0), (1.0, 3.0))
    found = walk(room, "g", points, 1.0)
    assert found.metres == pytest.approx(math.dist(*points[:2]) + 2.0) and found.seconds == pytest.approx(found.metres)
    (noticing,) = found.noticings
    assert noticing.sensor == "pir"
    mounted = mount(room, room.sensors[0])
    rng = np.random.default_rng(4)
    first = np.full(2000, np.inf)
    length = math.dist(*points[:2])
    for t in np.arange(0.0, found.seconds, 0.05):
        along = t
        if along < length:
            f = along / length
            at = (points[0][0] + f * (points[1][0] - points[0][0]), points[0][1] + f * (points[1][1] - points[0][1]))
            heading = math.degrees(math.atan2(points[1][1] - points[0][1], points[1][0] - points[0][0]))
        else:
            at, heading = (1.0, 1.0 + along - length), 90.0
        rate = walker_rate(mounted, np.array([at]), Walker(STANDING, 1.0, None, [heading]))[0]
        hit = rng.random(2000) < -math.expm1(-rate * 0.05)
        first = np.where(hit & np.isinf(first), t, first)
    seconds = first + mounted.device.latency.typical_s
    assert noticing.seconds == pytest.approx(float(np.median(seconds)), abs=0.25)
    assert noticing.metres == pytest.approx(noticing.seconds, abs=0.1)
    assert noticing.share == pytest.approx(np.isfinite(first).mean(), abs=0.05)
    dark = np.minimum(seconds, found.seconds).mean()
    assert found.dark_s == pytest.approx(dark, abs=0.3) and found.dark_m == pytest.approx(dark, abs=0.3)
    # Where no presence lights the room nobody waits for it.
    by_hand = replace(room, presences=())
    assert walk(by_hand, "g", points, 1.0).dark_s == 0.0
    assert walk(room, "g", points, 2.0).seconds == pytest.approx(found.seconds / 2)


def test_a_way_that_leads_nowhere_is_refused_in_words(room):
    for points in ((), ((1, 1),), ((1, 1), (1, 1))):
        with pytest.raises(ValueError, match="two points that are apart"):
            walk(room, "g", points)
    with pytest.raises(ValueError, match=r"0\.1 to 5 m/s"):
        walk(room, "g", ((1, 1), (2, 1)), 0.0)
    with pytest.raises(KeyError):
        in_and_out(room, "big", "window")
    assert walk(room, "nowhere", ((1, 1), (2, 1))).noticings == ()


def test_in_and_out_goes_through_the_door_both_ways():
    room = make_room()
    way = in_and_out(room, "big", "door")
    assert way == way[::-1] and way[0][0] > 5 > way[1][0]
    assert math.dist(way[len(way) // 2], (2.5, 2.0)) < 0.3


def test_in_and_out_goes_around_what_stands_there(demo):
    """A workshop full of wheels, and a room bent around its middle."""
    for name in ("throwing", "kitchen"):
        record = find(demo.rooms, name)
        for door, *_ in entrances(demo, record):
            way = np.array(in_and_out(demo, name, door.id)[1:-1])
            along = np.vstack([np.linspace(a, b, 60) for a, b in pairwise(way)])
            there = [f for f in demo.furnishings if f.level == record.level]
            assert not blocked(there, along[60:-60]).any() and polygons.contains(record.outline, along).all()
    bent = replace(make_room(), furnishings=(), walls=make_room().walls)
    outline = ((0, 0), (5, 0), (5, 4), (4, 4), (4, 1), (0, 1))
    bent = put(bent, replace(find(bent.rooms, "big"), outline=outline))
    way = np.array(in_and_out(bent, "big", "door")[1:-1])
    assert polygons.contains(outline, np.vstack([np.linspace(a, b, 60) for a, b in pairwise(way)])).all()


def test_light_along_a_way_is_the_share_of_walks_it_had_come_on_in(demo):
    way = in_and_out(demo, "throwing", entrances(demo, find(demo.rooms, "throwing"))[0][0].id)
    w = walk(demo, "ground", way)
    followed = ~np.isnan(w.lit_share)
    assert w.dark_s == pytest.approx((1 - w.lit_share[followed]).sum() * 0.1)
    # It sets out in the dark, and somewhere on the way nearly all have light.
    assert w.lit_share[0] < 0.2 and np.nanmax(w.lit_share) > 0.95
    nobody = walk(replace(demo, presences=()), "ground", way)
    assert np.isnan(nobody.lit_share).all() and nobody.dark_s == 0.0


def test_the_walk_test_on_the_command_line(capsys):
    assert main(["walk", "--demo", "--room", "passage", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert len(said["doors"]) == len(said["ways"]) and not all(d["good"] for d in said["doors"])
    assert {"beyond", "half_s", "nearly_s", "limit_s", "sensor"} <= set(said["doors"][0])
    assert main(["walk", "--demo", "--points", "1,1 4,1", "--level", "ground"]) == 0
    assert "3.0 m" in capsys.readouterr().out
    for wrong, words in (
        (["--room", "nowhere"], "unknown room"), ([], "two points"),
        (["--points", "1,1 2,1", "--speed", "99"], "0.1 to 5"),
    ):  # fmt: skip
        assert main(["walk", "--demo", *wrong]) == 1
        assert words in capsys.readouterr().err
    for wrong in ("1,1", "a,b c,d", "1,nan 2,2"):
        with pytest.raises(SystemExit):
            main(["walk", "--demo", "--points", wrong])
