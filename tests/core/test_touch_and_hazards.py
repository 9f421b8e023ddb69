"""Mats, contacts and other sensors of what they are fixed to (M4); hazards and the computed sun patch."""

from __future__ import annotations

import math
from datetime import date

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from samples import device, make_room, rect
from vastwatch.advice.hardware.host_placement import host_placement
from vastwatch.causes.chain import explain
from vastwatch.design.edits.sensors import add_sensor
from vastwatch.design.places import opening_middle
from vastwatch.design.presence import reports
from vastwatch.design.project import Place, find, put
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of
from vastwatch.geometry import polygons
from vastwatch.rehearsal import rehearse
from vastwatch.sensing.bodies import Walker
from vastwatch.sensing.coverage import coverage, spot_notice_s
from vastwatch.sensing.families.mat import (
    CUSHION_M,
    FOLDED,
    GRAVITY,
    MATTRESS,
    MATTRESS_M,
    SPREAD,
    best_place,
    load_spread,
    margin,
    on_pad,
    pressure_kpa,
)
from vastwatch.sensing.hazards import active_intervals, false_rate, on_date, per_hour_words, sample_points
from vastwatch.sensing.model import walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.sunpatch import carried, sun_hours, sun_patch, sun_track
from vastwatch.signals import Signal
from vastwatch.site.building import Furnishing, Hazard, Opening

# -- pressure ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("posture", ["lying", "seated", "standing"])
@pytest.mark.parametrize("spread", [0.0, 0.07, 0.16])
def test_all_of_the_weight_that_rests_there_is_in_the_pressure(posture, spread):
    u, v = np.meshgrid(np.arange(-2, 2, 0.01), np.arange(-2, 2, 0.01))
    newtons = pressure_kpa(70.0, posture, u, v, spread).sum() * 1000 * 0.01**2
    share = 0.85 if posture == "seated" else 1.0
    assert newtons == pytest.approx(70 * GRAVITY * share, rel=0.01)


def test_the_hips_press_most_and_foam_spreads_the_load():
    """70 kg on 20 cm of springs, by hand: hips 254 N / (2 pi 0.130 0.157) = 1.98 kPa, and the tails of the torso,
    0.30, and the legs, 0.08: 2.36 kPa."""
    springs = float(pressure_kpa(70.0, "lying", 0.0, 0.0, 0.35 * 0.2))
    assert springs == pytest.approx(2.36, abs=0.01)
    foam = float(pressure_kpa(70.0, "lying", 0.0, 0.0, 0.8 * 0.2))
    assert foam < 0.62 * springs
    assert float(pressure_kpa(70.0, "lying", -0.5, 0.0, 0.07)) < springs


@given(st.floats(20, 140), st.floats(1.01, 2.0))
def test_twice_the_weight_twice_the_pressure(kg, k):
    assert float(pressure_kpa(kg * k, "lying", 0.1, 0.05, 0.1)) == pytest.approx(
        k * float(pressure_kpa(kg, "lying", 0.1, 0.05, 0.1))
    )


def test_a_strip_closes_on_springs_and_wants_folding_or_fails_on_foam(demo):
    strip, spot = device("mat-bed-strip"), find(demo.spots, "bed-left")
    bed = find(demo.furnishings, "bed")
    best = best_place(demo, strip, spot, 70.0)
    assert best.margin > 1.3
    sensor = Sensor(id="m", device=strip.id, level="upper", name="m", at=(*best.at, 0.3), yaw=best.yaw)
    flat = margin(sensor, strip, bed, spot.at, spot.facing, "lying", 70.0)
    folded = replace(sensor, settings=replace(sensor.settings, folded=True))
    assert margin(folded, strip, bed, spot.at, spot.facing, "lying", 70.0) == pytest.approx(FOLDED * flat)
    thick = replace(bed, mattress="foam", mattress_m=0.25)
    assert margin(folded, strip, thick, spot.at, spot.facing, "lying", 50.0) < 1.0
    # The other side of the bed is another fact.
    other = find(demo.spots, "bed-right")
    assert margin(folded, strip, bed, other.at, other.facing, "lying", 70.0) < 0.1


