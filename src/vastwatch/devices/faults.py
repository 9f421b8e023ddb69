"""Whether the figures of a device type can all be true at once; each fault names the field it lies in."""

from __future__ import annotations

from collections.abc import Iterator

from vastwatch.devices.types import (
    DeviceType,
    DualType,
    LightMeter,
    LightType,
    ModuleType,
    PirType,
    RadarType,
)

# Beyond this no figure of a room device is meant seriously: metres, seconds, a price.
FARTHEST_M, LONGEST_S, DEAREST = 100.0, 86_400.0, 1e6


def faults(device: DeviceType) -> list[tuple[str, str]]:
    """Contradictions as (field, what is wrong with it); empty for a type that may be."""
    return list(_faults(device))


def _faults(d: DeviceType) -> Iterator[tuple[str, str]]:
    lag = d.latency
    if not lag.min_s <= lag.typical_s <= lag.max_s:
        yield (
            "latency.typical_s",
            f"the typical {lag.typical_s:g} s is not between the least {lag.min_s:g} s and the most {lag.max_s:g} s",
        )
    if lag.max_s > LONGEST_S:
        yield "latency.max_s", f"{lag.max_s:g} s is longer than a day"
    if not d.mounts:
        yield "mounts", "it has to be mounted somehow"
    if d.hold_max_s is not None and d.hold_max_s < d.hold_s:
        yield "hold_max_s", f"the longest hold of {d.hold_max_s:g} s is below its usual {d.hold_s:g} s"
    if d.price > DEAREST:
        yield "price", f"{d.price:g} is no price of a sensor"
    if d.least_c >= d.most_c:
        yield "most_c", f"the warmest {d.most_c:g} °C is not above the coldest {d.least_c:g} °C"
    if d.battery is not None and d.power != "battery":
        yield "battery", f"a device on {d.power} power has no cells; leave them out"
    if d.power == "battery" and d.watts > 0:
        yield "watts", f"no cell feeds a device that draws {d.watts:g} W all day"
    if d.power == "battery" and d.needs_neutral:
        yield "needs_neutral", "a battery device needs no neutral"
    if d.relays and d.radio not in ("mesh", "network"):
        yield "relays", f"it cannot relay for others without a radio (radio is {d.radio})"
    if d.relays and d.power == "battery":
        yield "relays", "a battery device sleeps, so it cannot relay for others"
    if d.light is not None:
        yield from _light(d.light)
    if isinstance(d, PirType):
        yield from _pir(d)
    elif isinstance(d, RadarType):
        yield from _radar(d)
    elif isinstance(d, DualType):
        for name, part in (("pir", d.pir), ("radar", d.radar)):
            yield from ((f"{name}.{field}", words) for field, words in _faults(part))
        if ("ceiling" in d.mounts) != (d.pir.lens == "ceiling"):
            yield "pir.lens", f"a {d.pir.lens} lens does not fit where it is mounted ({', '.join(d.mounts)})"
    elif isinstance(d, LightType) and d.light is None:
        yield "light", "a light-level sensor needs its range"
    elif isinstance(d, ModuleType) and d.load_w <= 0:
        yield "load_w", "a module that switches needs the largest load it may switch"


def _light(m: LightMeter) -> Iterator[tuple[str, str]]:
    if m.kind == "continuous" and m.low_lux >= m.high_lux:
        yield "light.high_lux", f"the range from {m.low_lux:g} to {m.high_lux:g} lux is empty"
    if m.kind == "flag" and m.flag_lux is None:
        yield "light.flag_lux", "a light/dark flag needs the level at which it turns"


def _pir(d: PirType) -> Iterator[tuple[str, str]]:
    if d.tangential_m > FARTHEST_M:
        yield "tangential_m", f"{d.tangential_m:g} m is farther than any such sensor sees"
    if d.radial_m > d.tangential_m:
        yield "radial_m", f"a range of {d.radial_m:g} m towards is more than its {d.tangential_m:g} m across"
    if d.minor_m > d.radial_m:
        yield "minor_m", f"a range of {d.minor_m:g} m on hands is more than its {d.radial_m:g} m on walkers"
    if d.beam_pitch >= d.fov_h:
        yield "beam_pitch", f"beams {d.beam_pitch:g}° apart leave one in a field of {d.fov_h:g}°"
    if d.lens == "wall" and d.span_up + d.span_down <= 0:
        yield "span_down", "its beams spread neither up nor down"
    if d.lens == "ceiling" and (d.fov_h >= 180 or "ceiling" not in d.mounts):
        field, words = ("fov_h", "a ceiling lens sees less than 180°") if d.fov_h >= 180 else (
            "mounts", "a ceiling lens hangs on the ceiling")  # fmt: skip
        yield field, words
    if d.lens == "wall" and "ceiling" in d.mounts:
        yield "lens", "a wall lens does not look down from a ceiling"


def _radar(d: RadarType) -> Iterator[tuple[str, str]]:
    if d.moving_m > FARTHEST_M:
        yield "moving_m", f"{d.moving_m:g} m is farther than any such sensor sees"
    if d.still_m > d.moving_m:
        yield "still_m", f"a range of {d.still_m:g} m on somebody still is more than its {d.moving_m:g} m on movers"
    if d.min_gate_m >= d.max_gate_m:
        yield "max_gate_m", f"the farthest gate of {d.max_gate_m:g} m is not beyond the nearest of {d.min_gate_m:g} m"
    m, n = d.confirm_of
    if m > n:
        yield "confirm_of", f"{m} of {n} frames can never be had"
    if d.targets < 1:
        yield "targets", "it follows at least one target"
    if d.zones > 0 and d.reports == "state":
        yield "zones", "a radar that reports no place cannot have zones"
    if d.zones < 0:
        yield "zones", "there cannot be fewer zones than none"
    if d.bands > 0 and d.reports == "state":
        yield "bands", "a radar that reports no distance cannot have bands"
