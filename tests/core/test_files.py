"""The project file: round trip, safety of saving, and every kind of hostile file told in one sentence."""

from __future__ import annotations

import json
import os
import stat
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room
from vastwatch.design.edits.removing import removed
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.expressions import Not, Report
from vastwatch.design.presence import Roles, from_roles, roles_of, with_hold
from vastwatch.design.project import COLLECTIONS, VERSION, Project, find, fresh_id
from vastwatch.devices import catalogue
from vastwatch.files import ProjectError, load_project, save_project
from vastwatch.files.check import faults_of
from vastwatch.files.journal import Journal
from vastwatch.files.project_file import decode, encode
from vastwatch.files.schema import text as schema_text
from vastwatch.site.building import Wall

ROOT = Path(__file__).parents[2]


def as_json(project: Project) -> dict:
    return json.loads(encode(project))


def test_what_is_saved_is_loaded_again_and_saved_alike(demo, tmp_path):
    path = tmp_path / "a.vastwatch.json"
    save_project(demo, path)
    again = load_project(path)
    assert encode(again) == encode(demo)
    text = path.read_text()
    assert text.endswith("}\n")
    assert not text.endswith("\n\n")
    document = json.loads(text)
    assert list(document) == sorted(document)
    assert (document["format"], document["version"]) == ("vastwatch-project", VERSION)


def test_the_file_has_every_top_level_key():
    keys = [
        "name",
        "client",
        "notes",
        "place",
        "construction",
        "brief",
        "uses",
        "levels",
        "walls",
        "openings",
        "rooms",
        "furnishings",
        "spots",
        "hazards",
        "people",
        "devices",
        "sensors",
        "zones",
        "presences",
        "lamps",
        "outputs",
        "photometries",
        "scenes",
        "lamp_groups",
        "rules",
        "buttons",
        "logbook",
        "variants",
        "diary",
        "log_layouts",
        "sockets",
        "circuits",
        "switches",
        "format",
        "version",
    ]
    assert sorted(as_json(make_room())) == sorted(keys)
    assert set(COLLECTIONS) < set(keys)


def test_the_schema_in_the_docs_is_current():
    assert (ROOT / "docs/format/vastwatch-project.schema.json").read_text() == schema_text()


