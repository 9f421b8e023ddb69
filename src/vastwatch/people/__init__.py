"""Where everybody is at each instant: schedules turned into stays, routes and small movements."""

from vastwatch.people.tracks import Track
from vastwatch.people.truth import Position, Truth, simulate_days

__all__ = ["Position", "Track", "Truth", "simulate_days"]
