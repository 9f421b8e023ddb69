"""Every setting of a placed device counts, those of combined devices too; what cannot be set is told."""

from __future__ import annotations

import json

import numpy as np
import pytest
from msgspec.structs import replace

from samples import built_cells, device, make_room
from vastwatch.advice.checks.findings import findings
from vastwatch.advice.detection.messages import messages
from vastwatch.advice.judging.judge import legal_holds
from vastwatch.causes.chain import explain
from vastwatch.causes.counterfactual import with_default_range
from vastwatch.causes.investigation import investigation
from vastwatch.cli import main
from vastwatch.design.needs import needs_in_words, needs_of
from vastwatch.design.placed import (
    STEP,
    as_placed,
    at_hour,
    own_hold_s,
    settable_hold,
    settings_by_part,
    settings_faults,
    settings_words,
)
from vastwatch.design.project import find, put
from vastwatch.design.records import DayPart, Settings
from vastwatch.devices import catalogue
from vastwatch.devices.battery import battery_years, charge_ah, intervals_per_day
from vastwatch.files.project_file import save_project
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.bodies import SEATED, STANDING, Stayer, Walker
from vastwatch.sensing.coverage import coverage
from vastwatch.sensing.model import settings_of, stay_detection, walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Circuit, Socket


def with_sensor(kind: str, **settings: object):
    """A room with one device of a type at its PIR's place, set so."""
    room = make_room()
    type_ = device(kind)
    sensor = replace(room.sensors[0], at=(0.2, 2.0, 1.5), yaw=0.0, device=kind, settings=Settings(**settings))  # type: ignore[arg-type]
    return put(replace(room, devices=(*[d for d in room.devices if d.id != kind], type_)), sensor), sensor


AT = np.array([[4.8, 2.0]])


def still(kind: str, **settings: object) -> float:
    project, sensor = with_sensor(kind, **settings)
    return float(stay_detection(mount(project, sensor), AT, Stayer(SEATED)).rate(0.0)[0])


def walker(kind: str, **settings: object) -> float:
    project, sensor = with_sensor(kind, **settings)
    return float(walker_rate(mount(project, sensor), AT, Walker(STANDING, 1.0, 90.0))[0])


def test_a_step_of_infrared_leaves_what_three_decibels_leave():
    pir = device("pir-corner-12")
    assert pir.steps > 1
    set_ = as_placed(pir, Settings(infrared_below_max=1))
    assert set_.tangential_m == pytest.approx(pir.tangential_m * 10 ** (-3 / 40))
    assert set_.minor_m == pytest.approx(pir.minor_m * STEP)
    most = as_placed(pir, Settings(infrared_below_max=20))
    assert most.tangential_m == pytest.approx(pir.tangential_m * STEP ** (pir.steps - 1))
    assert as_placed(pir, Settings()) is pir
    assert walker("pir-corner-12", infrared_below_max=2) < walker("pir-corner-12")


def test_stillness_has_a_sensitivity_of_its_own():
    assert still("radar-24-state", still_below_max=4) < still("radar-24-state")
    assert walker("radar-24-state", still_below_max=4) == walker("radar-24-state")
    assert walker("radar-24-state", sensitivity_below_max=4) < walker("radar-24-state")
    # Both as low as each other: as if one knob had been turned.
    assert still("radar-24-state", sensitivity_below_max=2, still_below_max=2) == pytest.approx(
        still("radar-24-state", sensitivity_below_max=2)
    )


def test_both_parts_of_a_combined_device_can_be_set():
    base = walker("dual-24-corner")
    assert walker("dual-24-corner", infrared_below_max=2) < base
    assert walker("dual-24-corner", sensitivity_below_max=4) < base
    assert still("dual-24-corner", still_below_max=6) < still("dual-24-corner")
    wanted = {"hold_s", "infrared_below_max", "sensitivity_below_max", "still_below_max", "min_gate_m", "max_gate_m"}
    assert wanted < set(settings_of(device("dual-24-corner")))


