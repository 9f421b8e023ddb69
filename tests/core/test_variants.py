"""Other designs kept beside the present one: copied, taken in its place, written and read; and diary notes."""

from __future__ import annotations

import json

import pytest
from msgspec.structs import replace

from samples import make_room
from vastwatch import cli
from vastwatch.advice.judging.comparison import ALL, compare
from vastwatch.advice.judging.settings import JudgeSettings, judging_by
from vastwatch.design import variants
from vastwatch.design.edits.removing import removed
from vastwatch.design.presence import hold_of, with_hold
from vastwatch.design.project import DiaryNote, find, fresh_id, put
from vastwatch.files.check import ProjectError, faults_of
from vastwatch.files.project_file import load_project, save_project
from vastwatch.rehearsal import rehearse


def longer(project, seconds=600.0):
    p = project.presences[0]
    return put(project, replace(p, expr=with_hold(p.expr, seconds)))


def hold(project):
    return hold_of(project.presences[0].expr)


@pytest.fixture
def two():
    """The room at 60 s, with a variant of it that holds for 600 s."""
    room = make_room()
    return replace(room, variants=variants.save_variant(longer(room), "Patient").variants)


def test_a_variant_is_the_design_as_it_was_and_knows_nothing_of_later_changes(two):
    assert [v.name for v in two.variants] == ["Patient"]
    other = variants.with_design_of(two, two.variants[0])
    assert (hold(two), hold(other)) == (60.0, 600.0)
    # Building and people are the very same records; so are those of the design that do not differ.
    assert other.rooms is two.rooms and other.people is two.people and other.sensors[0] is two.sensors[0]
    assert other.variants == ()


def test_adopting_keeps_the_former_design_and_adopting_that_brings_it_back(two):
    once = variants.adopt_variant(two, "patient")
    assert hold(once) == 600.0 and [v.name for v in once.variants] == [variants.FORMER]
    back = variants.adopt_variant(once, once.variants[0].id)
    assert back.presences == two.presences and back.sensors == two.sensors
    assert [v.name for v in back.variants] == [variants.FORMER]


def test_names_are_numbered_ids_are_fresh_and_nonsense_is_refused(two):
    more = variants.save_variant(two, " Patient ")
    assert [v.name for v in more.variants] == ["Patient", "Patient 2"]
    assert len({v.id for v in more.variants}) == 2
    assert [v.name for v in variants.rename_variant(more, "Patient 2", "Patient").variants] == ["Patient", "Patient 2"]
    assert [v.name for v in variants.remove_variant(more, "Patient").variants] == ["Patient 2"]
    for wrong in ("", "   "):
        with pytest.raises(ValueError, match="needs a name"):
            variants.save_variant(two, wrong)
    with pytest.raises(ValueError, match="unknown variant 'Nobody': it has Patient"):
        variants.adopt_variant(two, "Nobody")
    full = two
    for n in range(19):
        full = variants.save_variant(full, f"n{n}")
    with pytest.raises(ValueError, match="up to 20"):
        variants.save_variant(full, "one more")


def test_what_the_building_has_no_more_goes_from_a_variant_too(two):
    smaller = removed(two, "big")
    assert smaller.variants is two.variants
    other = variants.with_design_of(smaller, smaller.variants[0])
    assert other.presences == () and other.lamps == () and other.sensors == ()
    assert list(faults_of(smaller)) == []
    assert list(faults_of(variants.adopt_variant(smaller, "Patient"))) == []


def test_what_is_new_in_the_building_is_not_called_as_something_in_a_variant(two):
    bare = replace(two, lamps=(), presences=(), sensors=(), devices=())
    assert fresh_id(bare, "lamp") == "lamp-1"
    kept = put(two, replace(two.lamps[0], name="x"))
    kept = replace(kept, variants=(replace(two.variants[0], lamps=(replace(two.lamps[0], id="lamp-1"),)),))
    assert fresh_id(kept, "lamp") == "lamp-2"


def test_written_and_read_nothing_is_lost(two, tmp_path):
    noted = replace(two, diary=(DiaryNote(id="n", at="2026-01-13T21:10", text="light went off on me"),))
    path = tmp_path / "a.vastwatch.json"
    save_project(noted, path)
    back = load_project(path)
    assert hold(variants.with_design_of(back, back.variants[0])) == 600.0
    assert back.diary[0].text == "light went off on me"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda d: d["variants"].append(d["variants"][0]), "the id 'variant-1' is already used by another variant"),
        (lambda d: d["variants"][0]["sensors"].append(d["variants"][0]["sensors"][0]), "the id 'pir' is used twice"),
        (lambda d: d["variants"][0].update(name=""), "variants"),
        (lambda d: d["variants"][0]["lamps"][0].update(watts="many"), "variants"),
        (lambda d: d["variants"][0]["sensors"][0].update(yaw=99999), "yaw: 99999 is not from"),
        (lambda d: d["diary"].append({"id": "x", "at": "2026-13-45T21:10", "text": "a"}), "is not a time"),
        (lambda d: d["diary"].append({"id": "x", "at": "yesterday", "text": "a"}), "diary"),
        (lambda d: d["circuits"].append({"id": "c", "name": "C", "feeds": ["nobody"]}), "unknown sensor 'nobody'"),
        (lambda d: d["brief"].update(troubles={"messages_lost": 2}), "messages_lost"),
    ],
)
def test_what_is_wrong_in_a_variant_is_told_with_its_place(two, tmp_path, change, words):
    path = tmp_path / "a.vastwatch.json"
    save_project(two, path)
    document = json.loads(path.read_text())
    change(document)
    path.write_text(json.dumps(document))
    with pytest.raises(ProjectError, match=words):
        load_project(path)