def test_a_mat_in_the_bed_reports_exactly_who_lies_there(demo):
    fixed = host_placement(demo, device("mat-bed-strip"), "upper", 9.4, 6.4)
    assert fixed.host == "bed"
    project, mat = add_sensor(demo, device("mat-bed-strip"), "upper", fixed.at, fixed.yaw, 0.0, fixed.host)
    project = put(project, replace(mat, settings=fixed.settings))
    # In a bedroom a mat means "in bed", which lights nothing.
    assert presence_of(project, "bedroom") is None
    r = rehearse(project, 2, 3)
    report = r.recording.report(mat.id)
    track = next(t for t in r.truth.tracks if t.person.id == "potter")
    spots = [s.id for s in r.truth.spots]
    in_bed = track.spot == spots.index("bed-left")
    for a, b in zip(track.arrive[in_bed], track.leave[in_bed]):
        if b - a > 60 and a > 0 and b < r.truth.end:
            assert report.at(np.array([a + 10, b - 1])).all()
            assert not report.at(np.array([a - 1.0]))[0]
    lying = (track.leave - track.arrive)[in_bed].sum()
    assert report.total() == pytest.approx(lying, rel=0.05)


def test_a_door_mat_feels_people_and_not_the_cat_and_a_contact_the_door(demo):
    fixed = host_placement(demo, device("mat-door"), "ground", 0.4, 1.9)
    project, mat = add_sensor(demo, device("mat-door"), "ground", fixed.at, fixed.yaw, 0.0)
    door = host_placement(demo, device("contact-door"), "ground", 5.2, 0.7)
    assert door.host == "shop-passage"
    project, contact = add_sensor(project, device("contact-door"), "ground", door.at, door.yaw, 0.0, door.host)
    assert contact.id not in {r.sensor for p in project.presences for r in reports(p.expr)}
    at = np.array([mat.at[:2], (3.0, 1.0)])
    from vastwatch.sensing.bodies import PET, STANDING

    assert (walker_rate(mount(project, mat), at, Walker(STANDING, 1.1, 90.0)) > 0).tolist() == [True, False]
    assert not walker_rate(mount(project, mat), at, Walker(PET, 0.6, 90.0)).any()
    r = rehearse(project, 1, 1)
    # The door is reported whenever somebody's walk goes through it, and at no other time.
    points, levels, _, _ = r.truth.samples
    near = (np.hypot(points[:, 0] - door.at[0], points[:, 1] - door.at[1]) < 0.45) & (levels == 0)
    through = 0
    for track in r.truth.tracks:
        if track.person.kind == "pet":
            continue
        for w in track.route:
            lo, hi = r.truth.route_base[w], r.truth.route_base[w + 1]
            through += bool(near[lo:hi].any())
    assert through > 5
    assert 0.5 * through <= len(r.recording.report(contact.id).rises) <= through


def test_mats_tags_and_plugs_go_only_where_they_do_something(demo):
    for ident, at, words in (
        ("contact-door", (2.5, 5.6), "door or window"), ("mat-bed-strip", (7.2, 2.9), "sits or sleeps"),
        ("vibration-tag", (9.0, 4.4), "furniture"), ("mat-seat", (5.85, 6.8), "cushion"),
    ):  # fmt: skip
        level = "upper" if ident == "mat-bed-strip" else "ground"
        with pytest.raises(ValueError, match=words):
            host_placement(demo, device(ident), level, *at)
    plug = host_placement(demo, device("plug-meter"), "ground", 3.7, 6.9)
    assert plug.host == "wheel-right"
    project, sensor = add_sensor(demo, device("plug-meter"), "ground", plug.at, 0.0, 0.0, plug.host)
    assert spot_notice_s(project, sensor.id, find(demo.spots, "right-wheel")) < 10
    assert math.isinf(spot_notice_s(project, sensor.id, find(demo.spots, "left-wheel")))
    with pytest.raises(ValueError, match="is not a sensor"):
        add_sensor(demo, device("module-plug"), "ground", (2, 5, 1), 0, 0)


