"""Scenes, light at points, recipes, the year, circuits and light ahead from the command line; files that are no good."""

from __future__ import annotations

import csv
import json

import pytest
from msgspec.structs import replace
from test_ladders import USUAL, laddered

from vastwatch.cli import main
from vastwatch.control.light.illuminance import spot_lux
from vastwatch.design.records import Button
from vastwatch.files import save_project
from vastwatch.rehearsal import rehearse
from vastwatch.site.building import Circuit, Switch


@pytest.fixture(scope="module")
def project():
    return replace(
        laddered(*USUAL), buttons=(Button(id="b", room="big", name="Button", at=(0.1, 2)),),
        circuits=(Circuit(id="c", name="Circuit", lamps=("lamp",)),),
        switches=(Switch(id="s", level="g", name="Switch", at=(0.1, 1), circuit="c"),),
    )  # fmt: skip


@pytest.fixture(scope="module")
def file(project, tmp_path_factory):
    path = tmp_path_factory.mktemp("house") / "room.vastwatch.json"
    save_project(project, path)
    return str(path)


def out_of(capsys, *args):
    assert main([*args, "--json"]) == 0
    captured = capsys.readouterr()
    assert captured.err == ""
    return json.loads(captured.out)


def lines_of(capsys, *args):
    assert main(list(args)) == 0
    return capsys.readouterr().out.splitlines()


def refused(capsys, *args):
    assert main(list(args)) == 1
    captured = capsys.readouterr()
    assert captured.out == "" and captured.err.count("\n") == 1 and captured.err.startswith("vastwatch: ")
    return captured.err


def test_scenes_are_those_of_the_rehearsal(project, file, capsys):
    document = out_of(capsys, "scenes", file, "--days", "3", "--seed", "4")
    assert document["stuck"] == []
    big = document["rooms"]["big"]
    r = rehearse(project, 3, 4)
    share = r.house.ladders["big"].of(None).winners.share(20)
    assert [row["share"] for row in big["rows"]] == pytest.approx(share[:3], abs=1e-5)
    total = sum(row["share"] for row in big["rows"]) + big["else_share"] + big["hand_share"]
    assert total == pytest.approx(1.0, abs=1e-4)
    assert sum(s["share"] for s in big["states"]) == pytest.approx(1.0, abs=1e-4)
    assert big["under_min_per_day"].keys() == r.light_scores["big"].under_min.keys()
    assert any("Row 1" in line for line in lines_of(capsys, "scenes", file, "--room", "big"))
    assert "unknown room 'attic'" in refused(capsys, "scenes", file, "--room", "attic")


def test_rehearse_tells_of_light_and_outputs(file, capsys):
    document = out_of(capsys, "rehearse", "--demo", "--days", "2")
    assert {"outputs"} <= set(document)
    room = document["rooms"]["sitting"]
    assert {"under_lux_min_per_day", "presses_per_day"} <= set(room)
    assert {"run_h", "kwh"} <= {k.removesuffix("_per_day") for k in next(iter(document["outputs"].values()))}


def test_lux_is_what_lamps_give_at_their_levels(project, file, capsys):
    document = out_of(capsys, "lux", file, "--scene", "faint")
    full = spot_lux(project, "big")["chair"]
    assert document["spots"]["chair"]["lux"] == pytest.approx(0.1 * full["floor"], abs=0.06)
    grid = document["grid"]
    assert len(grid["lux"]) == len(grid["y_m"]) and len(grid["lux"][0]) == len(grid["x_m"])
    assert max(v for row in grid["lux"] for v in row if v is not None) > document["spots"]["chair"]["lux"]
    assert "unknown scene 'dusk'" in refused(capsys, "lux", file, "--scene", "dusk")
    assert lines_of(capsys, "lux", file, "--scene", "off") == ["chair: 0 of 300 lx"]


def test_recipes_come_as_words_json_and_csv(file, capsys):
    document = out_of(capsys, "recipes", file)
    assert document["names"] == "words_with_underscores" and set(document["rooms"]) == {"big"}
    assert any(d["device"] == "PIR" for d in document["devices"])
    table = list(csv.reader(lines_of(capsys, "recipes", file, "--csv")))
    assert table[0][0] == "of" and all(len(r) == len(table[0]) for r in table)
    assert {r[0] for r in table[1:]} == {"big"}
    words = lines_of(capsys, "recipes", file, "--text", "--names", "WordsTogether")
    assert any("SomebodyThere" in x or "Somebody" in x for x in words)
    assert lines_of(capsys, "recipes", file, "--devices")[0].split() == ["device", "type", "room", "setting", "value"]
    assert "unknown room" in refused(capsys, "recipes", file, "--room", "attic")


