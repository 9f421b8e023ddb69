"""Design checks: what is wrong or doubtful before anything is rehearsed, each with its figure and its remedies.

A finding is computed from the same models as everything else. Severities: `wrong` (somebody will be left in the
dark), `risk`, `note`, and `caution` for what can hurt: those defer to the local code and to licensed practice.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from vastwatch.advice.checks import conclusions as conclusion_checks
from vastwatch.advice.checks import plan as plan_checks
from vastwatch.advice.checks import scenes as scene_checks
from vastwatch.advice.checks import settings as settings_checks
from vastwatch.advice.checks import wiring as wiring_checks
from vastwatch.advice.checks import zones as zone_checks
from vastwatch.advice.checks.finding import MANY_SENSORS, ORDER, Finding, RemedyText
from vastwatch.advice.detection.entry_paths import EntryPaths, entry_paths, path_rates, share_within
from vastwatch.advice.detection.gap_model import hold_for, hours_per_false_off
from vastwatch.advice.detection.over_coverage import over_coverages
from vastwatch.advice.detection.spot_detection import spot_detections
from vastwatch.advice.judging.judge import Judgement
from vastwatch.advice.judging.requirements import LEAST_LIMIT, STEP_S, in_words
from vastwatch.advice.simulation.room_simulation import hours_between_false_offs
from vastwatch.control.outputs.handler import lights_in
from vastwatch.design.needs import light_spots, needs_of, used_by_people
from vastwatch.design.places import display_name, room_of
from vastwatch.design.presence import hold_of, reports
from vastwatch.design.project import Project, find
from vastwatch.design.records import Conclusion, Sensor
from vastwatch.design.relations import levels_in_order, presence_of
from vastwatch.devices import TOUCH_FAMILIES, DeviceType
from vastwatch.geometry import polygons
from vastwatch.memo import memoised
from vastwatch.people.floors import blocked
from vastwatch.people.routes import route
from vastwatch.sensing.coverage import CELL, coverage, level_grid, room_cells, spot_notice_s
from vastwatch.sensing.families.pir import contrast_factor
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Furnishing, Room, Spot
from vastwatch.words import capital, duration_words, notice_interval_words, rough_duration_words

# A spot where the light goes off on somebody more often than the room's needs allow in all is a risk; so many times as
# often, wrong.
WRONG_TIMES = 4.0
# Noticed so many holds apart, somebody sits in the dark most of the time.
HARDLY = 3.0
# A walker should be noticed in time over at least this share of the room.
WALKER_SHARE = 0.9
# Mounting this much off the height its figures hold for is worth a word, metres.
HEIGHT_OFF_M = 0.5
# A type for walls that is farther than this from any is not mounted; one this far above furniture stands on it, metres.
LOOSE_M, ON_TOP_M = 0.6, 0.5
# From this room temperature on, a PIR has lost a quarter of its range, Celsius.
WARM_C = 26.7
# A plan with more walls than this may not follow the hand while dragging.
MANY_WALLS = 2000


# What is known of a room's simulated weeks: its judgement, or None.
Judged = Callable[[str], Judgement | None]


def findings(project: Project, judged: Judged = lambda room: None) -> list[Finding]:
    """All findings, the worst first. The maps it reads are cached.

    Where a room has been `judged`, that decides whether anybody is left in the dark there, at the hold that is set;
    maps and formulas say it of the others.
    """
    found = [f for check in CHECKS for f in check(project)]
    found += [f for check in CHECKS_BY_WEEKS for f in check(project, judged)]
    return sorted(found, key=lambda f: ORDER[f.severity])


def spot_wait_s(project: Project, sensors: list[str], spot: Spot) -> float:
    """Mean seconds between notices of somebody at a spot by any of the sensors: their rates add (M5)."""
    rate = sum(1.0 / w for s in sensors if np.isfinite(w := spot_notice_s(project, s, spot)))
    return 1.0 / rate if rate > 0 else float("inf")


def _keepers(project: Project, room: str, spot: Spot | None = None) -> list[str]:
    """The sensors that a room's presence reads; of those of which it reads a zone alone, at a spot only where that lies
    in the zone."""
    presence = presence_of(project, room)
    if presence is None:
        return []
    read = [
        r for r in reports(presence.expr)
        if spot is None or r.zone is None or polygons.contains_point(find(project.zones, r.zone).outline, *spot.at)
    ]  # fmt: skip
    return list(dict.fromkeys(r.sensor for r in read))


def _dark_rooms(project: Project, judged: Judged) -> Iterator[Finding]:
    """Rooms whose simulated weeks miss what the brief allows, at the hold that is set."""
    for room in project.rooms:
        presence, j = presence_of(project, room.id), judged(room.id)
        if presence is None or j is None or j.current_s not in j.holds:
            continue
        unmet = [m for m in j.checks_at(j.current_s) if m.need in HOW_IT_SERVES and not m.passed]
        if not unmet:
            continue
        bad = any(m.value > WRONG_TIMES * max(m.limit, LEAST_LIMIT) for m in unmet)
        text = (
            f"{room.name}, {_how(presence, j)}: {'; '.join(in_words(m) for m in unmet)}, in {j.weeks} simulated weeks."
        )
        if all(m.need == "idle_h_per_day" for m in unmet):
            yield Finding(
                "burns", "wrong" if bad else "risk", (room.id, presence.id), text, tuple(_against_burning(j)), room.id
            )
            continue
        spots = light_spots(project, room.id)
        waits = [(spot_wait_s(project, _keepers(project, room.id, s), s), s) for s in spots]
        records: tuple[str, ...] = (presence.id,)
        if waits:
            wait, worst = max(waits, key=lambda w: w[0])
            records = (worst.id, presence.id)
            text += f" Least noticed: at the {worst.name}, {notice_interval_words(wait)}."
        remedies = [RemedyText("Use a radar that sees every position to keep presence on.")]
        if j.made_by == "zones":
            remedies = [RemedyText("Draw zones where people are. Timing recommends their off delay.")]
        remedies = [*_better_hold(j), *remedies]
        yield Finding("left-dark", "wrong" if bad else "risk", records, text, tuple(remedies), room.id)


# What of a room's needs tells how its light serves; the rest is told need by need.
HOW_IT_SERVES = ("drops_per_week", "dark_min_per_day", "idle_h_per_day")


def _how(presence: Conclusion, j: Judgement) -> str:
    """What it is that a room's light is judged with."""
    single = hold_of(presence.expr)
    if j.made_by != "presence":
        return "by its zones" if j.made_by == "zones" else "by its rows"
    return "with the present conclusion" if single is None else f"hold time {duration_words(single)}"


