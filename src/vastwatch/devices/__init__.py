"""Device types: what each kind of sensor can do, and the shipped catalogue of them."""

from vastwatch.devices.catalogue import catalogue
from vastwatch.devices.families import (
    AREA_FAMILIES,
    FAMILIES,
    TOUCH_FAMILIES,
    ContactType,
    DeviceType,
    DualType,
    HumidityType,
    LightType,
    MatType,
    ModuleType,
    PirType,
    PlayerType,
    PlugType,
    RadarType,
    UltrasonicType,
    VibrationType,
)

__all__ = [
    "AREA_FAMILIES",
    "FAMILIES",
    "TOUCH_FAMILIES",
    "ContactType",
    "DeviceType",
    "DualType",
    "HumidityType",
    "LightType",
    "MatType",
    "ModuleType",
    "PirType",
    "PlayerType",
    "PlugType",
    "RadarType",
    "UltrasonicType",
    "VibrationType",
    "catalogue",
]