def test_two_in_one_housing_notice_as_either_part_does(demo):
    dual = device("dual-24-corner")
    both = replace(find(demo.sensors, "pir-sitting"), device=dual.id)
    project = put(replace(demo, devices=(*demo.devices, dual)), both)
    spot = find(demo.spots, "window-spot")
    waits = {}
    for part in (dual.pir, dual.radar):
        alone = replace(part, id=dual.id)
        waits[part.family] = spot_notice_s(put(replace(demo, devices=(*demo.devices, alone)), both), both.id, spot)
    assert spot_notice_s(project, both.id, spot) <= min(waits.values()) + 0.5
    assert (coverage(project, both.id, "across").notice_s < 1).any()
    noticed = rehearse(project, 1, 1).notices(both.id, 0).start
    assert len(noticed) > 50 and (np.diff(noticed) >= 0).all()


# -- hazards -------------------------------------------------------------------------------------------------------


def fan(x: float, y: float, strength: float = 1.0, **more) -> Hazard:
    return Hazard(id="fan", level="g", name="Fan", kind="fan", outline=rect(x - 0.2, y - 0.2, x + 0.2, y + 0.2),
                  strength=strength, **more)  # fmt: skip


def test_a_fan_fools_a_radar_by_its_strength_and_not_through_brick(room):
    radar = device("radar-24-state")
    project, sensor = add_sensor(replace(room, sensors=(), presences=()), radar, "g", (0.3, 2.0, 1.5), 0.0, -5.0)
    mounted = mount(project, sensor)
    full = false_rate(mounted, fan(2.5, 2.0))
    assert full * 3600 == pytest.approx(60, rel=0.1)
    assert false_rate(mounted, fan(2.5, 2.0, 0.25)) == pytest.approx(full / 4, rel=1e-6)
    assert false_rate(mounted, fan(2.5, 2.0, 0.0)) == 0
    assert false_rate(mounted, replace(fan(2.5, 2.0), level="other")) == 0
    # Behind the sensor, and far beyond its gate.
    assert false_rate(mounted, fan(30.0, 2.0)) == 0
    pir = find(room.sensors, room.sensors[0].id)
    assert false_rate(mount(room, pir), fan(2.5, 2.0)) * 3600 < 1
    heat = replace(fan(2.5, 2.0), kind="heat source", id="heat")
    assert false_rate(mounted, heat) == 0 < false_rate(mount(room, pir), heat)


def test_false_reports_come_only_in_their_hours_at_their_rate_and_name_the_hazard(room):
    radar = device("radar-24-state")
    project, sensor = add_sensor(replace(room, sensors=(), presences=()), radar, "g", (0.3, 2.0, 1.5), 0.0, -5.0)
    when = (("01:00", "04:00"),)
    project = replace(project, hazards=(fan(2.5, 2.0, 0.5, times=when),), people=())
    r = rehearse(project, 7, 2)
    notices = [r.notices(sensor.id, day) for day in range(7)]
    assert {source for n in notices for source in n.source} == {"fan"}
    of_day = np.concatenate([n.start for n in notices]) % 86_400
    assert (of_day >= 3600).all() and (of_day < 4 * 3600).all()
    expected = false_rate(mount(project, sensor), project.hazards[0]) * 3 * 3600 * 7
    assert len(of_day) == pytest.approx(expected, abs=4 * math.sqrt(expected))
    chain = explain(r, next(i for i in r.incidents if i.kind == "false start"))
    assert any("triggered by the fan" in k.text for k in chain.story)
    assert [(k.lever, k.record) for k in chain.causes][:1] == [("hazard", "fan")]


