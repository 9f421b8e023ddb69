"""Who switches what: the truth table of a circuit, from its wall switches, contacts, and module as they are wired.

The line comes in at the wall switches; two or more of one circuit are wired two-way, so that each turns the light over.
From there it goes through the module, and past it through the contacts of sensors, which lie in parallel: the light is
off only when all of them have timed out. A module that has its supply from before the wall switch (`live`) stays alive
whatever that does, and takes its line from there; the switch then only tells it something.
"""

from __future__ import annotations

from itertools import product
from typing import NamedTuple

from vastwatch.design.edits.wiring import switches_of
from vastwatch.design.expressions import AnyOf, Hold, Report
from vastwatch.design.presence import reports
from vastwatch.design.project import Project, find
from vastwatch.design.relations import presence_of
from vastwatch.site.building import Circuit

# A circuit with more inputs than this is told by its first.
MOST = 6


class CircuitInput(NamedTuple):
    """One thing that is one way or the other: what it is ("switch", "module", "contact"), its name, how either is
    said."""

    kind: str
    name: str
    off: str
    on: str


class CircuitState(NamedTuple):
    """How the inputs are, whether the lamps have their line, and whether the module and what the circuit feeds are
    alive; None for what it has not."""

    inputs: tuple[bool, ...]
    lamps: bool
    module: bool | None
    fed: bool | None


class TruthTable(NamedTuple):
    """Every state of a circuit."""

    inputs: tuple[CircuitInput, ...]
    states: tuple[CircuitState, ...]


def inputs_of(project: Project, circuit: Circuit) -> tuple[CircuitInput, ...]:
    """What a circuit depends on, from the line to the lamps."""
    out = [CircuitInput("switch", s.name, "up", "down") for s in switches_of(project, circuit.id)]
    if circuit.module is not None:
        out.append(CircuitInput("module", "Module", "signalled off", "signalled on"))
    out += [CircuitInput("contact", find(project.sensors, s).name, "timed out", "somebody") for s in circuit.contacts]
    return tuple(out[:MOST])


def circuit_state(circuit: Circuit, inputs: tuple[CircuitInput, ...], state: tuple[bool, ...]) -> CircuitState:
    """What a circuit does in one state of its inputs."""
    ups = [on for i, on in zip(inputs, state) if i.kind == "switch"]
    # One switch closes when it is down; two and more when an odd number of them is.
    line = not ups or sum(ups) % 2 == 1
    module = next((on for i, on in zip(inputs, state) if i.kind == "module"), None)
    contacts = [on for i, on in zip(inputs, state) if i.kind == "contact"]
    alive = None if module is None else line or circuit.live
    before = line or (circuit.live and module is not None)
    paths = [*([] if module is None else [bool(module and alive)]), *contacts]
    lamps = before and (any(paths) if paths else True)
    return CircuitState(state, lamps, alive, line if circuit.feeds else None)


def wiring_table(project: Project, circuit: Circuit) -> TruthTable:
    """The truth table of a circuit: every state of its inputs."""
    inputs = inputs_of(project, circuit)
    states = (circuit_state(circuit, inputs, s) for s in product((False, True), repeat=len(inputs)))
    return TruthTable(inputs, tuple(states))


def parallel_words(project: Project, circuit: Circuit) -> str | None:
    """Where sensors switch a circuit in parallel and the conclusion that lights its room is not any of them: what is
    wrong, in a sentence; None where it is as it is wired, or nothing concludes."""
    if not circuit.contacts or not circuit.lamps:
        return None
    lighting = presence_of(project, find(project.lamps, circuit.lamps[0]).room)
    if lighting is None:
        return None
    expr = lighting.expr
    while isinstance(expr, Hold):
        expr = expr.of
    parts = expr.of if isinstance(expr, AnyOf) else (expr,)
    plain = {
        p.sensor for part in parts if isinstance(p := part.of if isinstance(part, Hold) else part, Report)
    }  # fmt: skip
    if plain == set(circuit.contacts) and len(list(reports(lighting.expr))) == len(plain):
        return None
    names = " and ".join(find(project.sensors, s).name for s in circuit.contacts)
    return (
        f"{names} switch {circuit.name} with their own contacts: it is off only when all have timed out. "
        f"“{lighting.name}” uses another condition"
    )
