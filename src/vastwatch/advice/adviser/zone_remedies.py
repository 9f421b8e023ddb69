"""What would make a tracking radar tell its zones apart better: it is turned or mounted elsewhere, its zones are drawn
apart, or what moves by itself is ignored; each tried, and looked at."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from msgspec.structs import replace
from shapely import Polygon

from vastwatch.advice.adviser.mounting import places
from vastwatch.advice.adviser.room_state import RoomState
from vastwatch.advice.detection.zone_proposal import MOVES, stay_spots, total_zone_error
from vastwatch.design.edits.zones import add_zone, clear_of, replace_zones, tidy
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find, put
from vastwatch.design.records import Sensor, Zone
from vastwatch.geometry.polygons import contains_point
from vastwatch.sensing.hazards import false_rate
from vastwatch.sensing.mounted import mount_plain, zoned_sensor
from vastwatch.sensing.zoned_sensor import ZonedSensor, counted_shares, ignored_share, zones_of
from vastwatch.site.building import Hazard

# It is turned by up to so many degrees, in steps of so many; mounted elsewhere it is turned to see most.
FARTHEST_DEG, STEP_DEG = 30, 5
# Less than this is no help, in the figure of `zone_proposal.total_zone_error`; of mounting places so many are tried.
WORTH, MOST_PLACES = 0.03, 16
# Zones are drawn in by so much on every side, metres, as long as that much of each is left; an area to ignore reaches
# so far beyond what moves, metres: whichever serves best.
GAPS_M, KEPT_SHARE, AROUND_M = (0.05, 0.1, 0.15, 0.2), 0.4, (0.0, 0.1, 0.2)


class ZoneRemedy(NamedTuple):
    """One thing that was tried: the sensor as it then is, in words; how far off its zones are before and then, and with
    what share of their reports the worst served of those who stay in a zone are counted there, before and then.
    `zones`: its zones as they then are, where those change. `of`: of whom the shares are, where it is a hazard whose
    reports a zone counts."""

    sensor: Sensor
    text: str
    before: float
    after: float
    counted_before: float
    counted_after: float
    zones: tuple[Zone, ...] | None = None
    of: str = ""

    def applied(self, project: Project) -> Project:
        """The project with it."""
        new = put(project, self.sensor)
        return new if self.zones is None else replace_zones(new, self.sensor, self.zones)


class _Found(NamedTuple):
    off: float
    counted: float


def zone_remedies(project: Project, sensor: Sensor, moving: bool = False) -> list[ZoneRemedy]:
    """Turning a sensor, and with `moving` mounting it elsewhere in its room, as far as it makes its zones better; the
    best of each."""
    now = zoned_sensor(project, sensor)
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
        out.append(ZoneRemedy(best, text, before.off, after.off, before.counted, after.counted))
    if moving and (help_ := _elsewhere(project, sensor, before)) is not None:
        out.append(help_)
    if (help_ := _apart(project, sensor, before)) is not None:
        out.append(help_)
    return sorted(out, key=lambda h: h.after) + _ignored(project, sensor, now, before)


def _apart(project: Project, sensor: Sensor, before: _Found) -> ZoneRemedy | None:
    """All zones drawn in by a gap, so that a neighbour's reports fall beside them; the best of some gaps."""
    drawn = zones_of(project, sensor.id)
    best: tuple[_Found, float, tuple[Zone, ...]] | None = None
    for gap in GAPS_M:
        zones = tuple(z if z.role == "ignore" else shrunk(z, gap) for z in drawn)
        found = _found(replace_zones(project, sensor, zones), sensor)
        if best is None or found.off < best[0].off - 1e-9:
            best = found, gap, zones
    if best is None or best[0].off >= before.off - WORTH:
        return None
    after, gap, zones = best
    text = f"Move its zones {200 * gap:.0f} cm farther apart."
    return ZoneRemedy(sensor, text, before.off, after.off, before.counted, after.counted, zones)


