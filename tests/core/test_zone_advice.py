"""Checks of zones, what helps, proposals, edits, files, and the command line."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from shapely import Polygon

from samples import CHAIR, STOOL, device, rect, tracked
from vastwatch.advice.adviser.zone_remedies import zone_remedies
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.checks.zones import zone_findings
from vastwatch.advice.detection.zone_matrix import matrix
from vastwatch.advice.detection.zone_proposal import propose_zones
from vastwatch.cli import main
from vastwatch.design.edits.whole_rooms import move_room
from vastwatch.design.edits.zones import add_zone, clear_of, replace_zones, set_outline, tidy
from vastwatch.design.expressions import Hold, Report
from vastwatch.design.placed import settings_faults, settings_words
from vastwatch.design.project import find, put
from vastwatch.design.records import Settings, Zone
from vastwatch.design.references import without
from vastwatch.devices.faults import faults
from vastwatch.files import load_project, save_project
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.bodies import SEATED, STANDING, Stayer, Walker
from vastwatch.sensing.model import stay_detection, walker_rate
from vastwatch.sensing.mounted import mount, zoned_sensor
from vastwatch.site.building import Hazard, Spot

# -- advice ---------------------------------------------------------------------------------------------------------


def rules_of(project):
    return {f.rule for f in zone_findings(project, find(project.sensors, "t"))}


@pytest.mark.parametrize(
    ("zones", "rule"),
    [
        ((replace(CHAIR, outline=rect(0.2, 3.2, 0.5, 3.9)),), "zone-unseen"),
        ((replace(CHAIR, outline=rect(0.9, 0.9, 2.1, 2.1)), replace(STOOL, outline=rect(1.5, 1.5, 3.9, 3.4))), "zones-overlap"),
        ((replace(CHAIR, outline=rect(30.0, 1.0, 31.0, 2.0)),), "zone-unseen"),
        ((replace(CHAIR, off_delay_s=9_000.0),), "zone-delay"),
        ((replace(CHAIR, sensitivity_below_max=2),), "zone-sensitivity"),
        ((replace(CHAIR, role="ignore"),), "zone-hides"),
        (tuple(replace(CHAIR, id=f"z{k}", outline=rect(1 + k, 1.0, 1.5 + k, 1.5)) for k in range(5)), "zones-too-many"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told(zones, rule):
    assert rule in rules_of(tracked(zones=zones))


def test_zones_of_what_has_none_are_kept_aside(tmp_path):
    project = tracked(zones=(CHAIR, STOOL))
    state = device("radar-24-state")
    plain = put(
        replace(project, devices=(*project.devices, state)), replace(find(project.sensors, "t"), device=state.id)
    )
    assert rules_of(plain) == {"zones-aside"} and plain.zones == project.zones
    save_project(plain, tmp_path / "p.vastwatch.json")
    kept = load_project(tmp_path / "p.vastwatch.json").zones
    assert [(z.id, z.outline) for z in kept] == [(z.id, z.outline) for z in project.zones]
    assert all(key[1] is None or not key[1].startswith("zone") for key in rehearse(plain, 1, 1).recording.reports)


def test_a_badly_hung_tracker_is_told_and_turning_it_helps():
    project = tracked(at=(0.1, 3.9, 1.2), yaw=12.0, zones=(CHAIR, STOOL))
    assert rules_of(project) & {"zone-missed", "zone-unseen"}
    found = zone_remedies(project, find(project.sensors, "t"))
    assert found and found[0].after < found[0].before and "to the right" in found[0].text
    new = put(project, found[0].sensor)
    known = zoned_sensor(new, found[0].sensor)
    held = known.counted[known.intended]
    assert found[0].counted_after == pytest.approx(held.min() if len(held) == 2 else 0.0)
    # Mounted elsewhere is never told as worse than what it is.
    assert all(h.after < h.before for h in zone_remedies(project, find(project.sensors, "t"), moving=True))


def test_zones_on_one_press_are_clear_of_each_other_and_serve():
    mirror = Hazard(id="m", level="g", name="Mirror", kind="mirror or metal", outline=rect(4.0, 0.3, 4.6, 0.4))
    project = replace(tracked(), hazards=(mirror,))
    sensor = find(project.sensors, "t")
    made = propose_zones(project, sensor)
    assert [z.role for z in made.zones].count("detect") == 2 and {"entry", "ignore"} <= {z.role for z in made.zones}
    assert made.wrong < 0.1 and len(made.zones) <= 4
    for a in made.zones:
        for b in made.zones:
            assert a is b or Polygon(a.outline).distance(Polygon(b.outline)) >= 0.1 - 1e-6
    new = replace_zones(project, sensor, made.zones)
    assert not {"zone-missed", "zones-overlap", "zones-too-many"} & rules_of(new)
    # Of two seats that it cannot tell apart it makes one zone.
    close = replace(project, spots=(*project.spots, Spot(id="next", room="big", name="next chair", at=(1.5, 1.95),
                                                         posture="seated", activity="desk")))  # fmt: skip
    assert [z.role for z in propose_zones(close, sensor).zones].count("detect") == 2


def test_the_matrix_is_that_of_the_zones():
    project = tracked(zones=(CHAIR, replace(STOOL, role="entry", outline=rect(4.2, 0.3, 4.95, 1.4))))
    known = zoned_sensor(project, find(project.sensors, "t"))
    rows = matrix(project, known)
    by = {r.words: r for r in rows}
    assert by["chair"].own == (True, False) and by["chair"].chance == tuple(known.counted[0])
    assert by["in from the small room"].own == (False, True) and by["in from the small room"].chance[1] > 0.5


@pytest.mark.parametrize(("zone", "unseen"), [("zc", False), ("zs", True)])
def test_a_zone_keeps_the_light_of_its_own_seat_alone(zone, unseen):
    project = tracked(zones=(CHAIR, STOOL))
    expr = Hold(of=Report(sensor="t", zone=zone), seconds=60.0)
    project = put(project, replace(project.presences[0], expr=expr))
    assert ("chair" in {f.records[0] for f in findings(project) if f.rule == "spot-unseen"}) == unseen


def test_the_sample_has_zones_without_fault(demo):
    assert not [f for f in findings(demo) if f.rule.startswith("zone")]


# -- edits, types, files --------------------------------------------------------------------------------------------


def test_outlines_are_tidied_and_kept_clear():
    assert tidy([(0, 0), (0, 0), (1, 0), (1, 1.004), (0, 1)]) == ((0, 0), (1, 0), (1, 1), (0, 1))
    with pytest.raises(ValueError, match="cross"):
        tidy([(0, 0), (1, 1), (1, 0), (0, 1)])
    with pytest.raises(ValueError, match="too small"):
        tidy([(0, 0), (1, 0), (0.5, 0.02)])
    assert clear_of(rect(0, 0, 1, 1), [rect(2, 0, 3, 1)], 0.1) == rect(0, 0, 1, 1)
    cut = clear_of(rect(0, 0, 1, 1), [rect(0.8, -1, 3, 3)], 0.1)
    assert max(x for x, _ in cut) == pytest.approx(0.7)
    assert clear_of(rect(0, 0, 1, 1), [rect(0.1, -1, 3, 3)], 0.1) is None


def test_a_zone_is_drawn_changed_and_goes_with_its_sensor():
    project, zone = add_zone(tracked(), "t", rect(1, 1, 2, 2))
    project, other = add_zone(project, "t", rect(3, 1, 4, 2))
    assert (zone.name, other.name) == ("Zone", "Zone 2")
    project = set_outline(project, zone.id, rect(1, 1, 2, 3))
    assert find(project.zones, zone.id).outline[2] == (2, 3)
    lamp = replace(project.lamps[0], zone=zone.id)
    gone = without(put(project, lamp), ["t"])
    assert gone.zones == () and gone.lamps[0].zone is None


def test_zones_go_along_with_their_room():
    project = tracked(zones=(CHAIR,))
    moved = move_room(project, "big", -3.0, 0.0).project
    assert find(moved.zones, "zc").outline[0] == (CHAIR.outline[0][0] - 3.0, CHAIR.outline[0][1])
    before, after = (zoned_sensor(p, find(p.sensors, "t")) for p in (project, moved))
    assert before.shapes[0].numbers == after.shapes[0].numbers


def test_bands_have_sensitivities_of_their_own():
    project = tracked("radar-24-bands")
    sensor = find(project.sensors, "t")
    points = np.array([(1.0, 2.0), (3.6, 2.0)])

    def rates(**more):
        placed = replace(sensor, settings=replace(sensor.settings, **more))
        mounted = mount(put(project, placed), placed)
        seen = stay_detection(mounted, points, Stayer(SEATED))
        return walker_rate(mounted, points, Walker(STANDING, 1.0, 0.0)), seen.still_per_s

    plain, low = rates(), rates(bands_below_max=(0, 0, 0, 0, 0, 8))
    still = rates(bands_still_below_max=(0, 0, 0, 0, 0, 8))
    # The farther place is read in the sixth band, the nearer in the second: each setting counts for its own alone.
    assert low[0][0] == plain[0][0] and low[0][1] < 0.5 * plain[0][1] and (low[1] == plain[1]).all()
    assert still[1][0] == plain[1][0] and still[1][1] < plain[1][1] and (still[0] == plain[0]).all()
    words = dict(settings_faults(device("radar-24-bands"), Settings(bands_below_max=(0,) * 9)))
    assert "8 bands, not 9" in words["bands_below_max"]
    assert (
        "no bands"
        in dict(settings_faults(device("radar-24-tracker"), Settings(bands_below_max=(1,))))["bands_below_max"]
    )
    assert "per band 9 7 of 9" in settings_words(device("radar-24-bands"), Settings(bands_below_max=(0, 2)))


def test_what_moves_within_a_zone_is_told_until_it_is_ignored():
    fan = Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(1.6, 1.6, 1.9, 1.9), strength=1.0)
    project = replace(tracked(zones=(CHAIR,)), hazards=(fan,))
    assert "zone-moves" in rules_of(project)
    over = Zone(id="zi", sensor="t", name="Over", role="ignore", outline=rect(1.3, 1.3, 2.2, 2.2))
    assert "zone-moves" not in rules_of(replace(project, zones=(over,)))


def test_the_rules_of_a_type_are_checked():
    type_ = device("radar-24-tracker")
    rules = type_.zone_rules
    wrong = {
        "zones": replace(type_, zone_rules=None),
        "zone_rules.confirm_of": replace(type_, zone_rules=replace(rules, confirm_of=(4, 3))),
        "zone_rules.step": replace(type_, zone_rules=replace(rules, step=50.0)),
        "zone_rules.off_delay_max_s": replace(type_, zone_rules=replace(rules, off_delay_max_s=1.0)),
        "zone_rules.shape": replace(type_, zones=0),
    }
    assert not faults(type_)
    for field, bad in wrong.items():
        assert field in {f for f, _ in faults(bad)}


def test_a_tracker_of_an_older_file_gets_usual_rules(tmp_path, demo):
    path = tmp_path / "old.vastwatch.json"
    save_project(demo, path)
    document = json.loads(path.read_text())
    document["version"], document["zones"] = 4, []
    document["presences"] = [{k: p[k] for k in ("id", "room", "name", "expr")} for p in document["presences"][:6]]
    for d in document["devices"]:
        d.pop("zone_rules", None)
    for lamp in document["lamps"]:
        lamp.pop("zone", None)
    for sensor in document["sensors"]:
        for field in ("measured_at", "measured_yaw", "measured_bias_m"):
            sensor["settings"].pop(field, None)
    path.write_text(json.dumps(document))
    project = load_project(path)
    assert find(project.devices, "radar-24-tracker").zone_rules is not None and project.zones == ()


# -- the command line -----------------------------------------------------------------------------------------------


def told(capsys, *args):
    assert main([*args, "--json"]) == 0
    return json.loads(capsys.readouterr().out)["sensors"]


def test_the_command_line_tells_numbers_and_chances(capsys, demo):
    shop = told(capsys, "zones", "--demo", "--sensor", "tracker-shop")["tracker-shop"]
    known = zoned_sensor(demo, find(demo.sensors, "tracker-shop"))
    for j, zone in enumerate(known.zones):
        said = shop["zones"][zone.id]
        assert tuple(said["numbers"].values()) == known.shapes[j].numbers and said["unit"] == "cm"
        assert {s.id for s in known.spots} == set(shop["noticed"]) < set(said["spots"])
        for s, p in zip(known.spots, known.counted[:, j]):
            assert said["spots"][s.id] == pytest.approx(p, abs=1e-4)
        assert len(said["outline_m"]) > 8 and said["false_min_per_day"] < 3
    assert shop["findings"] == []
    sitting = told(capsys, "zones", "--demo", "--sensor", "tracker-sitting")["tracker-sitting"]
    known = zoned_sensor(demo, find(demo.sensors, "tracker-sitting"))
    corners = sitting["zones"]["zone-sofa"]["numbers"]["corners"]
    assert [v for corner in corners for v in corner] == list(known.shapes[0].numbers)


def test_the_command_line_proposes_and_refuses(capsys, tmp_path):
    path = tmp_path / "p.vastwatch.json"
    save_project(tracked(), path)
    made = told(capsys, "zones", str(path), "--sensor", "t", "--for-room")["t"]
    assert made["proposed"]["heuristic"] and len(made["zones"]) >= 3
    assert told(capsys, "zones", str(path)) == {
        "t": {"noticed": ["chair", "stool"], "zones": {}, "findings": [], "helps": []}
    }
    assert main(["zones", str(path), "--sensor", "nobody"]) == 1
    assert "unknown sensor 'nobody'" in capsys.readouterr().err
    bad = json.loads(path.read_text())
    bad["zones"] = [{"id": "z", "sensor": "gone", "name": "Z", "outline": [[0, 0], [1, 0], [1, 1]]}]
    Path(path).write_text(json.dumps(bad))
    assert main(["zones", str(path)]) == 1
    assert "zones[0].sensor: unknown sensor 'gone'" in capsys.readouterr().err
