"""What is set on the devices themselves and runs there, whatever controller plays the recipes: a sheet by device."""

from __future__ import annotations

from typing import Any, NamedTuple

from msgspec.structs import replace

from vastwatch.control.light.darkness import thresholds
from vastwatch.design.edits.wiring import load_w
from vastwatch.design.placed import SENSITIVITIES, own_hold_s, settings_words
from vastwatch.design.places import room_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Settings
from vastwatch.devices import DeviceType, ModuleType, RadarType
from vastwatch.devices.battery import usual_interval_s
from vastwatch.devices.families import parts_of, steps_of
from vastwatch.sensing.model import settings_of
from vastwatch.words import duration_words


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


def values_words(device: DeviceType, s: Settings) -> str:
    """Every value that can be set on a device, as it is to be set, whether or not the device comes like that."""
    can, out = settings_of(device), []
    if "hold_s" in can and device.hold_max_s != device.hold_min_s:
        out.append(f"device hold {duration_words(own_hold_s(device, s))}")
    for field, called in SENSITIVITIES.items():
        steps = steps_of(device, field) if field in can else 0
        below = getattr(s, field)
        below = s.sensitivity_below_max if below is None else below
        if steps > 1:
            out.append(f"{called} {max(steps - below, 1)} of {steps}")
    radar = next((p for p in parts_of(device) if isinstance(p, RadarType)), None)
    if radar is not None and "max_gate_m" in can:
        near = radar.min_gate_m if s.min_gate_m is None else s.min_gate_m
        far = radar.max_gate_m if s.max_gate_m is None else s.max_gate_m
        out.append(f"gates {near:g} to {far:g} m")
    if "report_interval_s" in can:
        what = "reports" if device.light is None else "light level"
        out.append(f"{what} every {duration_words(s.report_interval_s or usual_interval_s(device))}")
    # What has no value of its own: bands, folding, parts of the day, what was measured.
    stated: dict[str, Any] = dict.fromkeys(("hold_s", "min_gate_m", "max_gate_m", "report_interval_s"))
    stated |= dict.fromkeys(("infrared_below_max", "still_below_max")) | {"sensitivity_below_max": 0}
    rest = settings_words(device, replace(s, **stated))
    out += [rest] if rest else []
    return "; ".join(out)
