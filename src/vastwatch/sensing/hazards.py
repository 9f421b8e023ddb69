"""What triggers sensors falsely: how often a hazard makes one report somebody who is not there (M2, M3).

A hazard is a nuisance source. Each family has a usual rate for each kind, at full strength and in full view, in its
model. It is scaled by the hazard's strength and by how well the sensor would notice a body in that place: its range,
its angle, walls and furniture count as they do for people.
"""

from __future__ import annotations

import math
from datetime import date

import numpy as np
from numpy.typing import NDArray

from vastwatch.design.project import Place, Project, find
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.sensing.bodies import Body
from vastwatch.sensing.model import MountedSensor, each_part, model_of
from vastwatch.sensing.sunpatch import sun_hours, sun_patch
from vastwatch.sensing.tracker import chest_height
from vastwatch.site.building import Hazard
from vastwatch.site.record import seconds_of

Array = NDArray[np.float64]

# Where a hazard works, metres above the floor; what lies on the floor is low, what is mounted is high.
HEIGHTS = {"sun patch": Body(0.05, 0.4), "pet area": Body(0.05, 0.4), "fan": Body(0.8, 2.0), "vent": Body(0.8, 2.2)}
USUAL_HEIGHT = Body(0.4, 1.6)
INSIDE = 0.85
# Fewer than one false report in so many hours is none.
NEVER_H = 24.0 * 30


def false_rate(mounted: MountedSensor, hazard: Hazard) -> float:
    """False reports per second of one sensor by one hazard, while it is there; 0 on another level."""
    return sum(part_false_rate(part, hazard) for part in each_part(mounted))


@memoised
def part_false_rate(mounted: MountedSensor, hazard: Hazard) -> float:
    """`false_rate` of one part of a housing."""
    model = model_of(mounted.device.family)
    if model is None or hazard.level != mounted.sensor.level or hazard.strength <= 0:
        return 0.0
    rate = model.false_rate(mounted, hazard)
    for area, other in mounted.by_zone if rate > 0 else ():
        if other is None:
            # What moves about there is told apart only as far as it reaches beyond the zone.
            rate *= 1.0 - float(area.holds(sample_points(hazard), chest_height(hazard_body(hazard))).mean())
    return rate


def hazard_body(hazard: Hazard) -> Body:
    """Where a hazard works, above the floor."""
    return HEIGHTS.get(hazard.kind, USUAL_HEIGHT)


def sample_points(hazard: Hazard) -> Array:
    """The points of a hazard that a sensor might see: its middle and, a little inside, its corners."""
    # An edge on a wall's line is not seen from the wall's other side.
    middle = np.array(polygons.centroid(hazard.outline))
    return np.vstack([middle, middle + INSIDE * (np.array(hazard.outline, float) - middle)])


def per_second(usual_per_h: float, hazard: Hazard, seen: Array) -> float:
    """False reports per second, from a family's usual rate per hour and the chances at which it sees the points."""
    per_hour = usual_per_h * hazard.strength * (float(seen.max()) if len(seen) else 0.0)
    return per_hour / 3600.0 if per_hour > 1.0 / NEVER_H else 0.0


def on_date(project: Project, hazard: Hazard, day: date) -> Hazard | None:
    """The hazard as it is on a day: a sun patch with a window gets its computed place and hours, or None on a day
    without any; others are as they are."""
    if hazard.window is None or hazard.kind != "sun patch":
        return hazard
    opening = next((o for o in project.openings if o.id == hazard.window), None)
    if opening is None:
        return hazard
    wall = find(project.walls, opening.wall)
    rooms = tuple(r for r in project.rooms if r.level == wall.level)
    return _resolved(project.place, hazard, opening, wall, rooms, day)


@memoised
def _resolved(place: Place, hazard: Hazard, opening, wall, rooms, day: date) -> Hazard | None:  # type: ignore[no-untyped-def]
    from msgspec.structs import replace

    hours = sun_hours(place, opening, wall, rooms, day)
    if not hours:
        return None
    middle = 0.5 * (hours[0][0] + hours[-1][1])
    outline = sun_patch(place, opening, wall, rooms, day, middle)
    for begin, end in hours:
        if outline is None:
            outline = sun_patch(place, opening, wall, rooms, day, 0.5 * (begin + end))
    if outline is None:
        return None
    times = tuple((_clock(a), _clock(b)) for a, b in hours)
    return replace(hazard, outline=outline, times=times)


def _clock(t: float) -> str:
    minutes = min(int(t // 60), 23 * 60 + 59)
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def active_intervals(hazard: Hazard) -> list[tuple[float, float]]:
    """When it is there, [from, to) in seconds of the day; over midnight cut in two; all day without times."""
    if not hazard.times:
        return [(0.0, 86_400.0)]
    out = []
    for a, b in ((seconds_of(a), seconds_of(b)) for a, b in hazard.times):
        out += [(a, b)] if a < b else [(0.0, b), (a, 86_400.0)]
    return sorted(s for s in out if s[1] > s[0])


def per_hour_words(rate_per_s: float) -> str:
    """`about 3 times an hour`, `about once in 5 h`."""
    per_hour = rate_per_s * 3600.0
    if per_hour >= 1.5:
        return f"about {per_hour:.0f} times an hour"
    if per_hour <= 0:
        return "never"
    hours = 1.0 / per_hour
    return "about once an hour" if hours < 1.5 else f"about once in {math.ceil(hours):.0f} h"