def _better_hold(j: Judgement) -> list[RemedyText]:
    if j.best_s is None or j.made_by != "presence":
        return []
    return [RemedyText(f"Set the hold time to {duration_words(j.best_s)}: that meets every need.")]


def _against_burning(j: Judgement) -> list[RemedyText]:
    return [
        *_better_hold(j),
        RemedyText(
            "See Rehearsal for what kept it on: a latch without a contact on every door, a false trigger, or a device "
            "hold time."
        ),
    ]


def _unseen_spots(project: Project, judged: Judged) -> Iterator[Finding]:
    for room in project.rooms:
        presence = presence_of(project, room.id)
        hold = None if presence is None else hold_of(presence.expr)
        if presence is None or hold is None or not needs_of(project, room).stays or judged(room.id) is not None:
            continue
        for spot in light_spots(project, room.id):
            if not spot.asks_for_light:
                # What is on while a film plays is for ladders and weeks to tell: nobody there waits for light.
                continue
            allowed = hours_between_false_offs(project, spot)
            wait = spot_wait_s(project, _keepers(project, room.id, spot), spot)
            watched = spot_detections(project, _keepers(project, room.id, spot), spot)
            hours = hours_per_false_off(watched, hold, spot.activity)
            if hours >= allowed:
                continue
            bad = hours < allowed / WRONG_TIMES
            name, noticed = capital(display_name(project, spot)), notice_interval_words(wait)
            text = f"{name}, {spot.posture}: noticed {noticed}; with a hold time of "
            if math.isfinite(wait) and wait > HARDLY * hold:
                text += f"{duration_words(hold)} the light goes off soon after they settle, and stays off."
            elif math.isfinite(wait):
                text += f"{duration_words(hold)} the light goes off about once in {rough_duration_words(3600 * hours)}."
            else:
                text += f"{duration_words(hold)} the light goes off on anybody who stays longer."
            remedies = [RemedyText("Use a radar that sees this position to keep presence on.")]
            if hold_for(watched, allowed, spot.activity) <= needs_of(project, room).hold_max_s:
                remedies.append(RemedyText("Use a longer hold time; see Timing."))
            remedies.append(
                RemedyText("Turn or move a sensor so that it sees this position without furniture in between.")
            )
            yield Finding(
                "spot-unseen",
                "wrong" if bad else "risk",
                (spot.id, presence.id),
                text,
                tuple(remedies),
                room.id,
            )


