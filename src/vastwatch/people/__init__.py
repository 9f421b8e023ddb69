"""Where everybody is at each instant: day sheets turned into stays, walks and small movements."""

from vastwatch.people.movements import Movements, live

__all__ = ["Movements", "live"]
