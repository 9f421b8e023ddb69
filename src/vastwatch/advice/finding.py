"""What a check says: one finding, with what would help."""

from __future__ import annotations

from dataclasses import dataclass

ORDER = {"wrong": 0, "risk": 1, "caution": 2, "note": 3}


@dataclass(frozen=True)
class Advice:
    """One thing that would help, in words."""

    text: str


@dataclass(frozen=True)
class Finding:
    """`rule` names the check; `records` are the ids it concerns, the one to look at first; `room` where it is seen."""

    rule: str
    severity: str
    records: tuple[str, ...]
    text: str
    remedies: tuple[Advice, ...] = ()
    room: str | None = None
