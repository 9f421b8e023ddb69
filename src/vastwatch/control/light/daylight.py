"""The sun over the place, the daylight it leaves in a room, and so when a room is dark enough for its lamp.

Outside: the horizontal illuminance of the sky, 300 + 21000 sin(elevation) lux where it is overcast, which is the usual
design sky, and 800 + 15500 sqrt(sin(elevation)) without the sun's own beam where it is clear; in twilight it falls by a
factor of ten for every three degrees below the horizon. Which days are clear `site.weather_seed` tells. Inside: the
mean daylight factor of the room's windows, T * W * theta / (A * (1 - R^2)) in percent, with T the transmittance of
clean double glazing, W the glass, theta the visible sky in degrees, A all inner surfaces and R their mean reflectance.
Where the sun stands, `site.sun` tells.
"""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import date
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from vastwatch.design.needs import needs_of
from vastwatch.design.project import Place, Project, find, indexed
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.signals import Calendar, Signal
from vastwatch.signals.memoised_ops import always
from vastwatch.site import sun
from vastwatch.site.building import Opening, Room, Spot, Wall
from vastwatch.site.sky import clear_days

TRANSMITTANCE = 0.68
SKY_ANGLE_DEG = 65.0
REFLECTANCE = 0.5
# Share of a window's opening that is glass and not frame.
GLASS_SHARE = 0.8
# Below this elevation there is no daylight to speak of, degrees (civil twilight).
TWILIGHT_DEG = -6.0
# Whatever is no farther from a room's edge is in it, metres.
ON_EDGE_M = 0.05


class Sky(NamedTuple):
    """Lux outside with the sun on the horizon, by how much more with it overhead, and how that grows with the sine of
    its elevation (IES formulas of sky illuminance)."""

    horizon: float
    more: float
    power: float


OVERCAST, CLEAR = Sky(300.0, 21_000.0, 1.0), Sky(800.0, 15_500.0, 0.5)


def outdoor_lux(elevation_deg: ArrayLike, sky: Sky = OVERCAST) -> NDArray[np.float64]:
    """Horizontal illuminance outside for elevations of the sun, of their shape."""
    up = np.asarray(elevation_deg, float)
    day = sky.horizon + sky.more * np.sin(np.radians(np.maximum(up, 0.0))) ** sky.power
    dusk = np.where(up <= TWILIGHT_DEG, 0.0, sky.horizon * 10.0 ** (np.minimum(up, 0.0) / 3.0))
    return np.where(up >= 0, day, dusk)


def elevation_for(lux: float, sky: Sky = OVERCAST) -> float:
    """Elevation of the sun at which it is as bright as that outside; the inverse of `outdoor_lux`; 90 for never."""
    if lux <= sky.horizon * 10.0 ** (TWILIGHT_DEG / 3.0):
        return TWILIGHT_DEG
    if lux <= sky.horizon:
        return 3.0 * math.log10(lux / sky.horizon)
    sine = ((lux - sky.horizon) / sky.more) ** (1.0 / sky.power)
    return math.degrees(math.asin(sine)) if sine < 1 else 90.0


def target_lux(project: Project, room: Room) -> float:
    """What the room asks for, or the most that one of its spots does."""
    return max((needs_of(project, room).lux, *indexed(project.spots, _lux_asked).get(room.id, ())))


def _lux_asked(spots: tuple[Spot, ...]) -> dict[str, list[float]]:
    """By room, what its spots ask for."""
    out: dict[str, list[float]] = {}
    for spot in spots:
        if spot.lux is not None:
            out.setdefault(spot.room, []).append(spot.lux)
    return out


def daylight_factor(project: Project, room: Room) -> float:
    """Mean daylight inside as a share of that outside, 0 to 1."""
    windows = _windows(project.walls, project.openings, project.rooms).get(room, ())
    return _factor(room, find(project.levels, room.level).height, windows)


@memoised
def _factor(room: Room, height: float, windows: tuple[Opening, ...]) -> float:
    glass = sum(o.width * (o.head - o.sill) * GLASS_SHARE for o in windows)
    outline = np.asarray(room.outline, float)
    around = float(np.hypot(*(np.roll(outline, -1, axis=0) - outline).T).sum())
    surfaces = 2 * polygons.area(outline) + around * height
    return TRANSMITTANCE * glass * SKY_ANGLE_DEG / (surfaces * (1 - REFLECTANCE**2)) / 100.0


