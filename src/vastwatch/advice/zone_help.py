"""What would make a tracking radar tell its zones apart better: it is turned or hung elsewhere, and looked at."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from vastwatch.advice.mounting import places
from vastwatch.advice.room_now import RoomNow
from vastwatch.advice.zone_proposal import stayed_at, wrong
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Sensor
from vastwatch.geometry.polygons import contains_point
from vastwatch.sensing.mounted import zoned

# It is turned by up to so many degrees, in steps of so many; hung elsewhere it is turned to see most.
FARTHEST_DEG, STEP_DEG = 30, 5
# Less than this is no help, in the figure of `zone_proposal.wrong`; of hanging places so many are tried.
WORTH, MOST_PLACES = 0.03, 16


class Help(NamedTuple):
    """One thing that was tried: the sensor as it then is, in words; how far off its zones are before and then, and with
    what share of their reports the worst served of those who stay in a zone are counted there, before and then."""

    sensor: Sensor
    text: str
    before: float
    after: float
    counted_before: float
    counted_after: float


class _Found(NamedTuple):
    off: float
    counted: float


def what_helps(project: Project, sensor: Sensor, moving: bool = False) -> list[Help]:
    """Turning a sensor, and with `moving` hanging it elsewhere in its room, as far as it makes its zones better; the
    best of each."""
    now = zoned(project, sensor)
    if now is None or not now.zones:
        return []
    before = _found(project, sensor)
    turned = [
        (replace(sensor, yaw=(sensor.yaw + d + 180.0) % 360.0 - 180.0), d)
        for d in range(-FARTHEST_DEG, FARTHEST_DEG + 1, STEP_DEG) if d
    ]  # fmt: skip
    out = []
    after, best, d = min(((_found(project, s), s, d) for s, d in turned), key=lambda t: (t[0].off, abs(t[2])))
    if after.off < before.off - WORTH:
        text = f"Turn it {abs(d)}° to the {'left' if d > 0 else 'right'}."
        out.append(Help(best, text, before.off, after.off, before.counted, after.counted))
    if moving and (help_ := _elsewhere(project, sensor, before)) is not None:
        out.append(help_)
    return sorted(out, key=lambda h: h.after)


def _found(project: Project, sensor: Sensor) -> _Found:
    known = zoned(put(project, sensor), sensor)
    if known is None:
        return _Found(float("inf"), 0.0)
    # A spot that it does not notice at all from there is missed whole, wherever its zone lies.
    noticed = {known.spots[i].id for i in np.flatnonzero(known.own.any(axis=1))}
    meant = {s.id for s in stayed_at(project, sensor) if any(contains_point(z.outline, *s.at) for z in known.zones)}
    missed = len(meant - noticed)
    held = known.counted[known.own]
    counted = 0.0 if missed else float(held.min()) if len(held) else 1.0
    return _Found(wrong(known) + missed, counted)


def _elsewhere(project: Project, sensor: Sensor, before: _Found) -> Help | None:
    room = room_of(project, sensor)
    if room is None:
        return None
    device = find(project.devices, sensor.device)
    tried = places(RoomNow(project, room), device)
    best: tuple[_Found, Sensor] | None = None
    for place in tried[:: max(1, len(tried) // MOST_PLACES)]:
        at = (place.at[0], place.at[1], sensor.at[2])
        for turn in (-20.0, 0.0, 20.0):
            s = replace(sensor, at=at, yaw=place.yaw + turn)
            found = _found(project, s)
            if best is None or found.off < best[0].off - 1e-9:
                best = found, s
    if best is None or best[0].off >= before.off - WORTH:
        return None
    after, there = best
    x, y, _ = there.at
    away = float(np.hypot(x - sensor.at[0], y - sensor.at[1]))
    text = f"Hang it {away:.1f} m away, at {x:.1f}, {y:.1f}, looking {there.yaw % 360:.0f}°."
    return Help(there, text, before.off, after.off, before.counted, after.counted)