def test_hours_over_midnight_are_two_stretches_and_none_is_always():
    assert active_intervals(fan(1, 1)) == [(0.0, 86_400.0)]
    night = fan(1, 1, times=(("22:00", "06:30"),))
    assert active_intervals(night) == [(0.0, 6.5 * 3600), (22 * 3600.0, 86_400.0)]
    assert per_hour_words(0) == "never"
    assert per_hour_words(1 / 3600) == "about once an hour"
    assert per_hour_words(20 / 3600) == "about 20 times an hour"
    assert per_hour_words(0.1 / 3600) == "about once in 10 h"


# -- the sun -------------------------------------------------------------------------------------------------------


def test_a_window_carried_along_the_rays_by_hand():
    """Sun due south at 45 degrees: a point 1 m up falls 1 m to the north of below it; from the east, to the west."""
    outline = carried((1.0, 0.0), (3.0, 0.0), 0.5, 2.0, 45.0, 180.0)
    assert np.allclose(outline, [(1, 0.5), (3, 0.5), (3, 2.0), (1, 2.0)])
    west = carried((0.0, 1.0), (0.0, 2.0), 1.0, 2.0, 45.0, 90.0)
    assert np.allclose(west, [(-1, 1), (-1, 2), (-2, 2), (-2, 1)])


def test_the_patch_lies_in_the_room_moves_with_the_sun_and_is_longer_in_winter(demo):
    opening = find(demo.openings, "shop-window")
    wall = find(demo.walls, opening.wall)
    rooms = tuple(r for r in demo.rooms if r.level == "ground")
    shop = shapely.Polygon(find(demo.rooms, "shop").outline).buffer(0.01)
    winter, summer = date(2026, 1, 12), date(2026, 6, 21)
    hours = sun_hours(demo.place, opening, wall, rooms, winter)
    assert hours and 8 * 3600 < hours[0][0] < hours[-1][1] < 16.5 * 3600
    reach = {}
    for day in (winter, summer):
        patch = sun_patch(demo.place, opening, wall, rooms, day, 12 * 3600)
        assert shop.contains(shapely.Polygon(patch))
        reach[day] = max(y for _, y in patch)
    assert reach[winter] > reach[summer] + 1
    early = sun_patch(demo.place, opening, wall, rooms, winter, hours[0][0] + 600)
    late = sun_patch(demo.place, opening, wall, rooms, winter, hours[-1][1] - 600)
    assert polygons.centroid(early)[0] < polygons.centroid(late)[0]
    assert sun_patch(demo.place, opening, wall, rooms, winter, 0.0) is None


def test_no_sun_comes_through_a_north_window_or_at_polar_night(demo):
    rooms = tuple(r for r in demo.rooms if r.level == "ground")
    north = find(demo.openings, "throwing-north")
    assert sun_hours(demo.place, north, find(demo.walls, north.wall), rooms, date(2026, 1, 12)) == []
    assert sun_track(Place(latitude=80.0, longitude=0.0), date(2026, 12, 21)) == ()


def test_a_sun_patch_with_a_window_is_computed_for_its_day(demo):
    hazard = next(h for h in demo.hazards if h.window)
    now = on_date(demo, hazard, date(2026, 1, 12))
    assert now.times and now.outline != hazard.outline
    drawn = replace(hazard, window=None)
    assert on_date(demo, drawn, date(2026, 1, 12)) is drawn
    blind = replace(hazard, window="throwing-north")
    assert on_date(demo, blind, date(2026, 1, 12)) is None


# To the micrometre: of coordinates like 1e-41 the reference makes polygons that are not.
MICRONS = st.integers(-3_000_000, 3_000_000).map(lambda n: n * 1e-6)