def _unlit_rooms(project: Project) -> Iterator[Finding]:
    for room in project.rooms:
        if lights_in(project, room.id) and presence_of(project, room.id) is None:
            yield Finding(
                "no-presence", "note", (room.id,), f"{room.name} has a lamp but no sensor: manual switching only.",
                (RemedyText("Place a sensor in this room."),), room.id,
            )  # fmt: skip


def _late_rooms(project: Project, judged: Judged) -> Iterator[Finding]:
    """Rooms in whose simulated weeks people were noticed, or had light, too late, or had it over their sleep."""
    for room in project.rooms:
        presence, j = presence_of(project, room.id), judged(room.id)
        if presence is None or j is None:
            continue
        for m in j.secondary.get(j.current_s, ()):
            if not m.passed:
                rule, advice = BESIDES[m.need]
                yield Finding(
                    rule, "risk", (room.id, presence.id),
                    f"{room.name}: {in_words(m)}, in {j.weeks} simulated weeks.", (RemedyText(advice),), room.id,
                )  # fmt: skip


# The rule of each need that no hold cures, and what helps against it.
BESIDES = {
    "first_light_s": ("first-light", "Use a faster sensor to turn the light on, or one that looks across the door."),
    "notice_s": ("notice", "Aim a sensor across the path people take in, or add one that turns the light on."),
    "false_starts_per_day": (
        "false-starts",
        "Turn it away from what passes by, reduce its range, or mask its lower beams against pets.",
    ),
    "asleep_min_per_day": ("asleep", "Use manual on here, or a mat on the bed that keeps the light off."),
}  # fmt: skip


def _walkers(project: Project, judged: Judged) -> Iterator[Finding]:
    for room in project.rooms:
        presence = presence_of(project, room.id)
        if presence is None or judged(room.id) is not None:
            continue
        ways = entry_paths(project, room.id)
        if ways.count:
            yield from _ways_missed(project, room, presence.id, ways)
            continue
        best = None
        for sensor in _keepers(project, room.id):
            if find(project.sensors, sensor).level != room.level:
                continue
            notice = coverage(project, sensor, "across").at(walkable_cells(project.rooms, project.furnishings, room))
            best = notice if best is None else np.minimum(best, notice)
        if best is None or len(best) == 0:
            continue
        within = needs_of(project, room).notice_s
        share = float((best <= within).mean())
        if share < WALKER_SHARE:
            yield Finding(
                "walker-unseen", "wrong" if share < 0.5 else "risk", (room.id, presence.id),
                f"In {100 * (1 - share):.0f} % of {room.name.lower()} somebody walking across is not noticed within "
                f"{within:g} s.",
                (RemedyText("Aim a sensor across the paths people walk, or add one that turns the light on."),),
                room.id,
            )  # fmt: skip


