"""The usual cautions, shown where the work can hurt somebody; local codes and licensed practice decide."""

from __future__ import annotations

CAUTIONS = {
    "mains": "Mains: isolate the circuit at the board, prove it dead, follow the local wiring code; a licensed "
    "electrician where that is required.",
    "machine": "Machines and heat: their light must fail to ON; no sensor here ever switches the machine itself.",
    "heat": "Heaters: never switched by presence alone; keep their thermostats and overrun timers.",
    "stair": "Stairs: their light must fail to ON, and emergency lighting is never switched by presence.",
    "ladder": "Hung above reach: stand the ladder on firm ground, and not alone on the stairs.",
}
