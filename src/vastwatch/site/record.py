"""What every record of a project has in common.

A record is frozen, compares and hashes by identity, and refuses fields it does not know. Identity is what the
result caches key on: an edit makes new records only where something changed, so a tuple of unchanged records is
found again at once, and nothing ever has to be declared stale.
"""

from __future__ import annotations

from typing import Annotated

import msgspec

Point = tuple[float, float]
Point3 = tuple[float, float, float]
Outline = tuple[Point, ...]

Positive = Annotated[float, msgspec.Meta(gt=0)]
NotNegative = Annotated[float, msgspec.Meta(ge=0)]
Clock = Annotated[str, msgspec.Meta(pattern=r"^([01]\d|2[0-3]):[0-5]\d$", description="local time, HH:MM")]
Id = Annotated[str, msgspec.Meta(pattern=r"^[a-z0-9][a-z0-9_.-]{0,63}$", description="unique in the project")]


class Record(msgspec.Struct, frozen=True, eq=False, kw_only=True, forbid_unknown_fields=True, omit_defaults=False):
    """Base of all project records; see the module's text."""
