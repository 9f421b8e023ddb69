"""The catalogue file that ships with the program: generic, invented device types."""

from __future__ import annotations

from functools import cache
from importlib import resources

import msgspec

from vastwatch.devices.families import DeviceType


@cache
def catalogue() -> tuple[DeviceType, ...]:
    """All shipped device types, in shelf order."""
    raw = resources.files("vastwatch.devices").joinpath("catalogue.json").read_bytes()
    return msgspec.json.decode(raw, type=tuple[DeviceType, ...])
