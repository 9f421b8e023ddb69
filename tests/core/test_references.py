"""Who names whom, from the records' own declarations: checking, taking away, copying, renaming, and who uses what."""

from __future__ import annotations

import inspect
import typing

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import device, make_room
from vastwatch.design.edits.fittings import add_furnishing
from vastwatch.design.edits.levels import copy_level
from vastwatch.design.edits.removing import remove, removed
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.edits.wiring import add_circuit, add_switch, set_module
from vastwatch.design.expressions import AllOf, AnyOf, AtLeast, Hold, Not, Report, StartKeep
from vastwatch.design.project import COLLECTIONS, Brief, Owned, Project, find, find_any, put
from vastwatch.design.references import _fields, all_references, copied, dangling, references, renamed, used_by, without
from vastwatch.devices import catalogue
from vastwatch.files import load_demo
from vastwatch.files.check import faults_of
from vastwatch.site.building import Hazard
from vastwatch.site.furniture import furniture
from vastwatch.site.record import Record

DEMO = load_demo()
IDS = sorted(r.id for c in COLLECTIONS for r in getattr(DEMO, c))


def plain_mentions(value, ids) -> set[str]:
    """Ids that stand anywhere in a record, read off its plain form: whatever the declarations say."""
    if isinstance(value, str):
        return {value} & ids
    if isinstance(value, dict):
        return set().union(
            *(plain_mentions(v, ids) for k, v in value.items() if k not in ("id", "name", "kind", "use"))
        )
    if isinstance(value, list | tuple):
        return set().union(*(plain_mentions(v, ids) for v in value))
    return set()


@pytest.mark.parametrize("collection", COLLECTIONS)
def test_every_id_that_a_record_mentions_is_declared(collection):
    ids = set(IDS)
    for record in getattr(DEMO, collection):
        said = {r.ident for r in references(record)}
        mentioned = plain_mentions(msgspec.to_builtins(record), ids)
        # A word that is an id by chance: an activity, a posture, a group of people.
        chance = {"desk", "film", "reading", "class", "shop", "passage", "kitchen", "landing", "bedroom", "store"}
        assert mentioned - chance <= said <= mentioned, record.id


def test_no_field_named_like_a_record_is_left_undeclared():
    """Fields that are called after a list of the project, or its singular, say so."""
    words = {c.removesuffix("es") if c == "switches" else c.removesuffix("s") for c in COLLECTIONS} | {"sensor", "wall"}

    def kinds(hint, found):
        for part in typing.get_args(hint):
            kinds(part, found)
        if isinstance(hint, type) and issubclass(hint, msgspec.Struct) and hint not in found:
            found.add(hint)
            for inner in typing.get_type_hints(hint, include_extras=True).values():
                kinds(inner, found)
        return found

    for kind in kinds(Project, {Project}):
        hints = typing.get_type_hints(kind, include_extras=True)
        declared = {f.name for f in _fields(kind)}
        for name, hint in hints.items():
            base = typing.get_args(hint)[0] if typing.get_origin(hint) is typing.Annotated else hint
            if name in words and name in kind.__struct_fields__ and base is str:
                assert name in declared, (kind, name)


def test_what_is_not_there_is_told_with_its_place():
    spot = replace(DEMO.spots[0], room="nowhere")
    sensor = replace(DEMO.sensors[0], host="nothing", device="none")
    bad = put(put(DEMO, spot), sensor)
    person = replace(DEMO.people[0], stays=(replace(DEMO.people[0].stays[0], spot="gone"), *DEMO.people[0].stays[1:]))
    bad = put(bad, person)
    bad = replace(bad, brief=replace(bad.brief, owned=(Owned(device="toy", count=1),)))
    bad = put(bad, replace(bad.presences[0], expr=AnyOf(of=(Report(sensor="deaf"),))))
    assert set(dangling(bad)) == {
        ("spots[0].room", "unknown room 'nowhere'"),
        ("sensors[0].host", "unknown opening or furnishing 'nothing'"),
        ("sensors[0].device", "unknown device 'none'"),
        ("people[0].stays[0].spot", "unknown spot 'gone'"),
        ("brief.owned[0].device", "unknown device 'toy'"),
        ("presences[0].expr.of[0].sensor", "unknown sensor 'deaf'"),
    }


