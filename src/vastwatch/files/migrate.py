"""Files of older versions, brought up to the present one a version at a time, before anything is checked.

A step works on the plain document and touches only what it knows; whatever is wrong besides is told afterwards, in
the present version's terms. Files of a newer version are refused by the reader and never come here.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from vastwatch.design.project import VERSION

Document = dict[str, Any]


def migrated(document: Document) -> Document:
    """The document in the present version; itself where it is that already. Its `version` must be one of 1 to now."""
    while document["version"] < VERSION:
        document = _STEPS[document["version"]](document)
    return document


def _from_1(document: Document) -> Document:
    """Version 2 calls what a sensor is fixed to its `host`, and has a list of outputs that are no lamps."""
    new = {**document, "version": 2}
    new.setdefault("outputs", [])
    sensors = document.get("sensors")
    if isinstance(sensors, list):
        new["sensors"] = [_renamed(s, "on", "host") if isinstance(s, dict) else s for s in sensors]
    return new


def _from_2(document: Document) -> Document:
    """Version 3 says more of the project (client, notes, construction, uses of its own), all of it with defaults.

    Walls had one thickness for all before; what is drawn in such a project goes on as it was begun.
    """
    new = {**document, "version": 3}
    new.setdefault(
        "construction",
        {"outer_m": 0.1, "outer_material": "plasterboard", "inner_m": 0.1, "inner_material": "plasterboard"},
    )
    return new


def _from_3(document: Document) -> Document:
    """Version 4 says of each person how long they wait in the dark before they wave: all did as most do."""
    return {**document, "version": 4}


def _from_4(document: Document) -> Document:
    """Version 5 has more settings of a placed sensor, each as the type comes where it is not said; and rules for the
    zones that a tracking radar takes: usual ones where a type has none."""
    new = {**document, "version": 5}
    devices = document.get("devices")
    if isinstance(devices, list):
        new["devices"] = [{**d, "zone_rules": {}} if _tracks(d) else d for d in devices]
    return new


def _from_5(document: Document) -> Document:
    """Version 6 has several conclusions of a room, of which one lights it, and more operators: what was concluded
    before lit its room."""
    return {**document, "version": 6}


def _from_6(document: Document) -> Document:
    """Version 7 has other designs beside the present one, a diary, and what goes wrong in use: none of it before."""
    return {**document, "version": 7}


def _from_7(document: Document) -> Document:
    """Version 8 has groups of lamps with ladders of their own: none of it before."""
    return {**document, "version": 8}


def _from_8(document: Document) -> Document:
    """Version 9 keeps a conclusion or a row that nothing tells anything any more, as never on; and may limit how long a
    room's light is on while empty: none of it before."""
    return {**document, "version": 9}


def _from_9(document: Document) -> Document:
    """Version 10 keeps how logs of the house are read: nothing of it before."""
    return {**document, "version": 10}


def _tracks(device: Any) -> bool:
    zones = device.get("zones", 0) if isinstance(device, dict) else 0
    return isinstance(zones, int) and zones > 0 and "zone_rules" not in device


def _renamed(record: dict[str, Any], old: str, new: str) -> dict[str, Any]:
    return {new if key == old else key: value for key, value in record.items()}


# From each version to the next.
_STEPS: dict[int, Callable[[Document], Document]] = {
    1: _from_1,
    2: _from_2,
    3: _from_3,
    4: _from_4,
    5: _from_5,
    6: _from_6,
    7: _from_7,
    8: _from_8,
    9: _from_9,
}
