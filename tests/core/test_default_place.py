"""Devices placed without pointing: on a wall, in a corner, at the ceiling, or on what they watch; never in the air."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import device, make_room
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.hardware.default_place import default_place
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.project import find, put
from vastwatch.devices import TOUCH_FAMILIES, catalogue
from vastwatch.geometry import polygons


def to_the_wall(room, at):
    outline = np.asarray(room.outline, float)
    return float(polygons.nearest_on_segments(at, outline, np.roll(outline, -1, axis=0))[0].min())


def placed(project, device_id, room_id):
    made = device(device_id)
    room = find(project.rooms, room_id)
    x, y = default_place(project, made, room)
    return room, (x, y), made


@pytest.mark.parametrize("room_id", ["throwing", "passage", "toilet", "sitting", "kitchen", "bath", "bedroom", "box"])
def test_every_type_goes_where_it_is_mounted_in_every_room(demo, room_id):
    for made in catalogue():
        if made.is_module or made.family in TOUCH_FAMILIES:
            continue
        try:
            room, at, _ = placed(demo, made.id, room_id)
        except ValueError as e:
            # Its words name the room, the type and what is missing.
            assert made.name in str(e) and "no " in str(e)
            continue
        assert polygons.contains_point(room.outline, *at)
        walls = to_the_wall(room, at)
        assert walls <= 0.3 or made.mounts[0] == "ceiling" or made.in_switch_box, (made.id, at)


def test_a_corner_type_goes_into_a_corner_across_from_the_door_and_a_second_one_into_another(demo):
    room, at, made = placed(demo, "pir-corner-12", "box")
    corners = sorted(math.dist(at, c) for c in room.outline)
    assert corners[0] < 0.35
    more, sensor = add_sensor(demo, made, room.level, (*at, 2.2), 0.0, 0.0)
    _, other, _ = placed(more, "pir-corner-12", "box")
    assert math.dist(at, other) > 0.5 and sensor.at[:2] == at


def test_the_ceiling_is_its_middle_also_in_a_room_bent_around_it(demo):
    room, at, _ = placed(demo, "pir-ceiling-6", "box")
    assert math.dist(at, polygons.centroid(room.outline)) < 0.02
    bent = replace(make_room().rooms[0], outline=((0, 0), (4, 0), (4, 1), (1, 1), (1, 4), (0, 4)))
    x, y = default_place(put(make_room(), bent), device("pir-ceiling-6"), bent)
    assert polygons.contains_point(bent.outline, x, y)


def test_what_watches_something_goes_there_or_says_what_is_missing(demo):
    room, at, _ = placed(demo, "mat-bed-strip", "bedroom")
    beds = [s for s in demo.spots if s.room == room.id and s.posture == "lying"]
    assert min(math.dist(at, s.at) for s in beds) < 1.2
    bare = replace(demo, spots=tuple(s for s in demo.spots if s.room != "bedroom"))
    with pytest.raises(ValueError, match="Bedroom has no place for Bed strip: it needs a free seat, bed or door"):
        placed(bare, "mat-bed-strip", "bedroom")
    shut = replace(demo, openings=())
    with pytest.raises(ValueError, match="it needs a free door or window"):
        placed(shut, "contact-door", "bedroom")


def test_what_is_in_the_air_is_found_and_what_stands_on_furniture_is_not(demo):
    made, room = device("radar-24-state"), find(demo.rooms, "box")
    x, y = polygons.centroid(room.outline)
    loose, sensor = add_sensor(demo, made, room.level, (x, y, 1.2), 0.0, 0.0)
    found = [f for f in findings(loose) if f.rule == "floating"]
    assert [f.records for f in found] == [(sensor.id,)] and "not on a wall" in found[0].text
    assert not [f for f in findings(demo) if f.rule == "floating"]
    desk = next(
        f for f in demo.furnishings
        if f.level == room.level and polygons.contains_point(room.outline, *polygons.centroid(f.outline))
    )  # fmt: skip
    at = (*polygons.centroid(desk.outline), desk.z1 + 0.1)
    on_it, _ = add_sensor(demo, made, room.level, at, 0.0, 0.0)
    assert not [f for f in findings(on_it) if f.rule == "floating"]
