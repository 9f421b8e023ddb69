"""Which device types are worth trying in a room, where each would be mounted, and what the maps say of it, in figures.

Each type is tried at the room's corners, wall middles, ceiling, switches, or whatever it is fixed to, together with
what already serves the room, and looked at by the same models as everything else: how many of those who come in are
noticed soon enough, how often somebody at each spot is noticed, and so how long presence would have to hold; and
whether it gets power there, stands the place, and is not falsely triggered by what is in the room.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import replace as changed
from functools import cached_property
from typing import NamedTuple

import numpy as np
from msgspec import to_builtins
from msgspec.structs import replace

from vastwatch.advice.adviser.mounting import places, power_problem
from vastwatch.advice.adviser.room_state import RoomState
from vastwatch.advice.checks.finding import OFTEN_FALSE_PER_H, SOME_FALSE_PER_H
from vastwatch.advice.checks.findings import WALKER_SHARE
from vastwatch.advice.detection.gap_model import SpotDetection, hold_for
from vastwatch.design.edits.sensors import add_sensor, joins_presence
from vastwatch.design.project import Project, Weights, find, put
from vastwatch.design.records import Sensor
from vastwatch.devices import (
    AREA_FAMILIES,
    TOUCH_FAMILIES,
    DeviceType,
    catalogue,
)
from vastwatch.memo import memoised
from vastwatch.sensing.hazards import false_rate, per_hour_words
from vastwatch.sensing.model import MountedSensor
from vastwatch.site.building import Hazard, Spot
from vastwatch.words import duration_words, notice_interval_words, rough_duration_words

# No hold is shorter than this in service, seconds.
SHORTEST_HOLD_S = 30.0
# What a minute of hold is reckoned worth when types are put in order, in the catalogue's unit of money: our choice.
PRICE_PER_HOLD_MIN = 2.0
# What weighs like money when types are put in order, for each point of the brief's weights: a cable to draw, a device
# more to look after.
CABLE_PRICE, DEVICE_PRICE = 15.0, 8.0
# A wait beyond this counts no worse when placements are compared, seconds.
CAPPED_S = 7200.0
# Of all places, walkers are only judged at the few that are best for the spots.
SHORTLIST = 2
# A second of a kind is mounted so far from the first, metres.
OTHER_SIDE_M = 1.0
# Below this a device is mounted low, for feet, and its best places are others, metres.
LOW_M = 0.8
# An addition that shortens the hold needed by less than this share, and notices no more of the room, adds nothing.
ADDS_HOLD, ADDS_SHARE = 0.1, 0.03
# Noticing walkers in so much of the rooms next door within the time wanted here is worth a word, and each square metre
# is reckoned so much money when types are put in order.
SPILL_M2, PRICE_PER_SPILL_M2 = 1.0, 1.0
# Why a type is not offered where what is mounted there does.
ADDS_NOTHING = "adds nothing to the sensors already there"
# This protection is what rain asks for.
RAIN = "IP44"
# A false report an hour is reckoned so much money when types are put in order, and so many minutes of waiting when
# places are: our choice, like the prices above.
PRICE_PER_FALSE, WAIT_PER_FALSE_MIN = 20.0, 5.0


@dataclass(frozen=True, eq=False)
class Option:
    """One device type for a room, at its best place. `shortfalls`: what the maps have against it, in sentences, none
    where it looks well; those of them that disqualify it whatever its weeks would be like are `blockers` by.

    `walker_share`: of those who come in, within `walker_s` (`RoomNow.share`). `waits`: per spot id the mean
    wait with all that serves the room.
    `hold_s`: the hold with which the light goes off on the worst spot no more often than the room's needs allow; inf
    where none would. `price`: 0 for one that is owned and not yet placed; `rank_cost`: what it is put in order by, less
    is better.
    """

    device: DeviceType
    sensor: Sensor
    base: Project
    walker_share: float
    walker_s: float
    waits: dict[str, float]
    hold_s: float
    shortfalls: tuple[str, ...]
    reason: str
    price: float
    rank_cost: float
    blockers: tuple[str, ...] = ()

    @cached_property
    def placed(self) -> tuple[Project, Sensor]:
        """The project with it placed, in its role, and the sensor that was added."""
        s = self.sensor
        new, made = add_sensor(self.base, self.device, s.level, s.at, s.yaw, s.pitch, s.host)
        if s.settings != made.settings:
            made = replace(made, settings=s.settings)
            new = put(new, made)
        return new, made

    @property
    def project(self) -> Project:
        """The project with it placed."""
        return self.placed[0]

    def on(self, base: Project) -> tuple[Project, Sensor]:
        """Place this option in another base project. Returns the identical sensor record if nothing of it differs, so
        that cached reports are reused."""
        if base is self.base:
            return self.placed
        new, made = changed(self, base=base).placed
        mine = self.placed[1]
        return (put(new, mine), mine) if to_builtins(made) == to_builtins(mine) else (new, made)


def shortlist(project: Project, room_id: str, types: Sequence[DeviceType] | None = None) -> list[Option]:
    """All sensing types for a room, those that do first, and among them by hold time, price and the brief's weights;
    the same again for anybody who asks again.

    `types` defaults to the catalogue. Raises KeyError for a room that is not there.
    """
    return list(_choose(project, room_id, tuple(catalogue() if types is None else types)))


@memoised
def _choose(project: Project, room_id: str, types: tuple[DeviceType, ...]) -> tuple[Option, ...]:
    now = RoomState(project, find(project.rooms, room_id))
    sensing = [d for d in types if d.family in (*AREA_FAMILIES, *TOUCH_FAMILIES)]
    good: dict[tuple[str, bool], list[tuple[float, float]]] = {}
    options = [o for d in sensing if (o := _best(now, d, good)) is not None]
    return tuple(sorted(options, key=lambda o: (bool(o.blockers), bool(o.shortfalls), len(o.shortfalls), o.rank_cost)))


def second_option(project: Project, room_id: str, device: DeviceType, at: tuple[float, float]) -> Option | None:
    """A second one of a type for a room, where it helps most besides one that is mounted at a point: from another
    side."""
    now = RoomState(project, find(project.rooms, room_id))
    return _best(now, device, {}, [s for s in places(now, device) if math.dist(s.at[:2], at) > OTHER_SIDE_M])


def weighted_cost(weights: Weights, price: float, hold_s: float, devices: Sequence[DeviceType]) -> float:
    """What some devices cost by the brief's weights: their price, their hold, their cables, and that they are there."""
    cost = weights.cost * price + max(weights.comfort, 0.5) * PRICE_PER_HOLD_MIN * min(hold_s, CAPPED_S) / 60.0
    cables = sum(device.power in ("mains", "usb") for device in devices)
    return cost + weights.fewest * DEVICE_PRICE * len(devices) + weights.no_cables * CABLE_PRICE * cables


