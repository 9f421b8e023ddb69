"""Where the hold of a room has no effect, what makes its light is tuned instead: off-delays of zones, holds of rows."""

from __future__ import annotations

import json

import pytest
from msgspec.structs import replace

from samples import CHAIR, make_room, rect, tracked
from vastwatch.advice.judging.delays import LOOKED_AT, delays
from vastwatch.advice.judging.judge import judge, legal_holds
from vastwatch.advice.judging.parameters import makers, parameters
from vastwatch.advice.judging.settings import JudgeSettings, judging_by
from vastwatch.advice.judging.timing import tune
from vastwatch.cli import main
from vastwatch.control.light.daylight import darkness
from vastwatch.control.lighting import made_by
from vastwatch.design.expressions import AllOf, ConclusionRef, Dark, Hold, OnDelay, Report
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Conclusion, LadderRow, LampLevel, Scene
from vastwatch.files import save_project
from vastwatch.files.check import faults_of
from vastwatch.rehearsal import rehearse
from vastwatch.site.building import Needs
from vastwatch.site.people import Errand, Person, Stay


def lenient(project: Project) -> Project:
    """Somebody at the desk in the evening, and needs that a few weeks can prove."""
    evenings = Person(
        id="a", name="A", stays=(Stay(at="17:00", spot="chair"), Stay(at="23:30", spot="exit")),
        errands=(Errand(between=("18:00", "23:00"), spot="exit", per_day=3, minutes=10),),
    )  # fmt: skip
    project = replace(project, people=(evenings,))
    return put(project, replace(project.rooms[0], needs=Needs(drops_per_week=90.0, notice_s=30.0)))


def by_a_row(seconds: float, **changes) -> Project:
    """The light of the big room is on while its PIR, held, says so; what is concluded of the room has no say."""
    room = lenient(make_room())
    return replace(
        room,
        scenes=(Scene(id="full", room="big", name="Full", levels=(LampLevel(lamp="lamp", level=1.0),)),),
        rules=(
            LadderRow(
                id="row", room="big", name="At work", scene="full",
                when=AllOf(of=(Hold(of=Report(sensor="pir"), seconds=seconds), Dark(room="big"))),
            ),
        ),
        **changes,
    )  # fmt: skip


def by_zones(off_delay_s: float) -> Project:
    small = replace(CHAIR, outline=rect(1.62, 1.62, 2.2, 2.2), off_delay_s=off_delay_s)
    project = lenient(tracked(zones=(small,)))
    return put(project, replace(project.lamps[0], zone="zc"))


def seconds_of(project: Project) -> float:
    return find(project.rules, "row").when.of[0].seconds


def test_what_a_hold_decides_needs_no_other_delay(room):
    assert made_by(room, "big") == "presence" and delays(room, "big") is None


@pytest.mark.parametrize("now", [15.0, 1200.0])
def test_the_hold_of_a_row_is_the_shortest_that_meets_every_need(now):
    project = by_a_row(now)
    assert made_by(project, "big") == "rows"
    found = delays(project, "big")
    assert found is not None and found.judged.meets_now
    (change,) = found.changes
    assert (change.name.endswith("row “At work”"), change.before_s) == (True, now)
    # All of them tried, one by one: none shorter meets every need.
    tried = [v for v in makers(project, "big")[0].values if v in legal_holds(project, "big")]
    meets = [v for v in tried if judge(by_a_row(v), "big").meets_now]
    assert change.seconds == meets[0] == seconds_of(found.project)
    # It is what anybody finds who sets it by hand, whatever the room's device hold time is.
    by_hand = judge(by_a_row(change.seconds), "big")
    assert found.judged.metrics_at(found.judged.current_s) == by_hand.metrics_at(by_hand.current_s)
    assert list(faults_of(found.project)) == [] and seconds_of(found.set_in(project)) == change.seconds
    # Set, there is no more to be said.
    again = delays(found.project, "big")
    assert again is not None and again.changes == () and "best as they are" in tune(found.project, "big").reason


