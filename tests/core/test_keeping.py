"""Nothing is lost: how files are written, what is noticed of other programs, and what is kept of unsaved work."""

from __future__ import annotations

import json
import os
import time
from pathlib import Path

import pytest
from msgspec.structs import replace

from samples import make_room
from vastwatch import cli
from vastwatch.cli import main
from vastwatch.design.differences import differences
from vastwatch.files import ProjectError, load_project, save_project
from vastwatch.files.journal import Journal
from vastwatch.files.project_file import encode, read_project
from vastwatch.files.reading import read_whole, stamp_of
from vastwatch.files.writing import ABANDONED_S, TEMPORARY, free_path_beside, previous, safe_name, write_atomically
from vastwatch.words import one_line

LARGEST = 1_000_000
LOG = Path(cli.__file__).parent / "data" / "saltmarsh-log.csv"


@pytest.fixture
def room():
    return make_room()


def test_a_link_is_followed_and_stays_one(room, tmp_path):
    real, link = tmp_path / "real.vastwatch.json", tmp_path / "folder" / "link.vastwatch.json"
    link.parent.mkdir()
    link.symlink_to(real)
    save_project(room, link)
    save_project(replace(room, name="Second"), link)
    assert link.is_symlink()
    assert load_project(real).name == "Second"
    assert load_project(previous(real)).name == room.name
    assert os.listdir(link.parent) == ["link.vastwatch.json"]


def test_links_in_a_circle_are_told(room, tmp_path):
    a, b = tmp_path / "a.json", tmp_path / "b.json"
    a.symlink_to(b)
    b.symlink_to(a)
    with pytest.raises(ProjectError, match="cannot be saved"):
        save_project(room, a)


def test_a_new_file_has_the_permissions_of_the_umask_and_an_old_one_keeps_its_own(room, tmp_path):
    path = tmp_path / "a.vastwatch.json"
    before = os.umask(0o027)
    try:
        save_project(room, path)
        assert path.stat().st_mode & 0o777 == 0o640
        path.chmod(0o604)
        save_project(room, path)
        assert path.stat().st_mode & 0o777 == 0o604
    finally:
        os.umask(before)
    assert previous(path).stat().st_mode & 0o777 == 0o604


def test_only_the_owner_may_read_the_journal(room, tmp_path):
    journal = Journal(tmp_path / "state" / "journal")
    before = os.umask(0)
    try:
        journal.write(room, None)
    finally:
        os.umask(before)
    assert journal.file.stat().st_mode & 0o777 == 0o600
    assert journal.folder.stat().st_mode & 0o777 == 0o700


def test_what_a_killed_writing_left_is_swept_and_what_another_still_writes_is_not(room, tmp_path):
    old, young = tmp_path / f".aaaa{TEMPORARY}", tmp_path / f".bbbb{TEMPORARY}"
    for file in (old, young):
        file.write_bytes(b"half")
    then = time.time() - ABANDONED_S - 5
    os.utime(old, (then, then))
    save_project(room, tmp_path / "a.vastwatch.json")
    assert sorted(os.listdir(tmp_path)) == [young.name, "a.vastwatch.json"]


def test_pipes_and_devices_are_no_files(room, tmp_path):
    pipe = tmp_path / "pipe.vastwatch.json"
    os.mkfifo(pipe)
    for path in (pipe, "/dev/zero"):
        with pytest.raises(ProjectError, match="a pipe or a device"):
            load_project(path)
    with pytest.raises(ProjectError, match="not a regular file"):
        save_project(room, pipe)


@pytest.mark.parametrize("line", [
    "check {}", "compare {}", "replay --demo {}", "calibrate --demo {} --sensor tracker-sitting",
    f"replay --demo {LOG} --diary {{}}", "import {} --out new.vastwatch.json", "log --demo --days 1 --out {} --over",
])  # fmt: skip
def test_no_command_waits_at_a_pipe(tmp_path, capsys, monkeypatch, line):
    monkeypatch.chdir(tmp_path)
    os.mkfifo("pipe")
    assert main(line.format("pipe").split()) == 1
    assert "pipe" in capsys.readouterr().err and not os.path.exists("new.vastwatch.json")


def test_no_text_from_a_file_reaches_a_terminal_as_a_command(tmp_path, capsys):
    """A log whose device would change the window's title, and a file whose name would clear the screen."""
    log = tmp_path / "log.csv"
    rows = [f"2026-01-12T10:00:0{k},\x1b]0;owned\x07\x9b2J\u202elamp,{'on' if k % 2 else 'off'}" for k in range(6)]
    log.write_text("\n".join(["time,device,value", *rows]), encoding="utf-8")
    for more in ([], ["--json"]):
        main(["replay", "--demo", str(log), *more])
        out = "".join(capsys.readouterr())
        assert "owned" in out and not {"\x1b", "\x07", "\x9b", "\u202e"} & set(out)
    assert main(["check", str(tmp_path / "a\x1b[2Jb.vastwatch.json")]) == 1
    assert "\x1b" not in capsys.readouterr().err