class Stock(NamedTuple):
    """How many of a type are owned, and how many of those are mounted already."""

    owned: int
    used: int


def stock(project: Project, device: str) -> Stock:
    """What is owned of a type and what of that is placed."""
    owned = sum(o.count for o in project.brief.owned if o.device == device)
    return Stock(owned, sum(s.device == device for s in project.sensors))


def _best(
    now: RoomState, device: DeviceType, good: dict[tuple[str, bool], list[tuple[float, float]]],
    sensors: list[Sensor] | None = None,
) -> Option | None:  # fmt: skip
    """The type at the place where the spots wait least, and among equals the walkers; of the places, or of some.

    The first type of its kind is tried everywhere; what is like it only at the places that were good for that one,
    which are kept in `good`.
    """
    sensors = places(now, device) if sensors is None else sensors
    kind = (device.placed_as or device.family, device.mount_height > LOW_M)
    roams = device.family in AREA_FAMILIES and "ceiling" not in device.mounts and not device.in_switch_box
    if roams and kind in good:
        sensors = [s for s in sensors if s.at[:2] in good[kind]] or sensors
    tried = []
    for sensor in sensors:
        mounted = now.placed(device, sensor)
        waits = now.waits(mounted) if now.spots else np.zeros(0)
        tried.append((float(np.minimum(waits, CAPPED_S).sum()) / 60.0, mounted, waits))
    if not tried:
        return None
    tried.sort(key=lambda t: t[0])
    # Where nobody stays, every place is as good for the spots: then all are judged for walkers.
    few = tried[:SHORTLIST] if now.spots else tried
    judged = []
    for bad, mounted, waits in few:
        bad += WAIT_PER_FALSE_MIN * now.false_rate_per_h(mounted)
        judged.append((round(bad, 3), -now.share(mounted), mounted, waits))
        if now.spots and judged[-1][1] <= -WALKER_SHARE:
            # The best for the spots does for the walkers too: no other place can be better.
            break
    judged.sort(key=lambda j: (j[0], j[1]))
    if roams and kind not in good:
        ranked = (
            [mounted.sensor for _, mounted, _ in tried]
            if now.spots
            else [mounted.sensor for _, _, mounted, _ in judged]
        )
        good[kind] = [s.at[:2] for s in ranked[:SHORTLIST]]
    best = judged[0]
    if best[1] > -WALKER_SHARE:
        # A place that notices the walkers as well beats one that only notices those who sit a little sooner.
        lit = [j for j in judged if -j[1] >= WALKER_SHARE and j[0] <= best[0] * 1.5 + 1.0]
        best = min(lit, key=lambda j: j[0], default=best)
    return _judged(now, device, best[2], best[3], -best[1])