def test_gates_near_and_far():
    assert walker("radar-24-state", max_gate_m=2.0) == 0 < walker("radar-24-state", max_gate_m=6.0)
    project, sensor = with_sensor("radar-24-state", min_gate_m=3.0)
    near, far = (np.array([[sensor.at[0] + dx, 2.0]]) for dx in (1.0, 4.0))
    mounted = mount(project, sensor)
    rates = [float(walker_rate(mounted, at, Walker(STANDING, 1.0, 90.0))[0]) for at in (near, far)]
    assert rates[0] == 0 < rates[1]


def test_what_was_measured_in_place_counts():
    for kind in ("pir-corner-12", "radar-24-state", "ultrasonic-wall-9", "dual-24-corner"):
        type_ = device(kind)
        assert as_placed(type_, Settings(measured_range_m=type_.reach_m() / 2)).reach_m() == pytest.approx(
            type_.reach_m() / 2
        )
        assert as_placed(type_, Settings(measured_latency_s=7.5)).latency.typical_s == 7.5
    # A radar was measured as it is set: its knob does not count twice.
    radar = device("radar-24-state")
    measured = walker("radar-24-state", measured_range_m=radar.moving_m, sensitivity_below_max=3)
    assert measured == pytest.approx(walker("radar-24-state"))
    project, _ = with_sensor("pir-corner-12")
    slow, _ = with_sensor("pir-corner-12", measured_latency_s=9.0)
    a, b = (rehearse(p, 2, 1).recording.report("pir").rises for p in (project, slow))
    assert len(a) and len(b) and b[0] - a[0] > 5.0


@pytest.mark.parametrize(("hold", "counts"), [(3000.0, 120.0), (4.0, 10.0), (34.0, 30.0), (36.0, 40.0), (60.0, 60.0)])
def test_an_own_hold_is_within_its_limits_and_on_its_steps(hold, counts):
    mat = replace(device("mat-seat"), hold_min_s=10.0, hold_max_s=120.0, hold_step_s=10.0)
    assert settable_hold(mat, hold) == counts
    assert own_hold_s(mat, Settings(hold_s=hold)) == counts
    told = dict(settings_faults(mat, Settings(hold_s=hold)))
    assert ("hold_s" in told) == (hold != counts)
    if hold != counts:
        assert "10 s to 2 min in steps of 10 s" in told["hold_s"]


def test_what_cannot_be_set_is_found():
    def fields(kind: str, **settings: object) -> set[str]:
        return {field for field, _ in settings_faults(device(kind), Settings(**settings))}  # type: ignore[arg-type]

    assert fields("pir-corner-12", sensitivity_below_max=1) == {"sensitivity_below_max"}
    assert fields("pir-corner-12", infrared_below_max=19) == {"infrared_below_max"}
    assert fields("radar-24-state", min_gate_m=4.0, max_gate_m=3.0) == {"min_gate_m"}
    assert fields("radar-24-state", max_gate_m=50.0) == {"max_gate_m"}
    assert fields("mat-seat", max_gate_m=2.0) == {"max_gate_m"}
    assert fields("mat-seat", measured_range_m=2.0) == {"measured_range_m"}
    assert fields("pir-corner-12", measured_range_m=60.0) == {"measured_range_m"}
    assert fields("mat-seat", report_interval_s=60.0) == {"report_interval_s"}
    for type_ in catalogue():
        assert not list(settings_faults(type_, Settings())), type_.id
    project, _ = with_sensor("radar-24-state", min_gate_m=4.0, max_gate_m=3.0)
    (found,) = [f for f in findings(project) if f.rule == "settings"]
    assert "it sees nothing" in found.text and found.records == ("pir",)


def test_what_is_set_is_told_in_words():
    pir = device("pir-corner-12")
    assert settings_words(pir, Settings()) == ""
    night = DayPart(begin="22:00", hold_s=100.0)
    parts = (DayPart(begin="07:00"), night)
    told = settings_words(pir, Settings(infrared_below_max=1, measured_latency_s=2.0, by_hour=parts))
    assert told.startswith("infrared 2 of 3; measured latency 2 s; from 07:00: infrared 2 of 3")
    assert "from 22:00: device hold time 1 min 40 s" in told
    # Each part has steps of its own.
    told = settings_words(device("dual-24-corner"), Settings(infrared_below_max=1, sensitivity_below_max=3))
    assert told == "infrared 2 of 3; sensitivity 7 of 10"