def _ways_missed(project: Project, room: Room, presence: str, ways: EntryPaths) -> Iterator[Finding]:
    """Where people do come in: whether they are noticed on the way."""
    sensors = [find(project.sensors, s) for s in _keepers(project, room.id)]
    mounted = [mount(project, s) for s in sensors if s.level == room.level]
    within = needs_of(project, room).notice_s + STEP_S
    share = share_within(ways, [(m, path_rates(m, ways)) for m in mounted], within)
    if share < WALKER_SHARE:
        yield Finding(
            "walker-unseen", "wrong" if share < 0.5 else "risk", (room.id, presence),
            f"{100 * (1 - share):.0f} % of people entering {room.name.lower()} are not noticed within "
            f"{within:g} s.",
            (RemedyText("Aim a sensor across the path people take in, or add one that turns the light on."),), room.id,
        )  # fmt: skip


@memoised
def walkable_cells(rooms: tuple[Room, ...], furnishings: tuple[Furnishing, ...], room: Room) -> NDArray[np.intp]:
    """The cells of a room over which somebody can walk, as flat indices on its level's grid; all of them in a room full
    of furniture."""
    cells, grid = room_cells(rooms, room), level_grid(rooms, room.level)
    free = cells[~blocked((f for f in furnishings if f.level == room.level), grid.points[cells])]
    return free if len(free) else cells


def _spill(project: Project) -> Iterator[Finding]:
    for sensor in project.sensors:
        seen = over_coverages(project, sensor.id, len(project.sensors) <= MANY_SENSORS)
        if not seen:
            continue
        device, home = find(project.devices, sensor.device), room_of(project, sensor)
        through = "the wall" if device.through_walls else "an open door"
        rooms = [f"{x.area_m2:.1f} m² of {find(project.rooms, x.room).name.lower()}" for x in seen]
        text = f"{display_name(project, sensor)} also notices people walking next door, through {through}: "
        text += f"{', '.join(rooms[:-1])} and {rooms[-1]}" if len(rooms) > 1 else rooms[0]
        often = sum(x.false_ons_per_day for x in seen)
        if often > 0:
            text += f"; in this week that triggers it {often:.1f} times a day with nobody here"
        yield Finding(
            "sees-next-door", "risk", (sensor.id, *(x.room for x in seen)), text + ".",
            (
                RemedyText("Turn it away from the door, or mount it above the door." if not device.through_walls
                       else "Reduce its sensitivity or farthest gate, or aim it at an outside wall."),
            ), home.id if home else None,
        )  # fmt: skip


def _off_the_wall(project: Project, sensor: Sensor, device: DeviceType, room: Room) -> float:
    """How far a type for walls and corners is from the nearest edge of its room, metres; 0 where it stands on
    furniture, and for other types."""
    if device.family in TOUCH_FAMILIES or "ceiling" in device.mounts or not {"wall", "corner"} & set(device.mounts):
        return 0.0
    x, y, z = sensor.at
    if any(
        f.level == sensor.level and z - ON_TOP_M <= f.z1 <= z and polygons.contains_point(f.outline, x, y)
        for f in project.furnishings
    ):
        return 0.0
    outline = np.asarray(room.outline, float)
    return float(polygons.nearest_on_segments((x, y), outline, polygons.next_vertices(outline))[0].min())


def _mounting(project: Project) -> Iterator[Finding]:
    for sensor in project.sensors:
        device = find(project.devices, sensor.device)
        room = room_of(project, sensor)
        off = sensor.at[2] - device.mount_height
        if abs(off) > HEIGHT_OFF_M:
            yield Finding(
                "mount-height", "note", (sensor.id,),
                f"{display_name(project, sensor)} is mounted at {sensor.at[2]:.2f} m; its figures are for "
                f"{device.mount_height:.2f} m.",
                (RemedyText(f"Mount it at about {device.mount_height:.1f} m."),), room.id if room else None,
            )  # fmt: skip
        if room is not None and (away := _off_the_wall(project, sensor, device, room)) > LOOSE_M:
            yield Finding(
                "floating", "risk", (sensor.id,),
                f"{display_name(project, sensor)} is not on a wall: the nearest is {away:.1f} m away.",
                (RemedyText("Drag it to a wall or into a corner, or use a type for the ceiling."),), room.id,
            )  # fmt: skip
        if room is not None and device.infrared and not device.emits_radio and room.ambient_c >= WARM_C:
            factor = contrast_factor(room.ambient_c)
            yield Finding(
                "warm-room", "risk", (sensor.id, room.id),
                f"{room.name} is about {room.ambient_c:.0f} °C: {display_name(project, sensor)} has only "
                f"{100 * factor:.0f} % of its range.",
                (RemedyText("Use a radar here, or place the PIR closer."),), room.id,
            )  # fmt: skip


