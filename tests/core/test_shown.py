"""What is said at a field is so: bounds that a file may hold, words for every value, and each said only once."""

from __future__ import annotations

from typing import get_args, get_type_hints

import msgspec
import pytest

from vastwatch.control.outputs.handler import handlers
from vastwatch.design.project import Brief, Construction, Impairments, Project
from vastwatch.design.records import KINDS, Button, Fan, Lamp, Sensor, Settings, Zone
from vastwatch.site.building import Furnishing, Hazard, Opening, Room, Spot, Wall
from vastwatch.site.people import Person
from vastwatch.site.record import Record
from vastwatch.site.shown import field_of, shown_fields, words_of


def inside(hint, seen):
    """All classes of records that a hint names, and those in them."""
    if isinstance(hint, type) and issubclass(hint, Record) and hint not in seen:
        seen.add(hint)
        for of in get_type_hints(hint, include_extras=True).values():
            inside(of, seen)
    for part in get_args(hint):
        inside(part, seen)
    return seen


SHOWN = [(k, name) for k in sorted(inside(Project, set()), key=lambda k: k.__name__) for name in shown_fields(k)]


def test_every_form_finds_its_fields():
    told = {k for k, _ in SHOWN}
    assert {Room, Wall, Opening, Furnishing, Spot, Hazard, Sensor, Settings, Zone, Lamp, Button, *KINDS, Person, Brief,
            Impairments, Construction} <= told  # fmt: skip
    with pytest.raises(KeyError, match="does not say how it is shown"):
        field_of(Room, "outline")


@pytest.mark.parametrize(("kind", "name"), SHOWN, ids=[f"{k.__name__}.{n}" for k, n in SHOWN])
def test_what_a_field_can_be_set_to_can_be_kept(kind, name):
    field, hint = field_of(kind, name), get_type_hints(kind, include_extras=True)[name]
    assert field.shown.words and field.shown.step > 0 and field.low < field.high
    if field.values:
        assert not field.shown.options or len(field.shown.options) == len(field.values)
        for value in field.values:
            assert msgspec.convert(value, hint) == value
        return
    # What is counted in steps below the highest, angles that go round, and no limit at all are kept as another figure.
    kept = {"steps": (), "turn": (), "s or none": (field.high,)}.get(field.shown.unit, (field.low, field.high))
    for bound in kept:
        assert abs(bound) == 1e9 or msgspec.convert(bound, hint) == bound


def test_fields_of_an_output_are_its_own_and_those_of_all():
    assert shown_fields(Fan) == ("watts", "least_run_s", "least_rest_s", "run_on_s", "wait_s")
    assert all(shown_fields(type(h.new("x", "r", "X", (0.0, 0.0))))[0] == "watts" for h in handlers().values())


def test_words_depend_on_what_is_edited_only_where_that_is_asked():
    field = field_of(Zone, "off_delay_s")
    other = field.otherwise(high=12.0, why="So long.")
    assert (other.high, other.shown.why, other.shown.words) == (12.0, "So long.", "Off delay")
    assert field_of(Zone, "off_delay_s") is field and field.shown.why == ""
    assert words_of(Brief, "troubles.messages_lost") == ("Lost radio messages", "%")