# -- by the hour ---------------------------------------------------------------------------------------------------


def test_in_each_part_of_the_day_it_reports_as_if_it_were_set_so_all_day():
    later = DayPart(begin="13:00", hold_s=100.0, infrared_below_max=2)
    early_on = DayPart(begin="07:30", hold_s=20.0)
    project, sensor = with_sensor("pir-corner-12", by_hour=(early_on, later))
    late, _ = with_sensor("pir-corner-12", hold_s=100.0, infrared_below_max=2)
    early, _ = with_sensor("pir-corner-12", hold_s=20.0)
    runs = {name: rehearse(p, 4, 1) for name, p in (("both", project), ("late", late), ("early", early))}
    reports = {name: r.recording.report(sensor.id) for name, r in runs.items()}
    calendar = runs["both"].truth.calendar
    assert not reports["late"].same_as(reports["early"])
    told = set()
    for t in np.arange(0.0, calendar.end, 17.0):
        clock = t % 86_400.0
        asked = "early" if 7.5 * 3600 <= clock < 13 * 3600 else "late"
        assert reports["both"].at(t) == reports[asked].at(t)
        if reports["late"].at(t) != reports["early"].at(t):
            told.add(asked)
    # In both parts the two settings are told apart.
    assert told == {"early", "late"}
    # What set it off is told of the device as it was set then.
    for day in range(4):
        n = runs["both"].notices(sensor.id, day)
        at = (n.start % 86_400.0 >= 7.5 * 3600) & (n.start % 86_400.0 < 13 * 3600)
        early_n = runs["early"].notices(sensor.id, day)
        mine = (early_n.start % 86_400.0 >= 7.5 * 3600) & (early_n.start % 86_400.0 < 13 * 3600)
        assert n.start[at].tolist() == early_n.start[mine].tolist()


def test_a_measured_range_is_shorter_where_a_part_of_the_day_is_less_sensitive():
    pir = device("pir-corner-12")
    parts = (DayPart(begin="07:00"), DayPart(begin="22:00", infrared_below_max=2))
    day, night = settings_by_part(Settings(measured_range_m=9.0, by_hour=parts))
    assert as_placed(pir, day).reach_m() == pytest.approx(9.0)
    assert as_placed(pir, night).reach_m() == pytest.approx(9.0 * STEP**2)


def test_parts_of_the_day_that_cannot_be_are_told():
    def told(*parts: DayPart) -> list[str]:
        return [w for f, w in settings_faults(device("pir-corner-12"), Settings(by_hour=parts)) if f == "by_hour"]

    assert not told(DayPart(begin="07:00", hold_s=10.0), DayPart(begin="22:00", hold_s=60.0))
    assert "at least two times" in told(DayPart(begin="07:00"))[0]
    assert "ascending order" in told(DayPart(begin="07:00"), DayPart(begin="07:00"))[0]
    assert "ascending order" in told(DayPart(begin="22:00"), DayPart(begin="07:00"))[0]
    (words,) = told(DayPart(begin="07:00", hold_s=7.0), DayPart(begin="22:00"))
    assert words.startswith("from 07:00 on:") and "cannot be set" in words


# -- leads ---------------------------------------------------------------------------------------------------------


def test_a_lead_that_is_too_short_is_told_with_its_metres():
    project, sensor = with_sensor("radar-24-state")
    lead = device("radar-24-state").lead_m

    def told(x: float) -> list[str]:
        socket = Socket(id="socket", level="g", name="Socket", at=(x, 2.0))
        return [f.text for f in findings(replace(project, sockets=(socket,))) if f.rule == "short-lead"]

    # Down the wall from 1.5 m to the socket at 0.3 m, and along it.
    near, far = (sensor.at[0] + lead - 1.2 + off for off in (-0.1, 0.1))
    assert not told(near)
    (words,) = told(far)
    assert f"a {lead:g} m cable" in words and f"{lead + 0.1:.1f} m away" in words


