"""A device type in words: comparable facts for putting types side by side, and what it is found by."""

from __future__ import annotations

from vastwatch.devices.battery import battery_years
from vastwatch.devices.families import AREA_FAMILIES, DeviceType
from vastwatch.devices.types import DeviceFact, light_words


def tags(d: DeviceType) -> str:
    """Words a search should find it by, beside its name and summary."""
    words = [d.heading, d.power, *d.mounts, d.radio, d.ip, d.id]
    words += ["still presence"] if d.still_reach_m() > 0 else []
    words += ["outdoor"] if d.ip >= "IP44" else []
    words += ["repeater"] if d.relays else []
    words += ["lux light"] if d.light else []
    words += ["neutral"] if d.needs_neutral else []
    return " ".join(words)


def turnable(d: DeviceType) -> bool:
    """Whether it matters which way a device looks or lies: not on a ceiling, nor for what only watches its host."""
    return d.pressed or (d.family in AREA_FAMILIES and "ceiling" not in d.mounts)


def facts(d: DeviceType) -> list[DeviceFact]:
    """All facts of a type, the deciding ones first; a fact has the same label in every type that has it."""
    out = [DeviceFact("Type", d.heading)]
    out += d.facts()
    lag = d.latency
    out.append(
        DeviceFact("Report delay", f"{lag.typical_s:g} s ({lag.min_s:g} to {lag.max_s:g})", d.typical_latency_s(), -1)
    )
    hold = f"{d.hold_s:g} s"
    if d.hold_max_s is not None:
        fixed = d.hold_max_s == d.hold_s
        hold += ", fixed" if fixed else f", {d.hold_min_s:g} to {d.hold_max_s:g} s in steps of {d.hold_step_s or 1:g} s"
    out.append(DeviceFact("Device hold", hold))
    out.append(DeviceFact("Light level", light_words(d.light)))
    out += _power(d)
    radio = {"none": "none", "mesh": "mesh", "network": "local network", "wire": "wired output"}[d.radio]
    out.append(DeviceFact("Radio", radio + (", mesh repeater" if d.relays else "")))
    out.append(DeviceFact("Mounts", f"{', '.join(d.mounts)}; rated height {d.mount_height:g} m"))
    out.append(DeviceFact("Protection", d.ip))
    out.append(DeviceFact("Temperature", f"{d.least_c:g} to {d.most_c:g} °C"))
    out.append(DeviceFact("Price", f"{d.price:g}", d.price, -1))
    if d.reliability:
        out.append(DeviceFact("Field experience", d.reliability))
    return out


def _power(d: DeviceType) -> list[DeviceFact]:
    power = {"battery": "cells", "usb": "USB supply", "mains": "mains", "host": "its host"}[d.power]
    out = []
    if d.battery is not None:
        b = d.battery
        years = battery_years(d) or 0.0
        cells = f"{b.count * b.strings} × {b.cell}" + (f" or {b.or_cell}" if b.or_cell else "")
        out.append(DeviceFact("Power", cells))
        out.append(DeviceFact("Battery life", f"{years:.1f} years", years, 1))
    else:
        out.append(DeviceFact("Power", f"{power}, {d.watts:g} W", None, 0))
        if d.power == "usb":
            out.append(DeviceFact("Cable length", f"{d.lead_m:g} m", d.lead_m, 1))
        out.append(DeviceFact("Energy per year", f"{d.watts * 8.766:.1f} kWh", d.watts, -1))
    if d.load_w:
        out.append(DeviceFact("Max. switched load", f"{d.load_w:g} W", d.load_w, 1))
    if d.power == "mains":
        out.append(DeviceFact("Neutral", "needed" if d.needs_neutral else "not needed", float(d.needs_neutral), -1))
    return out


def comparison(devices: list[DeviceType]) -> list[tuple[str, list[DeviceFact | None], bool, set[int]]]:
    """Rows of (label, a fact or None for each type, whether they differ, which are best)."""
    columns = [{f.label: f for f in facts(d)} for d in devices]
    # Labels in the order of the first type that has them; what only a later type has stands before the next label
    # that both have, so that its own figures stay together after the common ones.
    order: list[str] = []
    for column in columns:
        names = list(column)
        for k, name in enumerate(names):
            if name not in order:
                following = next((n for n in names[k + 1 :] if n in order), None)
                order.insert(len(order) if following is None else order.index(following), name)
    out = []
    for name in order:
        cells = [column.get(name) for column in columns]
        differ = len({c.words if c else None for c in cells}) > 1
        rated = [(k, c.value * c.better) for k, c in enumerate(cells) if c and c.value is not None and c.better]
        best: set[int] = set()
        if len(rated) > 1 and len({v for _, v in rated}) > 1:
            top = max(v for _, v in rated)
            best = {k for k, v in rated if v == top}
        out.append((name, cells, differ, best))
    return out
