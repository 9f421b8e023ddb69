"""A device type in words: one line for the shelf, and comparable facts for putting types side by side."""

from __future__ import annotations

from typing import NamedTuple

from vastwatch.devices.battery import battery_years
from vastwatch.devices.types import (
    AREA_FAMILIES,
    ContactType,
    DeviceType,
    DualType,
    HumidityType,
    LightMeter,
    LightType,
    MatType,
    ModuleType,
    PirType,
    PlugType,
    RadarType,
    VibrationType,
)

FAMILY_HEADINGS = {
    "pir": "Passive infrared",
    "radar": "Radar",
    "dual": "Infrared and radar",
    "mat": "Pressure",
    "contact": "Contacts",
    "vibration": "Vibration",
    "plug": "Plugs with meter",
    "humidity": "Humidity",
    "light": "Light level",
    "module": "Switches, dimmers, relays",
}


class Fact(NamedTuple):
    """`better`: 1 where more is better, -1 where less is, 0 where it is a matter of the place."""

    label: str
    words: str
    value: float | None = None
    better: int = 0


def line(d: DeviceType) -> str:
    """The figures that decide, in one line."""
    lag = f"reports in {d.latency.typical_s:g} s"
    if isinstance(d, PirType):
        return f"{d.tangential_m:g} m across, {d.radial_m:g} m towards, {d.minor_m:g} m hands; {d.fov_h:.0f}°; {lag}"
    if isinstance(d, RadarType):
        return f"{d.band_ghz} GHz; {d.moving_m:g} m moving, {d.still_m:g} m still; {d.fov_h:.0f}°; {lag}"
    if isinstance(d, DualType):
        return f"infrared {d.pir.tangential_m:g} m across; radar {d.radar.still_m:g} m still; {lag}"
    if isinstance(d, MatType):
        return (
            f"{100 * d.pad[0]:.0f} × {100 * d.pad[1]:.0f} cm, closes at {d.closing_kpa:g} kPa; off after {d.hold_s:g} s"
        )
    if isinstance(d, ContactType):
        return f"gap up to {d.gap_mm:g} mm; {lag}"
    if isinstance(d, VibrationType):
        return f"notices {100 * d.large_share:.0f} % of large movements on it; {lag}"
    if isinstance(d, PlugType):
        return f"in use above {d.threshold_w:g} W; up to {d.load_w:g} W"
    if isinstance(d, HumidityType):
        return f"± {d.accuracy_pct:g} % humidity, every {d.interval_s:g} s"
    if isinstance(d, LightType):
        return _light(d.light)
    return f"up to {d.load_w:g} W{', dims' if d.dims else ''}{', needs a neutral' if d.needs_neutral else ''}"


def _light(m: LightMeter | None) -> str:
    if m is None:
        return "none"
    if m.kind == "flag":
        return f"light/dark at {m.flag_lux:g} lux"
    return f"{m.low_lux:g} to {m.high_lux:g} lux"


def tags(d: DeviceType) -> str:
    """Words a search should find it by, beside its name and summary."""
    words = [FAMILY_HEADINGS[d.family], d.power, *d.mounts, d.radio, d.ip, d.id]
    words += ["still presence"] if isinstance(d, RadarType | DualType) else []
    words += ["outdoor"] if d.ip >= "IP44" else []
    words += ["repeater"] if d.relays else []
    words += ["lux light"] if d.light else []
    words += ["neutral"] if d.needs_neutral else []
    return " ".join(words)


def quickness(d: DeviceType) -> float:
    """Seconds it typically takes to report; a dual is as quick as its quicker part."""
    if isinstance(d, DualType):
        return min(d.pir.latency.typical_s, d.radar.latency.typical_s)
    return d.latency.typical_s


def reach(d: DeviceType) -> float:
    """Range on somebody moving, on axis; 0 for what watches only what it is fixed to."""
    if isinstance(d, PirType):
        return d.tangential_m
    if isinstance(d, RadarType):
        return d.moving_m
    return max(d.pir.tangential_m, d.radar.moving_m) if isinstance(d, DualType) else 0.0


def still_reach(d: DeviceType) -> float:
    """Range on somebody who only breathes; 0 for what cannot."""
    if isinstance(d, RadarType):
        return d.still_m
    return d.radar.still_m if isinstance(d, DualType) else 0.0


def turnable(d: DeviceType) -> bool:
    """Whether it matters which way a device looks or lies: not on a ceiling, nor for what only watches its host."""
    return d.family == "mat" or (d.family in AREA_FAMILIES and "ceiling" not in d.mounts)