def test_a_file_larger_than_any_is_not_read(tmp_path):
    path = tmp_path / "large"
    with path.open("wb") as out:
        out.truncate(LARGEST + 1)
    with pytest.raises(ProjectError, match="too large"):
        read_whole(path, "a list", LARGEST)
    with path.open("wb") as out:
        out.truncate(LARGEST)
    assert len(read_whole(path, "a list", LARGEST)) == LARGEST


def test_a_stamp_tells_contents_and_not_times(room, tmp_path):
    path = tmp_path / "a.vastwatch.json"
    saved = save_project(room, path)
    read, stamp = read_project(path)
    assert saved.same(stamp) and stamp.same(stamp_of(path, LARGEST)) and encode(read) == encode(room)
    os.utime(path, (1, 1))
    assert stamp.same(stamp_of(path, LARGEST))
    # As long and as old as before, and something else.
    path.write_bytes(path.read_bytes()[:-1] + b" ")
    assert path.stat().st_size == stamp.size
    os.utime(path, (stamp.written_at, stamp.written_at))
    assert not stamp.same(stamp_of(path, LARGEST))
    path.unlink()
    assert stamp_of(path, LARGEST) is None


def test_differences_are_told_record_by_record(room):
    assert differences(room, room) == []
    lamp = replace(room.lamps[0], watts=77.0)
    spot = replace(room.spots[0], id="another", name="Another")
    new = replace(room, name="Renamed", lamps=(lamp,), spots=(*room.spots, spot), sensors=room.sensors[1:])
    told = [d.words for d in differences(room, new)]
    assert f"project: name {room.name} → Renamed" in told
    assert "spot Another is new" in told
    assert f"sensor {room.sensors[0].name} is gone" in told
    assert any(words.startswith(f"lamp {lamp.name}: watts ") and words.endswith("→ 77") for words in told)
    assert len(told) == 4
    # Told the other way round, the same records differ.
    back = differences(new, room)
    assert {(d.kind, d.name) for d in back if d.way == "added"} == {("sensor", room.sensors[0].name)}


def test_what_the_project_says_of_itself_is_told_too(room):
    from vastwatch.design.project import Construction, Place

    new = replace(
        room, client="The owners", notes="Mind the step.\nAsk.", place=Place(latitude=41.5),
        construction=Construction(outer_m=0.36), brief=replace(room.brief, rehearse_from="2026-06-21"),
    )  # fmt: skip
    told = " / ".join(d.words for d in differences(room, new))
    for words in (
        "client",
        "notes",
        "latitude 54 → 41.5",
        "outer walls 0.3 → 0.36",
        "start date 2026-01-12 → 2026-06-21",
    ):
        assert words in told
    # Every field the project has besides its lists is told: none can change in silence.
    from vastwatch.design.differences import _ASIDE, _WHOLE
    from vastwatch.design.project import COLLECTIONS

    silent = set(room.__struct_fields__) - set(_WHOLE) - set(COLLECTIONS) - set(_ASIDE)
    assert silent == {"format", "version", "logbook"}


def test_the_order_of_a_list_is_a_difference(room):
    assert len(room.walls) > 1
    turned = replace(room, walls=room.walls[::-1])
    assert [d.words for d in differences(room, turned)] == ["project: the order of its walls"]


def test_a_record_read_anew_is_no_difference(room, tmp_path):
    path = tmp_path / "a.vastwatch.json"
    save_project(room, path)
    assert differences(room, load_project(path)) == []


def _journal(folder, room, **head):
    """A journal as a dead program left it, with some fields of its head as given."""
    mine = Journal(folder)
    mine.write(room, None)
    first, _, body = mine.file.read_bytes().partition(b"\n")
    mine.clear()
    return json.dumps({**json.loads(first), "life": "gone", **head}).encode() + b"\n" + body


