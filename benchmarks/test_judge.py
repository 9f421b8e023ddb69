"""The judge against weeks it has not seen, in rooms made at random; and how long it takes: `make bench`.

FITS=100 for the whole study; a few otherwise.
"""

from __future__ import annotations

import os
import time

import numpy as np
from msgspec.structs import replace

from samples import random_room
from timed import hold_to, say
from vastwatch.advice.adviser.adviser import advise
from vastwatch.advice.adviser.purchase import purchases
from vastwatch.advice.judging import judge as judging
from vastwatch.advice.judging.settings import settings

FITS = int(os.environ.get("FITS", "6"))
OTHER_WEEKS = tuple(range(5001, 5021))


def test_other_weeks_lie_where_the_judge_says_and_meet_what_it_chose():
    """Of rooms in which a hold meets the brief: whether weeks that no one has looked at do too."""
    rng = np.random.default_rng(7)
    within = meets = fits = tried = 0
    while fits < FITS and tried < 6 * FITS:
        tried += 1
        project = random_room(rng)
        j = judging.judge(project, "big", seeds=settings().chosen_on)
        if j.best_s is None:
            continue
        fits += 1
        got = judging.held_out(project, "big", j.best_s, seeds=OTHER_WEEKS)
        low, high = j.false_off_interval(j.best_s)
        within += low - 1e-9 <= got.drops_per_week <= high + 1e-9
        meets += got.drops_per_week <= j.needs.drops_per_week + 1e-9
        say(f"{fits} fits of {tried} rooms: within the interval in {within}, within the limit in {meets}")
    assert fits and within >= 0.9 * fits and meets >= 0.9 * fits


def test_the_judge_of_one_room(demo):
    """Four weeks under twenty seeds at all legal holds; then again, with what was lived kept."""
    begin = time.perf_counter()
    j = judging.judge(demo, "toilet", seeds=settings().chosen_on)
    cold = time.perf_counter() - begin
    begin = time.perf_counter()
    judging.judge(demo, "toilet", seeds=settings().chosen_on)
    warm = time.perf_counter() - begin
    hold_to(3.0, cold, f"the judge of one room, 80 weeks at {len(j.holds)} holds")
    say(f"again {warm * 1e3:.0f} ms")


def test_the_adviser_with_pairs_of_the_whole_sample(demo):
    """Room after room: how soon there is a first answer, and how long all of it takes."""
    first, begin = [], time.perf_counter()
    for room in demo.rooms:
        asked = time.perf_counter()
        told = []
        advise(demo, room.id, told=lambda _, told=told: told.append(time.perf_counter()))
        first.append(told[0] - asked)
    everything = time.perf_counter() - begin
    hold_to(1.0, max(first), f"the adviser with pairs, first answers from {min(first):.1f} s on; the last")
    hold_to(20.0, everything, f"all of it, {len(demo.rooms)} rooms, one process")


def test_what_to_buy(demo):
    """Of another project, so that nothing is known of it."""
    begin = time.perf_counter()
    found = purchases(replace(demo, name=f"{demo.name} "))
    hold_to(12.0, time.perf_counter() - begin, f"what to buy, {len(found)} of {len(demo.rooms)} rooms")
    assert found
