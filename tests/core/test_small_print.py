"""Details that the tests of the whole would not notice: each was broken on purpose once, and nothing told."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room, rect
from vastwatch.advice.adviser.adviser import _waiting, pairs, placeable
from vastwatch.advice.adviser.shortlist import shortlist
from vastwatch.advice.logs.replay import room_replays
from vastwatch.control.house import run_house
from vastwatch.design.placed import STEP, as_placed
from vastwatch.design.project import put
from vastwatch.design.records import Settings
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.bodies import STANDING
from vastwatch.sensing.coverage import level_grid, room_cells
from vastwatch.sensing.families.radar import view_of
from vastwatch.sensing.mounted import mount


@pytest.mark.parametrize("ident", ["radar-24-state", "ultrasonic-wall-9"])
@pytest.mark.parametrize("below", [0, 2])
def test_a_range_found_in_place_was_found_as_it_is_set(ident, below):
    """What the figures say, once the model has taken its steps off, is what was found."""
    plain = device(ident)
    placed = as_placed(plain, Settings(sensitivity_below_max=below, measured_range_m=4.0))
    assert placed.reach_m() * STEP**below == pytest.approx(4.0)


def test_a_range_found_in_place_is_that_of_an_infrared_one_whatever_is_set():
    placed = as_placed(device("pir-corner-12"), Settings(infrared_below_max=2, measured_range_m=6.0))
    assert placed.reach_m() == pytest.approx(6.0)
    assert as_placed(device("pir-corner-12"), Settings(infrared_below_max=2)).reach_m() == pytest.approx(
        device("pir-corner-12").reach_m() * STEP**2
    )


@pytest.mark.parametrize("scale", [0.8, 1.0, 1.25])
def test_gates_are_on_what_a_radar_reads(room, scale):
    radar = replace(device("radar-60-tracker"), scale_r=scale, bias_r_m=0.3, max_gate_m=3.0)
    sensor = replace(room.sensors[0], device=radar.id, at=(0.1, 2.0, 1.2), yaw=0.0)
    project = put(replace(room, devices=(*room.devices, radar)), sensor)
    points = np.column_stack([np.linspace(0.5, 4.8, 200), np.full(200, 2.0)])
    view = view_of(sensor, radar, mount(project, sensor).obstacles, points, STANDING)
    farthest = float(np.hypot(points[view.where, 0] - 0.1, 0.0).max())
    # What lies at r is read as r times the scale, and the bias.
    assert farthest * scale + 0.3 == pytest.approx(3.0, abs=0.15)


def test_a_room_that_nothing_lights_has_no_part_in_a_replay(room):
    dark = replace(room, lamps=(), scenes=(), rules=(), lamp_groups=())
    house = run_house(dark, rehearse(dark, 1).recording)
    assert house.presence("big") is not None and room_replays(house) == {}


def test_pairs_that_wait_alike_come_by_what_both_cost(room):
    bare = replace(room, sensors=(), presences=())
    few = [device(ident) for ident in ("pir-corner-12", "pir-wall-8", "pir-ceiling-6")]
    found = list(pairs(bare, "big", placeable(shortlist(bare, "big", few))))
    twins = [first.device.id == second.device.id for first, second in found]
    assert any(twins)

    def wait(first, second, twin):
        longest = max(second.waits.values(), default=0.0) if twin else _waiting(first, second)
        return round(math.log2(max(longest, 10.0)))

    keys = [(wait(a, b, twin), a.price + b.price) for (a, b), twin in zip(found, twins)]
    assert keys == sorted(keys)


def test_cells_of_rooms_side_by_side_are_those_inside_their_outlines():
    """Also of one whose frame lies within another's."""
    two = make_room()
    inner = replace(two.rooms[1], id="nook", outline=rect(5.5, 1.0, 6.5, 2.0))
    around = replace(two.rooms[1], outline=((5, 0), (8, 0), (8, 4), (5, 4), (5, 2.5), (7, 2.5), (7, 0.5), (5, 0.5)))
    project = replace(two, rooms=(two.rooms[0], around, inner))
    for record in project.rooms:
        points = level_grid(project.rooms, "g").points[room_cells(project.rooms, record)]
        low, high = np.min(record.outline, axis=0), np.max(record.outline, axis=0)
        assert len(points) and (points >= low - 0.1).all() and (points <= high + 0.1).all()
