"""What a change of some conclusions leaves as it is: the other conclusions, and the rooms that follow none of those."""

from __future__ import annotations

from typing import NamedTuple

from vastwatch.design.conclusions import evaluation_order, references_in
from vastwatch.design.differences import differ_only_in
from vastwatch.design.expressions import Expr
from vastwatch.design.project import Project
from vastwatch.design.records import GuardedOutput
from vastwatch.memo import memoised


class Unaffected(NamedTuple):
    """Conclusions and rooms by id."""

    presences: frozenset[str]
    rooms: frozenset[str]


NOTHING = Unaffected(frozenset(), frozenset())


def unaffected(old: Project, new: Project) -> Unaffected:
    """What is the same in two designs over the same reports; nothing where they differ in more than conclusions that
    both have, or where conclusions go in a circle."""
    before, after = ({p.id: p for p in x.presences} for x in (old, new))
    if before.keys() != after.keys() or not differ_only_in(old, new, ("presences",)) or evaluation_order(new).circles:
        return NOTHING
    changed = {ident for ident, p in after.items() if p is not before[ident]}
    named = {p.id: _names(p.expr) for p in new.presences}
    asking = [(rule.room, _names(rule.when)) for rule in new.rules]
    for output in new.outputs:
        if isinstance(output, GuardedOutput):
            asking += [(output.room, _names(expr)) for expr in (*(row.when for row in output.rows), *output.locks)]
    rooms: set[str | None] = set()
    known = -1
    # Whom a light leaves in the dark waves at it, and that is heard by all that is concluded in the room, in whichever
    # order it follows.
    while len(changed) > known:
        known = len(changed)
        rooms |= {p.room for p in new.presences if p.id in changed and p.room is not None}
        rooms |= {room for room, names in asking if not changed.isdisjoint(names)}
        changed |= {
            ident for ident, p in after.items() if p.room in rooms or not changed.isdisjoint(named[ident])
        }  # fmt: skip
    return Unaffected(frozenset(after.keys() - changed), frozenset(r.id for r in new.rooms if r.id not in rooms))


@memoised
def _names(expr: Expr) -> frozenset[str]:
    """The conclusions that an expression names."""
    return frozenset(references_in(expr))
