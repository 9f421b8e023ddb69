"""The catalogue, what a type may not claim, how long cells last, and lists of types as files."""

from __future__ import annotations

import json

import msgspec
import pytest
from msgspec.structs import replace

from samples import device
from vastwatch.devices import FAMILIES, catalogue
from vastwatch.devices.battery import CELL_AH, MOST_YEARS, battery_years
from vastwatch.devices.device_facts import comparison, facts, tags
from vastwatch.devices.faults import faults
from vastwatch.files import ProjectError
from vastwatch.files.device_list import device_fields, device_from_fields, read_devices, write_devices


def test_the_catalogue_is_about_thirty_sound_types_of_every_family():
    types = catalogue()
    assert 28 <= len(types) <= 40
    assert {d.family for d in types} == set(FAMILIES)
    assert len({d.id for d in types}) == len({d.name for d in types}) == len(types)
    for d in types:
        assert faults(d) == [], d.id
        assert d.reliability and d.summary and d.price > 0
        assert (d.battery is not None) == (d.power == "battery"), d.id


def test_every_type_says_its_figures_and_is_found_by_its_family():
    for d in catalogue():
        assert d.summary_line()
        labels = [f.label for f in facts(d)]
        assert len(labels) == len(set(labels))
        assert {"Type", "Price", "Report delay", "Power"} <= set(labels)
        assert d.power in tags(d)


@pytest.mark.parametrize(
    ("ident", "change", "field"),
    [
        ("pir-corner-12", {"radial_m": 13.0}, "radial_m"),
        ("pir-corner-12", {"minor_m": 7.0}, "minor_m"),
        ("pir-corner-12", {"beam_pitch": 120.0}, "beam_pitch"),
        ("pir-corner-12", {"span_up": 0.0, "span_down": 0.0}, "span_down"),
        ("pir-corner-12", {"hold_max_s": 2.0}, "hold_max_s"),
        ("pir-corner-12", {"watts": 1.0}, "watts"),
        ("pir-corner-12", {"mounts": ()}, "mounts"),
        ("pir-corner-12", {"mounts": ("ceiling",)}, "lens"),
        ("pir-corner-12", {"tangential_m": 400.0}, "tangential_m"),
        ("pir-corner-12", {"relays": True}, "relays"),
        ("pir-corner-12", {"least_c": 50.0}, "most_c"),
        ("pir-ceiling-6", {"fov_h": 180.0}, "fov_h"),
        ("pir-ceiling-6", {"mounts": ("wall",)}, "mounts"),
        ("pir-switch-7", {"power": "battery"}, "watts"),
        ("radar-24-state", {"still_m": 7.0}, "still_m"),
        ("radar-24-state", {"min_gate_m": 6.5}, "max_gate_m"),
        ("radar-24-state", {"confirm_of": (4, 3)}, "confirm_of"),
        ("radar-24-state", {"zones": 2}, "zones"),
        ("radar-24-state", {"bands": 8}, "bands"),
        ("radar-24-state", {"targets": 0}, "targets"),
        ("radar-24-state", {"moving_m": 200.0}, "moving_m"),
        ("light-lux", {"light": None}, "light"),
        ("module-plug", {"load_w": 0.0}, "load_w"),
        ("contact-door", {"price": 1e9}, "price"),
    ],
)
def test_what_cannot_be_true_at_once_names_its_field(ident, change, field):
    found = faults(replace(device(ident), **change))
    assert field in [name for name, _ in found], found
    assert all(words for _, words in found)


def test_latency_light_and_parts_are_checked_too():
    pir = device("pir-corner-12")
    slow = replace(pir, latency=replace(pir.latency, typical_s=5.0))
    assert [f for f, _ in faults(slow)] == ["latency.typical_s"]
    lit = replace(pir, light=replace(pir.light, low_lux=3000.0))
    assert [f for f, _ in faults(lit)] == ["light.high_lux"]
    flag = replace(pir, light=replace(pir.light, kind="flag"))
    assert [f for f, _ in faults(flag)] == ["light.flag_lux"]
    dual = device("dual-24-corner")
    wrong = replace(dual, radar=replace(dual.radar, still_m=9.0))
    assert [f for f, _ in faults(wrong)] == ["radar.still_m"]
    assert "pir.lens" in [f for f, _ in faults(replace(dual, mounts=("ceiling",)))]


def test_cells_last_as_their_currents_say():
    d = device("contact-door")
    b = d.battery
    per_day_ah = (b.sleep_ua * 24 + b.report_ma * 1000 * b.report_ms / 1000 / 3600 * 100) * 1e-6
    leak_ah = CELL_AH[b.cell] * 0.01 / 365.25
    assert battery_years(d, 100) == pytest.approx(CELL_AH[b.cell] / (per_day_ah + leak_ah) / 365.25, rel=1e-6)
    assert battery_years(d, 1000) < battery_years(d, 100)
    assert battery_years(device("radar-24-state")) is None
    idle = replace(d, battery=replace(b, sleep_ua=0.001))
    assert battery_years(idle, 0) == MOST_YEARS


