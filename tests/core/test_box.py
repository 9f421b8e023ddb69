"""What a box says and what the model gives, every shipped type; and types made from half a data sheet."""

from __future__ import annotations

import json
import math
import re
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from catalogue_rows import rows
from samples import device
from vastwatch.cli import main
from vastwatch.devices import catalogue
from vastwatch.devices.battery import battery_years
from vastwatch.devices.data_sheet import complete_fields
from vastwatch.devices.faults import faults
from vastwatch.files.device_list import device_fields, device_from_fields
from vastwatch.sensing.bodies import SEATED, STANDING, Stayer, Walker
from vastwatch.sensing.declared import (
    ACROSS_M,
    ARM_MOVES,
    DIRECTIONS,
    STEP_M,
    WALK_SPEED,
    bench_mounted,
    claimed_ranges,
    declared,
)
from vastwatch.sensing.model import stay_detection, walker_rate

ROOT = Path(__file__).parents[2]
AREA = [d for d in catalogue() if declared(d) is not None]
# Across, towards, seated, at rest: the share of the box's figure that the model gives.
AGREED = ((0.85, 1.15), (0.7, 1.15), (0.9, 1.2), (0.75, 1.1))


@pytest.mark.parametrize("type_", AREA, ids=lambda d: d.id)
def test_every_type_does_in_the_test_what_its_box_says(type_):
    for said, model, agreed in zip(claimed_ranges(type_), declared(type_).on_axis(), AGREED):
        if said < 0.5:
            continue
        assert agreed[0] <= model / said <= agreed[1], (type_.id, said, model)


def test_a_radius_on_the_floor_is_what_looks_down_from_the_ceiling_reaches_there():
    type_ = device("radar-60-ceiling")
    assert type_.floor_m < type_.moving_m and claimed_ranges(type_)[0] == type_.floor_m
    assert "floor_m" not in {field for field, _ in faults(type_)}
    wrong = [replace(type_, floor_m=9.0), replace(type_, mounts=("wall",)), replace(type_, floor_still_m=4.5)]
    said = [dict(faults(w)) for w in wrong]
    assert "more than the 5 m" in said[0]["floor_m"] and "only a ceiling-mounted radar" in said[1]["floor_m"]
    assert "more than the 4 m" in said[2]["floor_still_m"]


@pytest.mark.parametrize("kind", ["pir-corner-12", "radar-24-state", "ultrasonic-wall-9"])
def test_the_standard_walks_walked_one_by_one(kind):
    """Somebody walks, tick by tick and often; where half of them are noticed the area ends."""
    type_, rng = device(kind), np.random.default_rng(6)
    it, areas, n = bench_mounted(type_), declared(type_), 600
    middle = DIRECTIONS.index(0)

    def noticed(rates: np.ndarray, tick: float) -> float:
        return float((rng.random((n, len(rates))) < -np.expm1(-rates * tick)).any(axis=1).mean())

    far = areas.across[middle]
    for r, more in ((far - 0.4, True), (far + 0.4, False)):
        # Ten steps across, at right angles to the line to where it is.
        rates = np.full(10, walker_rate(it, np.array([[r, 0.0]]), Walker(STANDING, WALK_SPEED, 90.0))[0])
        assert (noticed(rates, ACROSS_M / WALK_SPEED / 10) > 0.5) == more
    far = areas.towards[middle]
    for r, more in ((far - 0.5, True), (far + 0.5, False)):
        way = np.arange(1.6 * type_.reach_m(), r, -STEP_M)
        rates = walker_rate(it, np.column_stack([way, 0 * way]), Walker(STANDING, WALK_SPEED, 0.0))
        assert (noticed(rates, STEP_M / WALK_SPEED) > 0.5) == more
    far = areas.seated[middle]
    for r, more in ((far - 0.4, True), (far + 0.4, False)):
        p = float(stay_detection(it, np.array([[r, 0.0]]), Stayer(SEATED, np.array([180.0]))).large[0])
        assert ((rng.random((n, ARM_MOVES)) < p).any(axis=1).mean() > 0.5) == more