def test_the_year_is_a_row_a_day(capsys):
    document = out_of(capsys, "year", "--demo")
    assert document["year"] == 2026 and len(document["days"]) == 365
    assert {d["kind"] for d in document["days"]} == {"workday", "weekend", "free", "away"}
    table = list(csv.reader(lines_of(capsys, "year", "--demo", "--year", "2028", "--csv")))
    assert len(table) == 367 and len(table[0]) == 6 + len(document["windows"])
    assert "1900 to 2199" in refused(capsys, "year", "--demo", "--year", "3000")
    assert len(lines_of(capsys, "year", "--demo")) == 366


def test_circuits_are_truth_tables(file, capsys):
    document = out_of(capsys, "circuits", file)
    circuit = document["circuits"]["c"]
    assert [s["lamps"] for s in circuit["states"]] == [False, True] and circuit["blind_min_per_day"] == 0
    assert any("Switch down: lamps have power" in x for x in lines_of(capsys, "circuits", file))
    assert out_of(capsys, "circuits", "--demo")["circuits"].keys() >= {"circuit-passage"}


def test_light_ahead_says_what_it_spares(file, capsys):
    assert out_of(capsys, "ahead", file, "--room", "big")["rooms"] == {"big": []}
    assert "nobody is noticed" in lines_of(capsys, "ahead", file, "--room", "big")[0]
    assert "unknown room" in refused(capsys, "ahead", file, "--room", "attic")


# -- files that are no good ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda d: d["scenes"][0]["levels"][0].update(level=1.4), "level"),
        (lambda d: d["scenes"][0]["levels"][0].update(level=-0.1), "level"),
        (lambda d: d["scenes"][0]["levels"][0].update(fade_s=1e9), "fade_s"),
        (lambda d: d["scenes"][0]["levels"][0].update(lamp="gone"), "unknown lamp 'gone'"),
        (lambda d: d["rules"][0].update(scene="gone"), "unknown scene 'gone'"),
        (lambda d: d["rules"][0].update(room="gone"), "unknown room 'gone'"),
        (lambda d: d["rules"][1]["when"]["of"][0].update(presence="gone"), "unknown presence 'gone'"),
        (lambda d: d["rules"][0].update(when={"op": "fact", "what": "opera", "room": "big"}), "opera"),
        (lambda d: d["buttons"][0].update(ends="whenever"), "whenever"),
        (lambda d: d["buttons"][0].update(minutes=0), "minutes"),
        (lambda d: d["lamps"][0].update(beam_deg=500), "beam_deg"),
        (lambda d: d["outputs"].append({"kind": "cover", "id": "x", "room": "big", "name": "X", "at": [1, 1], "watts": 1,
                                        "window": "gone"}), "gone"),
        (lambda d: d["outputs"].append({"kind": "oven", "id": "x", "room": "big", "name": "X", "at": [1, 1], "watts": 1}),
         "oven"),
        (lambda d: d["circuits"][0].update(contacts=["gone"]), "unknown sensor 'gone'"),
        (lambda d: d["brief"].update(holidays=[{"on": "2026-02-30"}]), "2026-02-30"),
        (lambda d: d["rules"].append({**d["rules"][0], "id": d["rules"][0]["id"]}), "already used"),
    ],
)  # fmt: skip
def test_a_spoilt_file_is_one_sentence_with_its_place(file, tmp_path, capsys, spoil, words):
    with open(file) as f:
        document = json.load(f)
    spoil(document)
    path = tmp_path / "spoilt.vastwatch.json"
    path.write_text(json.dumps(document))
    for command in ("check", "scenes", "recipes", "year", "circuits"):
        assert words in refused(capsys, command, str(path))


def test_no_cell_of_a_table_is_taken_for_a_formula(project, tmp_path, capsys):
    """Names go into tables that other programs open."""
    spoilt = replace(project, rules=(replace(project.rules[0], name="=1+1"), *project.rules[1:]))
    spoilt = replace(spoilt, rooms=(replace(spoilt.rooms[0], name="=cmd"), *spoilt.rooms[1:]))
    path = tmp_path / "formula.vastwatch.json"
    save_project(spoilt, path)
    for command in (("recipes", str(path), "--csv", "--names", "words with spaces"), ("year", str(path), "--csv")):
        cells = [cell for row in csv.reader(lines_of(capsys, *command)) for cell in row]
        assert cells and not any(cell.startswith(("=", "+", "@")) for cell in cells)
    assert any("'=cmd" in x for x in lines_of(capsys, "recipes", str(path), "--csv"))