def test_figures_to_sort_by():
    assert device("dual-24-corner").typical_latency_s() == 0.4
    assert device("pir-corner-12").reach_m() == 12.0
    assert device("mat-seat").reach_m() == 0.0
    assert device("pir-corner-12").still_reach_m() == 0.0
    assert device("dual-60-ceiling").still_reach_m() == device("dual-60-ceiling").radar.still_m


def test_a_comparison_marks_what_differs_and_what_is_better():
    rows = comparison([device("pir-corner-12"), device("radar-24-state"), device("mat-bed-strip")])
    by_label = {label: (cells, differ, best) for label, cells, differ, best in rows}
    assert len(by_label) == len(rows)
    cells, differ, best = by_label["Moving, across"]
    assert [c.words if c else None for c in cells] == ["12 m", "6 m", None]
    assert differ and best == {0}
    assert by_label["Sitting still"][2] == {1}
    assert by_label["Report delay"][2] == {0}
    # A type's own figures stay together, before what all have.
    labels = [r[0] for r in rows]
    assert (
        labels.index("Moving, across")
        < labels.index("Pad")
        < labels.index("Closing pressure")
        < labels.index("Report delay")
    )
    same = comparison([device("pir-corner-12"), device("pir-corner-12")])
    assert not any(differ or best for _, _, differ, best in same)


# -- files ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("suffix", [".csv", ".json"])
def test_types_written_and_read_again_are_the_same(tmp_path, suffix):
    path = tmp_path / f"types{suffix}"
    write_devices(list(catalogue()), path)
    again = read_devices(path)
    assert [msgspec.to_builtins(d) for d in again] == [msgspec.to_builtins(d) for d in catalogue()]


def test_a_type_is_made_of_its_fields_in_any_usual_writing():
    fields = device_fields(device("pir-corner-12"))
    assert msgspec.to_builtins(device_from_fields(fields)) == msgspec.to_builtins(device("pir-corner-12"))
    changed = device_from_fields(fields | {"tangential_m": "9,5", "radial_m": " 5.5 ", "mounts": "wall, corner"})
    assert (changed.tangential_m, changed.radial_m, changed.mounts) == (9.5, 5.5, ("wall", "corner"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"tangential_m": "far"}, "tangential_m"),
        ({"tangential_m": "-3"}, "tangential_m"),
        ({"tangential_m": "nan"}, "tangential_m"),
        ({"tangential_m": "1e308"}, "tangential_m"),
        ({"radial_m": "20"}, "radial_m"),
        ({"family": "camera"}, "family"),
        ({"id": "Has Spaces"}, "id"),
        ({"ip": "wet"}, "ip"),
        ({"colour": "red"}, "colour"),
        ({"latency.min_s": "9"}, "latency.typical_s"),
        ({"name.first": "x"}, "name"),
        ({"battery.count": "99"}, "battery.count"),
    ],
)
def test_what_is_wrong_with_a_field_is_said_with_its_name(change, words):
    with pytest.raises(ValueError, match=words):
        device_from_fields(device_fields(device("pir-corner-12")) | change)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("none.csv", None, "no such file"),
        ("empty.csv", b"", "header line"),
        ("heads.csv", b"family,id\npir,x\n", "no column for name"),
        ("line.csv", b"family;id;name;price\npir;x;X;cheap\n", "line 2"),
        ("binary.csv", b"\x00\x01\xff" * 40, "not a text file"),
        ("not.json", b"{[", "not valid JSON"),
        ("object.json", b"{}", "expected a list"),
        ("bare.json", b"[{}]", r"\[0\]"),
        ("nothing.json", b"[]", "no device type"),
        ("deep.json", b"[" * 5000, "not valid JSON"),
        ("many.json", b"[" + b"{}," * 2500 + b"{}]", "are too many"),
    ],
)
def test_hostile_lists_are_told_in_one_sentence(tmp_path, name, data, words):
    path = tmp_path / name
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(ProjectError, match=words) as caught:
        read_devices(path)
    assert "\n" not in str(caught.value)


def test_the_same_id_twice_and_a_contradiction_name_the_place(tmp_path):
    path = tmp_path / "twice.json"
    write_devices([device("pir-corner-12"), device("pir-corner-12")], path)
    with pytest.raises(ProjectError, match="twice"):
        read_devices(path)
    row = msgspec.to_builtins(device("radar-24-state")) | {"still_m": 50}
    path.write_text(json.dumps([row]))
    with pytest.raises(ProjectError, match=r"\[0\]\.still_m"):
        read_devices(path)
    with pytest.raises(ProjectError, match="folder"):
        read_devices(tmp_path)