def test_what_watches_no_area_declares_none():
    assert declared(device("mat-seat")) is None and declared(device("contact-door")) is None
    assert math.isclose(declared(device("pir-corner-12")).across[0], 0.0)


def test_cells_last_one_to_three_years_as_they_come():
    for type_ in catalogue():
        if type_.battery is not None:
            assert 1.0 <= battery_years(type_) <= 3.0, type_.id


def test_the_table_of_the_catalogue_in_the_docs_is_what_the_program_says():
    shown = (ROOT / "docs" / "catalogue.md").read_text(encoding="utf-8").split("## Every type, tested")[1]
    for line in rows():
        assert line in shown, f"make catalogue-docs: {line}"
    assert len(re.findall(r"^\| `", shown, re.M)) == len(catalogue())


# -- half a data sheet ---------------------------------------------------------------------------------------------


def test_half_a_data_sheet_is_filled_in_proportion_and_told():
    base = device_fields(device("pir-corner-12"))
    texts, lent = complete_fields(
        base, {"name": "Found in a drawer", "tangential_m": "8", "fov_h": " ", "hold_s": "900"}
    )
    type_ = device_from_fields(texts | {"id": "own-it"})
    assert type_.tangential_m == 8.0 and type_.radial_m == pytest.approx(4.0)
    assert type_.minor_m == pytest.approx(5.5 * 8 / 12, rel=1e-3)
    assert type_.fov_h == 110 and {"fov_h", "radial_m", "beam_pitch"} <= set(lent)
    assert "tangential_m" not in lent and type_.hold_s == type_.hold_max_s == 900.0
    assert not list(faults(type_))
    radar = device_from_fields(
        complete_fields(device_fields(device("radar-24-state")), {"name": "R", "still_m": "2"})[0] | {"id": "own-r"}
    )
    assert radar.moving_m == pytest.approx(6.0 * 2 / 5, rel=1e-3) and radar.max_gate_m >= radar.moving_m


def test_what_half_a_data_sheet_contradicts_is_told_at_its_field():
    texts, _ = complete_fields(
        device_fields(device("pir-corner-12")), {"name": "X", "tangential_m": "5", "radial_m": "9"}
    )
    with pytest.raises(ValueError, match=r"^radial_m: "):
        device_from_fields(texts | {"id": "own-x"})
    texts, _ = complete_fields(device_fields(device("pir-corner-12")), {"name": "X", "tangential_m": "many"})
    with pytest.raises(ValueError, match=r"tangential_m"):
        device_from_fields(texts | {"id": "own-x"})


# -- the command line ----------------------------------------------------------------------------------------------


def test_the_command_line_tells_box_and_model(capsys):
    assert main(["device", "pir-corner-12", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    areas = declared(device("pir-corner-12"))
    assert told["declared"]["box_m"]["across"] == 12.0
    assert told["declared"]["on_axis_m"]["across"] == pytest.approx(areas.on_axis()[0])
    assert len(told["declared"]["across_m"]) == len(told["declared"]["directions_deg"]) == len(DIRECTIONS)
    assert told["battery_years"]["busy"] < told["battery_years"]["quiet"] and "placed" not in told
    assert main(["device", "mat-seat", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["declared"] is None
    assert main(["device", "nothing-such"]) == 1
    assert "unknown type" in capsys.readouterr().err
    demo = str(ROOT / "src" / "vastwatch" / "data" / "saltmarsh.vastwatch.json")
    assert main(["device", "pir-corner-12", "--project", demo, "--json"]) == 0
    placed = json.loads(capsys.readouterr().out)["placed"]
    assert placed and all(p["reports_per_day"] > 10 and p["battery_years"] > 0 for p in placed.values())
