"""Why a sensor notices somebody at one place as readily, or as rarely, as it does.

The same models as everywhere, for a single place, with each factor kept apart and each obstacle named.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.devices import PirType, RadarType
from vastwatch.geometry.sightlines import fan, prism_hits, screen_hits
from vastwatch.sensing import pir, radar, touch
from vastwatch.sensing.figures import FIDGETS, SAMPLES, WALKING_SPEED, Body
from vastwatch.sensing.noticing import Placed, latency_s, mean_wait, placed, staying, walking


class Sight(NamedTuple):
    """One sight line. `range_m`: the range that counts here, after every factor; `rated_m`: as the catalogue has it.

    `hidden_by`: ids of records in the way, worst first, with the share of the body each hides alone (infrared) or
    its one-way loss in dB (radar). `notice_s`: mean time until noticed, inf for never.
    """

    sensor: str
    at: tuple[float, float]
    plan_m: float
    slant_m: float
    off_axis_deg: float
    off_axis_factor: float
    in_view: bool
    share: float
    loss_db: float
    contrast: float
    rated_m: float
    range_m: float
    hidden_by: tuple[tuple[str, float], ...]
    notice_s: float


def sight(
    project: Project,
    sensor: Sensor,
    at: tuple[float, float],
    body: Body,
    activity: str,
    facing: float | None = None,
    walking_by: bool = False,
) -> Sight:
    """The sight line from a sensor to a body on the same level."""
    it = placed(project, sensor)
    if it.parts:
        # The part that notices sooner is the one that counts.
        return min((_sight(part, at, body, activity, facing, walking_by) for part in it.parts), key=_soonest)
    return _sight(it, at, body, activity, facing, walking_by)


def _soonest(s: Sight) -> tuple[float, float]:
    return s.notice_s, -s.range_m


def _sight(
    it: Placed, at: tuple[float, float], body: Body, activity: str, facing: float | None, walking_by: bool
) -> Sight:
    sensor, device = it.sensor, it.device
    points = np.array([at], float)
    if walking_by:
        rate = walking(it, points, 90.0, None, WALKING_SPEED, body)
    else:
        rate = staying(it, points, facing, body).rate(FIDGETS[activity].rate)
    wait = float(mean_wait(rate, latency_s(device))[0])
    hidden = _in_the_way(it, points, body)
    plan = float(np.hypot(at[0] - sensor.at[0], at[1] - sensor.at[1]))
    slant = float(np.hypot(plan, sensor.at[2] - body.middle))
    bearing = float(np.degrees(np.arctan2(at[1] - sensor.at[1], at[0] - sensor.at[0])))
    azimuth = abs((bearing - sensor.yaw + 180.0) % 360.0 - 180.0)
    if isinstance(device, PirType):
        view = pir.look(sensor, device, it.around, it.ambient_c, points, body)
        ceiling = device.lens == "ceiling"
        axis = 1.0 if ceiling else float(pir.off_axis_factor(azimuth, device.fov_h, device.edge_share))
        rated = device.tangential_m if walking_by else device.minor_m
        seen = len(view.where) > 0
        return Sight(
            sensor.id, at, plan, plan if ceiling else slant, 0.0 if ceiling else azimuth, axis, axis > 0,
            float(view.share[0]) if seen else 0.0, 0.0, pir.contrast_factor(it.ambient_c), rated,
            rated * float(view.factor[0]) if seen else 0.0, hidden, wait,
        )  # fmt: skip
    if not isinstance(device, RadarType):
        near = plan <= touch.reach_m(device)
        return Sight(
            sensor.id, at, plan, plan, 0.0, 1.0, near, 1.0, 0.0, 1.0, touch.reach_m(device),
            touch.reach_m(device) if near else 0.0, (), wait,
        )  # fmt: skip
    echo = radar.look(sensor, device, it.around, points, body)
    az, el = radar.off_axis(
        sensor, points[:, 0] - sensor.at[0], points[:, 1] - sensor.at[1], body.middle - sensor.at[2]
    )
    axis = float(radar.range_factor(radar.gain_two_way_db(az, el, device.fov_h, device.fov_v), 0.0)[0])
    side = 1.0
    if facing is not None and not walking_by:
        side = float(radar.facing_factor(facing, bearing + 180.0))
    rated = device.moving_m if walking_by else device.still_m
    factor = float(echo.factor[0]) if len(echo.where) else 0.0
    return Sight(
        sensor.id, at, plan, slant, float(np.hypot(az[0], el[0])), axis, factor > 0, 1.0,
        float(echo.loss_db[0]) if len(echo.where) else 0.0, 1.0, rated, rated * side * factor, hidden, wait,
    )  # fmt: skip


def _in_the_way(it, points, body: Body) -> tuple[tuple[str, float], ...]:  # type: ignore[no-untyped-def]
    """Each obstacle on the way and its weight: share hidden for infrared, dB for radar."""
    view = fan(it.sensor.at, points)
    heights = body.heights
    infrared = isinstance(it.device, PirType)
    found: dict[str, float] = {}

    def note(owner: str, cut_samples: int, db: float) -> None:
        if cut_samples:
            weight = cut_samples / SAMPLES if infrared else min(db, radar.OPAQUE_DB)
            found[owner] = max(found.get(owner, 0.0), weight)

    around = it.around
    for screens, ids, losses in (
        (around.full, around.full_ids, around.full_db),
        (around.part, around.part_ids, around.part_db),
    ):
        for k, hits in screen_hits(view, screens, heights):
            note(ids[k], int(hits.hi[0] - hits.lo[0]), float(losses[k]))
    for k, hits in prism_hits(view, around.prisms, heights):
        note(around.prism_ids[k], int(hits.hi[0] - hits.lo[0]), float(around.prism_db[k]))
    return tuple(sorted(found.items(), key=lambda item: -item[1]))
