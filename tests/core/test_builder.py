"""Building conclusions: part by part, from patterns, in words."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from test_conclusions import EXPR
from vastwatch.advice.checks.findings import findings
from vastwatch.design.edits.conclusions import add_conclusion, set_expr, set_lighting_conclusion
from vastwatch.design.edits.expressions import (
    WRAPS,
    joined,
    moved,
    part_at,
    paths,
    replaced,
    unwrapped,
    with_list_kind,
    without_part,
    wrapped,
)
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.edits.split_join import join_rooms
from vastwatch.design.expressions import (
    AllOf,
    AnyOf,
    AtLeast,
    Belief,
    ClockTime,
    ConclusionRef,
    Dark,
    DoorLatch,
    Fact,
    Hold,
    Not,
    OnDelay,
    Report,
    StartKeep,
    every_part,
)
from vastwatch.design.patterns import PATTERNS
from vastwatch.design.project import find
from vastwatch.design.relations import presence_of, presences_in
from vastwatch.design.sentence import about_words, in_words, lane_words, sentence
from vastwatch.design.vocabulary import doors_of, is_removable, part_choices, wraps
from vastwatch.devices import catalogue
from vastwatch.files.check import check_project
from vastwatch.rehearsal import rehearse

A, B, C = (Report(sensor=s) for s in "abc")


def device(family: str):
    return next(d for d in catalogue() if d.family == family)


# -- part by part --------------------------------------------------------------------------------------------------


def test_parts_are_taken_out_and_nothing_is_left_half_made():
    expr = StartKeep(start=A, keep=Hold(of=AnyOf(of=(A, B)), seconds=60))
    assert without_part(expr, (0,)) is expr.keep and without_part(expr, (1,)) is A
    assert without_part(expr, (1, 0, 0)).keep.of is B
    assert without_part(expr, ()) is None and without_part(Hold(of=A, seconds=5), (0,)) is None
    latch = DoorLatch(motion=A, door=B, hold_s=30)
    held = without_part(latch, (1,))
    assert isinstance(held, Hold) and held.of is A and held.seconds == 30 and without_part(latch, (0,)) is None
    assert without_part(Belief(of=(A, B)), (0,)).of == (B,)
    assert without_part(AtLeast(k=2, of=(A, B, C)), (0,)).k == 2


def test_parts_are_joined_where_a_reader_would_look_for_them():
    assert joined(A, (), B).of == (A, B)
    assert joined(AnyOf(of=(A, B)), (0,), C).of == (A, C, B)
    assert joined(AnyOf(of=(A, B)), (), C).of == (A, B, C)
    both = joined(AnyOf(of=(A, B)), (0,), C, "all")
    assert isinstance(both.of[0], AllOf) and both.of[0].of == (A, C)
    assert joined(Belief(of=(A,)), (0,), B).of == (A, B)
    assert with_list_kind(AnyOf(of=(A, B, C)), (), "at_least").k == 2 and with_list_kind(A, (), "all") is A
    with pytest.raises(ValueError, match="any or all"):
        joined(A, (), B, "some")


def test_parts_are_wrapped_and_unwrapped():
    for kind in WRAPS:
        assert part_at(wrapped(A, (), kind), (0,)) is A
    assert wrapped(Not(of=A), (), "not") is A
    pair = wrapped(Hold(of=A, seconds=30), (), "start_keep")
    assert pair.start is A and pair.keep.seconds == 30
    assert unwrapped(Hold(of=A, seconds=5), ()) is A and unwrapped(A, ()) is A
    with pytest.raises(ValueError, match="nothing can be wrapped"):
        wrapped(A, (), "box")


def test_parts_are_moved_within_a_list_and_into_another():
    three = AnyOf(of=(A, B, C))
    assert moved(three, (2,), (0,)).of == (C, A, B) and moved(three, (0,), (1,)).of == (B, A, C)
    expr = StartKeep(start=AnyOf(of=(A, C)), keep=Hold(of=B, seconds=60))
    across = moved(expr, (0, 1), (1, 0))
    assert across.start is A and across.keep.of.of == (B, C)
    # A latch does not stay without its motion.
    latched = AnyOf(of=(C, DoorLatch(motion=A, door=B, hold_s=30)))
    assert moved(latched, (1, 0), (0,)) is latched and moved(latched, (1, 1), (0,)) is not latched
    # Into itself, or away from where it is all there is: it stays.
    assert moved(expr, (1,), (1, 0)) is expr and moved(expr, (), (0,)) is expr


@given(EXPR, st.data())
def test_whatever_is_done_what_remains_is_an_expression(expr, data):
    places = [p for p, _ in paths(expr)]
    path, other = data.draw(st.sampled_from(places)), data.draw(st.sampled_from(places))
    made = [
        without_part(expr, path), joined(expr, path, A), wrapped(expr, path, data.draw(st.sampled_from(WRAPS))),
        replaced(expr, path, B), moved(expr, path, other), unwrapped(expr, path),
    ]  # fmt: skip
    for new in made:
        if new is not None:
            assert all(getattr(p, "sensor", "a") in "abc" for p in every_part(new))
            for p in every_part(new):
                if isinstance(p, AnyOf | AllOf | AtLeast):
                    assert len(p.of) >= 1
                if isinstance(p, AtLeast) and expr is not new:
                    assert p.k >= 1
    # Moving loses nothing and makes nothing.
    leaves = sorted(p.sensor for p in every_part(expr) if isinstance(p, Report))
    assert sorted(p.sensor for p in every_part(moved(expr, path, other)) if isinstance(p, Report)) == leaves


# -- whole conclusions ---------------------------------------------------------------------------------------------


def test_a_further_conclusion_lights_a_room_that_nothing_lights(room):
    new, made = add_conclusion(room, "Somebody there", Report(sensor="pir"), room="small")
    assert made.lights and made.id == presence_of(new, "small").id
    again, second = add_conclusion(new, "Somebody there", Report(sensor="pir"), room="small")
    assert not second.lights and second.name == "Somebody there 2"
    swapped = set_lighting_conclusion(again, second.id)
    assert presence_of(swapped, "small").id == second.id and not find(swapped.presences, made.id).lights
    check_project(swapped)
    house, whole = add_conclusion(room, "House", ConclusionRef(presence="here"))
    assert whole.room is None and presence_of(house, "big").id == "here"
    with pytest.raises(ValueError, match="not about a room"):
        set_lighting_conclusion(house, whole.id)


def test_an_edit_that_would_go_in_a_circle_is_refused(room):
    new, made = add_conclusion(room, "House", ConclusionRef(presence="here"))
    with pytest.raises(ValueError, match=r"circular reference: “S.*” names “House” names"):
        set_expr(new, "here", AnyOf(of=(Report(sensor="pir"), ConclusionRef(presence=made.id))))


def test_rooms_joined_keep_both_conclusions_and_one_lights(room):
    two, made = add_conclusion(room, "Somebody in small", Report(sensor="pir"), room="small")
    joined_ = join_rooms(two, "big", "small").project
    assert {p.id for p in presences_in(joined_, "big")} == {"here", made.id}
    assert presence_of(joined_, "big").id == "here"
    check_project(joined_)


# -- in words ------------------------------------------------------------------------------------------------------


def test_conclusions_read_as_sentences(demo):
    said = {p.id: in_words(demo, p.expr) for p in demo.presences}
    assert said["presence-sitting"] == (
        "On when PIR sitting room, stays on while PIR sitting room or Radar sitting room, off 1 min after."
    )
    assert said["reading"] == "On while Window seat and 2 min after and not film playing in sitting room."
    assert said["quiet"] == (
        "On while 22:30 to sunrise and not (“Somebody upstairs” or “Somebody downstairs”) for longer than 15 min."
    )
    pir = Report(sensor="pir-shop", state="moving")
    latch = DoorLatch(motion=pir, door=Report(sensor="pir-toilet"), hold_s=30, settle_s=10)
    words = in_words(demo, latch)
    assert "PIR shop, moving inside and PIR toilet shut since 10 s, until it opens; else 30 s after motion" in words
    assert "probably occupied, by PIR shop, moving, above 60 % until below 10 %" in in_words(demo, Belief(of=(pir,)))
    assert "at least 2 of PIR shop, moving, dark in shop" in in_words(
        demo, AtLeast(k=2, of=(pir, Dark(room="shop"))))  # fmt: skip
    assert "below 20 lux until 40 lux in shop" in in_words(demo, Dark(room="shop", below_lux=20, until_lux=40))
    assert "22:00 to 06:00 on workdays" in in_words(demo, ClockTime(begin="22:00", end="06:00", days="workday"))
    assert about_words(demo, None, None, None) == "the building"


def test_every_figure_and_part_of_a_sentence_has_its_path(demo):
    for p in demo.presences:
        told = sentence(demo, p.expr)
        for piece in told:
            if piece.kind == "figure" and piece.field not in ("list",):
                assert hasattr(part_at(p.expr, piece.path), piece.field)
        leaves = [
            path for path, part in paths(p.expr) if isinstance(part, Report | ConclusionRef | ClockTime | Dark | Fact)
        ]
        assert [x.path for x in told if x.kind == "part" and x.text != "("] == leaves
        for path, _ in paths(p.expr):
            assert lane_words(demo, p.expr, path)


# -- what is offered -----------------------------------------------------------------------------------------------


def test_nothing_that_cannot_be_is_offered(demo):
    sitting = find(demo.presences, "presence-sitting")
    mine = part_choices(demo, sitting)
    assert mine[0].heading == "Sensors" and {"film playing in sitting room", "Sofa"} <= {o.words for o in mine}
    named = {o.expr.presence for o in mine if isinstance(o.expr, ConclusionRef)}
    # Upstairs follows from it, and so does the quiet house: naming them would go in a circle.
    assert "upstairs" not in named and "quiet" not in named and "presence-shop" in named
    assert any(o.heading == "Elsewhere: Shop" for o in mine)
    for offer in mine:
        set_expr(demo, sitting.id, replaced(sitting.expr, (0,), offer.expr))
    believed = replace(sitting, expr=Belief(of=(Report(sensor="pir-sitting"), Report(sensor="radar-sitting"))))
    assert (
        all(isinstance(o.expr, Report) for o in part_choices(demo, believed, (0,)))
        and wraps(demo, believed, (0,)) == []
    )
    assert "door_latch" not in wraps(demo, sitting, (0,)) and doors_of(demo, sitting) == []
    assert is_removable(sitting, (0,)) and not is_removable(sitting, ())
    assert "on_delay" not in wraps(demo, replace(sitting, expr=OnDelay(of=A, seconds=1)), ())


def fitted(room):
    """The room with a contact on its door, a radar, a mat, a plug and a second PIR."""
    project = room
    door = next(o for o in project.openings if o.kind == "door")
    for family, at in (("contact", (5.0, 2.0, 2.0)), ("radar", (0.2, 2.0, 2.0)), ("pir", (4.8, 0.2, 2.2))):
        host = door.id if family == "contact" else None
        project, _ = add_sensor(project, device(family), "g", at, 180.0, 0.0, host)
    return project


def test_patterns_are_made_of_what_hangs_there_and_say_when_they_fail(room):
    project = fitted(room)
    big = find(project.rooms, "big")
    made = {p.key: p.make(project, big) for p in PATTERNS}
    assert all(p.fails and p.what and p.wants for p in PATTERNS)
    latch = made["latch"]
    assert isinstance(latch, DoorLatch) and isinstance(made["quick-patient"], StartKeep)
    assert find(project.sensors, latch.door.sensor).host is not None
    assert made["two-of-three"].of.k == 2 and isinstance(made["belief"], Belief)
    assert made["mats"] is None and made["film"] is None and made["stair"] is None and made["machine"] is None
    for expr in made.values():
        if expr is not None:
            new = set_expr(project, "here", expr)
            check_project(new)
            assert rehearse(new, 2, 1).scores["big"].dark_min < 600
            assert not [f for f in findings(new) if f.rule == "circle"]


def test_a_latch_in_a_room_with_a_contact_keeps_whoever_sits_still(room):
    """The point of it: no false-offs on a sitter whom the PIR hardly notices, as long as the door stays shut."""
    project = fitted(room)
    latch = next(p for p in PATTERNS if p.key == "latch").make(project, find(project.rooms, "big"))
    short = replace(latch, hold_s=20.0, settle_s=30.0)
    held = set_expr(project, "here", Hold(of=latch.motion, seconds=20.0))
    latched = set_expr(project, "here", short)
    a, b = (rehearse(p, 7, 1).scores["big"] for p in (held, latched))
    assert b.false_offs < 0.5 * a.false_offs
