"""What a change of a conclusion leaves as it is: taken from the run before, and the same as lived anew."""

from __future__ import annotations

import random

import pytest
from msgspec.structs import replace

from vastwatch.design.expressions import AllOf, AnyOf, ConclusionRef, Dark
from vastwatch.design.presence import hold_of, with_hold
from vastwatch.design.project import find, put
from vastwatch.design.records import OutputRow
from vastwatch.design.unaffected import NOTHING, unaffected
from vastwatch.rehearsal import rehearse, replay


def same_signal(a, b):
    return a.end == b.end and list(a.switches) == list(b.switches) and a.first == b.first


def assert_alike(short, whole):
    assert short.signals.keys() == whole.signals.keys()
    for ident, said in whole.signals.items():
        assert same_signal(short.signals[ident], said), ident
    assert short.scores == whole.scores
    assert short.incidents == whole.incidents
    assert short.house.actions.keys() == whole.house.actions.keys()
    for room, hand in whole.house.actions.items():
        mine = short.house.actions[room]
        assert list(mine.waves) == list(hand.waves) and list(mine.switch_trips) == list(hand.switch_trips), room
        assert same_signal(mine.pressed, hand.pressed) and mine.overrides == hand.overrides, room
    for room in whole.project.rooms:
        assert same_signal(short.house.dark(room.id), whole.house.dark(room.id))


def edited(project, draw):
    """The project with one of its conclusions changed in some way."""
    p = draw.choice(project.presences)
    if draw.random() < 0.5 and hold_of(p.expr) is not None:
        expr = with_hold(p.expr, float(draw.randrange(10, 1200)))
    else:
        other = draw.choice([x for x in project.presences if x.id != p.id])
        besides = draw.choice((ConclusionRef(presence=other.id), Dark(room=p.room or project.rooms[0].id)))
        expr = draw.choice((AnyOf, AllOf))(of=(p.expr, besides))
    return put(project, replace(p, expr=expr))


@pytest.mark.parametrize("seed", range(8))
def test_what_is_taken_from_the_run_before_is_as_lived_anew(demo, seed):
    draw = random.Random(seed)
    r = rehearse(demo, 1)
    for _ in range(5):
        # Half of the time what is taken along has been asked for before, as it has where a window shows it.
        if draw.random() < 0.5:
            assert r.scores and r.incidents is not None
        r = replay(r, edited(r.project, draw))
    assert_alike(r, rehearse(r.project, 1))


def test_a_new_hold_leaves_rooms_that_do_not_go_by_it(demo):
    old = find(demo.presences, "presence-throwing")
    new = put(demo, replace(old, expr=with_hold(old.expr, 77.0)))
    found = unaffected(demo, new)
    assert old.id not in found.presences and "throwing" not in found.rooms
    assert len(found.rooms) > len(demo.rooms) / 2
    before = rehearse(demo, 1)
    assert before.scores
    after = replay(before, new)
    for room in found.rooms & before.scores.keys():
        assert after.scores[room] is before.scores[room]


def test_whoever_names_a_changed_conclusion_is_changed_and_its_room_with_all_in_it(demo):
    shop, throwing = find(demo.presences, "presence-shop"), find(demo.presences, "presence-throwing")
    named = put(demo, replace(shop, expr=AnyOf(of=(shop.expr, ConclusionRef(presence=throwing.id)))))
    new = put(named, replace(throwing, expr=with_hold(throwing.expr, 77.0)))
    found = unaffected(named, new)
    assert {shop.room, throwing.room}.isdisjoint(found.rooms)
    assert not {p.id for p in new.presences if p.room in (shop.room, throwing.room)} & found.presences


def test_nothing_is_taken_over_where_more_differs_or_conclusions_go_in_a_circle(demo):
    p = demo.presences[0]
    assert unaffected(demo, replace(demo, presences=demo.presences[1:])) == NOTHING
    assert unaffected(demo, replace(demo, rooms=demo.rooms[1:])) == NOTHING
    circle = put(demo, replace(p, expr=ConclusionRef(presence=p.id)))
    assert unaffected(demo, circle) == NOTHING


@pytest.mark.parametrize("kind", ["rules", "outputs", "locks"])
def test_a_room_whose_rows_or_outputs_name_a_changed_conclusion_is_changed(demo, kind):
    throwing = find(demo.presences, "presence-throwing")
    asks = ConclusionRef(presence=throwing.id)
    if kind == "rules":
        record = next(r for r in demo.rules if r.room != "throwing")
        named = put(demo, replace(record, when=asks))
    else:
        record = next(o for o in demo.outputs if o.room != "throwing")
        row = OutputRow(when=asks)
        named = put(demo, replace(record, rows=(row,)) if kind == "outputs" else replace(record, locks=(asks,)))
    new = put(named, replace(throwing, expr=with_hold(throwing.expr, 77.0)))
    assert record.room in unaffected(demo, put(demo, find(new.presences, throwing.id))).rooms
    assert record.room not in unaffected(named, new).rooms
    assert_alike(replay(rehearse(named, 1), new), rehearse(new, 1))
