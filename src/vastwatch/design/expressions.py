"""What a conclusion says: a tree of reports, facts, the clock and other conclusions, joined by operators (M14).

Every kind is a record with a tag, so that a file says what it means. What a tree is made of, whatever its kinds,
`parts_of` tells and `with_parts` changes; what it comes to, `control.fusion`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Annotated, Any, Literal

import msgspec
from msgspec.structs import replace

from vastwatch.site.people import Days
from vastwatch.site.record import NotNegative, OfRoom, Record, Ref

# A time of day, or the sun's rising or setting with so much before or after it.
DAY_TIME_PATTERN = r"^(([01][0-9]|2[0-3]):[0-5][0-9]|(sunrise|sunset)([+-]([01][0-9]|2[0-3]):[0-5][0-9])?)(?!\n)$"
DayTime = Annotated[
    str, msgspec.Meta(pattern=DAY_TIME_PATTERN, description="HH:MM, or sunrise or sunset, plus or minus HH:MM")
]
Share = Annotated[float, msgspec.Meta(gt=0, lt=1)]


class Report(Record, frozen=True, kw_only=True, tag_field="op", tag="report"):
    """What a sensor says; `state` narrows a radar to those who move or those who are still, `zone` to one of its
    zones."""

    sensor: Annotated[str, Ref("sensors")]
    state: Literal["moving", "still"] | None = None
    zone: Annotated[str, Ref("zones")] | None = None

    @property
    def part(self) -> str | None:
        """Of what it is a report: a state, a zone by `zone_part`, or None for the whole."""
        return self.state if self.zone is None else zone_part(self.zone)

    @property
    def responds_to_motion(self) -> bool:
        """Whether a movement sets it off: anybody who waves moves, so that a sensor which tells stillness apart says
        nothing more of that; and in which of its zones they are, if in one, it has said of their stay."""
        return self.part in (None, "moving")


def zone_part(zone: str) -> str:
    """How a zone's report is named among the reports of its sensor."""
    return f"zone {zone}"


class AnyOf(Record, frozen=True, kw_only=True, tag_field="op", tag="any"):
    """On while at least one is."""

    of: Annotated[tuple[Expr, ...], msgspec.Meta(min_length=1)]


class AllOf(Record, frozen=True, kw_only=True, tag_field="op", tag="all"):
    """On while every one is."""

    of: Annotated[tuple[Expr, ...], msgspec.Meta(min_length=1)]


class AtLeast(Record, frozen=True, kw_only=True, tag_field="op", tag="at_least"):
    """On while at least k are."""

    k: Annotated[int, msgspec.Meta(ge=1)]
    of: Annotated[tuple[Expr, ...], msgspec.Meta(min_length=1)]


class Not(Record, frozen=True, kw_only=True, tag_field="op", tag="not"):
    """On while the other is not."""

    of: Expr


class Hold(Record, frozen=True, kw_only=True, tag_field="op", tag="hold"):
    """Lasts `seconds` longer."""

    of: Expr
    seconds: NotNegative


class OnDelay(Record, frozen=True, kw_only=True, tag_field="op", tag="on_delay"):
    """Begins `seconds` later, and only if it lasts that long."""

    of: Expr
    seconds: NotNegative


class StartKeep(Record, frozen=True, kw_only=True, tag_field="op", tag="start_keep"):
    """On from a rise of `start` until neither `start` nor `keep` is on."""

    start: Expr
    keep: Expr


class MinimumOn(Record, frozen=True, kw_only=True, tag_field="op", tag="minimum_on"):
    """Lasts `seconds` from its rise at the least."""

    of: Expr
    seconds: NotNegative


class DoorLatch(Record, frozen=True, kw_only=True, tag_field="op", tag="door_latch"):
    """Once `motion` is seen with the `door` shut somebody is in, until it opens; then motion must be renewed within
    `hold_s`. `door` is on while it is open.

    In the first `settle_s` after the door has shut motion latches nothing: it may be the rest of a report of anybody
    who has just gone out.
    """

    motion: Expr
    door: Expr
    hold_s: NotNegative
    settle_s: NotNegative = 10.0


class Belief(Record, frozen=True, kw_only=True, tag_field="op", tag="belief"):
    """How probable it is that somebody is there, by how readily each sensor reports somebody at the places of the room,
    by how often while empty, and by how often people come and go (M7): on above one probability until below another."""

    of: Annotated[tuple[Report, ...], msgspec.Meta(min_length=1)]
    on_above: Share = 0.6
    off_below: Share = 0.1