def _unreachable(project: Project) -> Iterator[Finding]:
    used = [s for s in project.spots if s.id in used_by_people(project)]
    if len(used) < 2:
        return
    origin = used[0]
    routes = {s.id: route(project, origin, s) for s in used[1:]}
    stuck = [s for s in used[1:] if routes[s.id] is None]
    if len(stuck) > len(routes) / 2:
        stuck = [origin]
    for spot in stuck:
        yield Finding(
            "no-way", "wrong", (spot.id,), f"Nobody can reach {display_name(project, spot)}: there is no free path.",
            (RemedyText("Check the doors and the free space around it."),), spot.room,
        )  # fmt: skip


def _cautions(project: Project) -> Iterator[Finding]:
    controlled = {p.room for p in project.presences if p.lights}
    # Where a stair begins, and where it arrives.
    order = [level.id for level in levels_in_order(project)]
    begins = {order.index(f.level) for f in project.furnishings if f.kind == "stair" and f.level in order}
    by_stairs = {order[k] for i in begins for k in (i, i + 1) if k < len(order)}
    for room in project.rooms:
        stairs = room.use == "stair" or (room.use in ("passage", "corridor") and room.level in by_stairs)
        if room.id in controlled and stairs:
            yield Finding(
                "stair-light", "caution", (room.id,),
                f"{room.name} is on the stairs: its light must fail to ON, and emergency lighting is never "
                "switched by presence. Check your local code.",
                (), room.id,
            )  # fmt: skip
        if room.id in controlled and room.use in ("workshop", "plant"):
            yield Finding(
                "machine-light", "caution", (room.id,),
                f"{room.name} has machines or heat: a false-off here can cause injury. Its light must fail to "
                "ON; never switch a machine or a heater by presence alone.",
                (), room.id,
            )  # fmt: skip
    mains = [s for s in project.sensors if find(project.devices, s.device).power == "mains"]
    if mains:
        yield Finding(
            "mains", "caution", tuple(s.id for s in mains),
            f"{len(mains)} mains-powered sensor{'s' if len(mains) > 1 else ''}: isolate at the board, prove "
            "dead, follow the local wiring code; use licensed electricians where required.",
            (), None,
        )  # fmt: skip


def _plan_size(project: Project) -> Iterator[Finding]:
    if len(project.walls) > MANY_WALLS:
        yield Finding(
            "plan-size", "note", (),
            f"The plan has {len(project.walls):,} walls; contours may lag while dragging.",
            (RemedyText("Remove walls that no sensor can see."),), None,
        )  # fmt: skip
    for level in project.levels:
        cell = level_grid(project.rooms, level.id).cell
        if cell > CELL:
            yield Finding(
                "level-size", "note", (level.id,),
                f"{level.name} is large: contours are computed on a {100 * cell:.0f} cm grid instead of "
                f"{100 * CELL:.0f} cm.",
                (RemedyText("Split the design into parts if that is too coarse."),), None,
            )  # fmt: skip


CHECKS = (
    *plan_checks.CHECKS, _spill, _unreachable, *wiring_checks.CHECKS, *settings_checks.CHECKS, *zone_checks.CHECKS,
    *conclusion_checks.CHECKS, *scene_checks.CHECKS,    _mounting, _unlit_rooms,
    _cautions, _plan_size,
)  # fmt: skip
# These ask what is known of the rooms' weeks.
CHECKS_BY_WEEKS = (_dark_rooms, _unseen_spots, _late_rooms, _walkers)
