"""Files of every version there was open as what they were, and are written in the present one; newer ones are refused."""

from __future__ import annotations

import json
from pathlib import Path

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import make_room
from vastwatch.design.project import COLLECTIONS, VERSION
from vastwatch.files import ProjectError, load_project, save_project
from vastwatch.files.migrate import migrated
from vastwatch.files.project_file import decode, encode

GOLDEN = Path(__file__).parents[1] / "golden"
NAMES = ("pottery", "rooms")


@pytest.mark.parametrize("name", NAMES)
def test_golden_files_of_every_version_are_the_same_project(name):
    files = sorted(GOLDEN.glob(f"version-*-{name}.vastwatch.json"), key=lambda f: int(f.name.split("-")[1]))
    assert len(files) == VERSION
    projects = [load_project(f) for f in files]
    assert len({encode(p) for p in projects}) == 1
    # The newest is byte for byte what is written today.
    assert files[-1].read_bytes() == encode(projects[-1])


def test_an_old_file_is_written_in_the_new_version_and_kept_beside(tmp_path):
    path = tmp_path / "old.vastwatch.json"
    old = (GOLDEN / "version-1-rooms.vastwatch.json").read_bytes()
    path.write_bytes(old)
    project = load_project(path)
    assert path.read_bytes() == old
    contact = next(s for s in project.sensors if s.device == "contact-door")
    assert contact.host == "door"
    save_project(project, path)
    assert path.with_name(path.name + "~").read_bytes() == old
    assert json.loads(path.read_text())["version"] == VERSION
    assert load_project(path).sensors[-1].host == "door"


@pytest.mark.parametrize("version", [VERSION + 1, 99])
def test_a_newer_file_is_refused_and_left_as_it_is(tmp_path, version):
    path = tmp_path / "new.vastwatch.json"
    document = json.loads((GOLDEN / f"version-{VERSION}-rooms.vastwatch.json").read_text())
    path.write_text(json.dumps({**document, "version": version, "hologram": []}))
    before = path.read_bytes()
    with pytest.raises(ProjectError, match=f"newer version of the program .file version {version}"):
        load_project(path)
    assert path.read_bytes() == before and len(list(tmp_path.iterdir())) == 1


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda d: d.update(sensors="none"), "sensors: expected a list, got"),
        (lambda d: d["sensors"].insert(0, 7), r"sensors\[0\]: expected an object"),
        (lambda d: d["sensors"][0].update(on=7), r"sensors\[0\].host: expected text"),
        (lambda d: d["sensors"][0].update(on="x"), r"sensors\[0\].host: unknown opening or furnishing 'x'"),
        (lambda d: d["sensors"][0].update(host="x"), r"sensors\[0\]"),
        (lambda d: d.update(zones=[{"id": "z"}]), "zones"),
        (lambda d: d.update(outputs=[{"id": "z"}]), "outputs"),
    ],
)
def test_a_damaged_old_file_is_told_of_in_the_terms_of_today(spoil, words):
    document = json.loads((GOLDEN / "version-1-rooms.vastwatch.json").read_text())
    spoil(document)
    with pytest.raises(ProjectError, match=words):
        decode(json.dumps(document).encode())


def test_what_is_of_today_is_not_touched():
    document = json.loads((GOLDEN / f"version-{VERSION}-rooms.vastwatch.json").read_text())
    assert migrated(document) is document


def test_lists_to_be_are_empty_and_their_records_can_be_read():
    from vastwatch.design.records import LadderRow, LogEntry, Scene, Zone

    assert {"zones", "scenes", "rules", "logbook"} <= set(json.loads(encode(make_room())))
    for kind, plain in (
        (Zone, {"id": "z", "sensor": "s", "name": "Z", "outline": [[0, 0], [1, 0], [1, 1]]}),
        (Scene, {"id": "s", "room": "r", "name": "S", "levels": [{"lamp": "l", "level": 0.5}]}),
        (LadderRow, {"id": "r", "room": "r", "when": {"op": "report", "sensor": "s"}, "scene": "s"}),
        (LogEntry, {"id": "e", "on": "2026-01-12", "text": "Turned it"}),
    ):
        assert msgspec.convert(plain, kind).id == plain["id"]


# -- the writer ----------------------------------------------------------------------------------------------------

HARD = [
    "Office [ 12 ]",
    "[ -1, -1, -1, ",
    "[" * 40 + "1, " * 4000,
    'quotes " and \\ and  spaces',
    "1e5",
    "[ 1,  2 ]",
    "ünïcode ✓",
]


@pytest.mark.parametrize("name", HARD)
def test_text_is_written_as_it_is(name, tmp_path):
    room = make_room()
    project = replace(room, name=name, rooms=(replace(room.rooms[0], name=name), *room.rooms[1:]))
    path = tmp_path / "a.vastwatch.json"
    save_project(project, path)
    back = load_project(path)
    assert back.name == name and back.rooms[0].name == name


@given(
    st.text(st.characters(exclude_categories=["Cc", "Cs", "Zl", "Zp"]), max_size=60),
    st.floats(-1000, 1000),
    st.integers(-5, 5),
)
def test_whatever_is_written_is_read_back(name, x, n):
    room = make_room()
    lamp = replace(room.lamps[0], at=(x, float(n)), name=name)
    project = replace(room, name=name, lamps=(lamp,))
    back = decode(encode(project))
    assert msgspec.to_builtins(back) == msgspec.to_builtins(project)
    assert encode(back) == encode(project)


def test_the_file_reads_and_diffs_well():
    text = encode(make_room()).decode()
    assert (
        text == json.dumps(json.loads(text), indent=2, sort_keys=True, ensure_ascii=False).replace("\r", "") + "\n"
        or "[0, 0]" in text
    )
    lines = text.splitlines()
    assert '      "a": [0, 0],' in lines and not any(line != line.rstrip() for line in lines)
    keys = [line.split('"')[1] for line in lines if line.startswith('  "')]
    assert keys == sorted(keys) and set(COLLECTIONS) <= set(keys)
