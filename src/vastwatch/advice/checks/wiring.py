"""Checks of what feeds and falsely triggers the sensors: power within reach, modules and their boxes, doubtful mats,
hazards, and lights over sleepers."""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date

from vastwatch.advice.checks.finding import OFTEN_FALSE_PER_H, SOME_FALSE_PER_H, Finding, RemedyText
from vastwatch.advice.hardware.bill_of_materials import lamps_by_hand_alone, module_for
from vastwatch.advice.hardware.host_placement import lightest_kg
from vastwatch.control.export.truth_table import parallel_words
from vastwatch.design.edits.wiring import module_problems, socket_distance, switches_of
from vastwatch.design.needs import needs_of
from vastwatch.design.places import display_name, room_of
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.devices import MatType
from vastwatch.geometry import polygons
from vastwatch.sensing.families.mat import SURE_MARGIN, margin
from vastwatch.sensing.hazards import false_rate, on_date, per_hour_words
from vastwatch.sensing.mounted import mount
from vastwatch.site.building import Circuit

# A mat further than this from a spot is not meant for it, metres.
MAT_REACH_M = 0.6
# So high above the floor sockets are, metres.
SOCKET_M = 0.3


def power_in_reach(project: Project) -> Iterator[Finding]:
    """Sensors on a cable with no socket near, once sockets are drawn."""
    if not project.sockets:
        return
    reach = project.brief.cable_m
    for sensor in project.sensors:
        device = find(project.devices, sensor.device)
        if device.power not in ("usb", "mains") or device.in_switch_box or "ceiling" in device.mounts:
            continue
        if device.has_plug:
            continue
        distance = socket_distance(project, sensor.level, sensor.at[:2])
        if distance > reach:
            room = room_of(project, sensor)
            how = f"the nearest is {distance:.1f} m away" if math.isfinite(distance) else "its room has none"
            yield Finding(
                "no-power", "wrong", (sensor.id,),
                (f"{display_name(project, sensor)} needs {device.power} power, but no socket is within {reach:g} m: "
                f"{how}."),
                (RemedyText("Place it nearer to a socket, allow a longer cable, or use a battery-powered one."),),
                room.id if room else None,
            )  # fmt: skip
        elif device.power == "usb" and (needed := distance + max(sensor.at[2] - SOCKET_M, 0.0)) > device.lead_m:
            room = room_of(project, sensor)
            yield Finding(
                "short-lead", "note", (sensor.id,),
                f"{display_name(project, sensor)} comes with a {device.lead_m:g} m cable, but the socket is "
                f"{needed:.1f} m away along the wall: it needs a longer one.",
                (), room.id if room else None,
            )  # fmt: skip


def circuits_and_modules(project: Project) -> Iterator[Finding]:
    """Modules that do not fit their circuit, and circuits that light rooms with different presences."""
    for circuit in project.circuits:
        rooms = list(dict.fromkeys(find(project.lamps, x).room for x in circuit.lamps))
        if circuit.module is not None:
            for words in module_problems(project, circuit, find(project.devices, circuit.module)):
                yield Finding(
                    "module-misfit", "wrong", (circuit.id,), f"{circuit.name}: {words}.",
                    (RemedyText("Choose another module in the Brief, or change the wiring."),),
                    rooms[0] if rooms else None,
                )  # fmt: skip
        served = [r for r in rooms if presence_of(project, r) is not None]
        if len(rooms) > 1 and served:
            names = " and ".join(find(project.rooms, r).name.lower() for r in rooms[:3])
            yield Finding(
                "shared-circuit", "risk", (circuit.id,),
                (f"{circuit.name} lights {names} together: presence in one room switches the light in all of "
                "them."),
                (RemedyText("Give each room its own circuit, or let the sensors of all rooms keep it on."),), served[0],
            )  # fmt: skip
        if len(switches_of(project, circuit.id)) == 1 and len(rooms) == 1:
            room = find(project.rooms, rooms[0])
            if room.use in ("stair", "passage", "corridor") and any(f.kind == "stair" for f in project.furnishings):
                yield Finding(
                    "one-way-stair", "note", (circuit.id,),
                    f"{circuit.name} has one switch; a stair needs one at each end.",
                    (RemedyText("Add the second switch, or use presence there."),), room.id,
                )  # fmt: skip


def contacts_in_parallel(project: Project) -> Iterator[Finding]:
    """Sensors that switch a circuit themselves, and a conclusion that says otherwise than they are wired."""
    for circuit in project.circuits:
        words = parallel_words(project, circuit)
        if words is not None:
            room = find(project.lamps, circuit.lamps[0]).room
            lighting = presence_of(project, room)
            concludes = () if lighting is None else (lighting.id,)
            yield Finding(
                "contacts-differ", "wrong", (circuit.id, *circuit.contacts, *concludes),
                f"{words}.", (RemedyText("Use any of these sensors, and nothing else (Brief, Wiring)."),), room,
            )  # fmt: skip