def test_a_sensor_has_its_supply_from_one_circuit_only(tmp_path):
    path = tmp_path / "a.vastwatch.json"
    save_project(make_room(), path)
    document = json.loads(path.read_text())
    document["circuits"] = [{"id": c, "name": c, "feeds": ["pir"]} for c in ("c1", "c2")]
    path.write_text(json.dumps(document))
    with pytest.raises(ProjectError, match="'pir' has its supply from"):
        load_project(path)


def test_both_designs_meet_the_same_people_and_what_differs_is_the_design(two):
    other = variants.with_design_of(two, two.variants[0])
    a, b = rehearse(two, 3, 1), rehearse(other, 3, 1)
    assert a.truth is b.truth
    assert a.recording.report("pir") is b.recording.report("pir")
    rooms = compare(two, other, (1, 2, 3), 7)
    assert [r.room for r in rooms] == ["big"]
    assert rooms[0].idle_h.significant and rooms[0].idle_h.difference > 0 > rooms[0].drops_per_week.difference


def test_all_rooms_together_are_their_sum():
    from vastwatch.design.presence import Roles, from_roles
    from vastwatch.design.records import Conclusion, Lamp

    room = make_room()
    both = replace(
        room,
        presences=(*room.presences, Conclusion(id="there", room="small", name="There",
                                             expr=from_roles(Roles(("pir",), ("pir",), 30.0)))),
        lamps=(*room.lamps, Lamp(id="two", room="small", name="Two", at=(6, 2), watts=5, lumens=400)),
    )  # fmt: skip
    rooms = compare(both, longer(both), (1, 2, 3), 7)
    assert [r.room for r in rooms] == ["big", "small", ALL]
    for figure in ("drops_per_week", "dark_min", "idle_h"):
        first, second, whole = (getattr(r, figure) for r in rooms)
        assert whole.first == pytest.approx(first.first + second.first)
        assert whole.difference == pytest.approx(first.difference + second.difference)


def test_the_command_line_compares_a_project_with_its_variant(two, tmp_path, capsys):
    path = tmp_path / "a.vastwatch.json"
    save_project(two, path)
    with judging_by(JudgeSettings(chosen_on=(1, 2))):
        assert cli.main(["compare", str(path), "--variant", "Patient", "--weeks", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["rooms"]["big"]["idle_h_per_day"]["difference"] < 0
    assert any("conclusion for presence" in d["text"] for d in told["differences"])
    assert cli.main(["compare", str(path), "--variant", "Patient"]) == 0
    assert capsys.readouterr().out.startswith("From the copy “Patient” to the current design:")
    assert cli.main(["compare", str(path)]) == 1
    assert "second project file" in capsys.readouterr().err
    assert cli.main(["compare", str(path), "--variant", "None such"]) == 1
    assert "it has Patient" in capsys.readouterr().err


def test_a_deeply_nested_variant_is_refused_before_anything_walks_it(two, tmp_path):
    path = tmp_path / "a.vastwatch.json"
    save_project(two, path)
    document = json.loads(path.read_text())
    expr = {"kind": "report", "sensor": "pir"}
    for _ in range(60):
        expr = {"kind": "not", "of": expr}
    tags = {json.dumps(find(two.presences, "here").expr.__struct_config__.tag_field)}
    document["variants"][0]["presences"][0]["expr"] = json.loads(json.dumps(expr).replace('"kind"', next(iter(tags))))
    path.write_text(json.dumps(document))
    with pytest.raises(ProjectError):
        load_project(path)


def test_a_switch_goes_with_the_design_that_has_its_circuit(two):
    from vastwatch.site.building import Circuit, Switch

    wired = replace(
        two, circuits=(Circuit(id="c1", name="C", lamps=("lamp",)),),
        switches=(Switch(id="s1", level="g", name="S", at=(0.2, 0.2), circuit="c1"),),
    )  # fmt: skip
    once = variants.adopt_variant(wired, "Patient")
    assert once.circuits == () and once.switches == ()
    back = variants.adopt_variant(once, variants.FORMER)
    assert [s.id for s in back.switches] == ["s1"] and [c.id for c in back.circuits] == ["c1"]
