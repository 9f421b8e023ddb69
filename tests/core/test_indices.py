"""Look-ups through indices that are kept with the tuple they index."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from vastwatch.design.presence import reports
from vastwatch.design.project import find, find_any, put
from vastwatch.design.relations import (
    built_below,
    level_number,
    levels_in_order,
    outputs_in,
    presences_in,
    readers_of,
    rooms_on,
)


def test_look_ups_follow_the_value_and_never_an_older_one(demo):
    for n in range(600):
        moved = put(demo, replace(find(demo.sensors, "pir-shop"), yaw=float(n)))
        assert find(moved.sensors, "pir-shop").yaw == n
    assert find(demo.sensors, "pir-shop").yaw == 225
    without = replace(demo, sensors=demo.sensors[1:])
    with pytest.raises(KeyError):
        find(without.sensors, demo.sensors[0].id)
    assert find_any(without, demo.sensors[0].id) is None
    assert find_any(demo, "circuit-shop")[0] == "circuits"


def test_who_belongs_to_whom_is_what_a_search_finds(demo):
    """Each question answered by looking at every record."""
    order = sorted(demo.levels, key=lambda level: level.elevation)
    assert levels_in_order(demo) == tuple(order)
    for k, level in enumerate(order):
        assert level_number(demo, level.id) == k
        assert rooms_on(demo, level.id) == tuple(r for r in demo.rooms if r.level == level.id)
        assert built_below(demo, level.id) == (order[k - 1] if k else None)
    loft = replace(order[-1], id="loft", elevation=order[-1].elevation + 3)
    attic = replace(loft, id="attic", elevation=loft.elevation + 3)
    taller = replace(demo, levels=(attic, *demo.levels, loft))
    assert built_below(taller, "loft") == order[-1] and built_below(taller, "attic") is None
    for ask in (level_number, built_below):
        with pytest.raises(KeyError):
            ask(demo, "nowhere")
    assert rooms_on(demo, "nowhere") == ()
    for room in demo.rooms:
        assert presences_in(demo, room.id) == tuple(p for p in demo.presences if p.room == room.id)
        assert outputs_in(demo, room.id) == tuple(x for x in (*demo.lamps, *demo.outputs) if x.room == room.id)
    for sensor in demo.sensors:
        assert readers_of(demo, sensor.id) == tuple(
            p for p in demo.presences if sensor.id in {r.sensor for r in reports(p.expr)}
        )
