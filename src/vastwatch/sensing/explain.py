"""Why a sensor notices somebody at one place as readily, or as rarely, as it does.

The same models as everywhere, for a single place, with each factor kept apart and each obstacle named.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Project
from vastwatch.design.records import Sensor
from vastwatch.geometry.sightlines import Screens, prism_hits, screen_hits, sort_by_azimuth
from vastwatch.memo import memoised
from vastwatch.sensing.bodies import MINOR_MOTION, SAMPLES, WALKING_SPEED, Body, PersonAt, Stayer, Walker
from vastwatch.sensing.model import (
    MountedSensor,
    SightLine,
    each_part,
    latency_s,
    mean_wait,
    model_of,
    stay_detection,
    walker_rate,
)
from vastwatch.sensing.mounted import mount
from vastwatch.sensing.obstacles import OPAQUE_DB

Array = NDArray[np.float64]

# Beside the frame of a sight line something may still touch it, by rounding, metres.
SLACK_M = 1e-6


class Geometry(NamedTuple):
    """Where a place lies as seen from a sensor; `points` the place as the array that the models take, (1, 2)."""

    points: Array
    plan_m: float
    slant_m: float
    bearing_deg: float
    azimuth_deg: float


def geometry(mounted: MountedSensor, person: PersonAt) -> Geometry:
    """Distance to somebody, their bearing on the plan, and how far off the sensor's axis that is."""
    at, body = person.at, person.body
    x, y, z = mounted.sensor.at
    plan = float(np.hypot(at[0] - x, at[1] - y))
    bearing = float(np.degrees(np.arctan2(at[1] - y, at[0] - x)))
    azimuth = abs((bearing - mounted.sensor.yaw + 180.0) % 360.0 - 180.0)
    return Geometry(np.array([at], float), plan, float(np.hypot(plan, z - body.middle)), bearing, azimuth)


def mean_wait_s(mounted: MountedSensor, person: PersonAt) -> float:
    """Mean seconds until somebody is noticed, inf for never."""
    points = np.array([person.at], float)
    if person.walking_by:
        walker = Walker(person.body, WALKING_SPEED, 90.0)
        if person.facing is not None:
            walker = Walker(person.body, WALKING_SPEED, heading_deg=np.array([person.facing]))
        return wait_of(mounted, walker_rate(mounted, points, walker))
    seen = stay_detection(mounted, points, Stayer(person.body, person.facing))
    return wait_of(mounted, seen.rate(MINOR_MOTION[person.activity].rate))


def wait_of(mounted: MountedSensor, rate: Array) -> float:
    """Mean seconds until noticed, for a rate at one place (or nowhere), inf for never."""
    return float(mean_wait(rate, latency_s(mounted.device))[0]) if len(rate) else math.inf


def sight_line(project: Project, sensor: Sensor, person: PersonAt) -> SightLine:
    """The sight line from a sensor to somebody on the same level; of several parts, that which notices sooner."""
    parts = each_part(mount(project, sensor))
    return min((_sight(part, person) for part in parts), key=_soonest)


@memoised
def _sight(mounted: MountedSensor, person: PersonAt) -> SightLine:
    model = model_of(mounted.device.family)
    if model is None:
        return no_sight_line(mounted, person)
    told = model.explain(mounted, person)
    # In a zone of its own a sensor may be set otherwise.
    return told._replace(notice_s=mean_wait_s(mounted, person)) if mounted.by_zone else told


def _soonest(s: SightLine) -> tuple[float, float]:
    return s.notice_s, -s.range_m


def no_sight_line(
    mounted: MountedSensor, person: PersonAt, reach_m: float = 0.0, notice_s: float = math.inf
) -> SightLine:
    """The sight line of what has none: it knows only what lies within its reach."""
    g = geometry(mounted, person)
    near = g.plan_m <= reach_m
    return SightLine(
        sensor=mounted.sensor.id, at=person.at, plan_m=g.plan_m, slant_m=g.plan_m, off_axis_deg=0.0,
        off_axis_factor=1.0,
        in_view=near, share=1.0, loss_db=0.0, contrast=1.0, rated_m=reach_m, range_m=reach_m if near else 0.0,
        hidden_by=(), notice_s=notice_s,
    )  # fmt: skip


def blocking_obstacles(
    mounted: MountedSensor, points: Array, body: Body, by_share: bool
) -> tuple[tuple[str, float], ...]:
    """Each obstacle on the way and its weight, worst first: the share of the body it hides, or its loss in dB."""
    view = sort_by_azimuth(mounted.sensor.at, points)
    heights = body.heights
    found: dict[str, float] = {}

    def note(owner: str, cut_samples: int, db: float) -> None:
        if cut_samples:
            weight = cut_samples / SAMPLES if by_share else min(db, OPAQUE_DB)
            found[owner] = max(found.get(owner, 0.0), weight)

    # Only what reaches into the frame of the one sight line can be in its way.
    ends = np.array([mounted.sensor.at[:2], points[0]], float)
    lo, hi = ends.min(axis=0) - SLACK_M, ends.max(axis=0) + SLACK_M
    around = mounted.obstacles
    for screens, ids, losses in (
        (around.full, around.full_ids, around.full_db),
        (around.part, around.part_ids, around.part_db),
    ):
        some = np.flatnonzero(
            (np.minimum(screens.a, screens.b) <= hi).all(axis=1) & (np.maximum(screens.a, screens.b) >= lo).all(axis=1)
        )
        for k, hits in screen_hits(view, Screens(*(column[some] for column in screens)), heights):
            note(ids[some[k]], int(hits.hi[0] - hits.lo[0]), float(losses[some[k]]))
    centre, r = around.prism_circles[:, :2], around.prism_circles[:, 2:]
    some = np.flatnonzero((centre - r <= hi).all(axis=1) & (centre + r >= lo).all(axis=1))
    for k, hits in prism_hits(view, [around.prisms[i] for i in some], heights):
        note(around.prism_ids[some[k]], int(hits.hi[0] - hits.lo[0]), float(around.prism_db[some[k]]))
    return tuple(sorted(found.items(), key=lambda item: (-item[1], item[0])))
