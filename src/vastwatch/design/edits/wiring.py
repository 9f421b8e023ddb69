"""Edits of circuits, switches and sockets, and what follows from them: loads, two-way pairs, what fits a box."""

from __future__ import annotations

import math

from msgspec.structs import replace

from vastwatch.design.edits.removing import without_unused_types
from vastwatch.design.expressions import AnyOf, Report
from vastwatch.design.places import room_at
from vastwatch.design.project import Project, find, fresh_id, put, unique_name
from vastwatch.design.records import Sensor
from vastwatch.design.relations import presence_of
from vastwatch.devices import DeviceType, ModuleType
from vastwatch.site.building import Circuit, Socket, Switch
from vastwatch.site.record import Point


def circuit_of(project: Project, lamp: str) -> Circuit | None:
    """The circuit a lamp is on."""
    return next((c for c in project.circuits if lamp in c.lamps), None)


def load_w(project: Project, circuit: Circuit) -> float:
    """What its lamps draw together, watts."""
    return sum(find(project.lamps, lamp).watts for lamp in circuit.lamps)


def switches_of(project: Project, circuit: str) -> list[Switch]:
    """The wall switches of a circuit; two are a two-way pair."""
    return [s for s in project.switches if s.circuit == circuit]


def add_circuit(project: Project, lamps: tuple[str, ...], name: str = "") -> tuple[Project, Circuit]:
    """A circuit for some lamps, which leave the circuits they were on. Raises ValueError without any."""
    if not lamps:
        raise ValueError("a circuit needs at least one lamp")
    first = find(project.lamps, lamps[0])
    name = unique_name(name or f"{find(project.rooms, first.room).name} circuit", (c.name for c in project.circuits))
    project = off_circuits(project, set(lamps))
    circuit = Circuit(id=fresh_id(project, "circuit"), name=name, lamps=lamps)
    return replace(project, circuits=(*project.circuits, circuit)), circuit


def off_circuits(project: Project, lamps: set[str]) -> Project:
    """Take lamps off whatever circuits they are on."""
    for c in project.circuits:
        kept = tuple(x for x in c.lamps if x not in lamps)
        if len(kept) < len(c.lamps):
            project = put(project, replace(c, lamps=kept))
    return project


def set_lamp(project: Project, circuit_id: str, lamp: str, on: bool) -> Project:
    """Put a lamp on a circuit, or take it off."""
    project = off_circuits(project, {lamp})
    circuit = find(project.circuits, circuit_id)
    return put(project, replace(circuit, lamps=(*circuit.lamps, lamp))) if on else project


def could_feed(project: Project, sensor: Sensor) -> bool:
    """Whether a placed sensor could be mounted behind a wall switch: it runs on mains, has no plug, and is mounted
    behind none yet."""
    device = find(project.devices, sensor.device)
    wired = device.power == "mains" and not device.has_plug
    return wired and all(sensor.id not in c.feeds for c in project.circuits)


def set_feed(project: Project, circuit_id: str, sensor: str, on: bool) -> Project:
    """Let a circuit feed a sensor from behind its switch, and no other circuit, or no longer."""
    for c in project.circuits:
        if sensor in c.feeds:
            project = put(project, replace(c, feeds=tuple(x for x in c.feeds if x != sensor)))
    circuit = find(project.circuits, circuit_id)
    return put(project, replace(circuit, feeds=(*circuit.feeds, sensor))) if on else project


def could_switch(project: Project, sensor: Sensor) -> bool:
    """Whether a placed sensor could switch a circuit itself: it has a contact, and switches none yet."""
    device = find(project.devices, sensor.device)
    return device.relays and device.presence and all(sensor.id not in c.contacts for c in project.circuits)


def set_contact(project: Project, circuit_id: str, sensor: str, on: bool) -> Project:
    """Let a sensor's own contact switch a circuit, beside the others that do, or no longer."""
    circuit = find(project.circuits, circuit_id)
    others = tuple(x for x in circuit.contacts if x != sensor)
    return put(project, replace(circuit, contacts=(*others, sensor) if on else others))


def match_conclusion(project: Project, circuit_id: str) -> Project:
    """Let what lights a circuit's room be any of the sensors that switch it in parallel. Raises ValueError where no
    sensor does, or nothing concludes of the room."""
    circuit = find(project.circuits, circuit_id)
    lighting = None if not circuit.lamps else presence_of(project, find(project.lamps, circuit.lamps[0]).room)
    if not circuit.contacts or lighting is None:
        raise ValueError("no sensor switches this circuit, or its room has no conclusion")
    said = tuple(Report(sensor=s) for s in circuit.contacts)
    return put(project, replace(lighting, expr=said[0] if len(said) == 1 else AnyOf(of=said)))


def set_module(project: Project, circuit_id: str, device: DeviceType | None) -> Project:
    """Let a module switch a circuit, or none; the project embeds its type."""
    circuit = find(project.circuits, circuit_id)
    if device is not None and all(d.id != device.id for d in project.devices):
        project = replace(project, devices=(*project.devices, device))
    new = put(project, replace(circuit, module=None if device is None else device.id))
    return without_unused_types(project, new)


def module_problems(project: Project, circuit: Circuit, device: DeviceType) -> list[str]:
    """What a circuit has against a module, in sentences."""
    out = []
    load = load_w(project, circuit)
    if load > device.load_w:
        out.append(f"the lamps draw {load:g} W, and {device.name} switches up to {device.load_w:g} W")
    if device.needs_neutral and not circuit.neutral:
        out.append(f"{device.name} needs a neutral, and the switch box has none")
    pair = switches_of(project, circuit.id)
    if isinstance(device, ModuleType) and len(pair) > 1 and not device.two_way:
        out.append(f"{device.name} does not work in a two-way pair, and {len(pair)} switches share this circuit")
    return out


def add_switch(project: Project, level: str, at: Point, circuit: str) -> tuple[Project, Switch]:
    """A wall switch of a circuit at a point of the plan. Raises ValueError outside every room."""
    room = room_at(project, level, *at)
    if room is None:
        raise ValueError("a switch must be on a wall inside a room")
    n = len(switches_of(project, circuit)) + 1
    name = f"Switch {room.name.lower()}" + (f" {n}" if n > 1 else "")
    switch = Switch(id=fresh_id(project, "switch"), level=level, name=name, at=at, circuit=circuit)
    return replace(project, switches=(*project.switches, switch)), switch


def add_socket(project: Project, level: str, at: Point) -> tuple[Project, Socket]:
    """A mains socket at a point of the plan. Raises ValueError outside every room."""
    room = room_at(project, level, *at)
    if room is None:
        raise ValueError("a socket must be on a wall inside a room")
    socket = Socket(id=fresh_id(project, "socket"), level=level, name=f"Socket {room.name.lower()}", at=at)
    return replace(project, sockets=(*project.sockets, socket)), socket


def socket_distance(project: Project, level: str, at: Point) -> float:
    """Metres to the nearest socket in the same room; inf where the room has none."""
    room = room_at(project, level, *at)
    mine = [
        math.dist(s.at, at) for s in project.sockets
        if s.level == level and room is not None and room_at(project, level, *s.at) is room
    ]  # fmt: skip
    return min(mine, default=math.inf)
