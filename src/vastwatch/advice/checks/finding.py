"""What a check says: one finding, with what would help."""

from __future__ import annotations

from dataclasses import dataclass

ORDER = {"wrong": 0, "risk": 1, "caution": 2, "note": 3}


# False reports an hour of one sensor by one hazard: worth a word from here on, and wrong from there on. Our choice: one
# in five hours is seen now and then, two an hour every evening.
SOME_FALSE_PER_H, OFTEN_FALSE_PER_H = 0.2, 2.0
# With more sensors than this no week is simulated for what each sees next door, and how often it reports.
MANY_SENSORS = 60


@dataclass(frozen=True)
class RemedyText:
    """One thing that would help, in words."""

    text: str


@dataclass(frozen=True)
class Finding:
    """`rule` names the check; `records` are the ids it concerns, the one to look at first; `room` where it is seen."""

    rule: str
    severity: str
    records: tuple[str, ...]
    text: str
    remedies: tuple[RemedyText, ...] = ()
    room: str | None = None