def facts(d: DeviceType) -> list[Fact]:
    """All facts of a type, the deciding ones first; a fact has the same label in every type that has it."""
    out = [Fact("Kind", FAMILY_HEADINGS[d.family])]
    out += _ranges(d)
    lag = d.latency
    out.append(Fact("Reports in", f"{lag.typical_s:g} s ({lag.min_s:g} to {lag.max_s:g})", quickness(d), -1))
    hold = f"{d.hold_s:g} s"
    if d.hold_max_s is not None:
        fixed = d.hold_max_s == d.hold_s
        hold += ", fixed" if fixed else f", up to {d.hold_max_s:g} s in steps of {d.hold_step_s or 1:g} s"
    out.append(Fact("Own hold", hold))
    out.append(Fact("Light level", _light(d.light)))
    out += _power(d)
    radio = {"none": "none", "mesh": "mesh", "network": "local network", "wire": "wired output"}[d.radio]
    out.append(Fact("Radio", radio + (", relays for others" if d.relays else "")))
    out.append(Fact("Mounts", f"{', '.join(d.mounts)}; figures at {d.mount_height:g} m"))
    out.append(Fact("Protection", d.ip))
    out.append(Fact("Works at", f"{d.least_c:g} to {d.most_c:g} °C"))
    out.append(Fact("Price", f"{d.price:g}", d.price, -1))
    if d.reliability:
        out.append(Fact("From use", d.reliability))
    return out


def _ranges(d: DeviceType) -> list[Fact]:
    if isinstance(d, PirType):
        return [
            Fact("Moving, across", f"{d.tangential_m:g} m", d.tangential_m, 1),
            Fact("Moving, towards", f"{d.radial_m:g} m", d.radial_m, 1),
            Fact("Hands and head", f"{d.minor_m:g} m", d.minor_m, 1),
            Fact("Sitting still", "blind", 0.0, 1),
            Fact("Field of view", f"{d.fov_h:g}°", d.fov_h, 0),
            Fact("Blind after a report", f"{d.rearm_s:g} s", d.rearm_s, -1),
            Fact("Sensitivity steps", f"{d.steps}", d.steps, 1),
        ]
    if isinstance(d, RadarType):
        tracks = {"state": "whether", "distance": "distance", "xy": "X and Y"}[d.reports]
        bands = f"{d.zones} zones" if d.zones else f"{d.bands} bands" if d.bands else "none"
        return [
            Fact("Moving, across", f"{d.moving_m:g} m", d.moving_m, 1),
            Fact("Moving, towards", f"{d.moving_m:g} m", d.moving_m, 1),
            Fact("Sitting still", f"{d.still_m:g} m", d.still_m, 1),
            Fact("Field of view", f"{d.fov_h:g}° × {d.fov_v:g}°", d.fov_h, 0),
            Fact("Sensitivity steps", f"{d.steps}", d.steps, 1),
            Fact("Tells", tracks),
            Fact("People told apart", f"{d.targets}", d.targets, 1),
            Fact("Zones or bands", bands, max(d.zones, d.bands), 1),
            Fact("Band", f"{d.band_ghz} GHz"),
        ]
    if isinstance(d, DualType):
        seen = {f.label: f for f in _ranges(d.radar)}
        for fact in _ranges(d.pir):
            if fact.label not in ("Sitting still", "Field of view"):
                seen[fact.label] = fact
        return list(seen.values())
    if isinstance(d, MatType):
        return [
            Fact("Pad", f"{100 * d.pad[0]:.0f} × {100 * d.pad[1]:.0f} cm"),
            Fact("Closes at", f"{d.closing_kpa:g} kPa{', may be folded' if d.foldable else ''}", d.closing_kpa, -1),
        ]
    if isinstance(d, ContactType):
        return [Fact("Gap", f"up to {d.gap_mm:g} mm", d.gap_mm, 1)]
    if isinstance(d, VibrationType):
        return [Fact("Large movements", f"{100 * d.large_share:.0f} %", d.large_share, 1),
                Fact("Small movements", f"{100 * d.small_share:.0f} %", d.small_share, 1)]  # fmt: skip
    if isinstance(d, PlugType):
        return [Fact("In use above", f"{d.threshold_w:g} W", d.threshold_w, -1)]
    if isinstance(d, HumidityType):
        return [Fact("Accuracy", f"± {d.accuracy_pct:g} %", d.accuracy_pct, -1)]
    if isinstance(d, ModuleType):
        return [Fact("Dims", "yes" if d.dims else "no", float(d.dims), 1),
                Fact("Two-way circuits", "yes" if d.two_way else "no", float(d.two_way), 1)]  # fmt: skip
    return []


def _power(d: DeviceType) -> list[Fact]:
    power = {"battery": "cells", "usb": "USB supply", "mains": "mains", "host": "its host"}[d.power]
    out = []
    if d.battery is not None:
        b = d.battery
        years = battery_years(d) or 0.0
        out.append(Fact("Power", f"{b.count} × {b.cell}"))
        out.append(Fact("Cells last", f"{years:.1f} years", years, 1))
    else:
        out.append(Fact("Power", f"{power}, {d.watts:g} W", None, 0))
        out.append(Fact("Draws in a year", f"{d.watts * 8.766:.1f} kWh", d.watts, -1))
    if d.load_w:
        out.append(Fact("Switches up to", f"{d.load_w:g} W", d.load_w, 1))
    if d.power == "mains":
        out.append(Fact("Neutral", "needed" if d.needs_neutral else "not needed", float(d.needs_neutral), -1))
    return out
