"""Places of a schedule to which no way leads: nobody is there, nothing is judged by it, and it is said."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from vastwatch.advice.checks.findings import findings
from vastwatch.people import simulate_days
from vastwatch.people.reachability import unreachable_spots
from vastwatch.rehearsal import rehearse
from vastwatch.site.building import Room, Spot
from vastwatch.site.people import Errand, Person, Stay


def test_a_stay_that_no_way_leads_to_is_left_out_and_told(room):
    """They are not put into another room for that time, and nothing is judged by them."""
    walled = replace(room, openings=room.openings[1:])
    assert [s.id for s in unreachable_spots(walled, walled.people[0])] == ["chair"]
    m = simulate_days(walled, 2, 1)
    for hour in range(48):
        assert m.where(m.tracks[0], hour * 3600.0 + 1).level == -1
    assert all(m.occupied(r.id, False).total() == 0 for r in walled.rooms)
    scores = rehearse(walled, 2, 1).scores["big"]
    assert (scores.false_offs, scores.dark_min, scores.arrivals) == (0, 0, 0)
    (told,) = [f for f in findings(walled) if f.rule == "stay-unreachable"]
    assert told.severity == "wrong" and told.room == "big" and {"chair", "a"} <= set(told.records)
    assert not [f for f in findings(room) if f.rule == "stay-unreachable"]


def test_whoever_cannot_go_to_bed_is_nowhere_until_the_morning(room):
    """The rest of the schedule is lived as before; short visits from and to where nobody gets are not run."""
    bed = Spot(id="bed", room="attic", name="bed", at=(20.0, 2.0), posture="lying", activity="sleeping")
    attic = Room(id="attic", level="g", name="Attic", outline=((19, 0), (23, 0), (23, 4), (19, 4)), use="bedroom")
    someone = Person(
        id="b", name="B",
        stays=(Stay(at="08:00", spot="chair", jitter_min=0.0), Stay(at="20:00", spot="bed", jitter_min=0.0)),
        errands=(Errand(between=("00:00", "23:59"), spot="bed", per_day=8, minutes=10),),
    )  # fmt: skip
    project = replace(room, rooms=(*room.rooms, attic), spots=(*room.spots, bed), people=(someone,))
    m = simulate_days(project, 3, 1)
    rows = m.occupied("big", False).intervals
    assert rows == pytest.approx(np.array([(d * 86400 + 8 * 3600, d * 86400 + 20 * 3600) for d in range(3)]), abs=20)
    assert m.occupied("attic", False).total() == 0
    # No movement of theirs is made up at night either.
    lives = m.household.simulate(0, 3).joined
    hours = lives.minor_t % 86400 / 3600
    assert len(hours) and hours.min() > 7.9 and hours.max() < 20.1
