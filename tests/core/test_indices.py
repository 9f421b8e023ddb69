"""Look-ups through indices that are kept with the tuple they index."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from vastwatch.design.project import find, find_any, put


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
