"""A device type as it is set where it is mounted: its ranges, gates, latency and device hold time once the settings
count.

Whatever is set changes figures of the type, so that map, rehearsal and explanation need know nothing of settings.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import NamedTuple

from msgspec.structs import replace

from vastwatch.design.records import DayPart, Sensor, Settings
from vastwatch.devices import DeviceType, DualType, RadarType
from vastwatch.devices.families import STEPPED, parts_of, steps_of
from vastwatch.devices.types import Latency
from vastwatch.memo import memoised
from vastwatch.signals import DAY
from vastwatch.site.record import seconds_of
from vastwatch.words import duration_words

# What a step of sensitivity leaves of a range. Of a radar 3 dB, both ways, of a fourth power; of infrared 3 dB of the
# amplified voltage, which falls with the square of the distance: the same.
STEP = 10.0 ** (-3.0 / 40.0)
# A measured range so many times the one on the box, or so small a part, is likely a slip of the pen.
UNLIKELY = 2.5


@memoised
def as_placed(device: DeviceType, settings: Settings) -> DeviceType:
    """The type with the settings counted in; itself where nothing is set that its figures tell."""
    if isinstance(device, DualType):
        # A range measured on the whole is that of the part that sees farther.
        measured = 1.0 if settings.measured_range_m is None else settings.measured_range_m / device.reach_m()
        pir, radar = (_set(part, settings, measured) for part in (device.pir, device.radar))
        whole = _set(device, settings, measured)
        assert isinstance(whole, DualType)
        same = pir is device.pir and radar is device.radar
        found: DeviceType = whole if same else replace(whole, pir=pir, radar=radar)
    else:
        reach = device.reach_m()
        measured = settings.measured_range_m / reach if settings.measured_range_m and reach > 0 else 1.0
        found = _set(device, settings, measured)
    return found


def _set(device: DeviceType, s: Settings, measured: float) -> DeviceType:
    new: dict[str, object] = {}
    if s.measured_latency_s is not None:
        t = s.measured_latency_s
        new["latency"] = Latency(min_s=t, typical_s=t, max_s=t)
    if device.ranges:
        # What was measured was measured as it is set.
        below = max((getattr(s, name) or 0 for name in device.sensitivities), default=0)
        steps = STEP ** min(below, getattr(device, "steps", 1) - 1)
        as_set = 1.0 if device.steps_scale_ranges else steps
        k = measured / as_set if s.measured_range_m else steps / as_set
        new |= {name: getattr(device, name) * k for name in device.ranges if k != 1.0}
    elif isinstance(device, RadarType):
        moving = still = 1.0
        if s.still_below_max is not None:
            apart = min(s.still_below_max, device.steps - 1) - min(s.sensitivity_below_max, device.steps - 1)
            still = STEP**apart
        if s.measured_range_m:
            moving = measured / STEP ** min(s.sensitivity_below_max, device.steps - 1)
        if moving != 1.0 or still != 1.0:
            new |= {"moving_m": device.moving_m * moving, "still_m": device.still_m * moving * still}
        if s.measured_bias_m is not None:
            new["bias_r_m"] = s.measured_bias_m
        if s.measured_scale is not None:
            new["scale_r"] = s.measured_scale
        if s.min_gate_m is not None:
            new["min_gate_m"] = max(device.min_gate_m, s.min_gate_m)
        if s.max_gate_m is not None:
            new["max_gate_m"] = min(device.max_gate_m, s.max_gate_m)
    return replace(device, **new) if new else device


def own_hold_s(device: DeviceType, settings: Settings) -> float:
    """The hold the device itself keeps: default settings, or what it can be set to that is nearest to what is set."""
    if settings.hold_s is None:
        return device.hold_s
    return settable_hold(device, settings.hold_s)


def settable_hold(device: DeviceType, wanted_s: float) -> float:
    """The hold nearest to one that is wanted that can be set on a type: within its limits, on its steps."""
    if device.hold_max_s is None:
        return wanted_s
    least, most = min(device.hold_min_s, device.hold_max_s), device.hold_max_s
    step = device.hold_step_s or 0.0
    held = least + round((wanted_s - least) / step) * step if step > 0 else wanted_s
    return min(max(held, least), most)


def holds_words(device: DeviceType) -> str:
    """What holds can be set on a type, in words."""
    if device.hold_max_s is None:
        return "any hold time"
    if device.hold_max_s == device.hold_s:
        return f"{duration_words(device.hold_s)}, fixed"
    said = f"{duration_words(device.hold_min_s)} to {duration_words(device.hold_max_s)}"
    return said + (f" in steps of {device.hold_step_s:g} s" if device.hold_step_s else "")


class DaySetting(NamedTuple):
    """A sensor as it is set for some of the day: from one second past midnight to another, over midnight where that is
    earlier."""

    sensor: Sensor
    begin_s: float
    end_s: float


# What a part of the day may set otherwise.
BY_HOUR = ("hold_s", "sensitivity_below_max", "still_below_max", "infrared_below_max")


@memoised
def day_settings(sensor: Sensor) -> tuple[DaySetting, ...]:
    """A sensor as it is set in each part of the day, in order; itself all day where there are none."""
    parts = sensor.settings.by_hour
    if not parts:
        return (DaySetting(sensor, 0.0, DAY),)
    begins = [seconds_of(part.begin) for part in parts]
    ends = [*begins[1:], begins[0]]
    return tuple(
        DaySetting(replace(sensor, settings=s), begin, end)
        for s, begin, end in zip(settings_by_part(sensor.settings), begins, ends)
    )


def at_hour(sensor: Sensor, second: float | None = None) -> Sensor:
    """A sensor as it is set at a second of the day; without one, as it is set for most of it."""
    every = day_settings(sensor)
    if second is None:
        return max(every, key=lambda v: (v.end_s - v.begin_s) % DAY or DAY).sensor
    s = second % DAY
    inside = (v for v in every if (s - v.begin_s) % DAY < ((v.end_s - v.begin_s) % DAY or DAY))
    return next(inside, every[0]).sensor


def settings_by_part(settings: Settings) -> list[Settings]:
    """What is set in each part of the day, in order. A range was measured as the device is set for the rest."""
    return [replace(settings, by_hour=(), **_said(part), **_measured(settings, part)) for part in settings.by_hour]


def _measured(s: Settings, part: DayPart) -> dict[str, float]:
    lower = 0
    for field in ("sensitivity_below_max", "infrared_below_max"):
        if (below := getattr(part, field)) is not None:
            lower = max(lower, below - getattr(s, field), key=abs)
    return {} if s.measured_range_m is None or lower == 0 else {"measured_range_m": s.measured_range_m * STEP**lower}


def _said(part: DayPart) -> dict[str, float | int]:
    return {name: value for name in BY_HOUR if (value := getattr(part, name)) is not None}


# What each sensitivity is called.
SENSITIVITIES = {
    "infrared_below_max": "infrared", "sensitivity_below_max": "sensitivity", "still_below_max": "stillness",
}  # fmt: skip


def settings_words(device: DeviceType, s: Settings) -> str:
    """What is set on a device otherwise than it comes, in words; empty for nothing."""
    out = [] if s.hold_s is None else [f"device hold time {duration_words(own_hold_s(device, s))}"]
    for field, called in SENSITIVITIES.items():
        if below := getattr(s, field):
            most = steps_of(device, field)
            out.append(f"{called} {max(most - below, 1)} of {most}")
    for words, bands in (("per band", s.bands_below_max), ("still, per band", s.bands_still_below_max)):
        if any(bands):
            steps = steps_of(device, "sensitivity_below_max")
            out.append(f"{words} {' '.join(str(max(steps - b, 1)) for b in bands)} of {steps}")
    figures = (
        ("from {:g} m", s.min_gate_m), ("to {:g} m", s.max_gate_m), ("every {:g} s", s.report_interval_s),
        ("measured range {:g} m", s.measured_range_m), ("measured latency {:g} s", s.measured_latency_s),
        ("reads {:g} m long", s.measured_bias_m), ("reads {:g} times the distance", s.measured_scale),
    )  # fmt: skip
    out += [words.format(value) for words, value in figures if value is not None]
    out += ["folded"] * s.folded
    for v, part in zip(settings_by_part(s), s.by_hour):
        out.append(f"from {part.begin}: {settings_words(device, v) or 'default settings'}")
    return "; ".join(out)


def settings_faults(device: DeviceType, s: Settings) -> Iterator[tuple[str, str]]:
    """What is set and cannot be, or contradicts itself: the field, and a sentence's end."""
    if s.hold_s is not None and abs(settable_hold(device, s.hold_s) - s.hold_s) > 1e-6:
        nearest = duration_words(settable_hold(device, s.hold_s))
        wanted, settable = duration_words(s.hold_s), holds_words(device)
        yield "hold_s", f"its device hold time of {wanted} cannot be set ({settable}); the nearest is {nearest}"
    for field in STEPPED:
        below, steps = getattr(s, field) or 0, steps_of(device, field)
        if below and not steps:
            yield field, "it has no such sensitivity setting"
        elif below > max(steps - 1, 0):
            yield field, f"it has {steps} sensitivity steps, so it cannot be set {below} below the highest"
    radars = [p for p in parts_of(device) if isinstance(p, RadarType)]
    most = max((p.bands for p in radars), default=0)
    for field in ("bands_below_max", "bands_still_below_max"):
        bands, steps = getattr(s, field), steps_of(device, "sensitivity_below_max")
        if len(bands) > most:
            yield field, f"it has {most} bands, not {len(bands)}" if most else "it has no bands to set"
        elif any(b > steps - 1 for b in bands):
            yield field, f"it has {steps} sensitivity steps in each band"
    if not radars and (s.min_gate_m is not None or s.max_gate_m is not None):
        yield "max_gate_m" if s.max_gate_m is not None else "min_gate_m", "it has no gates to set"
    for radar in radars:
        near, far = s.min_gate_m or radar.min_gate_m, s.max_gate_m or radar.max_gate_m
        if near >= far:
            yield (
                "min_gate_m",
                f"its nearest gate of {near:g} m is not closer than its farthest of {far:g} m: it sees nothing",
            )
        if s.max_gate_m is not None and s.max_gate_m > radar.max_gate_m:
            yield "max_gate_m", f"its farthest gate is {radar.max_gate_m:g} m, not {s.max_gate_m:g} m"
        if s.min_gate_m is not None and s.min_gate_m < radar.min_gate_m:
            yield "min_gate_m", f"its nearest gate is {radar.min_gate_m:g} m, not {s.min_gate_m:g} m"
    if s.measured_bias_m is not None and all(p.reports == "state" for p in radars):
        yield "measured_bias_m", "it reports no distance that could have an offset"
    if s.measured_scale is not None and all(p.reports == "state" for p in radars):
        yield "measured_scale", "it reports no distance that could have a scale error"
    if (s.measured_at is not None or s.measured_yaw is not None) and all(p.reports != "xy" for p in radars):
        yield "measured_at", "it reports no positions, so a walk cannot locate it"
    if (measured := s.measured_range_m) is not None:
        reach = device.reach_m()
        if reach <= 0:
            yield "measured_range_m", "it has no range to measure"
        elif not reach / UNLIKELY <= measured <= reach * UNLIKELY:
            yield (
                "measured_range_m",
                f"the measured range of {measured:g} m differs too much from the {reach:g} m on the data sheet",
            )
    begins = [seconds_of(part.begin) for part in s.by_hour]
    if len(begins) == 1:
        yield "by_hour", "settings by time of day need at least two times"
    if any(a >= b for a, b in pairwise(begins)):
        yield "by_hour", "the times must be in ascending order"
    for part, set_then in zip(s.by_hour, settings_by_part(s)):
        for field, words in settings_faults(device, set_then):
            if field in _said(part):
                yield "by_hour", f"from {part.begin} on: {words}"
    if s.report_interval_s is not None and device.light is None and not device.by_interval:
        yield "report_interval_s", "it reports nothing at intervals"