def _judged(now: RoomState, device: DeviceType, mounted: MountedSensor, waits: np.ndarray, share: float) -> Option:
    misses = []
    needs = now.needs
    by_spot = {s.id: float(w) for s, w in zip(now.spots, waits)}
    watched = now.spot_detections(mounted)
    holds = {
        s.id: hold_for(by, hours, s.activity) for s, by, hours in zip(now.spots, watched, now.between_drops_h)
    }  # fmt: skip
    worst = max(now.spots, key=lambda s: (holds[s.id], by_spot[s.id]), default=None)
    hold = SHORTEST_HOLD_S
    reason = ("Together with the sensors already there it notices " if now.served else "Notices ") + now.walkers_words(
        share
    )
    if worst is not None:
        wait = by_spot[worst.id]
        hold = max(holds[worst.id], SHORTEST_HOLD_S)
        noticed = f"noticed {notice_interval_words(wait)}" if math.isfinite(wait) else "never noticed"
        reason += f"; at the {worst.name} {_somebody(worst)} is {noticed}"
        if hold > needs.hold_max_s:
            wants = f": that would need a hold time of {rough_duration_words(hold)}" if math.isfinite(hold) else ""
            misses.append(f"cannot keep the light on for {_somebody(worst)} at the {worst.name}: {noticed}{wants}")
        else:
            hold = math.ceil(hold / 10.0) * 10.0
            reason += f", so a hold time of {rough_duration_words(hold)} is enough"
    if share < WALKER_SHARE:
        misses.append(f"notices only {now.walkers_words(share)}")
    doubts = list(misses)
    if not joins_presence(device, now.room):
        misses.insert(0, "does not detect presence itself; useful as a condition in rules")
    elif now.served and not _adds(now, watched, share):
        misses.append(ADDS_NOTHING)
        doubts.append(ADDS_NOTHING)
    misses += _place_fails(now, device, mounted)
    if not misses and device.through_walls:
        # Walls stop most; what sees through them and would do is also asked about what moves next door.
        misses += _falsely_triggered(now.placed(device, mounted.sensor, whole=True), now.hazards_next_door)
    # What does not do anyway need not be told apart any further.
    falsely_triggered = 0.0
    if not misses:
        falsely_triggered = now.false_rate_per_h(mounted)
        if falsely_triggered > SOME_FALSE_PER_H:
            worst_of_all = max(now.hazards_here, key=lambda h: false_rate(mounted, h))
            reason += (
                f"; false triggers from the {worst_of_all.name.lower()}, "
                f"{per_hour_words(false_rate(mounted, worst_of_all))}"
            )
    spill = 0.0 if misses else now.over_coverage_m2(now.placed(device, mounted.sensor, whole=True))
    if spill > SPILL_M2:
        reason += f"; it also notices walkers in {spill:.0f} m² next door, unless gate or sensitivity is reduced"
    left = stock(now.project, device.id)
    price = 0.0 if left.owned > left.used else device.price
    weights = now.project.brief.weights
    rank_cost = weighted_cost(weights, price, hold, (device,))
    rank_cost += PRICE_PER_SPILL_M2 * spill + PRICE_PER_FALSE * falsely_triggered
    return Option(
        device,
        mounted.sensor,
        now.project,
        share,
        needs.notice_s,
        by_spot,
        hold,
        tuple(misses),
        reason + ".",
        price,
        rank_cost,
        tuple(m for m in misses if m not in doubts),
    )