@given(
    st.lists(st.tuples(MICRONS, MICRONS), min_size=3, max_size=9),
    st.lists(st.tuples(MICRONS, MICRONS), min_size=3, max_size=9),
)
def test_clipping_is_the_intersection_of_convex_outlines(a, b):
    p, q = (shapely.MultiPoint(points).convex_hull for points in (a, b))
    if p.geom_type != "Polygon" or q.geom_type != "Polygon" or min(p.area, q.area) < 1e-3:
        return
    got = polygons.clip_convex(np.array(p.exterior.coords)[:-1], np.array(q.exterior.coords)[:-1])
    area = shapely.Polygon(got).area if len(got) >= 3 else 0.0
    assert area == pytest.approx(p.intersection(q).area, abs=1e-6)


def test_a_window_between_rooms_lets_no_sun_in():
    room = make_room()
    wall = next(w for w in room.walls if any(o.wall == w.id for o in room.openings))
    inner = Opening(id="inner", wall=wall.id, kind="window", offset=2.6, width=1.0, sill=1.0, head=2.0, leaf="glass")
    assert sun_hours(Place(latitude=54.0), inner, wall, room.rooms, date(2026, 3, 20)) == []


def test_furniture_has_a_mattress_only_where_it_says_so():
    piece = Furnishing(id="b", level="g", name="Bed", kind="bed", outline=rect(0, 0, 1, 2), z1=0.5)
    assert piece.mattress is None and piece.mattress_m == 0.2


def turned_about(points, centre, degrees):
    """Points turned by complex multiplication."""
    z = np.asarray(points, float) @ (1, 1j) - complex(*centre)
    z = z * np.exp(1j * math.radians(degrees)) + complex(*centre)
    return np.column_stack([z.real, z.imag])


@given(st.floats(-180, 180))
def test_a_mat_that_is_turned_is_trodden_on_where_it_then_lies(degrees):
    mat = device("mat-door")
    sensor = Sensor(id="m", name="M", device=mat.id, level="ground", at=(2.0, 1.0, 0.0), yaw=0.0)
    w, d = mat.pad
    # A tenth of a metre belongs to it; one point inside and one outside each side, and near a corner.
    inside = [(w / 2 + 0.09, 0), (-w / 2 - 0.09, 0.01), (0, d / 2 + 0.09), (0.02, -d / 2 - 0.09), (w / 2, d / 2)]
    outside = [(w / 2 + 0.11, 0), (-w / 2 - 0.11, 0), (0, d / 2 + 0.11), (0, -d / 2 - 0.11), (w / 2 + 0.11, d / 2)]
    points = turned_about(np.add(inside + outside, (2.0, 1.0)), (2.0, 1.0), degrees)
    assert on_pad(replace(sensor, yaw=degrees), mat, points).tolist() == [True] * 5 + [False] * 5


@given(st.floats(-180, 180), st.floats(-0.3, 0.3), st.floats(-0.3, 0.3))
def test_a_mat_and_a_body_turned_together_press_as_before(degrees, dx, dy):
    mat = device("mat-bed-strip")
    sensor = Sensor(id="m", name="M", device=mat.id, level="ground", at=(2.0, 1.0, 0.0), yaw=20.0)
    before = margin(sensor, mat, None, (2.0 + dx, 1.0 + dy), 75.0, "lying", 70.0)
    at = turned_about([(2.0 + dx, 1.0 + dy)], (2.0, 1.0), degrees)[0]
    after = margin(replace(sensor, yaw=20.0 + degrees), mat, None, tuple(at), 75.0 + degrees, "lying", 70.0)
    assert before > 0 and after == pytest.approx(before, rel=1e-6)


