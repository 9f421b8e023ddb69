"""The command line: one JSON document out, one line and exit 1 for what is wrong."""

from __future__ import annotations

import json
import subprocess
import sys
from datetime import datetime
from pathlib import Path

import pytest
from msgspec.structs import replace

from vastwatch import cli
from vastwatch.cli import main
from vastwatch.files import load_demo, save_project

ROOT = Path(__file__).parents[2]


@pytest.fixture
def file(room, tmp_path):
    path = tmp_path / "room.vastwatch.json"
    save_project(room, path)
    return str(path)


def out_of(capsys, *args):
    assert main([*args, "--json"]) == 0
    captured = capsys.readouterr()
    assert captured.err == ""
    return json.loads(captured.out)


def test_check(file, capsys):
    found = out_of(capsys, "check", file)["findings"]
    assert found
    for f in found:
        assert {"rule", "severity", "records", "text", "remedies"} <= set(f)
        assert all(set(r) == {"text"} for r in f["remedies"])


def test_coverage(file, capsys):
    document = out_of(capsys, "coverage", file, "--sensor", "pir")
    pir = document["sensors"]["pir"]
    assert set(pir["rooms"]["big"]) == {"across", "towards", "seated", "lying", "pet"}
    big = pir["rooms"]["big"]["across"]
    assert set(big) == {"share_1s", "share_5s", "share_30s", "area_m2"}
    assert big["area_m2"] == pytest.approx(20.0, rel=0.01)
    assert 0.5 < big["share_1s"] <= big["share_5s"] <= big["share_30s"] <= 1
    assert pir["rooms"]["small"]["across"]["share_30s"] == 0
    assert pir["spots"]["chair"]["notice_s"] > 1
    assert pir["spots"]["exit"]["notice_s"] is None


def test_rehearse(file, capsys):
    document = out_of(capsys, "rehearse", file, "--days", "3", "--seed", "4")
    assert (document["days"], document["seed"]) == (3, 4)
    big = document["rooms"]["big"]
    assert {
        "drops_per_day",
        "dark_min_per_day",
        "idle_burn_h_per_day",
        "idle_burn_kwh_per_day",
        "first_light_s",
    } <= set(big)
    assert set(big["first_light_s"]) == {"median", "p95"}
    assert document["incidents"]
    for incident in document["incidents"]:
        assert {"kind", "room", "at", "duration_s", "story", "chain"} <= set(incident)
        assert datetime.fromisoformat(incident["at"]).year == 2026
        assert all({"what", "record", "value"} <= set(link) for link in incident["story"] + incident["chain"])
    assert out_of(capsys, "rehearse", file, "--days", "3", "--seed", "4") == document
    assert out_of(capsys, "rehearse", file, "--days", "3", "--seed", "5") != document


def test_tune(file, capsys):
    document = out_of(capsys, "tune", file, "--room", "big", "--days", "5")
    assert {"room", "presence", "curve", "knee_s", "recommended_s", "reason"} <= set(document)
    curve = document["curve"]
    assert set(curve) == {"hold_s", "drops_per_day", "dark_min_per_day", "idle_burn_h_per_day"}
    assert len({len(v) for v in curve.values()}) == 1
    assert document["recommended_s"] in curve["hold_s"]


def test_without_json_it_speaks_in_lines(file, capsys):
    for args in (
        ["check", file],
        ["coverage", file],
        ["rehearse", file, "--days", "1"],
        ["tune", file, "--room", "big"],
    ):
        assert main(args) == 0
        assert capsys.readouterr().out.strip()


@pytest.mark.parametrize(
    ("args", "wanted"),
    [
        (["check", "/nowhere/x.json"], "no such file"),
        (["check", "/"], "this is a folder"),
        (["coverage", "FILE", "--sensor", "ghost"], "unknown sensor 'ghost'"),
        (["tune", "FILE", "--room", "ghost"], "unknown room 'ghost'"),
        (["tune", "FILE", "--room", "small"], "has no presence to tune"),
    ],
)
def test_wrong_requests_are_one_line_and_exit_1(args, wanted, file, capsys):
    assert main([file if a == "FILE" else a for a in args]) == 1
    captured = capsys.readouterr()
    assert captured.out == ""
    assert wanted in captured.err
    assert captured.err.count("\n") == 1


@pytest.mark.parametrize(
    "args",
    [["rehearse", "x", "--days", "0"], ["rehearse", "x", "--days", "many"], ["check"], ["tune", "x"], ["--what"]],
)
def test_usage_is_exit_2(args, capsys):
    with pytest.raises(SystemExit) as caught:
        main(args)
    assert caught.value.code == 2


def test_the_desktop_refuses_a_bad_file_before_any_window(tmp_path, capsys):
    bad = tmp_path / "bad.vastwatch.json"
    bad.write_bytes(b"\0\1\2")
    assert main([str(bad)]) == 1
    assert "not a text file" in capsys.readouterr().err


def test_as_a_program_of_its_own(file):
    run = subprocess.run([sys.executable, "-m", "vastwatch", "check", file, "--json"], capture_output=True, text=True)
    assert run.returncode == 0
    assert json.loads(run.stdout)["findings"]
    bad = subprocess.run([sys.executable, "-m", "vastwatch", "check", file + "x"], capture_output=True, text=True)
    assert bad.returncode == 1
    assert "Traceback" not in bad.stderr
    # Core commands do not load Qt.
    probe = f"import sys, vastwatch.cli as c; c.main(['rehearse', {file!r}, '--days', '1']); assert 'PyQt6' not in sys.modules"
    assert subprocess.run([sys.executable, "-c", probe], capture_output=True).returncode == 0


def test_a_failure_of_the_program_is_one_line_too(file, capsys, monkeypatch):
    from vastwatch import cli

    def failing(*_):
        raise KeyError("oh")

    monkeypatch.setitem(cli.COMMANDS, "check", failing)
    assert main(["check", file]) == 1
    err = capsys.readouterr().err
    assert "an internal error" in err
    assert err.count("\n") == 1


def test_the_worked_example_of_the_readme_is_what_the_program_says(capsys, shipped, tmp_path):
    shown = (ROOT / "README.md").read_text(encoding="utf-8").split("## A worked example")[1].split("\n## ")[0]
    said = ""
    # Of the findings the room's own are shown: the other rooms need not be judged for them.
    alone = load_demo()
    alone = replace(
        alone, presences=tuple(p for p in alone.presences if p.room == "throwing"), rules=(), outputs=(), buttons=()
    )
    save_project(alone, tmp_path / "alone.vastwatch.json")
    check = ["check", str(tmp_path / "alone.vastwatch.json")]
    for argv in (check, ["rehearse", "--demo", "--days", "7"], ["tune", "--demo", "--room", "throwing"]):
        assert main(argv) == 0
        said += capsys.readouterr().out
    said = " ".join(said.split())
    lines = [x.strip() for x in shown.splitlines() if x.startswith("    ") and not x.strip().startswith(("$", "..."))]
    assert len(lines) >= 5
    for line in lines:
        assert " ".join(line.removesuffix("...").split()) in said, line


def test_a_command_that_is_stopped_by_hand_ends_quietly(monkeypatch, capsys):
    def stopped(project, args):
        raise KeyboardInterrupt

    monkeypatch.setitem(cli.COMMANDS, "check", stopped)
    assert cli.main(["check", "--demo"]) == 130
    assert capsys.readouterr() == ("", "")