def lamps_nothing_switches(project: Project) -> Iterator[Finding]:
    """Circuits that are to follow presence, with nothing on them that could switch them."""
    for circuit in project.circuits:
        for room in dict.fromkeys(find(project.lamps, x).room for x in circuit.lamps):
            presence = presence_of(project, room)
            by_hand = {lamp.id for lamp in lamps_by_hand_alone(project, room)}
            if presence is None or not by_hand & set(circuit.lamps):
                continue
            yield Finding(
                "nothing-switches", "wrong", (circuit.id, presence.id),
                f"{circuit.name} should follow presence in {find(project.rooms, room).name.lower()}, but "
                "nothing can switch it: it has a manual switch only.",
                (_module_that_fits(project, circuit),), room,
            )  # fmt: skip


def _module_that_fits(project: Project, circuit: Circuit) -> RemedyText:
    best = module_for(project, circuit)
    if best is None:
        return RemedyText("No listed module fits it as wired; a sensor with its own contact may.")
    price = f"{best.price:g} {project.brief.currency}".strip()
    return RemedyText(f"{best.name}, {price}, would fit (Brief, Wiring); so would a sensor with its own contact.")


def doubtful_mats(project: Project) -> Iterator[Finding]:
    """Mats that stay open, or only just close, under the lightest person who uses the spot over them."""
    for sensor in project.sensors:
        device = find(project.devices, sensor.device)
        if not isinstance(device, MatType):
            continue
        host = next((f for f in project.furnishings if f.id == sensor.host), None)
        for spot in project.spots:
            same = find(project.rooms, spot.room).level == sensor.level
            if not same or math.dist(spot.at, sensor.at[:2]) > MAT_REACH_M or spot.posture == "standing":
                continue
            kg = lightest_kg(project, spot)
            m = margin(sensor, device, host, spot.at, spot.facing, spot.posture, kg)
            if m >= SURE_MARGIN:
                continue
            how = "stays open under" if m < 1 else "barely closes under"
            remedies = [RemedyText("Move it to where the hips are.")]
            if device.foldable and not sensor.settings.folded:
                remedies.append(RemedyText("Fold it: on a ridge it gets more pressure."))
            if host is not None and host.mattress == "foam":
                remedies.append(RemedyText("Foam spreads the load: put it on top of the foam, or use another sensor."))
            yield Finding(
                "mat-doubtful", "wrong" if m < 1 else "risk", (sensor.id, spot.id),
                f"{display_name(project, sensor)} {how} {kg:g} kg at the {display_name(project, spot)}: {m:.2f} times "
                "its closing pressure.", tuple(remedies),
                spot.room,
            )  # fmt: skip


def falsely_triggered_sensors(project: Project) -> Iterator[Finding]:
    """Hazards that falsely trigger a sensor which a conclusion depends on; where that reads zones alone, only hazards
    in one of them."""
    if not project.hazards:
        return
    read = [r for p in project.presences for r in reports(p.expr)]
    depended = {r.sensor for r in read}
    whole = {r.sensor for r in read if r.zone is None}
    day = date.fromisoformat(project.brief.rehearse_from)
    for hazard in project.hazards:
        now = on_date(project, hazard, day)
        if now is None:
            continue
        for sensor in project.sensors:
            if sensor.id not in depended:
                continue
            if sensor.id not in whole:
                zones = (find(project.zones, r.zone).outline for r in read if r.sensor == sensor.id and r.zone)
                middle = polygons.centroid(now.outline)
                if not any(polygons.contains_point(zone, *p) for zone in zones for p in (middle, *now.outline)):
                    continue
            rate = false_rate(mount(project, sensor), now)
            if rate * 3600.0 <= SOME_FALSE_PER_H:
                continue
            room = room_of(project, sensor)
            when = "" if not now.times else f" between {now.times[0][0]} and {now.times[-1][1]}"
            yield Finding(
                "fooled", "wrong" if rate * 3600.0 > OFTEN_FALSE_PER_H else "risk", (sensor.id, hazard.id),
                (f"The {display_name(project, hazard).lower()} falsely triggers {display_name(project, sensor)} "
                f"{per_hour_words(rate)}{when}."),
                (RemedyText("Turn it away, place it elsewhere, or use the other technology here."),),
                room.id if room else None,
            )  # fmt: skip


def lights_over_sleepers(project: Project) -> Iterator[Finding]:
    """Rooms where somebody sleeps and presence would light the lamp at full."""
    sleeping = {s.room for s in project.spots if s.activity == "sleeping"}
    for room in project.rooms:
        share = needs_of(project, room).asleep_share
        if room.id not in sleeping or share is None or room.control == "absence":
            continue
        if presence_of(project, room.id) is not None:
            yield Finding(
                "sleeper-lit", "risk", (room.id,),
                f"{room.name}: anybody getting up turns the full light on over people asleep; {100 * share:.0f} "
                "% at most is wanted then.",
                (RemedyText("Set this room to manual on in the Brief."),), room.id,
            )  # fmt: skip


CHECKS = (
    power_in_reach, circuits_and_modules, contacts_in_parallel, lamps_nothing_switches, doubtful_mats,
    falsely_triggered_sensors, lights_over_sleepers,
)  # fmt: skip