def _adds(now: RoomState, watched: list[tuple[SpotDetection, ...]], share: float) -> bool:
    """Whether the spots need a shorter hold, or more of the room notices walkers, than with what serves it already."""

    def hold(watched: list[tuple[SpotDetection, ...]]) -> float:
        each = zip(watched, now.between_drops_h, now.spots)
        longest = max(hold_for(by, hours, s.activity) for by, hours, s in each)
        return min(max(longest, SHORTEST_HOLD_S), CAPPED_S)

    shorter = len(watched) > 0 and hold(watched) < (1 - ADDS_HOLD) * hold(now.watches)
    return shorter or share > now.own_share + ADDS_SHARE


def _place_fails(now: RoomState, device: DeviceType, mounted: MountedSensor) -> list[str]:
    """What the place itself has against a type."""
    out = []
    if (power := power_problem(now, device, mounted.sensor)) != "":
        out.append(power)
    if device.typical_latency_s() >= now.needs.notice_s:
        out.append(
            f"too slow: it reports {duration_words(device.typical_latency_s())} after noticing somebody; the limit is "
            f"{now.needs.notice_s:g} s"
        )
    if not device.least_c <= now.room.ambient_c <= device.most_c:
        out.append(f"rated for {device.least_c:g} to {device.most_c:g} °C; it is {now.room.ambient_c:g} °C here")
    if now.room.use == "outside" and device.ip < RAIN:
        out.append(f"{device.ip} is not rainproof; {RAIN} or better is needed")
    if device.load_w and device.family in AREA_FAMILIES and now.lamps:
        watts = sum(lamp.watts for lamp in now.lamps)
        if watts > device.load_w:
            out.append(f"switches up to {device.load_w:g} W; the lamps here draw {watts:g} W")
    return out + _falsely_triggered(mounted, now.hazards_here)


def _falsely_triggered(mounted: MountedSensor, hazards: list[Hazard]) -> list[str]:
    out = []
    for hazard in hazards:
        rate = false_rate(mounted, hazard)
        if rate * 3600.0 > OFTEN_FALSE_PER_H:
            out.append(f"false triggers from the {hazard.name.lower()}, {per_hour_words(rate)}")
    return out


def _somebody(spot: Spot) -> str:
    doing = {
        "reading": "somebody reading",
        "film": "somebody watching",
        "desk": "somebody at work",
        "hands-on": "somebody at work",
        "washing": "somebody washing",
    }
    return doing.get(spot.activity, "somebody")
