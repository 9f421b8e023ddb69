"""What a house concludes of beds, floors and itself, held against where people really were: each statement built of
those before it, written to a file and read again."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from samples import device
from vastwatch.design.conclusions import evaluation_order
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.expressions import AllOf, AnyOf, AtLeast, ClockTime, ConclusionRef, Hold, Not, OnDelay, Report
from vastwatch.design.project import find, put
from vastwatch.design.records import Conclusion
from vastwatch.files.project_file import load_project, save_project
from vastwatch.rehearsal import Rehearsal, rehearse
from vastwatch.signals import Signal, all_of, any_of

DAYS = 7
LATE_S = 60.0


@pytest.fixture(scope="module")
def house(demo, tmp_path_factory) -> Rehearsal:
    """The sample with a mat on each side of the bed, and statements about beds, floors and the house."""
    project, mats = demo, []
    for spot in ("bed-left", "bed-right"):
        at = find(project.spots, spot).at
        project, mat = add_sensor(project, device("mat-bed-strip"), "upper", (*at, 0.5), 90.0, 0.0, None)
        # Folded, on springs, at the hips: sure under anybody who sleeps there.
        bed = next(f for f in project.furnishings if f.kind == "bed" and f.level == "upper")
        project = put(
            project,
            replace(mat, host=bed.id, settings=replace(mat.settings, folded=True)),
        )
        light = find(project.devices, mat.device)
        project = put(project, replace(light, closing_kpa=0.3))
        mats.append(mat.id)
    left, right = (Hold(of=Report(sensor=m), seconds=30) for m in mats)
    somebody = AnyOf(of=(ConclusionRef(presence="upstairs"), ConclusionRef(presence="downstairs")))
    more = (
        Conclusion(id="in-bed", room="bedroom", lights=False, name="Anyone in bed", expr=AnyOf(of=(left, right))),
        Conclusion(id="all-in-bed", room="bedroom", lights=False, name="Everyone in bed", expr=AllOf(of=(left, right))),
        Conclusion(
            id="one-in-bed", name="One in bed and the other up", lights=False,
            expr=AllOf(of=(ConclusionRef(presence="in-bed"), Not(of=AtLeast(k=2, of=(left, right))))),
        ),
        Conclusion(
            id="asleep", level="upper", lights=False, name="Floor asleep",
            expr=AllOf(of=(ConclusionRef(presence="all-in-bed"), Not(of=ConclusionRef(presence="presence-sitting")))),
        ),
        Conclusion(
            id="only-cat", name="Nobody but the cat", lights=False,
            expr=AllOf(of=(Report(sensor="pir-landing"), ConclusionRef(presence="all-in-bed"))),
        ),
        Conclusion(
            id="empty", name="House empty", lights=False,
            expr=OnDelay(of=Not(of=AnyOf(of=(somebody, ConclusionRef(presence="in-bed")))), seconds=1800),
        ),
        Conclusion(
            id="night", name="Bedtime", lights=False,
            expr=AllOf(of=(ClockTime(begin="21:00", end="07:00"), ConclusionRef(presence="in-bed"))),
        ),
    )  # fmt: skip
    project = replace(project, presences=(*project.presences, *more))
    path = tmp_path_factory.mktemp("house") / "house.vastwatch.json"
    save_project(project, path)
    return rehearse(load_project(path), DAYS, 1)


def lying(r: Rehearsal, spot: str) -> Signal:
    k = next(i for i, s in enumerate(r.truth.spots) if s.id == spot)
    rows = [
        (float(a), min(float(b), r.truth.end))
        for t in r.truth.tracks
        if t.person.kind != "pet"
        for a, b, s in zip(t.arrive, t.leave, t.spot)
        if s == k
    ]
    return Signal.from_intervals(sorted(rows), 0.0, r.truth.end)


def said(r: Rehearsal, ident: str) -> Signal:
    return r.house.conclusions.presences[ident]


def apart(a: Signal, b: Signal) -> float:
    return ((a - b) | (b - a)).total()


def test_nothing_names_itself_and_all_are_concluded(house):
    assert {p.id for p in house.project.presences} == {p.id for p in evaluation_order(house.project).sound}


def test_beds_are_as_people_lie_in_them(house):
    left, right = lying(house, "bed-left"), lying(house, "bed-right")
    assert left.total() > 5 * 3600 and right.total() > 5 * 3600
    times = len(left) + len(right)
    for ident, truth in (
        ("in-bed", any_of([left, right])),
        ("all-in-bed", all_of([left, right])),
        ("one-in-bed", (left | right) - (left & right)),
    ):
        # But for the moments in which somebody lies down or rises.
        assert apart(said(house, ident), truth) <= LATE_S * times, ident
    assert said(house, "in-bed").total() > said(house, "all-in-bed").total() > 0


def test_a_floor_is_asleep_while_both_are_in_bed_and_nobody_sits_up(house):
    asleep = said(house, "asleep")
    assert asleep.total() > 0
    assert (asleep - said(house, "all-in-bed")).total() == 0 and (asleep & said(house, "presence-sitting")).total() == 0


def test_what_is_noticed_while_both_sleep_is_the_cat(house):
    cat = said(house, "only-cat")
    both = all_of([lying(house, "bed-left"), lying(house, "bed-right")])
    assert len(cat.rises) > 0 and (cat - both.hold(LATE_S)).total() < LATE_S * len(both)


def test_a_house_is_not_called_empty_over_sleepers(house):
    anybody = any_of([house.occupied(r.id) for r in house.project.rooms])
    empty = said(house, "empty")
    sleepers = any_of([lying(house, "bed-left"), lying(house, "bed-right")])
    assert (empty & sleepers).total() < LATE_S
    # Rooms that nothing listens in may hide somebody; beds and watched rooms do not.
    watched = any_of([house.occupied(r) for r in ("shop", "toilet")])
    assert (empty & watched).total() < 0.02 * anybody.total()


def test_bedtime_is_of_the_clock_and_the_bed(house):
    calendar = house.calendar
    for a, b in said(house, "night").intervals.tolist():
        middle = calendar.clock_s((a + b) / 2)
        assert middle >= 21 * 3600 - 1 or middle <= 7 * 3600 + 1
