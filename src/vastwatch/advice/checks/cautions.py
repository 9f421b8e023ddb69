"""The usual cautions, each once and in plain words, shown where the work can hurt somebody: at the thing when it is
selected, in the printed pages, and in a check. Local codes and licensed practice decide, always."""

from __future__ import annotations

from typing import NamedTuple

from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Sensor

# Mounted higher than this, a ladder is needed, metres.
REACH_M = 1.9
# Cells of this chemistry, by their names.
LITHIUM = ("CR2032", "CR2450", "CR123A", "CR2")
# Where being sensed is nobody else's business.
PRIVATE_USES = ("bedroom", "nursery", "toilet", "bathroom", "consulting")
WORK_USES = ("desk", "open office", "meeting", "reception", "workshop", "shop", "class")

CAUTIONS = {
    "mains": "Mains: isolate the circuit at the board, prove it dead, follow the local wiring code; use a "
    "licensed electrician where required.",
    "machine": "Machines and heat: the light must fail to ON; no sensor here may ever switch the machine itself.",
    "heat": "Heaters: never switch by presence alone; keep thermostats and overrun timers.",
    "stair": "Stairs: the light must fail to ON, and emergency lighting is never switched by presence.",
    "ladder": "Above reach: set the ladder on firm ground, and do not work alone on stairs.",
    "care": "Care: a sensor at a bed, a chair or a floor is a convenience. It is not a medical or life-safety "
    "device and does not replace a carer.",
    "notice": "Doors, gates, pools, fences: an alert does not keep anybody safe. Barriers, latches and alarms "
    "required by the local code are separate.",
    "consent": "Tell people that they are being sensed and get their consent, above all in bedrooms and "
    "toilets, and at work, where local law applies.",
    "lithium": "Lithium batteries: keep out of reach of children (a swallowed cell burns within hours: go to "
    "hospital at once); weak in the cold; recycle, never bin.",
    "radar": "Radar emits a weak radio signal: a few milliwatts in most modules, far below public exposure "
    "limits. Tell anybody who asks, and follow the local rules for its band.",
}


class Caution(NamedTuple):
    """One that concerns a project, and what it is about: ids of records, the first to look at."""

    key: str
    text: str
    records: tuple[str, ...]


def of_sensor(project: Project, sensor: Sensor) -> list[str]:
    """The keys of the cautions that a placed sensor calls for."""
    device = find(project.devices, sensor.device)
    room = room_of(project, sensor)
    use = None if room is None else room.use
    out = []
    if sensor.at[2] > REACH_M:
        out.append("ladder")
    if device.power == "mains":
        out.append("mains")
    if device.pressed or (device.emits_radio and use in ("bedroom", "nursery")):
        out.append("care")
    if device.at_doors:
        out.append("notice")
    if device.senses_people and use in (*PRIVATE_USES, *WORK_USES):
        out.append("consent")
    if device.battery is not None and device.battery.cell in LITHIUM:
        out.append("lithium")
    if device.emits_radio:
        out.append("radar")
    return out


def cautions(project: Project) -> list[Caution]:
    """Every caution that concerns a project, each once, in the order in which work is done. Those of stairs and
    machines are not among them: the findings say them, at their rooms."""
    about: dict[str, list[str]] = {key: [] for key in CAUTIONS}
    for sensor in project.sensors:
        for key in of_sensor(project, sensor):
            about[key].append(sensor.id)
    modules = {d.id for d in project.devices if d.is_module}
    about["mains"] += [c.id for c in project.circuits if c.module in modules]
    about["heat"] += [h.id for h in project.hazards if h.kind == "heat source"]
    return [Caution(key, CAUTIONS[key], tuple(ids)) for key, ids in about.items() if ids]
