"""The shipped furniture: kinds with real sizes and heights, and how somebody uses each."""

from __future__ import annotations

from functools import cache
from importlib import resources

import msgspec

from vastwatch.site.building import Activity, FurnishingMaterial
from vastwatch.site.record import NotNegative, Positive, Record


class FurnitureType(Record, frozen=True, kw_only=True):
    """One kind: `width` along the wall it stands at, `depth` away from it, from z0 to z1, metres.

    `sits` or `lies`: what somebody does who sits or lies on it; `seated_before` or `stands_before`: who sits or
    stands at its front. It then comes with a spot.
    """

    kind: str
    name: str
    width: Positive
    depth: Positive
    z0: NotNegative = 0.0
    z1: Positive
    material: FurnishingMaterial
    sits: Activity | None = None
    lies: Activity | None = None
    seated_before: Activity | None = None
    stands_before: Activity | None = None


@cache
def furniture() -> tuple[FurnitureType, ...]:
    """All shipped kinds, in shelf order."""
    raw = resources.files("vastwatch.site").joinpath("furniture.json").read_bytes()
    return msgspec.json.decode(raw, type=tuple[FurnitureType, ...])
