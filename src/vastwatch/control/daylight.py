"""The sun over the place, the daylight it leaves in a room, and so when a room is dark enough for its lamp.

Outside: the horizontal illuminance under an overcast sky, 300 + 21000 sin(elevation) lux, which is the usual design
sky; in twilight it falls by a factor of ten for every three degrees below the horizon. Inside: the mean daylight
factor of the room's windows, T * W * theta / (A * (1 - R^2)) in percent, with T the transmittance of clean double
glazing, W the glass, theta the visible sky in degrees, A all inner surfaces and R their mean reflectance. Sunrise,
sunset and the sun's elevation come from `astral`.
"""

from __future__ import annotations

import math
from datetime import date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from astral import Observer, SunDirection
from astral import sun as astral_sun

from vastwatch.design.needs import USUAL
from vastwatch.design.project import Place, Project, find
from vastwatch.geometry import polygons
from vastwatch.signals import Signal
from vastwatch.site.building import Opening, Room, Wall

DAY = 86_400.0
TRANSMITTANCE = 0.68
SKY_ANGLE_DEG = 65.0
REFLECTANCE = 0.5
# Share of a window's opening that is glass and not frame.
GLASS_SHARE = 0.8
# Below this elevation there is no daylight to speak of, degrees (civil twilight).
TWILIGHT_DEG = -6.0


def outdoor_lux(elevation_deg: float) -> float:
    """Horizontal illuminance outside for an elevation of the sun."""
    if elevation_deg >= 0:
        return 300.0 + 21_000.0 * math.sin(math.radians(elevation_deg))
    if elevation_deg <= TWILIGHT_DEG:
        return 0.0
    return 300.0 * 10.0 ** (elevation_deg / 3.0)


def elevation_for(lux: float) -> float:
    """Elevation of the sun at which it is as bright as that outside; the inverse of `outdoor_lux`; 90 for never."""
    if lux <= 300.0 * 10.0 ** (TWILIGHT_DEG / 3.0):
        return TWILIGHT_DEG
    if lux <= 300.0:
        return 3.0 * math.log10(lux / 300.0)
    sine = (lux - 300.0) / 21_000.0
    return math.degrees(math.asin(sine)) if sine < 1 else 90.0


def wanted_lux(room: Room) -> float:
    """What the room asks for, or what is usual for its use."""
    return USUAL[room.use].lux if room.needs.lux is None else room.needs.lux


def asked_lux(project: Project, room: Room) -> float:
    """What the room asks for, or the most that one of its spots does."""
    spots = (s.lux for s in project.spots if s.room == room.id and s.lux is not None)
    return max((wanted_lux(room), *spots))


def daylight_factor(project: Project, room: Room) -> float:
    """Mean daylight inside as a share of that outside, 0 to 1."""
    height = find(project.levels, room.level).height
    glass = sum(
        o.width * (o.head - o.sill) * GLASS_SHARE
        for o in _windows(room, project.walls, project.openings, project.rooms)
    )
    outline = np.asarray(room.outline, float)
    around = float(np.hypot(*(np.roll(outline, -1, axis=0) - outline).T).sum())
    surfaces = 2 * polygons.area(outline) + around * height
    return TRANSMITTANCE * glass * SKY_ANGLE_DEG / (surfaces * (1 - REFLECTANCE**2)) / 100.0


@lru_cache(maxsize=256)
def _windows(
    room: Room, walls: tuple[Wall, ...], openings: tuple[Opening, ...], rooms: tuple[Room, ...]
) -> tuple[Opening, ...]:
    """Windows in this room's edge that no other room shares."""
    out = []
    for o in openings:
        if o.kind != "window":
            continue
        wall = find(walls, o.wall)
        if wall.level != room.level:
            continue
        a, b = np.asarray(wall.a), np.asarray(wall.b)
        middle = a + (b - a) * (o.offset + o.width / 2) / max(math.dist(wall.a, wall.b), 1e-9)
        touching = [r for r in rooms if r.level == room.level and _on_edge(r, middle)]
        if len(touching) == 1 and touching[0] is room:
            out.append(o)
    return tuple(out)


def _on_edge(room: Room, point: np.ndarray) -> bool:
    outline = np.asarray(room.outline, float)
    distance, _ = polygons.nearest_on_segments(point, outline, np.roll(outline, -1, axis=0))
    return bool(distance.min() < 0.05)


def dark(project: Project, room: Room, begin: date, days: int) -> Signal:
    """While daylight alone does not give the room what it asks for. Cached by place, day and threshold."""
    factor = daylight_factor(project, room)
    if factor <= 0:
        return Signal.constant(True, 0.0, days * DAY)
    return _below(project.place, round(elevation_for(asked_lux(project, room) / factor), 3), begin, days)


@lru_cache(maxsize=256)
def _below(place: Place, elevation: float, begin: date, days: int) -> Signal:
    """While the sun is below an elevation, over days from local midnight."""
    if elevation >= 90:
        return Signal.constant(True, 0.0, days * DAY)
    bright = []
    for d in range(days):
        day = begin + timedelta(days=d)
        noon = d * DAY + DAY / 2
        rise = _crossing(place, elevation, day, SunDirection.RISING, begin)
        fall = _crossing(place, elevation, day, SunDirection.SETTING, begin)
        if rise is None or fall is None or fall <= rise:
            if sun_elevation(place, begin, noon) > elevation:
                bright.append((d * DAY, (d + 1) * DAY) if rise is None else (rise, d * DAY + DAY))
        else:
            bright.append((rise, fall))
    return ~Signal.from_intervals(bright, 0.0, days * DAY)


def _observer(place: Place) -> Observer:
    return Observer(place.latitude, place.longitude)


def _crossing(place: Place, elevation: float, day: date, direction: SunDirection, begin: date) -> float | None:
    zone = ZoneInfo(place.timezone)
    try:
        when = astral_sun.time_at_elevation(
            _observer(place), elevation, day, direction, tzinfo=zone, with_refraction=False
        )
    except ValueError:
        return None
    return _seconds(when, begin)


def _seconds(when: datetime, begin: date) -> float:
    """Seconds on the wall clock from local midnight of `begin`."""
    return (when.replace(tzinfo=None) - datetime(begin.year, begin.month, begin.day)).total_seconds()


@lru_cache(maxsize=512)
def sun_times(place: Place, day: date) -> tuple[float | None, float | None]:
    """Sunrise and sunset, seconds of that local day; None where the sun does not cross the horizon."""
    zone = ZoneInfo(place.timezone)
    out: list[float | None] = []
    for event in (astral_sun.sunrise, astral_sun.sunset):
        try:
            out.append(_seconds(event(_observer(place), day, tzinfo=zone), day))
        except ValueError:
            out.append(None)
    return out[0], out[1]


def sun_elevation(place: Place, begin: date, t: float) -> float:
    """Elevation of the sun in degrees, t seconds on the wall clock after local midnight of `begin`."""
    naive = datetime(begin.year, begin.month, begin.day) + timedelta(seconds=t)
    return float(
        astral_sun.elevation(_observer(place), naive.replace(tzinfo=ZoneInfo(place.timezone)), with_refraction=False)
    )