# -- what a local code asks ----------------------------------------------------------------------------------------


def test_a_code_caps_every_hold_and_is_the_readers_to_check():
    room = make_room()
    usual = needs_of(room, room.rooms[0]).hold_max_s
    assert usual > 240.0 and legal_holds(room, "big")[-1] == usual
    capped = replace(room, brief=replace(room.brief, code_hold_max_s=240.0))
    assert legal_holds(capped, "big")[-1] == 240.0
    (burn,) = [n for n in needs_in_words(capped, capped.rooms[0]) if n.field == "hold_max_s"]
    assert "check it" in burn.why
    # Nor does a room's own wish go beyond it.
    long = put(capped, replace(capped.rooms[0], needs=replace(capped.rooms[0].needs, hold_max_s=3600.0)))
    assert legal_holds(long, "big")[-1] == 240.0


def test_a_code_that_asks_for_a_hand_is_told_where_light_comes_by_itself():
    room = put(make_room(), replace(make_room().rooms[0], use="desk"))
    assert not [f for f in findings(room) if f.rule == "code-manual-on"]
    asked = replace(room, brief=replace(room.brief, code_manual_on=True))
    (found,) = [f for f in findings(asked) if f.rule == "code-manual-on"]
    assert "check it" in found.text and found.room == "big"
    by_hand = put(asked, replace(asked.rooms[0], control="absence"))
    assert not [f for f in findings(by_hand) if f.rule == "code-manual-on"]


def test_a_code_that_asks_for_half_light_is_told_where_it_goes_right_off():
    room = put(make_room(), replace(make_room().rooms[0], use="corridor"))
    assert not [f for f in findings(room) if f.rule == "code-half-off"]
    asked = replace(room, brief=replace(room.brief, code_half_off=True))
    (found,) = [f for f in findings(asked) if f.rule == "code-half-off"]
    assert found.severity == "risk" and "check it" in found.text and "dimmer" in found.text
    dimmer = device("module-dimmer-neutral")
    circuit = Circuit(id="c", name="C", lamps=("lamp",), neutral=True, module=dimmer.id)
    dimmed = replace(asked, devices=(*asked.devices, dimmer), circuits=(circuit,))
    (found,) = [f for f in findings(dimmed) if f.rule == "code-half-off"]
    assert found.severity == "note" and "half" in found.text


def test_maps_and_cards_show_a_sensor_as_it_is_set_at_the_hour():
    parts = (DayPart(begin="07:00"), DayPart(begin="22:00", infrared_below_max=2))
    project = make_room()
    sensor = replace(project.sensors[0], settings=Settings(by_hour=parts))
    by_hour = put(project, sensor)
    day, night, usual = (coverage(by_hour, "pir", "across", second=s) for s in (12 * 3600.0, 23 * 3600.0, None))
    cells, _ = built_cells(by_hour.rooms, sensor.level)
    night_s, day_s = night.at(cells), day.at(cells)
    seen = np.isfinite(night_s)
    assert (night_s[seen] >= day_s[seen]).all()
    assert (night_s[seen] > 1.2 * day_s[seen]).sum() > 100
    assert (usual.at(cells) == day_s).all()
    # Over midnight the evening's part goes on.
    assert (coverage(by_hour, "pir", "across", second=3600.0).notice_s == night.notice_s).all()
    assert at_hour(project.sensors[0], 5.0) is project.sensors[0]


# -- messages and cells --------------------------------------------------------------------------------------------


def test_a_humidity_tag_at_its_own_interval_lasts_as_long_as_it_computes_to():
    tag = device("humidity-tag")
    assert intervals_per_day(tag) == 86_400 / tag.interval_s
    b = tag.battery
    amperes = (
        b.sleep_ua * 1e-6 + b.report_ma * 1e-3 * b.report_ms * 1e-3 / tag.interval_s + charge_ah(b.cell) * 0.01 / 8766
    )
    assert battery_years(tag) == pytest.approx(charge_ah(b.cell) / amperes / 8766)
    assert battery_years(tag, interval_s=600.0) > 2 * battery_years(tag)


