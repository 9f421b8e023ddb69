"""What recipes are made of: triggers, conditions and actions, and the book of them that stands for a ladder."""

from __future__ import annotations

from dataclasses import dataclass

from vastwatch.design.expressions import Expr


@dataclass(frozen=True)
class FactChanges:
    """A fact becomes on, or off; `on` None: either."""

    fact: str
    on: bool | None = None


@dataclass(frozen=True)
class TimerEnds:
    """A timer has run out."""

    timer: str


@dataclass(frozen=True)
class Presses:
    """A button is pressed."""

    button: str


Trigger = FactChanges | TimerEnds | Presses


@dataclass(frozen=True)
class FactIs:
    """A fact is on, or off."""

    fact: str
    on: bool = True


@dataclass(frozen=True)
class TimerRuns:
    """A timer runs, or does not."""

    timer: str
    on: bool = True


@dataclass(frozen=True)
class Lit:
    """A lamp is on, or is on its way there."""

    lamp: str


@dataclass(frozen=True)
class AtLeastOf:
    """At least `k` of some conditions; all of them where k is their number, any where it is one."""

    k: int
    of: tuple[Condition, ...]


@dataclass(frozen=True)
class NotOf:
    """Not a condition."""

    of: Condition


Condition = FactIs | TimerRuns | Lit | AtLeastOf | NotOf


@dataclass(frozen=True)
class SetFact:
    """A stored state is set on or off."""

    fact: str
    on: bool


@dataclass(frozen=True)
class StartTimer:
    """A timer is started anew."""

    timer: str
    seconds: float


@dataclass(frozen=True)
class StartUntil:
    """A timer is started that runs until a time of day."""

    timer: str
    clock: str


@dataclass(frozen=True)
class StopTimer:
    """A timer is stopped."""

    timer: str


@dataclass(frozen=True)
class SetLamp:
    """A lamp goes to a level, 0 to 1, within so many seconds."""

    lamp: str
    level: float
    fade_s: float


Action = SetFact | StartTimer | StartUntil | StopTimer | SetLamp


@dataclass(frozen=True)
class Recipe:
    """When any of the triggers comes, and only if the condition holds (None for always), the actions in their order.
    Of those of one `choice` only the first does that applies."""

    name: str
    when: tuple[Trigger, ...]
    only_if: Condition | None
    then: tuple[Action, ...]
    choice: str | None = None


@dataclass(frozen=True)
class Input:
    """A fact from outside: its name, what it is, and the expression it stands for."""

    name: str
    words: str
    expr: Expr


@dataclass(frozen=True)
class RecipeBook:
    """The recipes of one room: inputs, buttons by name and id, stored states, lamps by name and id, and the recipes, in
    the order in which they are played. `row` names the fact that stands for each row of the ladder, `own` that of what
    lights the room, where there is one."""

    room: str
    inputs: tuple[Input, ...]
    buttons: dict[str, str]
    helpers: dict[str, str]
    lamps: dict[str, str]
    recipes: tuple[Recipe, ...]
    row: tuple[str, ...]
    own: str | None = None
    notes: tuple[str, ...] = ()