def test_the_sample_file_is_what_its_builder_makes(monkeypatch):
    import importlib.util

    monkeypatch.syspath_prepend(ROOT / "tools")
    spec = importlib.util.spec_from_file_location("build_demo", ROOT / "tools/build_demo.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    assert module.TARGET.read_bytes() == encode(module.build())


def test_the_catalogue_is_sound():
    types = catalogue()
    assert len({d.id for d in types}) == len(types)
    assert sum(d.family == "pir" for d in types) >= 2
    assert sum(d.family == "radar" for d in types) >= 2
    for d in types:
        assert d.latency.min_s <= d.latency.typical_s <= d.latency.max_s
        assert len(d.summary) > 10


# -- saving --------------------------------------------------------------------------------------------------------


def test_the_previous_file_is_kept(room, tmp_path):
    path = tmp_path / "a.vastwatch.json"
    save_project(room, path)
    first = path.read_bytes()
    save_project(replace(room, name="Changed"), path)
    assert (tmp_path / "a.vastwatch.json~").read_bytes() == first
    assert load_project(path).name == "Changed"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.vastwatch.json", "a.vastwatch.json~"]


def test_a_refusing_disk_leaves_the_old_file_whole(room, tmp_path, monkeypatch):
    path = tmp_path / "a.vastwatch.json"
    save_project(room, path)
    before = path.read_bytes()
    for name, error in (("fsync", OSError(28, "No space left on device")), ("replace", PermissionError(13, "Denied"))):
        with monkeypatch.context() as patch:

            def refuse(*_, e=error):
                raise e

            patch.setattr(os, name, refuse)
            with pytest.raises(ProjectError, match="cannot be saved"):
                save_project(replace(room, name="X"), path)
        assert path.read_bytes() == before
    assert not [p for p in tmp_path.iterdir() if p.name.startswith(".")]


def test_a_read_only_folder_is_told_and_nothing_is_touched(room, tmp_path):
    folder = tmp_path / "locked"
    folder.mkdir()
    path = folder / "a.vastwatch.json"
    save_project(room, path)
    before = path.read_bytes()
    folder.chmod(stat.S_IRUSR | stat.S_IXUSR)
    try:
        # An administrator may write anywhere; the kernel's own folder refuses even them.
        target = path if os.geteuid() else Path("/proc/a.vastwatch.json")
        with pytest.raises(ProjectError) as caught:
            save_project(replace(room, name="X"), target)
        assert "cannot be saved" in str(caught.value)
        assert "\n" not in str(caught.value)
    finally:
        folder.chmod(0o700)
    assert path.read_bytes() == before


def test_a_project_that_could_not_be_read_again_is_not_saved(room, tmp_path):
    bad = replace(room, walls=(*room.walls, Wall(id="dot", level="g", a=(1, 1), b=(1, 1))))
    with pytest.raises(ProjectError, match="no length"):
        save_project(bad, tmp_path / "a.vastwatch.json")
    assert not list(tmp_path.iterdir())


# -- hostile files -------------------------------------------------------------------------------------------------


def broken(change) -> bytes:
    document = as_json(make_room())
    change(document)
    return json.dumps(document).encode()


def wall(**fields):
    return {"id": "new", "level": "g", "a": [0, 0], "b": [1, 1], "thickness": 0.1, "material": "brick", **fields}


HOSTILE = {
    "empty": (b"", "the file is empty"),
    "rubbish": (bytes(range(256)) * 40, "not a text file"),
    "zeros": (b"\0" * 400, "not a text file"),
    "not json": (b"hello there", "line 1, column 1: this is not valid JSON"),
    "truncated": (encode(make_room())[:700], "ends at line"),
    "a list": (b"[1, 2]", "not a project file"),
    "another format": (b'{"format": "something", "version": 1}', "not a project file"),
    "deeply nested": (b"[" * 100_000, "nested too deeply|not valid JSON|ends"),
    "newer": (broken(lambda d: d.update(version=VERSION + 1)), "saved by a newer version"),
    "version text": (broken(lambda d: d.update(version="1")), "version: expected a whole number"),
    "wrong type": (broken(lambda d: d["sensors"][0]["at"].__setitem__(2, "tall")), r"sensors\[0\].at\[2\]: expected a number, got 'tall'"),
    "missing field": (broken(lambda d: d["rooms"][1].pop("outline")), r"rooms\[1\]: the field 'outline' is missing"),
    "unknown key": (broken(lambda d: d["rooms"][0].update(colour="red")), r"rooms\[0\]: unknown field 'colour'"),
    "unknown top key": (broken(lambda d: d.update(extra=1)), "unknown field 'extra'"),
    "unknown value": (broken(lambda d: d["walls"][0].update(material="jelly")), r"walls\[0\].material: 'jelly' is not one of"),
    "unknown operation": (broken(lambda d: d["presences"][0].update(expr={"op": "guess"})), r"presences\[0\].expr.*'guess'"),
    "zone of another sensor": (broken(lambda d: (d["zones"].append({"id": "z", "sensor": "pir", "name": "Z", "outline": [[1, 1], [2, 1], [2, 2]]}), d["sensors"].append({**d["sensors"][0], "id": "other"}), d["presences"][0].update(expr={"op": "hold", "of": {"op": "report", "sensor": "other", "zone": "z"}, "seconds": 9}))), r"presences\[0\].expr: the zone 'z' is not one of 'other'"),
    "zone that crosses itself": (broken(lambda d: d["zones"].append({"id": "z", "sensor": "pir", "name": "Z", "outline": [[1, 1], [2, 2], [2, 1], [1, 2]]})), r"zones\[0\].outline: 'z' crosses itself"),
    "zone far away": (broken(lambda d: d["zones"].append({"id": "z", "sensor": "pir", "name": "Z", "outline": [[1, 1], [9e9, 2], [2, 1]]})), r"zones\[0\]: the coordinate 9e\+09 m"),
    "not used yet": (broken(lambda d: d.update(logbook=[{"id": "z"}])), "logbook: this version of the program has no use"),
    "negative": (broken(lambda d: d["walls"][0].update(thickness=-1)), r"walls\[0\].thickness: expected a number above 0, got -1"),
    "bad clock": (broken(lambda d: d["people"][0]["stays"][0].update(at="25:00")), r"people\[0\].stays\[0\].at: expected a time of day such as 07:30, got '25:00'"),
    "bad id": (broken(lambda d: d["lamps"][0].update(id="Lamp 1")), r"lamps\[0\].id: expected an id of small letters"),
    "duplicate": (broken(lambda d: d["spots"][1].update(id="chair")), r"spots\[1\].id: the id 'chair' is already used by spots\[0\].id"),
    "across lists": (broken(lambda d: d["lamps"][0].update(id="pir")), r"lamps\[0\].id: the id 'pir' is already used by sensors\[0\].id"),
    "no such level": (broken(lambda d: d["walls"][2].update(level="attic")), r"walls\[2\].level: unknown level 'attic'"),
    "no such wall": (broken(lambda d: d["openings"][0].update(wall="x")), r"openings\[0\].wall: unknown wall 'x'"),
    "no such device": (broken(lambda d: d["sensors"][0].update(device="x")), r"sensors\[0\].device: unknown device 'x'"),
    "no such sensor": (broken(lambda d: d["presences"][0]["expr"]["of"].update(sensor="x")), r"presences\[0\].expr.of.sensor: unknown sensor 'x'"),
    "no such spot": (broken(lambda d: d["people"][0]["errands"][0].update(spot="x")), r"people\[0\].errands\[0\].spot: unknown spot 'x'"),
    "nan": (encode(make_room()).replace(b"4.8,", b"NaN,"), "a number in the file is NaN"),
    "infinity": (encode(make_room()).replace(b"4.8,", b"Infinity,"), "a number in the file is Infinity"),
    "overflow": (encode(make_room()).replace(b"4.8,", b"1e999,"), r"sensors\[0\].at\[0\]: expected a finite number, got inf"),
    "far away": (broken(lambda d: d["walls"][0].update(b=[1e9, 0])), r"walls\[0\]: the coordinate 1e\+09 m is more than"),
    "zero-length wall": (broken(lambda d: d["walls"].append(wall(b=[0, 0]))), r"walls\[5\]: wall 'new' has no length"),
    "self-crossing": (broken(lambda d: d["rooms"][0].update(outline=[[0, 0], [2, 2], [2, 0], [0, 2]])), r"rooms\[0\].outline: 'big' crosses itself at its sides 1 and 3"),
    "flat room": (broken(lambda d: d["rooms"][1].update(outline=[[0, 0], [1, 0], [1, 0]])), r"rooms\[1\].outline: 'small' (encloses no area|crosses)"),
    "two corners": (broken(lambda d: d["rooms"][1].update(outline=[[0, 0], [1, 0]])), r"rooms\[1\].outline: expected a list"),
    "outside": (broken(lambda d: d["sensors"][0].update(at=[40, 3, 2])), r"sensors\[0\].at: 'PIR' at \(40, 3\) is outside every room"),
    "door too wide": (broken(lambda d: d["openings"][0].update(width=9)), r"openings\[0\]: 'door' ends at 9.4 m, but its wall is 4 m long"),
    "head under sill": (broken(lambda d: d["openings"][1].update(head=0.5)), r"openings\[1\].head"),
    "no date": (broken(lambda d: d["brief"].update(rehearse_from="2026-02-30")), "brief.rehearse_from: '2026-02-30' is not a date"),
    "no zone": (broken(lambda d: d["place"].update(timezone="Moon/Base")), "place.timezone: 'Moon/Base' is not a time zone"),
    "two presences": (broken(lambda d: d["presences"].append({**d["presences"][0], "id": "again"})), r"presences\[1\].lights: the lamps of 'big' already follow presences\[0\]"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_files_are_told_in_one_sentence_and_left_alone(name, tmp_path):
    raw, wanted = HOSTILE[name]
    path = tmp_path / "bad.vastwatch.json"
    path.write_bytes(raw)
    with pytest.raises(ProjectError, match=wanted) as caught:
        load_project(path)
    message = str(caught.value)
    assert message.startswith(str(path))
    assert "\n" not in message
    assert "$" not in message
    assert path.read_bytes() == raw


def test_missing_files_and_folders(tmp_path):
    with pytest.raises(ProjectError, match="no such file"):
        load_project(tmp_path / "nothing.json")
    with pytest.raises(ProjectError, match="this is a folder"):
        load_project(tmp_path)


@given(st.binary(max_size=200))
def test_no_bytes_make_it_stumble(raw):
    with pytest.raises(ProjectError):
        decode(raw)


@given(st.integers(0, 12_000), st.integers(0, 255))
def test_no_single_wrong_byte_makes_it_stumble(at, byte):
    raw = bytearray(encode(make_room()))
    raw[at % len(raw)] = byte
    try:
        decode(bytes(raw))
    except ProjectError as e:
        assert "\n" not in str(e)


def test_ten_thousand_walls_load_and_are_checked():
    from vastwatch.advice.checks.findings import findings

    walls = tuple(
        Wall(
            id=f"w{k}",
            level="g",
            a=(0.05 * (k % 100), 0.04 * (k // 100)),
            b=(0.05 * (k % 100) + 0.02, 0.04 * (k // 100)),
        )
        for k in range(10_000)
    )
    project = make_room()
    big = decode(encode(replace(project, walls=(*project.walls, *walls), people=())))
    assert len(big.walls) == 10_005
    assert next(f for f in findings(big) if f.rule == "plan-size").text.startswith("The plan has 10,005 walls")


def test_nan_made_in_memory_is_found_too(room):
    sensor = replace(room.sensors[0], at=(float("nan"), 1.0, 2.0))
    assert next(faults_of(replace(room, sensors=(sensor,)))).startswith("sensors[0].at[0]: expected a finite number")


# -- edits and expressions -----------------------------------------------------------------------------------------


def test_an_edit_shares_what_it_does_not_touch(room):
    new = removed(room, "pir")
    assert new.walls is room.walls
    assert new.rooms is room.rooms
    assert new.presences == ()
    assert new.devices == ()
    assert room.sensors[0].id == "pir"


def test_placing_gives_a_role_by_family(room):
    radar = next(d for d in catalogue() if d.id == "radar-24-state")
    with_radar, sensor = add_sensor(room, radar, "g", (0.2, 0.2, 1.5), 45, 0)
    assert roles_of(with_radar.presences[0].expr) == Roles(("pir",), ("pir", sensor.id), 60.0)
    assert with_radar.devices[-1] is radar
    # In a room without a presence it starts one.
    alone, lone = add_sensor(room, radar, "g", (6.0, 2.0, 1.5), 0, 0)
    assert roles_of(alone.presences[-1].expr) == Roles((lone.id,), (lone.id,), 120.0)
    assert alone.presences[-1].room == "small"
    again, second = add_sensor(alone, catalogue()[0], "g", (6.5, 2.0, 2.2), 0, 0)
    assert roles_of(again.presences[-1].expr).starts == (lone.id, second.id)
    assert second.name == "PIR small room"
    assert find(again.sensors, second.id) is second
    with pytest.raises(ValueError, match="inside a room"):
        add_sensor(room, radar, "g", (60.0, 2.0, 1.5), 0, 0)
    for project in (with_radar, alone, again):
        assert not list(faults_of(project))


def test_roles_and_expressions_are_two_ways_to_say_it():
    a = Report(sensor="a")
    assert roles_of(from_roles(Roles(("a",), ("a", "b"), 9.0))) == Roles(("a",), ("a", "b"), 9.0)
    assert roles_of(from_roles(Roles(("a", "b"), ("a", "b"), 9.0))) == Roles(("a", "b"), ("a", "b"), 9.0)
    assert roles_of(Not(of=a)) is None
    assert with_hold(Not(of=a), 4) is None
    with pytest.raises(ValueError, match="at least one sensor"):
        from_roles(Roles((), ("a",), 1.0))


def test_fresh_ids_are_new_and_readable(room):
    assert fresh_id(room, "PIR") == "pir-1"
    assert fresh_id(room, "Räume & mehr") == "r-ume-mehr-1"


# -- journal -------------------------------------------------------------------------------------------------------


def test_the_journal_of_a_dead_program_is_offered_and_that_of_a_living_one_is_not(room, tmp_path):
    mine = Journal(tmp_path)
    mine.write(room, "/somewhere/a.vastwatch.json")
    assert mine.leftovers() == []
    head, _, body = mine.file.read_bytes().partition(b"\n")
    dead = {**json.loads(head), "pid": 2**22 + 1, "life": "1"}
    (tmp_path / "4194305.json").write_bytes(json.dumps(dead).encode() + b"\n" + body)
    # A number that another process has by now is not the one that wrote it.
    reused = {**json.loads(head), "life": "12"}
    (tmp_path / "reused.json").write_bytes(json.dumps(reused).encode() + b"\n" + body)
    (tmp_path / "rubbish.json").write_bytes(b"\x00\x01")
    found = mine.leftovers()
    assert len(found) == 2
    assert found[0].path == "/somewhere/a.vastwatch.json"
    assert encode(found[0].project) == encode(room)
    mine.discard(found[0])
    mine.discard(found[1])
    assert mine.leftovers() == []
    mine.clear()
    mine.clear()
    assert not mine.file.exists()


def test_a_journal_that_cannot_be_written_says_so(room, tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(ProjectError, match="cannot be backed up"):
        Journal(tmp_path / "file" / "journal").write(room, None)