@memoised
def _windows(
    walls: tuple[Wall, ...], openings: tuple[Opening, ...], rooms: tuple[Room, ...]
) -> dict[Room, tuple[Opening, ...]]:
    """By room, the windows in its edge that no other room shares."""
    frames = _frames(rooms)
    out: dict[Room, tuple[Opening, ...]] = {}
    for o in openings:
        if o.kind != "window":
            continue
        wall = find(walls, o.wall)
        if wall.level not in frames:
            continue
        here, low, high = frames[wall.level]
        a, b = np.asarray(wall.a), np.asarray(wall.b)
        middle = a + (b - a) * (o.offset + o.width / 2) / max(math.dist(wall.a, wall.b), 1e-9)
        # Only a room whose frame reaches there can have it in its edge.
        near = np.flatnonzero(((low <= middle) & (middle <= high)).all(axis=1))
        touching = [here[k] for k in near if _on_edge(here[k], middle)]
        if len(touching) == 1:
            out[touching[0]] = (*out.get(touching[0], ()), o)
    return out


def _frames(rooms: tuple[Room, ...]) -> dict[str, tuple[list[Room], NDArray[np.float64], NDArray[np.float64]]]:
    """By level, its rooms and the lowest and highest corner of the frame of each, (n, 2), wider by ON_EDGE_M."""
    by_level: dict[str, list[Room]] = {}
    for room in rooms:
        by_level.setdefault(room.level, []).append(room)
    out = {}
    for level, here in by_level.items():
        outlines = [np.asarray(r.outline, float) for r in here]
        low, high = (np.array([corner(x, axis=0) for x in outlines]) for corner in (np.min, np.max))
        out[level] = here, low - ON_EDGE_M, high + ON_EDGE_M
    return out


def _on_edge(room: Room, point: np.ndarray) -> bool:
    outline = np.asarray(room.outline, float)
    distance, _ = polygons.nearest_on_segments(point, outline, np.roll(outline, -1, axis=0))
    return bool(distance.min() < ON_EDGE_M)


@memoised
def darkness(project: Project, calendar: Calendar) -> dict[str, Signal]:
    """By room, while daylight alone does not give it what it asks for."""
    # Known for the project at once, and for any other with the same building.
    return _darkness(
        project.levels, project.walls, project.openings, project.rooms, project.spots, project.uses, project.place,
        calendar,
    )  # fmt: skip


@memoised
def _darkness(levels, walls, openings, rooms, spots, uses, place: Place, calendar: Calendar) -> dict[str, Signal]:  # type: ignore[no-untyped-def]
    project = Project(
        name="", levels=levels, walls=walls, openings=openings, rooms=rooms, spots=spots, uses=uses, place=place
    )
    return {room.id: dark(project, room, calendar) for room in rooms}


def dark(project: Project, room: Room, calendar: Calendar) -> Signal:
    """While daylight alone does not give the room what it asks for."""
    return _darker(project, room, target_lux(project, room), calendar)


def darker_than(
    project: Project, room: Room, below_lux: float | None, until_lux: float | None, calendar: Calendar
) -> Signal:
    """From when daylight alone gives a room less than one figure until it gives another (hysteresis), lux; by default
    what the room asks for, and the lower figure. It begins as dark where it is below the upper one."""
    below = target_lux(project, room) if below_lux is None else below_lux
    until = max(below, until_lux or 0.0)
    low = darkness(project, calendar)[room.id] if below_lux is None else _darker(project, room, below, calendar)
    return low if until <= below else _until(low, _darker(project, room, until, calendar))


@memoised
def _until(low: Signal, high: Signal) -> Signal:
    """From a rise of the first on while the second, which it lies within, lasts."""
    return low.start_keep(high)


def _darker(project: Project, room: Room, lux: float, calendar: Calendar) -> Signal:
    """While daylight alone gives a room less than so many lux."""
    factor = daylight_factor(project, room)
    if factor <= 0:
        return always(calendar.end)
    place, lux = project.place, lux / factor
    # The sun is where it is whatever the weather.
    sun_days = replace(calendar, weather_seed=0)
    highest = (round(elevation_for(lux, sky), 3) for sky in (OVERCAST, CLEAR))
    overcast, clear = (_below(place.latitude, place.longitude, degrees, sun_days) for degrees in highest)
    return _by_sky(overcast, clear, clear_days(place.latitude, place.longitude, calendar))


@memoised
def _by_sky(overcast: Signal, clear: Signal, days: Signal) -> Signal:
    return (overcast - days) | (clear & days)


@memoised
def _below(latitude: float, longitude: float, elevation: float, calendar: Calendar) -> Signal:
    """While the sun is below an elevation."""
    if elevation >= 90:
        return always(calendar.end)
    return ~sun.above(latitude, longitude, elevation, calendar)


def sun_times(place: Place, day: date) -> tuple[float | None, float | None]:
    """Sunrise and sunset of a local day, seconds from its midnight; None where the sun does not cross the horizon."""
    return sun.rise_and_set(place.latitude, place.longitude, day, place.timezone)


def sun_elevation(place: Place, calendar: Calendar, t: float) -> float:
    """Elevation of the sun in degrees at an instant of a calendar."""
    return sun.elevation_deg(place.latitude, place.longitude, calendar.instant_utc(t))
