"""Building an expression part by part: what stands at a path is replaced, wrapped, joined by another, moved, taken out.

A path says which of its parts an expression leads to, and which of that part's parts, from the outside in; () is the
whole. What stands where is never left half made: a list of one becomes that one, and a wrapping of nothing goes.
"""

from __future__ import annotations

from collections.abc import Iterator

from vastwatch.design.expressions import (
    LISTS,
    AllOf,
    AnyOf,
    AtLeast,
    Belief,
    DoorLatch,
    Expr,
    Hold,
    MinimumOn,
    Not,
    Nothing,
    OnDelay,
    Report,
    StartKeep,
    parts_of,
    with_parts,
)

Path = tuple[int, ...]

# What a part is wrapped in at first lasts so long, seconds.
HOLD_S, DELAY_S, LEAST_S = 120.0, 5.0, 60.0
# Kinds a part can be wrapped in, by name.
WRAPS = ("hold", "on_delay", "minimum_on", "not", "start_keep", "door_latch")


def paths(expr: Expr, at: Path = ()) -> Iterator[tuple[Path, Expr]]:
    """Every part with its path, outer ones first, left to right."""
    yield at, expr
    for k, part in enumerate(parts_of(expr)):
        yield from paths(part, (*at, k))


def part_at(expr: Expr, path: Path) -> Expr:
    """What stands at a path. Raises IndexError where nothing does."""
    for k in path:
        expr = parts_of(expr)[k]
    return expr


def replaced(expr: Expr, path: Path, new: Expr) -> Expr:
    """With something else at a path."""
    if not path:
        return new
    parts = list(parts_of(expr))
    parts[path[0]] = replaced(parts[path[0]], path[1:], new)
    return with_parts(expr, tuple(parts))


def without_part(expr: Expr, path: Path) -> Expr | None:
    """Without what stands at a path; None where nothing is left.

    What starts goes and what keeps stays, or the other way round; of a door latch without its door the motion stays,
    held as long.
    """
    if not path:
        return None
    k, *rest = path
    parts = list(parts_of(expr))
    left = without_part(parts[k], tuple(rest)) if rest else None
    if left is not None:
        parts[k] = left
        return with_parts(expr, tuple(parts))
    if isinstance(expr, LISTS):
        del parts[k]
        if not parts:
            return None
        # An occupancy probability of one sensor is still one.
        return parts[0] if len(parts) == 1 and not isinstance(expr, Belief) else with_parts(expr, tuple(parts))
    if isinstance(expr, StartKeep):
        return parts[1 - k]
    if isinstance(expr, DoorLatch):
        return Hold(of=expr.motion, seconds=expr.hold_s) if k == 1 else None
    return None


def wrapped(expr: Expr, path: Path, kind: str) -> Expr:
    """With what stands at a path wrapped in an operator of WRAPS. A start-keep then keeps what it starts, held; a door
    latch takes it for motion, and for its door until another is named. Raises ValueError for another kind."""
    part = part_at(expr, path)
    if kind == "hold":
        new: Expr = Hold(of=part, seconds=HOLD_S)
    elif kind == "on_delay":
        new = OnDelay(of=part, seconds=DELAY_S)
    elif kind == "minimum_on":
        new = MinimumOn(of=part, seconds=LEAST_S)
    elif kind == "not":
        new = part.of if isinstance(part, Not) else Not(of=part)
    elif kind == "start_keep":
        new = StartKeep(start=part.of if isinstance(part, Hold) else part, keep=_held(part))
    elif kind == "door_latch":
        inner = part.of if isinstance(part, Hold) else part
        new = DoorLatch(motion=inner, door=inner, hold_s=part.seconds if isinstance(part, Hold) else HOLD_S)
    else:
        raise ValueError(f"nothing can be wrapped in '{kind}'")
    return replaced(expr, path, new)


def _held(part: Expr) -> Expr:
    return part if isinstance(part, Hold) else Hold(of=part, seconds=HOLD_S)


def unwrapped(expr: Expr, path: Path) -> Expr:
    """With an operator at a path taken off its first part, which stays."""
    parts = parts_of(part_at(expr, path))
    return replaced(expr, path, parts[0]) if parts else expr


def joined(expr: Expr, path: Path, new: Expr, by: str = "any") -> Expr:
    """With something more beside what stands at a path: at the end of a list that is one of that kind, after it within
    one, or in a new one; in place of nothing. `by`: any, all. Raises ValueError for another."""
    kinds: dict[str, type[AnyOf] | type[AllOf]] = {"any": AnyOf, "all": AllOf}
    if by not in kinds:
        raise ValueError(f"parts are joined by any or all, not by '{by}'")
    kind = kinds[by]
    part = part_at(expr, path)
    if isinstance(part, Nothing):
        return replaced(expr, path, new)
    if isinstance(part, kind):
        return replaced(expr, path, with_parts(part, (*part.of, new)))
    if path:
        parent = part_at(expr, path[:-1])
        if isinstance(parent, kind) or (isinstance(parent, AtLeast) and by == "any"):
            parts = list(parts_of(parent))
            parts.insert(path[-1] + 1, new)
            return replaced(expr, path[:-1], with_parts(parent, tuple(parts)))
        if isinstance(parent, Belief) and isinstance(new, Report):
            return replaced(expr, path[:-1], with_parts(parent, (*parent.of, new)))
    return replaced(expr, path, kind(of=(part, new)))


def with_list_kind(expr: Expr, path: Path, kind: str) -> Expr:
    """With a list at a path read in another way: any, all, at_least (two of them). Itself for what is no list."""
    part = part_at(expr, path)
    if not isinstance(part, AnyOf | AllOf | AtLeast):
        return expr
    if kind == "at_least":
        return replaced(expr, path, AtLeast(k=min(2, len(part.of)), of=part.of))
    return replaced(expr, path, AnyOf(of=part.of) if kind == "any" else AllOf(of=part.of))


def moved(expr: Expr, source: Path, target: Path) -> Expr:
    """With one part moved to where another stands: before it within its list, or joined with it by `any` where that is
    in none. Itself where it would move into itself or beside what it is in, or where another part would go with it."""
    if target[: len(source)] == source or source[: len(target)] == target:
        return expr
    part = part_at(expr, source)
    if source[:-1] == target[:-1] and isinstance(part_at(expr, source[:-1]), LISTS):
        parent = part_at(expr, source[:-1])
        parts = list(parts_of(parent))
        del parts[source[-1]]
        parts.insert(target[-1], part)
        return replaced(expr, source[:-1], with_parts(parent, tuple(parts)))
    # Put in first and taken out after, so that the paths before it still hold.
    anchor = part_at(expr, target)
    marked = replaced(expr, source, _GAP)
    at = next((p for p, x in paths(marked) if x is anchor), None)
    if at is None or (isinstance(anchor, LISTS) and isinstance(anchor, Belief)):
        return expr
    put_in = joined(marked, at, part)
    gap = next(p for p, x in paths(put_in) if x is _GAP)
    made = without_part(put_in, gap)
    # What latches a door goes with its motion: nothing may be lost on the way.
    return made if made is not None and _leaves(made) == _leaves(expr) else expr


def _leaves(expr: Expr) -> list[int]:
    """The leaves of an expression, whatever their order."""
    return sorted(id(part) for _, part in paths(expr) if not parts_of(part))


# Stands where a part was, while it moves.
_GAP = Report(sensor="gap")
