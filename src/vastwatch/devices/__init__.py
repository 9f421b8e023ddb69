"""Device types: what each kind of sensor can do, and the shipped catalogue of them."""

from vastwatch.devices.catalogue import catalogue
from vastwatch.devices.types import DeviceType, PirType, RadarType

__all__ = ["DeviceType", "PirType", "RadarType", "catalogue"]
