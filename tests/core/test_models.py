"""The worked numbers of the sensing models, and the fast routines against slow obvious ones."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from samples import built_cells, device, make_room, shelf_at
from vastwatch.design.project import find
from vastwatch.design.records import Sensor, Settings
from vastwatch.sensing import frames
from vastwatch.sensing.bodies import (
    ABED,
    LYING,
    MINOR_MOTION,
    PET,
    SAMPLES,
    SEATED,
    STANDING,
    MinorMotion,
    PersonAt,
    Stayer,
    Walker,
)
from vastwatch.sensing.coverage import notice_times
from vastwatch.sensing.explain import sight_line
from vastwatch.sensing.families import pir, radar
from vastwatch.sensing.model import mean_wait, stay_detection, walker_rate
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.obstacles import LOSS_DB, obstacles

# -- M1 and figures ------------------------------------------------------------------------------------------------


def test_bodies_have_the_heights_of_the_model():
    assert [(b.low, b.high) for b in (STANDING, SEATED, LYING, PET)] == [
        (0.1, 1.7), (0.4, 1.3), (0.45, 0.75), (0.05, 0.4),
    ]  # fmt: skip
    assert len(STANDING.heights) == SAMPLES
    assert STANDING.heights[:3] == pytest.approx([0.18, 0.34, 0.5])
    assert STANDING.heights.mean() == pytest.approx(STANDING.middle)


def test_minor_motion_has_the_medians_of_the_model_and_a_log_normal_mean():
    wanted = {"hands-on": 4, "desk": 25, "reading": 75, "film": 120, "sleeping": 900}
    assert {k: MINOR_MOTION[k].median_s for k in wanted} == wanted
    assert all(1.0 <= MINOR_MOTION[k].sigma <= 1.3 for k in wanted)
    draws = np.random.default_rng(4).lognormal(math.log(25), 1.1, 400_000)
    assert 1 / MinorMotion(25, 1.1).rate == pytest.approx(draws.mean(), rel=0.02)


# -- M2 ------------------------------------------------------------------------------------------------------------


def test_pir_off_axis():
    assert pir.off_axis_exponent(110) == pytest.approx(1.976, abs=5e-4)
    assert pir.off_axis_exponent(120) == pytest.approx(1.585, abs=5e-4)
    assert pir.off_axis_factor(30, 110) == pytest.approx(0.753, abs=5e-4)
    assert pir.off_axis_factor(45, 120) == pytest.approx(0.577, abs=5e-4)
    assert pir.off_axis_factor(55, 110) == pytest.approx(1 / 3, abs=1e-9)
    assert pir.off_axis_factor([56, -80, 120], 110).tolist() == [0, 0, 0]


@pytest.mark.parametrize(("ambient", "factor"), [(25, 0.832), (28, 0.679), (15, 1.209), (21, 1.0), (34, 0), (40, 0)])
def test_pir_contrast(ambient, factor):
    assert pir.contrast_factor(ambient) == pytest.approx(factor, abs=5e-4)


@pytest.mark.parametrize(("psi", "reach"), [(0, 6.0), (30, 6.656), (45, 7.589), (60, 9.071), (90, 12.0)])
def test_pir_heading(psi, reach):
    assert pir.heading_range(12, 6, psi) == pytest.approx(reach, abs=5e-4)


def test_pir_chance_is_a_half_at_the_range_and_nothing_without_one():
    assert pir.detection_probability(5.0, 5.0) == pytest.approx(0.5)
    assert pir.detection_probability(5.4, 5.0) == pytest.approx(1 / (1 + math.exp(1)))
    assert pir.detection_probability([1.0, 50.0], [0.0, 5.0]).tolist() == [0.0, pytest.approx(0, abs=1e-12)]
    # What is beyond REACH may be left out without being missed.
    assert pir.detection_probability(pir.REACH, 1.0) < 1e-5
    assert pir.detection_probability(radar.REACH, 1.0, radar.SOFTNESS) < 1e-5


def test_pir_blind_wedge_from_height_pitch_and_span():
    """A wall PIR at 2.2 m whose lowest beam looks 50 degrees down sees no foot nearer than 2.1 / tan 50 = 1.76 m."""
    project = make_room(
        sensors=(Sensor(id="pir", device="pir-corner-12", level="g", name="P", at=(0.1, 2, 2.2), yaw=0),)
    )
    mounted = mount(project, project.sensors[0])
    low = LYING._replace(low=0.0999, high=0.1001)
    wedge = 2.1 / math.tan(math.radians(50))
    at = np.array([[0.1 + wedge - 0.02, 2.0], [0.1 + wedge + 0.02, 2.0]])
    view = pir.view_of(mounted.sensor, mounted.device, mounted.obstacles, 21.0, at, low)
    share = np.zeros(2)
    share[view.where] = view.share
    assert share.tolist() == [0.0, 1.0]


def test_pir_walk_rate_by_hand():
    project = make_room(
        sensors=(Sensor(id="pir", device="pir-corner-12", level="g", name="P", at=(0.1, 2, 2.2), yaw=0),)
    )
    mounted = mount(project, project.sensors[0])
    at = np.array([[4.1, 2.0]])
    r, h, speed = 4.0, 2.2 - 0.9, 1.1
    slant = math.hypot(r, h)
    for psi, reach in ((90, 12.0), (0, 6.0)):
        p = 1 / (1 + math.exp((slant / reach - 1) / 0.08))
        across = speed * max(math.sin(math.radians(psi)), pir.SWAY) / (r * math.radians(5))
        towards = speed * math.cos(math.radians(psi)) * h / ((r * r + h * h) * math.radians(12))
        assert walker_rate(mounted, at, Walker(STANDING, speed, psi))[0] == pytest.approx(p * (across + towards))
    # The heading on the plan gives the same as the angle to the sight line.
    assert walker_rate(mounted, at, Walker(STANDING, speed, None, [90.0]))[0] == pytest.approx(
        walker_rate(mounted, at, Walker(STANDING, speed, 90))[0]
    )


def test_pir_sees_by_the_root_of_the_visible_share():
    """A shelf 1.4 m high half way hides what a sight line over its far edge passes: the lower part of a body at 4 m."""
    sensor = Sensor(id="pir", device="pir-corner-12", level="g", name="P", at=(0.1, 2, 2.2), yaw=0)
    project = make_room(sensors=(sensor,), furnishings=(shelf_at(2.0, 1.0, 2.2, 3.0, 1.4),))
    s = sight_line(project, sensor, PersonAt((4.1, 2.0), STANDING, "passing", None, True))
    leaving = [2.2 + (z - 2.2) * (2.1 / 4.0) for z in STANDING.heights]
    hidden = sum(z < 1.4 for z in leaving)
    assert 0 < hidden < SAMPLES
    assert s.share == pytest.approx(1 - hidden / SAMPLES)
    assert s.hidden_by == (("shelf", hidden / SAMPLES),)
    assert s.range_m == pytest.approx(12 * math.sqrt(s.share))


def test_glass_and_closed_doors_blind_a_pir_and_an_open_door_does_not():
    sensor = Sensor(id="pir", device="pir-corner-12", level="g", name="P", at=(4.0, 0.85, 2.2), yaw=0)
    for rest, leaf, seen in (("closed", "timber", False), ("closed", "glass", False), ("open", "timber", True)):
        project = make_room(sensors=(sensor,))
        door = replace(project.openings[0], rest=rest, leaf=leaf)
        project = replace(project, openings=(door, project.openings[1]))
        s = sight_line(project, sensor, PersonAt((7.0, 0.85), STANDING, "passing", None, True))
        assert math.isfinite(s.notice_s) == seen


# -- M3 ------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("azimuth", "factor"), [(20, 0.926), (40, 0.736), (60, 0.501)])
def test_radar_antenna(azimuth, factor):
    gain = radar.gain_two_way_db(azimuth, 0, 120, 60)
    assert radar.range_factor(gain, 0) == pytest.approx(factor, abs=5e-4)


@pytest.mark.parametrize(("loss", "factor"), [(3, 0.708), (6, 0.501)])
def test_radar_losses(loss, factor):
    assert radar.range_factor(0, loss) == pytest.approx(factor, abs=5e-4)


def test_radar_facing():
    assert radar.facing_factor([0, 90, 180, 270], 0).tolist() == [1.0, 0.75, 0.85, 0.75]


def test_the_loss_table_is_the_models():
    assert LOSS_DB["plasterboard"] == (1.5, 3, 6)
    assert LOSS_DB["timber-door"] == (1.5, 4, 8)
    assert LOSS_DB["glass"] == (1, 3, 5)
    assert LOSS_DB["brick"] == (8, 20, 40)
    assert LOSS_DB["concrete"] == (12, 35, 60)
    assert LOSS_DB["upholstery"] == (0.5, 1.5, 3)
    assert LOSS_DB["timber"] == (2, 5, 10)
    assert all(math.isinf(x) for x in LOSS_DB["metal"])


def test_one_of_one_takes_one_over_p_frames_and_m_of_m_the_known_mean():
    for p in (0.05, 0.3, 0.9, 1.0):
        assert frames.exact_mean_frames(p, 1, 1) == pytest.approx(1 / p)
        # Mean wait for a run of m successes: (1 - p^m) / (p^m (1 - p)).
        if p < 1:
            assert frames.exact_mean_frames(p, 3, 3) == pytest.approx((1 - p**3) / (p**3 * (1 - p)))
    assert frames.exact_mean_frames(1.0, 3, 5) == pytest.approx(3)
    assert math.isinf(frames.exact_mean_frames(0.0, 2, 3))


@pytest.mark.parametrize("p", [0.15, 0.4])
def test_m_of_n_agrees_with_drawn_frames(p):
    rng, waits = np.random.default_rng(8), []
    for _ in range(4000):
        hits, k = [], 0
        while True:
            k += 1
            hits.append(rng.random() < p)
            if sum(hits[-5:]) >= 3:
                break
        waits.append(k)
    assert frames.exact_mean_frames(p, 3, 5) == pytest.approx(np.mean(waits), rel=0.06)


def test_the_table_of_mean_frames_is_the_exact_one():
    for m, n in ((3, 5), (4, 6)):
        for p in (0.0013, 0.01, 0.077, 0.31, 0.66, 0.97, 1.0):
            assert float(frames.mean_frames(p, m, n)) == pytest.approx(frames.exact_mean_frames(p, m, n), rel=2e-3)
        # Rare hits: n over m-1 windows of p^m.
        assert float(frames.mean_frames(2e-4, m, n)) == pytest.approx(frames.exact_mean_frames(2e-4, m, n), rel=0.05)


def radar_room(material="plasterboard", **changes):
    sensor = Sensor(id="radar", device="radar-24-state", level="g", name="R", at=(0.1, 3.0, 0.85), yaw=0, **changes)
    project = make_room(sensors=(sensor,), presences=(), devices=(device("radar-24-state"),))
    walls = tuple(replace(w, material=material) if w.id == "middle" else w for w in project.walls)
    return replace(project, walls=walls), sensor


def test_radar_adds_up_what_it_crosses():
    for material, db in (("plasterboard", 3.0), ("brick", 20.0)):
        project, sensor = radar_room(material)
        mounted = mount(project, sensor)
        view = radar.view_of(sensor, mounted.device, mounted.obstacles, np.array([[5.5, 3.0]]), SEATED)
        if material == "brick":
            assert len(view.where) == 0 or radar.walk_rate(mounted.device, view)[0] == 0
            continue
        assert view.loss_db[0] == pytest.approx(db)
        assert view.factor[0] == pytest.approx(10 ** (-2 * db / 40))


def test_a_body_half_behind_timber_loses_the_mean_power_of_its_samples():
    project, sensor = radar_room()
    project = replace(project, furnishings=(shelf_at(2.0, 2.5, 2.2, 3.5, 0.85),))
    mounted = mount(project, sensor)
    view = radar.view_of(sensor, mounted.device, mounted.obstacles, np.array([[4.0, 3.0]]), SEATED)
    rays = [0.85 + (z - 0.85) * (2.1 / 3.9) for z in SEATED.heights]
    samples = [
        5.0 if min(z, 0.85 + (h - 0.85) * (1.9 / 3.9)) < 0.85 - 1e-9 else 0.0 for z, h in zip(rays, SEATED.heights)
    ]
    power = np.mean([10 ** (-2 * db / 10) for db in samples])
    assert 0 < sum(samples) < 5 * SAMPLES
    assert view.loss_db[0] == pytest.approx(-10 * math.log10(power) / 2)


def test_radar_gates_and_sensitivity():
    project, sensor = radar_room(settings=Settings(min_gate_m=0.6, max_gate_m=2.0, sensitivity_below_max=2))
    mounted = mount(project, sensor)
    # It reads 0.35 m too far: 1.80 as 2.15, and 0.15 as 0.5.
    assert mounted.device.bias_r_m == 0.35
    at = np.array([[1.5, 3.0], [1.8, 3.0], [2.5, 3.0], [0.15, 3.0]])
    view = radar.view_of(sensor, mounted.device, mounted.obstacles, at, SEATED)
    assert view.where.tolist() == [0]
    assert view.factor[0] == pytest.approx(10 ** (-6 / 40))


def test_radar_does_not_look_behind_itself():
    project, sensor = radar_room()
    sensor = replace(sensor, at=(2.5, 3.0, 1.0))
    mounted = mount(replace(project, sensors=(sensor,)), sensor)
    rate = walker_rate(mounted, np.array([[3.5, 3.0], [1.5, 3.0]]), Walker(STANDING, 1.0, 0))
    assert rate[0] > 0
    assert rate[1] == 0


# -- M5 ------------------------------------------------------------------------------------------------------------


def test_mean_wait_is_one_over_the_rate_and_latency_and_never_is_infinite():
    assert mean_wait([0.5, 0.0, 1e-9], 0.4).tolist() == [2.4, math.inf, math.inf]


# Directions all over the sphere, at the middles of cells of equal area.
_V, _ANGLE = np.meshgrid((np.arange(500) + 0.5) / 500, (np.arange(500) + 0.5) / 500 * math.pi / 2)
_U = np.sqrt(1 - _V**2) * np.cos(_ANGLE)


def crossing(length, azimuth, elevation):
    """Chance that a movement of a length, in any direction, begins and ends in other beams, direction by direction."""
    within = (1 - np.minimum(1, length * _U / azimuth)) * (1 - np.minimum(1, length * _V / elevation))
    return 1 - within.mean()


def slow_notice(project, sensor, x, y, figure):
    """One cell at a time, by the formulas and shapely sight lines alone."""
    import shapely

    device_ = find(project.devices, sensor.device)
    body = {"seated": SEATED, "lying": ABED, "pet": PET}.get(figure, STANDING)
    around = obstacles(project, sensor.level, "infrared")
    sx, sy, h = sensor.at
    r = math.hypot(x - sx, y - sy)
    azimuth = (math.degrees(math.atan2(y - sy, x - sx)) - sensor.yaw + 180) % 360 - 180
    if abs(azimuth) > device_.fov_h / 2:
        return math.inf
    ray = shapely.LineString([(sx, sy), (x, y)])
    if any(ray.crosses(shapely.LineString([a, b])) for a, b in zip(around.full.a, around.full.b)):
        return math.inf
    seen = 0
    for z in body.heights:
        elevation = math.degrees(math.atan2(z - h, r))
        if not sensor.pitch - device_.span_down <= elevation <= sensor.pitch + device_.span_up:
            continue
        blocked = False
        for prism in around.prisms:
            over = ray.intersection(shapely.Polygon(prism.outline))
            if over.is_empty or over.length < 1e-6:
                continue
            zs = [h + (z - h) * math.dist((sx, sy), c) / r for c in over.coords]
            blocked |= min(zs) < prism.z1 and max(zs) > prism.z0
        for a, b, z0, z1 in zip(*around.part):
            meet = ray.intersection(shapely.LineString([a, b]))
            if not meet.is_empty:
                blocked |= z0 < h + (z - h) * math.dist((sx, sy), (meet.x, meet.y)) / r < z1
        seen += not blocked
    room = find(project.rooms, "big")
    factor = float(pir.off_axis_factor(azimuth, device_.fov_h)) * pir.contrast_factor(room.ambient_c) * body.size
    factor *= math.sqrt(seen / SAMPLES) * math.sqrt(body.visible_share)
    slant = math.hypot(r, h - body.middle)
    if figure in ("seated", "lying"):
        q = float(pir.detection_probability(slant, device_.minor_m * factor))
        spacing = (
            r * math.radians(device_.beam_pitch),
            math.hypot(r, h - body.middle) * math.radians(device_.beam_pitch_el),
        )
        rate = MINOR_MOTION["desk" if figure == "seated" else "sleeping"].rate
        rate *= 0.5 * q * crossing(0.25, *spacing) + 0.5 * q * crossing(0.10, *spacing)
    else:
        psi, speed = {"across": (90, 1.1), "towards": (0, 1.1), "pet": (90, 0.6)}[figure]
        reach = float(pir.heading_range(device_.tangential_m, device_.radial_m, psi)) * factor
        dh = abs(h - body.middle)
        crossings = max(math.sin(math.radians(psi)), pir.SWAY) / (r * math.radians(device_.beam_pitch))
        crossings += math.cos(math.radians(psi)) * dh / ((r * r + dh * dh) * math.radians(device_.beam_pitch_el))
        rate = speed * crossings * float(pir.detection_probability(slant, reach))
    return 1 / rate + device_.latency.typical_s if rate > 1 / 864_000 else math.inf


@pytest.mark.parametrize("figure", ["across", "towards", "seated", "lying", "pet"])
def test_coverage_agrees_with_one_cell_at_a_time(figure):
    project = make_room(furnishings=(shelf_at(1.97, 1.03, 2.83, 1.52, 0.93),))
    project = replace(project, openings=(replace(project.openings[0], rest="open"), project.openings[1]))
    sensor = project.sensors[0]
    rng = np.random.default_rng(5)
    points = np.column_stack([rng.uniform(0.1, 7.9, 260), rng.uniform(0.1, 3.9, 260)])
    fast = notice_times(mount(project, sensor), np.asfortranarray(points), figure)
    slow = np.array([slow_notice(project, sensor, x, y, figure) for x, y in points])
    assert np.isfinite(slow).sum() > 20
    # What is missed beyond REACH is noticed less than once in hours; leave that out on both sides.
    fast[fast > 40_000], slow[slow > 40_000] = np.inf, np.inf
    assert fast == pytest.approx(slow, rel=1e-6 if figure not in ("seated", "lying") else 2e-3)


def test_rates_of_somebody_who_stays_add_large_and_small_movements():
    project = make_room()
    mounted = mount(project, project.sensors[0])
    seen = stay_detection(mounted, np.array([[1.5, 1.5]]), Stayer(SEATED, 0.0))
    assert seen.large[0] > seen.small[0] > 0
    assert seen.rate(0.1)[0] == pytest.approx(0.05 * (seen.large[0] + seen.small[0]))


def test_a_metal_cabinet_stops_radar_and_plasterboard_does_not():
    project, sensor = radar_room()
    metal = replace(shelf_at(2.0, 2.0, 2.3, 4.0, 2.4), material="metal")
    behind = np.array([[4.0, 3.0]])
    open_rate = walker_rate(mount(project, sensor), behind, Walker(STANDING, 1.0, 0))[0]
    shut = replace(project, furnishings=(metal,))
    assert open_rate > 1
    assert walker_rate(mount(shut, sensor), behind, Walker(STANDING, 1.0, 0))[0] == 0


def test_a_bigger_outline_than_four_corners_hides_too():
    l_shape = ((2.0, 1.0), (3.0, 1.0), (3.0, 1.3), (2.3, 1.3), (2.3, 2.5), (2.0, 2.5))
    shelf = replace(shelf_at(0, 0, 1, 1, 2.4), outline=l_shape)
    project = make_room(furnishings=(shelf,))
    sensor = replace(project.sensors[0], at=(4.8, 1.8, 2.2), yaw=180)
    s = sight_line(project, sensor, PersonAt((1.0, 1.8), SEATED, "desk", 0.0))
    assert s.share == 0
    assert s.hidden_by[0][0] == "shelf"


@pytest.mark.parametrize("ident", ["pir-throwing", "radar-sitting"])
def test_a_hurried_map_is_the_same_in_its_own_room_and_nearly_so_elsewhere(demo, ident):
    from vastwatch.design.places import room_of
    from vastwatch.sensing import coverage
    from vastwatch.sensing.coverage import room_cells

    sensor = find(demo.sensors, ident)
    full, quick = coverage(demo, ident, "across"), coverage(demo, ident, "across", coarseness=1)
    own = room_cells(demo.rooms, room_of(demo, sensor))
    assert np.array_equal(full.at(own), quick.at(own))
    cells, _ = built_cells(demo.rooms, sensor.level)
    agree = (full.at(cells) <= 5) == (quick.at(cells) <= 5)
    assert agree.mean() > 0.97
    assert not np.isfinite(
        quick.at(np.delete(np.arange(quick.part.whole.rows * quick.part.whole.columns), cells))
    ).any()
    # Where it is coarser the cells are twice as wide: in the middle of four is what they say.
    rough = coverage(demo, ident, "across", coarseness=2)
    assert rough.grid.cell == 2 * full.grid.cell
    coarse = room_cells(demo.rooms, room_of(demo, sensor), rough.grid.cell)
    for tau in (1.0, 5.0, 30.0):
        assert rough.share_within(tau, coarse) == pytest.approx(full.share_within(tau, own), abs=0.02)