def test_who_uses_what():
    assert {r.id for _, r in used_by(DEMO, "pir-throwing")} == {"presence-throwing"}
    assert {c for c, _ in used_by(DEMO, "throwing")} == {"spots", "presences", "lamps"}
    assert "switches" in {c for c, _ in used_by(DEMO, DEMO.switches[0].circuit)}
    assert used_by(DEMO, "no-such-thing") == []


# -- taking away ---------------------------------------------------------------------------------------------------


def test_what_goes_along_with_a_part_of_an_expression():
    a, b, c = (Report(sensor=s) for s in "abc")

    def left(expr, *gone):
        room = make_room()
        sensors = tuple(replace(room.sensors[0], id=s, name=s) for s in "abc")
        project = replace(room, sensors=sensors, presences=(replace(room.presences[0], expr=expr),))
        assert not list(dangling(project))
        out = without(project, gone).presences
        return out[0].expr if out else None

    same = msgspec.to_builtins
    assert same(left(AnyOf(of=(a, b)), "a")) == same(AnyOf(of=(b,)))
    assert left(AllOf(of=(a,)), "a") is None
    assert left(Not(of=Hold(of=a, seconds=3)), "a") is None
    assert same(left(AtLeast(k=3, of=(a, b, c)), "b")) == same(AtLeast(k=2, of=(a, c)))
    keep = Hold(of=AnyOf(of=(a, b)), seconds=9)
    assert same(left(StartKeep(start=a, keep=keep), "a")) == same(Hold(of=AnyOf(of=(b,)), seconds=9))
    assert same(left(StartKeep(start=b, keep=Hold(of=a, seconds=9)), "a")) == same(b)
    assert left(StartKeep(start=a, keep=Hold(of=a, seconds=9)), "a") is None


def test_a_sun_patch_forgets_its_window_and_a_circuit_its_lamp():
    new = removed(DEMO, "shop-window")
    assert find(new.hazards, "shop-sun").window is None
    lamp = next(c for c in DEMO.circuits if c.lamps).lamps[0]
    assert all(lamp not in c.lamps for c in removed(DEMO, lamp).circuits)
    assert len(removed(DEMO, lamp).circuits) == len(DEMO.circuits)


def test_a_joined_rooms_door_takes_along_the_contact_on_it(room):
    from vastwatch.design.edits.split_join import join_rooms

    contact = device("contact-door")
    project, sensor = add_sensor(room, contact, "g", (5.0, 0.85, 1.9), 0.0, 0.0, "door")
    assert sensor.host == "door"
    joined = join_rooms(project, "big", "small").project
    assert not list(faults_of(joined)) and all(s.id != sensor.id for s in joined.sensors)


def test_the_last_level_stays():
    only = replace(make_room(), people=(), spots=())
    with pytest.raises(ValueError, match="at least one level"):
        remove(only, ["g"])
    assert remove(DEMO, ["nothing", "no-more"]).project is DEMO


@given(st.lists(st.sampled_from(IDS), min_size=1, max_size=6, unique=True))
def test_whatever_is_taken_away_the_file_check_stays_content(idents):
    try:
        new = remove(DEMO, idents).project
    except ValueError:
        assert all(level.id in idents for level in DEMO.levels)
        return
    assert not list(dangling(new))
    assert all(find_any(new, i) is None for i in idents)
    # Walls that a room shared may leave a sensor's room open, but nothing that is named is missing.
    assert [p for p in faults_of(new) if "outside every room" not in p] == []


