"""Where and when the sun shines through a window onto the floor: from the place, the date and the window itself.

The patch is the window's rectangle carried along the sun's rays to the floor. Rays that meet the floor outside the
window's own room meet a wall first; the patch is what remains inside. Trees and the house opposite are not modelled,
so it is an upper bound; a clear sky is assumed.
"""

from __future__ import annotations

import math
from datetime import date

import numpy as np
from astral import Observer
from astral import sun as astral_sun

from vastwatch.design.project import Place
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.signals import DAY, Calendar
from vastwatch.site.building import Opening, Room, Wall
from vastwatch.site.record import Outline

# Lower than this the sun has no strength, degrees.
LOWEST_DEG = 4.0
# The day is looked through in steps of so many seconds.
STEP_S = 300.0
# Less of a patch than this is no patch, square metres.
SMALLEST_M2 = 0.05


@memoised
def sun_track(place: Place, day: date) -> tuple[tuple[float, float, float], ...]:
    """Rows of (second of the day, elevation, azimuth clockwise from north) while the sun is up, every STEP_S."""
    observer = Observer(place.latitude, place.longitude)
    calendar = Calendar(day, place.timezone, 1)
    rows = []
    for k in range(int(DAY / STEP_S)):
        when = calendar.instant_utc(calendar.instant(0, k * STEP_S))
        elevation = float(astral_sun.elevation(observer, when, with_refraction=False))
        if elevation >= LOWEST_DEG:
            rows.append((k * STEP_S, elevation, float(astral_sun.azimuth(observer, when))))
    return tuple(rows)


def sun_hours(
    place: Place, window: Opening, wall: Wall, rooms: tuple[Room, ...], day: date
) -> list[tuple[float, float]]:
    """Stretches of the day, in seconds, during which a patch lies in the room behind the window."""
    found: list[tuple[float, float]] = []
    for t, elevation, azimuth in sun_track(place, day):
        if _patch(window, wall, rooms, elevation, azimuth) is None:
            continue
        if found and t - found[-1][1] < STEP_S / 2:
            found[-1] = (found[-1][0], t + STEP_S)
        else:
            found.append((t, t + STEP_S))
    return found


def sun_patch(
    place: Place, window: Opening, wall: Wall, rooms: tuple[Room, ...], day: date, t: float
) -> Outline | None:
    """The patch at a second of the day, or None without one."""
    track = sun_track(place, day)
    near = min(track, key=lambda row: abs(row[0] - t), default=None)
    if near is None or abs(near[0] - t) > STEP_S:
        return None
    return _patch(window, wall, rooms, near[1], near[2])


def carried(
    a: tuple[float, float], b: tuple[float, float], sill: float, head: float, elevation: float, azimuth: float
) -> Outline:
    """The window from a to b, sill to head, carried along the sun's rays to the floor.

    A point at height z falls z / tan(elevation) away from the sun; plan north is +y, azimuth clockwise from it.
    """
    shift = 1.0 / math.tan(math.radians(elevation))
    ux, uy = -math.sin(math.radians(azimuth)) * shift, -math.cos(math.radians(azimuth)) * shift
    return (
        (a[0] + ux * sill, a[1] + uy * sill),
        (b[0] + ux * sill, b[1] + uy * sill),
        (b[0] + ux * head, b[1] + uy * head),
        (a[0] + ux * head, a[1] + uy * head),
    )


def _patch(window: Opening, wall: Wall, rooms: tuple[Room, ...], elevation: float, azimuth: float) -> Outline | None:
    length = math.dist(wall.a, wall.b)
    ux, uy = (wall.b[0] - wall.a[0]) / length, (wall.b[1] - wall.a[1]) / length
    a = (wall.a[0] + window.offset * ux, wall.a[1] + window.offset * uy)
    b = (wall.a[0] + (window.offset + window.width) * ux, wall.a[1] + (window.offset + window.width) * uy)
    middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    # Away from the sun, on the plan; the room is the one a step in that direction, with none a step back.
    away = (-math.sin(math.radians(azimuth)), -math.cos(math.radians(azimuth)))
    step = wall.thickness / 2 + 0.05
    across = abs(away[0] * -uy + away[1] * ux)
    if across < 0.05:
        return None
    reach = step / across
    inside = (middle[0] + away[0] * reach, middle[1] + away[1] * reach)
    outside = (middle[0] - away[0] * reach, middle[1] - away[1] * reach)
    room = next((r for r in rooms if polygons.contains_point(r.outline, *inside)), None)
    if room is None or any(polygons.contains_point(r.outline, *outside) for r in rooms):
        return None
    patch = carried(a, b, window.sill, window.head, elevation, azimuth)
    pieces = [polygons.clip_convex(patch, piece) for piece in polygons.convex_pieces(room.outline)]
    whole = max((p for p in pieces if len(p) >= 3), key=polygons.area, default=None)
    if whole is None or polygons.area(whole) < SMALLEST_M2:
        return None
    return tuple((round(float(x), 3), round(float(y), 3)) for x, y in np.asarray(whole))
