"""Whether the figures of a device type can all be true at once; each fault names the field it lies in."""

from __future__ import annotations

from vastwatch.devices.families import DeviceType
from vastwatch.devices.types import Fault


def faults(device: DeviceType) -> list[Fault]:
    """Contradictions as (field, what is wrong with it); empty for a type that may be."""
    return [*device.common_faults(), *device.faults()]