@st.composite
def projects(draw) -> Project:
    """Small buildings of random furniture, sensors, circuits and hazards."""
    project = make_room()
    kinds = [k for k in furniture() if k.width < 1.3 and k.kind != "stair"]
    for _ in range(draw(st.integers(0, 3))):
        at = (draw(st.floats(0.9, 4.0)), draw(st.floats(0.9, 3.0)))
        project, _ = add_furnishing(project, "g", draw(st.sampled_from(kinds)), at, draw(st.sampled_from([0.0, 90.0])))
    types = [d for d in catalogue() if d.family in ("pir", "radar", "mat", "plug", "vibration")]
    for _ in range(draw(st.integers(0, 3))):
        on = draw(st.sampled_from([None, *(f.id for f in project.furnishings)]))
        project, _ = add_sensor(
            project, draw(st.sampled_from(types)), "g", (draw(st.floats(0.3, 7.5)), 2.0, 2.0), 0.0, 0.0, on
        )
    if draw(st.booleans()):
        project, circuit = add_circuit(project, ("lamp",))
        project, _ = add_switch(project, "g", (0.4, 0.4), circuit.id)
        module = next(d for d in catalogue() if d.family == "module")
        project = set_module(project, circuit.id, module)
    if draw(st.booleans()):
        sun = Hazard(
            id="sun", level="g", name="Sun", kind="sun patch", outline=((1, 1), (2, 1), (2, 2)), window="window"
        )
        project = replace(project, hazards=(sun,))
    if draw(st.booleans()):
        project = replace(project, brief=Brief(owned=(Owned(device=project.devices[0].id, count=2),)))
    return project


@given(projects(), st.data())
def test_random_projects_stay_whole_when_records_go_and_levels_are_copied(project, data):
    assert not list(faults_of(project))
    for _ in range(data.draw(st.integers(1, 4))):
        ids = [r.id for c in COLLECTIONS if c != "levels" for r in getattr(project, c)]
        if not ids:
            break
        if data.draw(st.booleans()):
            project = remove(project, data.draw(st.lists(st.sampled_from(ids), min_size=1, max_size=3))).project
        else:
            project, _ = copy_level(project, data.draw(st.sampled_from([level.id for level in project.levels])))
        assert [p for p in faults_of(project) if "outside every room" not in p] == []
    for path, words in dangling(project):
        raise AssertionError(f"{path}: {words}")


# -- renaming and copying ------------------------------------------------------------------------------------------


@given(st.lists(st.sampled_from(IDS), min_size=1, max_size=5, unique=True))
def test_a_new_id_is_known_wherever_the_old_one_was(idents):
    names = {i: f"new-{i}"[:60] for i in idents}
    new = renamed(DEMO, names)
    assert not list(faults_of(new))
    assert [r.ident for r in all_references(new)] == [names.get(r.ident, r.ident) for r in all_references(DEMO)]
    back = renamed(new, {b: a for a, b in names.items()})
    assert msgspec.json.encode(back) == msgspec.json.encode(DEMO)


def test_copies_name_each_other_and_share_what_they_name_besides():
    wall = find(DEMO.walls, find(DEMO.openings, "shop-window").wall)
    copies, names = copied([wall, find(DEMO.openings, "shop-window")], lambda r: f"{r.id}-copy", {"ground": "upper"})
    assert names["ground"] == "upper"
    assert [(c.id, getattr(c, "wall", None)) for c in copies] == [
        (f"{wall.id}-copy", None), ("shop-window-copy", f"{wall.id}-copy"),
    ]  # fmt: skip
    assert copies[0].level == "upper" and copies[0].a == wall.a


def every_record(of: type = Record) -> list[type]:
    return [x for sub in of.__subclasses__() for x in (sub, *every_record(sub))]


def test_records_are_frozen_named_and_compared_by_identity():
    found = [r for r in every_record() if r.__module__.startswith("vastwatch.")]
    assert len(found) > 25
    for record in found:
        config = record.__struct_config__
        assert config.frozen and not config.eq and config.forbid_unknown_fields, record
        kinds = {p.kind for p in inspect.signature(record).parameters.values()}
        assert kinds <= {inspect.Parameter.KEYWORD_ONLY}, record