def shrunk(zone: Zone, by_m: float) -> Zone:
    """A zone drawn in by so much on every side; itself where little would be left."""
    shape = Polygon(zone.outline)
    left = shape.buffer(-by_m, join_style="mitre")
    if not isinstance(left, Polygon) or left.area < KEPT_SHARE * shape.area:
        return zone
    return replace(zone, outline=tidy([(x, y) for x, y in left.exterior.coords[:-1]]))


def _ignored(project: Project, sensor: Sensor, now: ZonedSensor, before: _Found) -> list[ZoneRemedy]:
    """An area to ignore over each thing that moves by itself and is counted in a zone; as long as there is room for one
    more, and those who sit beside it lose less than is gained."""
    most = now.device.zones or 0
    drawn = zones_of(project, sensor.id)
    out = []
    for hazard, share in counted_hazards(project, now) if len(drawn) < most else []:
        best: tuple[float, ZoneRemedy] | None = None
        for around in AROUND_M:
            if (new := _with_ignored(project, now, hazard, around)) is None:
                continue
            then = zoned_sensor(new, sensor)
            assert then is not None
            after = _found(new, sensor)
            left = dict(counted_hazards(new, then)).get(hazard, 0.0)
            # What is no longer counted of it, less what is no longer counted of anybody who sits beside it.
            gain = share - left - (before.counted - after.counted)
            if gain > WORTH and (best is None or gain > best[0]):
                text = f"Ignore the reports caused by the {hazard.name.lower()}."
                zones = zones_of(new, sensor.id)
                best = gain, ZoneRemedy(sensor, text, before.off, after.off, share, left, zones, hazard.name)
        if best is not None:
            out.append(best[1])
    return out


def _with_ignored(project: Project, now: ZonedSensor, hazard: Hazard, around_m: float) -> Project | None:
    """An area to ignore over a hazard and so much around it, clear of the other zones; None where there is no room."""
    grown = Polygon(hazard.outline).buffer(around_m, join_style="mitre").exterior.coords[:-1]
    gap = 0.0 if now.device.zone_rules is None else now.device.zone_rules.gap_m
    others = [z.outline for z in zones_of(project, now.sensor.id)]
    clear = clear_of([(x, y) for x, y in grown], others, gap)
    if clear is None:
        return None
    return add_zone(project, now.sensor.id, clear, f"Ignore {hazard.name.lower()}", "ignore")[0]


def counted_hazards(project: Project, known: ZonedSensor) -> list[tuple[Hazard, float]]:
    """What moves by itself and sets a sensor off, with the share of what it shows that some zone counts, most first."""
    out = []
    plain = mount_plain(project, known.sensor)
    for hazard in project.hazards:
        if hazard.kind not in MOVES or hazard.level != known.sensor.level or false_rate(plain, hazard) <= 0:
            continue
        share = max((share for _, share in counted_shares(known, hazard)), default=0.0) - ignored_share(known, hazard)
        if share > WORTH:
            out.append((hazard, share))
    return sorted(out, key=lambda x: -x[1])


def _found(project: Project, sensor: Sensor) -> _Found:
    known = zoned_sensor(put(project, sensor), sensor)
    if known is None:
        return _Found(float("inf"), 0.0)
    # A spot that it does not notice at all from there is missed whole, wherever its zone lies.
    noticed = {known.spots[i].id for i in np.flatnonzero(known.intended.any(axis=1))}
    meant = {s.id for s in stay_spots(project, sensor) if any(contains_point(z.outline, *s.at) for z in known.zones)}
    missed = len(meant - noticed)
    held = known.counted[known.intended]
    counted = 0.0 if missed else float(held.min()) if len(held) else 1.0
    return _Found(total_zone_error(known) + missed, counted)


def _elsewhere(project: Project, sensor: Sensor, before: _Found) -> ZoneRemedy | None:
    room = room_of(project, sensor)
    if room is None:
        return None
    device = find(project.devices, sensor.device)
    tried = places(RoomState(project, room), device)
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
    text = f"Move it {away:.1f} m, to {x:.1f}, {y:.1f}, aim {there.yaw % 360:.0f}°."
    return ZoneRemedy(there, text, before.off, after.off, before.counted, after.counted)
