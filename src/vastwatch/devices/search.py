"""Device types found by words, as people call them: those that are of that kind first, then by name and description."""

from __future__ import annotations

from collections.abc import Iterable

from vastwatch.devices.device_facts import tags
from vastwatch.devices.families import DeviceType

# What else a thing is called, by how a name, a kind or a tag of a type calls it.
SYNONYMS = {
    "mmwave": ("radar",), "microwave": ("radar",), "doppler": ("radar",), "fmcw": ("radar",),
    "occupancy": ("presence", "passive infrared", "ultrasonic"), "motion": ("passive infrared", "infrared and radar"),
    "movement": ("passive infrared", "infrared and radar"), "ultrasound": ("ultrasonic",), "sonar": ("ultrasonic",),
    "reed": ("contact",), "magnet": ("contact",), "magnetic": ("contact",), "pressure": ("pressure", "mat"),
    "mat": ("mat", "pad", "bed strip"), "pad": ("pad", "mat"), "bed": ("bed",), "chair": ("seat", "vibration"),
    "outlet": ("plug",), "socket": ("plug",), "power": ("plug", "power"), "moisture": ("humidity",),
    "damp": ("humidity",), "shower": ("humidity",), "brightness": ("lux",), "illuminance": ("lux",),
    "daylight": ("lux",), "photocell": ("light level",), "tv": ("media player",), "television": ("media player",),
    "zones": ("tracker",), "tracking": ("tracker",), "position": ("tracker",), "rain": ("outdoor",),
    "waterproof": ("outdoor",), "garden": ("outdoor",), "shake": ("vibration",), "temperature": ("temperature",),
    "relay": ("relay", "switch module", "switching plug"), "dimmer": ("dimmer",), "actuator": ("module",),
    "wired": ("wire", "mains"), "cordless": ("battery",),
}  # fmt: skip
# What is searched for here and is found elsewhere.
ELSEWHERE = {
    "button": "Wall buttons are added in Scenes: Add… > Wall button.",
    "lamp": "Lamps are in Plan, Furnish.",
    "blind": "Blinds are switched equipment: Plan, Furnish.",
    "shutter": "Blinds are switched equipment: Plan, Furnish.",
    "fan": "Fans are switched equipment: Plan, Furnish.",
    "heating": "A heating setback is switched equipment: Plan, Furnish.",
    "vacuum": "A cleaning robot is switched equipment: Plan, Furnish.",
    "hub": "The controller is part of the parts list; it needs no type here.",
    "gateway": "The controller is part of the parts list; it needs no type here.",
    "flood": "Leak sensors do not detect people; none is listed.",
    "leak": "Leak sensors do not detect people; none is listed.",
    "smoke": "Smoke alarms are life-safety devices and are not planned here.",
    "camera": "Cameras are not planned here.",
}


def search(types: Iterable[DeviceType], words: str, custom: Iterable[str] = ()) -> list[DeviceType]:
    """The types that match all words, the best matches first, equals in their order. `custom`: ids of the user's own
    types, which the word "custom" finds."""
    wanted = words.lower().split()
    ids = set(custom)
    ranked = ((_rank(d, wanted, d.id in ids), d) for d in types)
    return [d for rank, d in sorted((r for r in ranked if r[0] is not None), key=lambda r: r[0] or 0)]


def hint(words: str) -> str:
    """Where something is found that is not a device type; empty where nothing is known of it."""
    return next((text for word in words.lower().split() for key, text in ELSEWHERE.items() if word.startswith(key)), "")


def _rank(d: DeviceType, wanted: list[str], custom: bool) -> int | None:
    """How far down a type comes: for each word 0 where its family is called so, or its name and its kind; then kind,
    name, tags, description. None where a word is nowhere."""
    name, kind, summary = d.name.lower(), d.heading.lower(), d.summary.lower()
    told = f"{tags(d)} {'custom own' if custom else ''}".lower()
    total = 0
    for word in wanted:
        calls = (word, *SYNONYMS.get(word, ()))

        def within(text: str, calls: tuple[str, ...] = calls) -> bool:
            return any(c in text for c in calls)

        places = (d.family in calls or (within(name) and within(kind)), within(kind), within(name), within(told))
        rank = next((k for k, there in enumerate((*places, within(summary))) if there), None)
        if rank is None:
            return None
        total += rank
    return total