def test_cold_strings_and_other_cells():
    pir = device("pir-wall-8")
    cold, warm = (battery_years(pir, ambient_c=c) for c in (-10.0, 21.0))
    assert cold < 0.85 * warm
    assert charge_ah("AA", 0.0) < 0.7 * charge_ah("AA", 20.0) and charge_ah("CR2", 0.0) > 0.8 * charge_ah("CR2", 20.0)
    double = replace(pir, battery=replace(pir.battery, strings=2, sleep_ua=200.0))
    single = replace(double, battery=replace(double.battery, strings=1))
    assert battery_years(double) == pytest.approx(2 * battery_years(single), rel=0.05)
    other = replace(single, battery=replace(single.battery, or_cell="AA"))
    assert battery_years(other) == max(battery_years(single), battery_years(replace(single, battery=replace(
        single.battery, cell="AA"))))  # fmt: skip


def test_messages_are_the_changes_of_the_report_and_the_clock():
    project, sensor = with_sensor("pir-multi-9", report_interval_s=300.0)
    r = rehearse(project, 7, 1)
    sent = messages(project, r.recording)[sensor.id]
    report = r.recording.report(sensor.id)
    assert sent.per_day == pytest.approx(len(report.switches) / 7 + 288)
    most = max(((report.switches >= h) & (report.switches < h + 3600)).sum() for h in np.arange(0, 7 * 86_400, 3600.0))
    assert sent.most_in_an_hour == pytest.approx(most + 12)
    assert sent.battery_years == pytest.approx(battery_years(device("pir-multi-9"), len(report.switches) / 7, 300.0))


def test_too_many_messages_and_cells_that_do_not_last_are_found():
    project, _ = with_sensor("pir-multi-9", report_interval_s=2.0, hold_s=0.0)
    rules = {f.rule for f in findings(project)}
    assert {"too-many-messages", "cells"} <= rules
    calm, _ = with_sensor("pir-wall-8")
    assert not {"too-many-messages", "cells", "settings"} & {f.rule for f in findings(calm)}


def test_the_command_line_tells_messages_and_settings(tmp_path, capsys):
    project, sensor = with_sensor("pir-multi-9", report_interval_s=300.0)
    path = str(tmp_path / "it.vastwatch.json")
    save_project(project, path)
    assert main(["rehearse", path, "--days", "2", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["devices"][sensor.id]
    assert told["reports_per_day"] > 288 and told["battery_years"] > 0
    assert main(["coverage", path, "--json"]) == 0
    used = json.loads(capsys.readouterr().out)["sensors"][sensor.id]["settings"]
    assert used["report_interval_s"] == 300.0 and used["own_hold_s"] == device("pir-multi-9").hold_s


def test_what_is_set_too_low_is_a_cause_and_told():
    project, _ = with_sensor("radar-24-state", sensitivity_below_max=5)
    r = rehearse(project, 5, 1)
    found = investigation(r, "big", "dropped")
    assert found is not None
    tried = next(t for t in found.tests if t.counterfactual.factor == "settings")
    assert tried.counterfactual.record == "pir"
    links = [k for i in r.incidents if i.kind == "dropped" for k in explain(r, i).causes]
    assert any("sensitivity 5 steps down" in k.value for k in links)


@pytest.mark.parametrize(
    "set_", [{"infrared_below_max": 2}, {"still_below_max": 3}, {"max_gate_m": 2.5}, {"min_gate_m": 1.0}, {}]
)
def test_as_it_comes_takes_back_all_that_shortens_its_reach(set_):
    project, _ = with_sensor("dual-24-corner", hold_s=20.0, **set_)
    instead = with_default_range(project, "pir")
    if not set_:
        assert instead is None
        return
    assert instead is not None
    free = find(instead.project.sensors, "pir").settings
    assert all(getattr(free, name) == getattr(Settings(), name) for name in set_) and free.hold_s == 20.0