def test_what_few_seeds_leave_open_is_settled_on_all_of_them():
    """A first look at few seeds is less sure, and asks for a longer hold than all of them do."""
    project = by_a_row(1200.0)
    with judging_by(JudgeSettings(7, tuple(range(1, 13)), (1001,), 2)):
        legal = [v for v in makers(project, "big")[0].values if v in legal_holds(project, "big")]
        first, every = (
            next(v for v in legal if judge(by_a_row(v), "big", seeds=seeds).meets_now)
            for seeds in (range(1, LOOKED_AT + 1), range(1, 13))
        )
        found = delays(project, "big")
        assert first > every and found is not None and found.changes[0].seconds == every


def test_whoever_no_row_notices_is_left_in_the_dark():
    """Light is due to anybody who is there, not to those alone whom a row's sensor reports: rehearsal and judge agree."""
    project = by_a_row(60.0)
    unseen = put(project, replace(project.sensors[0], yaw=45.0))
    r = rehearse(unseen, 7, 1)
    need = r.awake("big") & darkness(unseen, r.calendar)["big"]
    assert r.needs_light("big").same_as(need) and need.total() > 20 * 3600
    assert r.scores["big"].dark_min > 0.9 * need.total() / 60 / 7
    lived = judge(unseen, "big", 7, (1,))
    assert lived.metrics_at(60.0)[1] == pytest.approx(r.scores["big"].dark_min)
    # No delay helps somebody whom nothing sees, and that is said.
    found = delays(unseen, "big")
    assert found is not None and not found.judged.meets_now
    assert "Not fixed by any delay" in tune(unseen, "big").reason


def test_a_conclusion_that_a_row_names_is_set_where_it_stands():
    project = by_a_row(60.0)
    other = Conclusion(
        id="work", room="big", name="At the bench", lights=False, expr=Hold(of=Report(sensor="pir"), seconds=15.0)
    )
    named = replace(
        project, presences=(*project.presences, other),
        rules=(replace(project.rules[0], when=AllOf(of=(OnDelay(of=ConclusionRef(presence="work"), seconds=2.0), Dark(room="big")))),),
    )  # fmt: skip
    assert made_by(named, "big") == "rows"
    keys = [p.key for p in makers(named, "big")]
    assert keys == ["row:0:seconds", "work::seconds"] and set(keys) <= {p.key for p in parameters(named, "big")}
    found = delays(named, "big")
    assert found is not None and {c.key for c in found.changes} <= set(keys)
    assert find(found.project.presences, "work").expr.seconds > 15.0 and found.judged.meets_now
    assert find(found.project.presences, "here") is find(named.presences, "here")


def test_the_off_delay_of_zones_is_tuned_and_told(tmp_path, capsys):
    project = by_zones(5.0)
    assert made_by(project, "big") == "zones"
    found = delays(project, "big")
    assert found is not None and [c.name for c in found.changes] == ["off-delay of Chair"]
    longer = found.changes[0].seconds
    assert longer > 5.0 and find(found.project.zones, "zc").off_delay_s == longer
    before, after = judge(project, "big"), found.judged
    assert after.metrics_at(after.current_s)[0] < before.metrics_at(before.current_s)[0]
    path = tmp_path / "zones.vastwatch.json"
    save_project(project, path)
    assert main(["tune", str(path), "--room", "big", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["delays"]
    assert told["set"] == [{"name": "off-delay of Chair", "seconds": longer, "before_s": 5.0}]
    assert told["meets_brief"] == after.meets_now


def test_a_radar_sets_no_longer_delay_than_it_can():
    project = by_zones(5.0)
    kind = next(d for d in project.devices if d.id == "radar-24-tracker")
    short = put(project, replace(kind, zone_rules=replace(kind.zone_rules, off_delay_max_s=20.0)))
    assert makers(short, "big")[0].values[-1] == 20.0