class ConclusionRef(Record, frozen=True, kw_only=True, tag_field="op", tag="presence"):
    """What another conclusion comes to."""

    presence: Annotated[str, Ref("presences")]


class ClockTime(Record, frozen=True, kw_only=True, tag_field="op", tag="clock"):
    """From one time of day to another, over midnight where that is earlier, on the days on which it begins."""

    begin: DayTime
    end: DayTime
    days: Days = "every"


class Dark(Record, frozen=True, kw_only=True, tag_field="op", tag="dark"):
    """While daylight alone gives a room less than `below_lux`, and from then on until it gives `until_lux`; None: what
    the room asks for, and no more than that."""

    room: OfRoom
    below_lux: NotNegative | None = None
    until_lux: NotNegative | None = None


class Fact(Record, frozen=True, kw_only=True, tag_field="op", tag="fact"):
    """Something the controller knows of a room that no sensor notices: a film is playing there, it is paused, or
    somebody is on a call. Clips of less than ten minutes and exercise programmes are no films, and skips of less than 2
    s count for nothing."""

    what: Literal["film", "paused", "call"]
    room: OfRoom


class Nothing(Record, frozen=True, kw_only=True, tag_field="op", tag="nothing"):
    """Never on: what it followed is gone, or nothing tells of it yet. Anybody who names it keeps its place, and what is
    put there next tells for it."""


Expr = (
    Report | AnyOf | AllOf | AtLeast | Not | Hold | OnDelay | MinimumOn | StartKeep | DoorLatch | Belief | ConclusionRef
    | ClockTime | Dark | Fact | Nothing
)  # fmt: skip

# The fields of each kind that are expressions themselves, in the order in which one reads them.
_PARTS: dict[type, tuple[str, ...]] = {
    AnyOf: ("of",), AllOf: ("of",), AtLeast: ("of",), Not: ("of",), Hold: ("of",), OnDelay: ("of",),
    MinimumOn: ("of",), StartKeep: ("start", "keep"), DoorLatch: ("motion", "door"), Belief: ("of",),
}  # fmt: skip
# Kinds that join any number of parts.
LISTS = (AnyOf, AllOf, AtLeast, Belief)


def same(a: Expr, b: Expr) -> bool:
    """Whether two expressions state the same: records are compared by identity elsewhere."""
    return a is b or msgspec.to_builtins(a) == msgspec.to_builtins(b)


def parts_of(expr: Expr) -> tuple[Expr, ...]:
    """The expressions an expression is made of, from left to right; none for a leaf."""
    out: list[Expr] = []
    for name in _PARTS.get(type(expr), ()):
        part = getattr(expr, name)
        out += part if isinstance(part, tuple) else (part,)
    return tuple(out)


def with_parts(expr: Expr, parts: tuple[Expr, ...]) -> Expr:
    """The same kind of expression of other parts; itself where they are the same. Raises ValueError for the wrong
    number of parts."""
    if len(parts) == len(parts_of(expr)) and all(a is b for a, b in zip(parts, parts_of(expr))):
        return expr
    names = _PARTS.get(type(expr), ())
    changes: dict[str, Any] = {}
    if isinstance(expr, LISTS):
        if not parts:
            raise ValueError("a list of conditions needs at least one")
        changes["of"] = parts
        if isinstance(expr, AtLeast) and len(parts) < len(expr.of):
            changes["k"] = min(expr.k, len(parts))
    else:
        if len(parts) != len(names):
            raise ValueError(f"{type(expr).__name__} has {len(names)} parts, not {len(parts)}")
        changes = dict(zip(names, parts))
    return replace(expr, **changes)


def rewritten(expr: Expr, change: Callable[[Expr], Expr]) -> Expr:
    """An expression with what `change` makes of each of its parts, outer ones first: of what it has changed it looks at
    no parts. Itself where nothing changes."""
    made = change(expr)
    if made is not expr:
        return made
    return with_parts(expr, tuple(rewritten(part, change) for part in parts_of(expr)))


def tells(expr: Expr) -> bool:
    """Whether anything in an expression tells of people: a sensor, or another conclusion."""
    return any(isinstance(part, Report | ConclusionRef) for part in every_part(expr))


def every_part(expr: Expr) -> Iterator[Expr]:
    """An expression and all that it is made of, outer ones first, left to right."""
    yield expr
    for part in parts_of(expr):
        yield from every_part(part)