@pytest.mark.parametrize(
    "spoil",
    [
        lambda raw: raw.replace(b'"pid": ', b'"pid": Infinity, "was": '),
        lambda raw: raw.replace(b'"at": ', b'"at": NaN, "was": '),
        lambda raw: raw.replace(b'"at": ', b'"at": 1e300, "was": '),
        lambda raw: b"[" * 100_000 + raw,
        lambda raw: raw[: len(raw) // 2],
        lambda raw: b"",
        lambda raw: b"\xff\xfe" + raw,
    ],
    ids=["pid", "at-nan", "at-far", "deep", "truncated", "empty", "not-utf8"],
)
def test_one_bad_journal_hinders_no_other_and_is_told_once(room, tmp_path, spoil):
    sound = _journal(tmp_path, room)
    (tmp_path / "a.json").write_bytes(spoil(sound))
    (tmp_path / "b.json").write_bytes(sound)
    journal = Journal(tmp_path)
    assert [encode(j.project) for j in journal.leftovers()] == [encode(room)]
    told = journal.unreadable()
    assert len(told) == 1 and told[0].read_bytes() == spoil(sound)
    assert journal.unreadable() == [] and len(journal.leftovers()) == 1


def test_a_number_used_again_is_another_program(room, tmp_path):
    """Also by this very process, after a new start of the machine."""
    raw = _journal(tmp_path, room, pid=os.getpid())
    (tmp_path / f"{os.getpid()}.json").write_bytes(raw)
    journal = Journal(tmp_path)
    assert len(journal.leftovers()) == 1
    journal.write(room, None)
    assert len(journal.leftovers()) == 1


def test_the_journal_knows_what_the_file_was(room, tmp_path):
    path = tmp_path / "a.vastwatch.json"
    stamp = save_project(room, path)
    journal = Journal(tmp_path / "journal")
    journal.write(room, str(path), stamp)
    raw = journal.file.read_bytes()
    journal.clear()
    (journal.folder / "left.json").write_bytes(raw.replace(b'"life": "', b'"life": "not-'))
    (left,) = journal.leftovers()
    assert left.stamp == stamp and left.path == str(path)


@pytest.mark.parametrize(
    "name",
    [
        "../../etc/passwd",
        "a/b\\c",
        "  ",
        "...",
        "x" * 500,
        "Café 12",
        "new\nline",
        "\x00",
        "名" * 300,
        "a:b*c?",
        "-rf",
        "CON",
    ],
)
def test_suggested_names_are_names_of_files(name, tmp_path):
    safe = safe_name(name)
    path = tmp_path / f"{safe}.vastwatch.json"
    assert path.parent == tmp_path and not safe.startswith((".", "-"))
    write_atomically(path, b"x")
    write_atomically(path, b"y", keep=previous)
    assert len(os.listdir(tmp_path)) == 2


def test_a_name_beside_is_free_and_fits(tmp_path):
    path = tmp_path / "kiln.vastwatch.json"
    first = free_path_beside(path, "copy", ".vastwatch.json")
    assert first.name == "kiln copy.vastwatch.json"
    first.write_text("")
    assert free_path_beside(path, "copy", ".vastwatch.json").name == "kiln copy 2.vastwatch.json"
    long = free_path_beside(tmp_path / ("ö" * 115 + ".vastwatch.json"), "copy", ".vastwatch.json")
    long.write_text("")


@pytest.mark.parametrize("text", ["a\nb", "a\r\nb", "a\u2028b", "a\x00b", "a\x1b[31mb", "x" * 5000])
def test_a_sentence_is_one_line(text):
    words = str(ProjectError(text))
    assert len(words.splitlines()) == 1 and len(words) <= 620 and words.isprintable()
    assert one_line(words) == words


def test_a_large_level_is_computed_coarser_and_that_is_said_and_a_huge_one_is_refused():
    from vastwatch.advice.checks.findings import findings
    from vastwatch.files.check import faults_of
    from vastwatch.sensing.coverage import CELL, MOST_CELLS, level_grid
    from vastwatch.site.building import Level, Room

    def hall(width, depth):
        room = Room(
            id="hall", level="g", name="Hall", use="store", outline=((0, 0), (width, 0), (width, depth), (0, depth))
        )
        return make_room(
            levels=(Level(id="g", name="Ground", elevation=0.0),), rooms=(room,), walls=(), openings=(), sensors=(),
            presences=(), spots=(), people=(), lamps=(),
        )  # fmt: skip

    small, large, huge = hall(50, 50), hall(150, 100), hall(500, 300)
    assert level_grid(small.rooms, "g").cell == CELL
    grid = level_grid(large.rooms, "g")
    assert grid.cell == 4 * CELL / 2 and grid.rows * grid.columns <= MOST_CELLS
    assert [f.rule for f in findings(large) if f.rule == "level-size"] == ["level-size"]
    assert "a 10 cm grid instead of 5" in next(f.text for f in findings(large) if f.rule == "level-size")
    assert not [f for f in findings(small) if f.rule == "level-size"]
    assert any("500 × 300 m" in fault for fault in faults_of(huge)) and not list(faults_of(large))


@pytest.mark.parametrize("cell", ["=1+1", "+x", "-x", "@x", "'quoted", "\t=1"])
def test_no_cell_is_taken_for_a_formula(cell):
    from vastwatch.files.csv_cells import escape_formula, unescape_formula

    assert escape_formula(cell).startswith("'") and unescape_formula(escape_formula(cell)) == cell
    for plain in ("-5", "4.2", "Kitchen", "1,5", "yes", ""):
        assert escape_formula(plain) == plain == unescape_formula(plain)


def test_names_that_look_like_other_things_survive_a_list_of_types(tmp_path):
    from vastwatch.devices import catalogue
    from vastwatch.files.device_list import read_devices, write_devices

    first = catalogue()[0]
    odd = [
        replace(first, id=f"own-{k}", name=name, summary=name)
        for k, name in enumerate(("yes", "No", "1,5", "=1+1", "-3", "'a", "true"))
    ]
    for suffix in ("csv", "json"):
        path = tmp_path / f"types.{suffix}"
        write_devices(odd, path)
        assert [(d.name, d.summary) for d in read_devices(path)] == [(d.name, d.summary) for d in odd]