def test_what_lies_over_a_mat_is_the_hosts_mattress_or_a_usual_one():
    bed = Furnishing(id="b", level="ground", name="Bed", kind="bed", outline=rect(0, 0, 2, 1))
    thick = replace(bed, mattress="foam", mattress_m=0.3)
    assert load_spread(thick, "lying") == pytest.approx(SPREAD["foam"] * 0.3)
    assert load_spread(bed, "lying") == load_spread(None, "lying") == pytest.approx(SPREAD[MATTRESS] * MATTRESS_M)
    assert load_spread(thick, "standing") == 0.0 and load_spread(thick, "seated") == pytest.approx(
        SPREAD["springs"] * CUSHION_M
    )


@pytest.mark.parametrize("ident", ["mat-door", "radar-24-state", "pir-corner-12"])
def test_who_is_away_is_not_on_the_mat_before_the_door(room, ident):
    """The place where people leave the building is inside it, and in view: but from then on nobody is there."""
    d = device(ident)
    exit_ = find(room.spots, "exit")
    at = (*exit_.at, 0.01) if d.family == "mat" else (5.2, 0.3, 1.5)
    with_it, made = add_sensor(room, d, "g", at, 60.0, 0.0)
    # A leaves at 17:00 for good, until 09:00.
    quiet = rehearse(replace(with_it, people=(replace(room.people[0], errands=()),)), 2)
    report = quiet.recording.report(made.id)
    assert report.cumulative(9.2 * 3600) > 0
    for day in (0, 1):
        gone = report & Signal.from_intervals([(day * 86_400 + 17.5 * 3600, day * 86_400 + 86_400)], 0.0, report.end)
        assert gone.total() == 0


def test_a_hazard_is_looked_at_a_little_inside_its_own_corners():
    hazard = Hazard(id="h", level="g", name="Vent", kind="vent", outline=((0.0, 0.0), (3.0, 0.0), (0.0, 1.5)))
    middle, *corners = sample_points(hazard).tolist()
    assert middle == pytest.approx([1.0, 0.5])
    assert corners == [pytest.approx([1 + 0.85 * (x - 1), 0.5 + 0.85 * (y - 0.5)]) for x, y in hazard.outline]


def test_a_tag_hangs_as_high_as_it_likes_but_never_above_what_it_is_fixed_to(demo):
    tag = device("vibration-tag")
    for ident in ("sofa", "wardrobe", "desk"):
        piece = find(demo.furnishings, ident)
        x, y = polygons.centroid(piece.outline)
        fixed = host_placement(demo, tag, piece.level, x, y)
        assert fixed.host == ident and fixed.at[2] == min(tag.mount_height, piece.z1)


def test_a_mat_lies_before_the_door_on_the_side_that_was_pointed_at(demo):
    mat, contact = device("mat-door"), device("contact-door")
    for ident in ("kiln-passage", "shop-passage", "toilet-door"):
        opening = find(demo.openings, ident)
        wall = find(demo.walls, opening.wall)
        (mx, my), (ux, uy) = opening_middle(demo, opening)
        for side in (1.0, -1.0):
            x, y = mx - side * uy * 0.5, my + side * ux * 0.5
            at = host_placement(demo, mat, wall.level, x, y).at
            off = (at[0] - mx) * -uy + (at[1] - my) * ux
            assert math.copysign(1.0, off) == side and abs(off) > wall.thickness / 2
            assert host_placement(demo, contact, wall.level, x, y).host == ident


def test_a_folded_strip_feels_more_by_the_factor_of_its_ridge(demo):
    bed, spot = find(demo.furnishings, "bed"), find(demo.spots, "bed-left")
    strip = device("mat-bed-strip")
    fixed = host_placement(demo, strip, "upper", *spot.at)
    _, flat = add_sensor(demo, strip, "upper", fixed.at, fixed.yaw, 0.0, fixed.host)
    flat = replace(flat, settings=replace(flat.settings, folded=False))
    folded = replace(flat, settings=replace(flat.settings, folded=True))
    one, other = (margin(s, strip, bed, spot.at, spot.facing, "lying", 70.0) for s in (flat, folded))
    assert other == pytest.approx(FOLDED * one) and FOLDED > 1
