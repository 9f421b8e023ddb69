"""Unsaved work that breaks the rules opens with what can be kept, and says by name what was left out."""

from __future__ import annotations

import json

import msgspec
import numpy as np
import pytest

from everything import everything
from vastwatch.design.project import COLLECTIONS
from vastwatch.files import ProjectError
from vastwatch.files.check import faults_of
from vastwatch.files.journal import Journal
from vastwatch.files.project_file import decode, encode, recovered


def _spoilt(rng: np.random.Generator, plain: dict) -> str:
    """Break one record in one of the ways in which edits or disks do; what was done."""
    lists = [c for c in COLLECTIONS if plain[c]]
    collection = lists[int(rng.integers(len(lists)))]
    record = plain[collection][int(rng.integers(len(plain[collection])))]
    way = int(rng.integers(5))
    if way == 0:
        plain[collection].remove(record)
    elif way == 1:
        field = sorted(record)[int(rng.integers(len(record)))]
        record[field] = {"not": "this"}
    elif way == 2 and "room" in record:
        record["room"] = "nowhere"
    elif way == 3 and "at" in record:
        record["at"] = [99_999.0] * len(record["at"])
    else:
        record["id"] = plain[lists[0]][0]["id"]
    return f"{collection} {way}"


@pytest.mark.parametrize("seed", range(6))
def test_spoilt_work_opens_with_the_rest_and_says_what_is_missing(seed):
    rng = np.random.default_rng(seed)
    whole = everything(seed)
    refused = 0
    for _ in range(12):
        plain = json.loads(encode(whole))
        ways = [_spoilt(rng, plain) for _ in range(int(rng.integers(1, 4)))]
        raw = json.dumps(plain).encode()
        kept = recovered(raw)
        assert not list(faults_of(kept.project)), ways
        assert encode(decode(encode(kept.project))) == encode(kept.project)
        try:
            decode(raw)
        except ProjectError:
            refused += 1
            # What is only missing leaves those who named it, and needs no telling of what is damaged.
            assert kept.left_out or any(way.endswith((" 0", " 2")) for way in ways), ways
            assert not any("[" in words.split(":")[0] for words in kept.left_out), kept.left_out
            # The building stands, but for what was hit or stood on it.
            assert len(kept.project.lamps) >= len(whole.lamps) // 3 or any("rooms" in w or "levels" in w for w in ways)
        else:
            assert kept.left_out == ()
    assert refused > 4


def test_a_lamp_in_the_wrong_room_leaves_its_scenes_and_nothing_else_is_lost(demo):
    plain = msgspec.to_builtins(demo)
    next(lamp for lamp in plain["lamps"] if lamp["id"] == "lamp-landing")["room"] = "bedroom"
    kept = recovered(json.dumps(plain).encode())
    assert kept.left_out == () and len(kept.project.scenes) == len(demo.scenes)
    assert len(kept.project.lamps) == len(demo.lamps)


def test_a_journal_with_such_work_is_offered(demo, tmp_path):
    mine = Journal(tmp_path)
    mine.write(demo, "relative.vastwatch.json")
    head, _, body = mine.file.read_bytes().partition(b"\n")
    mine.clear()
    plain = json.loads(body)
    plain["sensors"][0]["yaw"] = 1e300
    (tmp_path / "x.json").write_bytes(
        json.dumps({**json.loads(head), "life": "gone"}).encode() + b"\n" + json.dumps(plain).encode()
    )
    (leftover,) = Journal(tmp_path).leftovers()
    assert len(leftover.project.sensors) == len(demo.sensors) - 1
    (words,) = leftover.left_out
    assert demo.sensors[0].name in words and "is not from" in words
    # Where the program runs now, that name may mean another file.
    assert leftover.path is None


@pytest.mark.parametrize("raw", [b"{}", b"[1]", b'{"format": "vastwatch-project", "version": 99}', b"{" * 5000])
def test_what_is_no_project_is_still_refused(raw):
    with pytest.raises(ProjectError):
        recovered(raw)
