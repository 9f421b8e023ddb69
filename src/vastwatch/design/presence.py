"""Reading and shaping presence expressions: which sensors start, which keep, and for how long it holds.

The usual shape, `start_keep(any of starters, hold(any of keepers))`, is what the desk edits; other shapes are kept
as they are and only read.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from msgspec.structs import replace

from vastwatch.design.expressions import AnyOf, DoorLatch, Expr, Hold, Report, StartKeep, every_part


class Roles(NamedTuple):
    """What may start presence, what keeps it (starters included), each a sensor or one of its zones as `role_key` names
    it, and the hold time in seconds."""

    starts: tuple[str, ...]
    keeps: tuple[str, ...]
    hold_s: float


def role_key(sensor: str, zone: str | None = None) -> str:
    """How a sensor, or one of its zones, is named among roles: ids have no slash."""
    return sensor if zone is None else f"{sensor}/{zone}"


def parse_role_key(named: str) -> tuple[str, str | None]:
    """The sensor, and the zone if it is one, of what `role_key` named."""
    sensor, _, zone = named.partition("/")
    return sensor, zone or None


def reports(expr: Expr) -> Iterator[Report]:
    """Every report an expression reads, left to right."""
    return (part for part in every_part(expr) if isinstance(part, Report))


def from_roles(roles: Roles) -> Expr:
    """The expression for roles. A starter always keeps as well. Raises ValueError without any starter."""
    if not roles.starts:
        raise ValueError("presence needs at least one sensor that turns it on")
    keeps = roles.starts + tuple(k for k in roles.keeps if k not in roles.starts)
    keep = Hold(of=_any(keeps), seconds=roles.hold_s)
    if keeps == roles.starts:
        return keep
    return StartKeep(start=_any(roles.starts), keep=keep)


def roles_of(expr: Expr) -> Roles | None:
    """The roles an expression stands for, or None where it has another shape."""
    if isinstance(expr, Hold):
        plain = _plain(expr.of)
        return Roles(plain, plain, expr.seconds) if plain else None
    if isinstance(expr, StartKeep) and isinstance(expr.keep, Hold):
        starts, keeps = _plain(expr.start), _plain(expr.keep.of)
        if starts and keeps and set(starts) <= set(keeps):
            return Roles(starts, keeps, expr.keep.seconds)
    return None


def with_hold(expr: Expr, seconds: float) -> Expr | None:
    """The same expression with its one tunable hold time set, or None where it has none: the hold of the whole, of what
    keeps it, or of a door latch."""
    if isinstance(expr, Hold):
        return Hold(of=expr.of, seconds=seconds)
    if isinstance(expr, StartKeep) and isinstance(expr.keep, Hold):
        return StartKeep(start=expr.start, keep=Hold(of=expr.keep.of, seconds=seconds))
    if isinstance(expr, DoorLatch):
        return replace(expr, hold_s=seconds)
    return None


def hold_of(expr: Expr) -> float | None:
    """The one tunable hold time in seconds, or None."""
    if isinstance(expr, Hold):
        return expr.seconds
    if isinstance(expr, StartKeep) and isinstance(expr.keep, Hold):
        return expr.keep.seconds
    return expr.hold_s if isinstance(expr, DoorLatch) else None


# A press keeps the light on for so long where a conclusion holds nothing of its own, seconds.
PRESS_HOLD_S = 60.0


def press_hold(expr: Expr) -> float:
    """How long a press on a switch keeps a light on by itself, seconds: as long as the conclusion that it follows
    holds; the longest of several holds."""
    single = hold_of(expr)
    if single is not None:
        return single
    holds = [part.seconds for part in every_part(expr) if isinstance(part, Hold)]
    holds += [part.hold_s for part in every_part(expr) if isinstance(part, DoorLatch)]
    return max(holds, default=PRESS_HOLD_S)


def _any(tellers: tuple[str, ...]) -> Expr:
    parts = tuple(Report(sensor=s, zone=z) for s, z in map(parse_role_key, tellers))
    return parts[0] if len(parts) == 1 else AnyOf(of=parts)


def _plain(expr: Expr) -> tuple[str, ...]:
    """Who tells in a report or an any-of of reports of sensors and zones; empty for anything else."""
    parts = expr.of if isinstance(expr, AnyOf) else (expr,)
    if all(isinstance(p, Report) and p.state is None for p in parts):
        return tuple(role_key(p.sensor, p.zone) for p in parts if isinstance(p, Report))
    return ()
