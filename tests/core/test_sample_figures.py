"""What the program says of the sample building changes only on purpose: `make sample-figures` writes it anew."""

from __future__ import annotations

import json
from typing import Any

import pytest

from sample_figures import GOLDEN, TOPICS, rounded, sample, turned
from vastwatch.advice.checks.findings import findings
from vastwatch.sensing.coverage import spot_notice_s


def first_difference(was: Any, now: Any, at: str = "") -> str | None:
    """Where two pieces of data differ first, by more than rounding; None where they do not."""
    if isinstance(was, dict) and isinstance(now, dict):
        if was.keys() != now.keys():
            return f"{at}: {sorted(was.keys() ^ now.keys())}"
        pairs = [(was[k], now[k], f"{at} > {k}") for k in was]
    elif isinstance(was, list) and isinstance(now, list):
        if len(was) != len(now):
            return f"{at}: {len(was)} entries were, {len(now)} are"
        pairs = [(a, b, f"{at} > {k}") for k, (a, b) in enumerate(zip(was, now))]
    elif isinstance(was, float | int) and isinstance(now, float | int) and float in (type(was), type(now)):
        return None if now == pytest.approx(was, rel=2e-4, abs=1e-9) else f"{at}: {was} was, {now} is"
    else:
        return None if was == now else f"{at}: {was!r} was, {now!r} is"
    return next((d for a, b, where in pairs if (d := first_difference(a, b, where)) is not None), None)


@pytest.mark.parametrize("topic", TOPICS)
def test_the_sample_says_what_it_said(topic):
    was = json.loads((GOLDEN / f"{topic}.json").read_text(encoding="utf-8"))
    assert first_difference(was, json.loads(json.dumps(rounded(TOPICS[topic]())))) is None


def test_the_difference_is_told_by_its_place():
    was = {"a": [1.0, {"b": "x"}], "c": [1, 2]}
    assert first_difference(was, {"a": [1.00001, {"b": "x"}], "c": [1, 2]}) is None
    assert first_difference(was, {"a": [1.1, {"b": "x"}], "c": [1, 2]}) == " > a > 0: 1.0 was, 1.1 is"
    assert first_difference(was, {"a": [1.0, {"b": "y"}], "c": [1, 2]}) == " > a > 1 > b: 'x' was, 'y' is"
    assert first_difference(was, {"a": [1.0, {"b": "x"}], "c": [1]}) == " > c: 2 entries were, 1 are"
    assert first_difference(was, {"a": [1.0, {"b": "x"}]}) == ": ['c']"


@pytest.mark.parametrize("degrees", [25.0, 90.0, 213.0])
def test_a_building_turned_on_its_site_senses_as_before_but_for_the_sun(degrees):
    plain, other = sample(), turned(sample(), degrees)

    def told(project):
        # The ways into the landing lie on the plan's grid, and miss what is asked by a hundredth or keep to it.
        near = ("walker-unseen", ("landing", "presence-landing"))
        rules = {(f.rule, f.records) for f in findings(project) if "shop-sun" not in f.records}
        # How often a light flickers is counted in one week, and near what is worth a word.
        return {(rule, records) for rule, records in rules if rule != "scene-flickers"} - {near}

    assert told(other) == told(plain)
    for sensor in plain.sensors:
        for a, b in zip(plain.spots, other.spots):
            here, there = spot_notice_s(plain, sensor.id, a), spot_notice_s(other, sensor.id, b)
            assert there == pytest.approx(here, rel=2e-3), (sensor.id, a.id)
