"""What is set on the devices themselves and runs there, whatever controller plays the recipes: a sheet by device."""

from __future__ import annotations

from typing import NamedTuple

from vastwatch.control.light.darkness import thresholds
from vastwatch.design.edits.wiring import load_w
from vastwatch.design.placed import settings_words
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.devices import ModuleType


class DeviceSetting(NamedTuple):
    """Something that is set on a device: what it is called, its type, where it is, what is set, and to what."""

    device: str
    type: str
    room: str
    setting: str
    value: str


def device_sheet(project: Project) -> tuple[DeviceSetting, ...]:
    """All that is set on devices: of each sensor, then of each module."""
    out = []
    for sensor in project.sensors:
        device, room = find(project.devices, sensor.device), room_of(project, sensor)
        where = "" if room is None else room.name
        words = settings_words(device, sensor.settings) or "default settings"
        out.append(DeviceSetting(sensor.name, device.name, where, "settings", words))
        mine = [z.name for z in project.zones if z.sensor == sensor.id]
        if mine:
            text = f"{', '.join(mine)}: values as shown in the Zones stage"
            out.append(DeviceSetting(sensor.name, device.name, where, "zones", text))
        for circuit in project.circuits:
            if sensor.id in circuit.contacts:
                text = f"switches {circuit.name} directly; off when its device hold time ends"
                out.append(DeviceSetting(sensor.name, device.name, where, "contact", text))
        for dark in project.rooms:
            source = dark.darkness
            if source is not None and source.source == "sensor" and source.sensor == sensor.id:
                below, until = thresholds(project, dark, source)
                text = f"below {below:.0f} lx, bright above {until:.0f} lx"
                out.append(DeviceSetting(sensor.name, device.name, where, f"dark in {dark.name.lower()}", text))
    for circuit in project.circuits:
        if circuit.module is None or not circuit.lamps:
            continue
        device = find(project.devices, circuit.module)
        lamps = [find(project.lamps, x) for x in circuit.lamps]
        where = find(project.rooms, lamps[0].room).name
        if isinstance(device, ModuleType) and device.dims:
            least = max((x.least_level for x in lamps), default=0.0)
            text = f"{100 * least:.0f} %" if least > 0 else "as low as the lamps go without flicker; find by trial"
            out.append(DeviceSetting(circuit.name, device.name, where, "minimum level", text))
        text = "permanent live" if circuit.live else "behind the wall switch"
        out.append(DeviceSetting(circuit.name, device.name, where, "supply", f"{text}, {load_w(project, circuit):g} W"))
    return tuple(out)


def sheet_rows(sheet: tuple[DeviceSetting, ...]) -> list[list[str]]:
    """The sheet as texts, its heading first."""
    return [["device", "type", "room", "setting", "value"], *(list(s) for s in sheet)]
