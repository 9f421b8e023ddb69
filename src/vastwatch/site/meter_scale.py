"""A light sensor against a meter: what the one reads of what the other reads where light is wanted."""

from __future__ import annotations

from typing import NamedTuple

from vastwatch.site.building import DarkSource


class MeterScale(NamedTuple):
    """What a light sensor reads of what a meter reads where light is wanted: `offset` + `gain` times it, lux."""

    offset: float = 0.0
    gain: float = 1.0

    def read(self, meter_lux: float) -> float:
        """What the sensor reads while the meter reads that."""
        return max(self.offset + self.gain * meter_lux, 0.0)


def scale_of(source: DarkSource) -> MeterScale:
    """The scale of a source's sensor, by its readings: through two of them a straight line, through one a line through
    nothing; without any, what falls on it is what falls where light is wanted. Raises ValueError for two that no sensor
    could have read: of one meter reading, or falling while the meter's rise."""
    if source.source != "sensor" or not source.readings:
        return MeterScale()
    if len(source.readings) == 1:
        (r,) = source.readings
        if not (r.meter_lux > 0 and r.sensor_lux > 0):
            raise ValueError("a reading of zero cannot be used")
        return MeterScale(0.0, r.sensor_lux / r.meter_lux)
    a, b = sorted(source.readings, key=lambda r: r.meter_lux)
    if b.meter_lux - a.meter_lux <= 0 or b.sensor_lux <= a.sensor_lux:
        raise ValueError("both the sensor and the meter must read more the second time")
    gain = (b.sensor_lux - a.sensor_lux) / (b.meter_lux - a.meter_lux)
    return MeterScale(a.sensor_lux - gain * a.meter_lux, gain)
