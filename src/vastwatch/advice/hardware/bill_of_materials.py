"""The whole bill of a choice: the sensors, and whatever it takes that their word switches the lamps.

A sensor on cells lights nothing: something on the circuit must switch it, a radio needs somebody to talk to, and what
is switched on by hand needs something for the hand. Each is priced once, for what is not there already.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from vastwatch.design.edits.wiring import circuit_of, module_problems, set_module, switches_of
from vastwatch.design.project import Project, find
from vastwatch.design.records import Lamp, Sensor
from vastwatch.design.relations import lamps_in, presence_of, sensors_of
from vastwatch.devices import DeviceType, catalogue
from vastwatch.site.building import Circuit

# What is on no shelf here is reckoned so much: a controller with its radio, and a button on cells. In the catalogue's
# unit of money, by the class.
HUB_PRICE, BUTTON_PRICE = 60.0, 15.0
RADIOS = ("mesh", "network")
# A radio on cells is trusted over so many metres of plan to the next that relays: a room or two.
RADIO_REACH_M = 10.0


@dataclass(frozen=True)
class Item:
    """One thing to buy: what it is, how much it costs, and why it is needed; a price of zero is owned already."""

    what: str
    price: float
    why: str
    device: str | None = None


@dataclass(frozen=True)
class BillOfMaterials:
    """Everything that a choice takes. `unpriced`: in sentences, what could not be priced."""

    items: tuple[Item, ...]
    unpriced: tuple[str, ...] = ()

    @property
    def total(self) -> float:
        """What it costs in all."""
        return math.fsum(item.price for item in self.items)

    @property
    def other_cost(self) -> float:
        """What it costs besides the sensors."""
        return math.fsum(item.price for item in self.items if item.why)


NO_BILL = BillOfMaterials(())


def bill_words(bill: BillOfMaterials, currency: str = "") -> str:
    """A bill on one line: `120 € (Ceiling 6 m, round 34, dimmer module 26, controller 60)`; of one thing its price."""
    total = f"{bill.total:g} {currency}".strip()
    if len(bill.items) < 2:
        return "already owned" if bill.total == 0 and bill.items else total
    parts = ", ".join(f"{i.what} {i.price:g}" if i.price else f"{i.what} owned already" for i in bill.items)
    return f"{total} ({parts})"


def bill_of_materials(project: Project, room: str, added: Sequence[Sensor]) -> BillOfMaterials:
    """The bill of some sensors added in a room; `project` has them already."""
    owned = {o.device: o.count for o in project.brief.owned}
    for s in project.sensors:
        if all(s.id != a.id for a in added):
            owned[s.device] = owned.get(s.device, 0) - 1
    items: list[Item] = []
    for sensor in added:
        device = find(project.devices, sensor.device)
        spare = owned.get(device.id, 0) > 0
        owned[device.id] = owned.get(device.id, 0) - 1
        items.append(Item(device.name, 0.0 if spare else device.price, "", device.id))
    switching, missing = _switching(project, room)
    items += switching
    if any(i.why for i in switching) and find(project.rooms, room).control == "absence":
        items += _buttons(project, room)
    return BillOfMaterials((*items, *_radio(project, added)), tuple(missing))


# -- what switches the lamps ---------------------------------------------------------------------------------------


def has_contact(project: Project, room: str) -> bool:
    """Whether a sensor that the room's presence reads switches the lamps itself."""
    presence = presence_of(project, room)
    read = () if presence is None else sensors_of(presence)
    return any(find(project.devices, find(project.sensors, s).device).load_w > 0 for s in read)


def lamps_by_hand_alone(project: Project, room: str) -> tuple[Lamp, ...]:
    """The lamps of a room that no module and no sensor with a contact of its own switches."""
    if has_contact(project, room):
        return ()
    return tuple(
        lamp
        for lamp in lamps_in(project, room)
        if (circuit := circuit_of(project, lamp.id)) is None or circuit.module is None
    )


def with_modules(project: Project, room: str) -> Project:
    """The project with the modules of the bill on the circuits of a room that nothing switches yet."""
    for lamp in lamps_by_hand_alone(project, room):
        circuit = circuit_of(project, lamp.id)
        module = None if circuit is None else module_for(project, circuit)
        if circuit is not None and circuit.module is None and module is not None:
            project = set_module(project, circuit.id, module)
    return project


def module_for(project: Project, circuit: Circuit) -> DeviceType | None:
    """The cheapest module of the shelf that fits a circuit as it is wired: a plug only where no wall switch is."""
    plugged = circuit in project.circuits and not switches_of(project, circuit.id)
    fits = [
        d
        for d in catalogue()
        if d.is_module and (plugged or d.in_switch_box or d.needs_neutral) and not module_problems(project, circuit, d)
    ]
    return min(fits, key=lambda d: d.price, default=None)


def _switching(project: Project, room: str) -> tuple[list[Item], list[str]]:
    items, missing = [], []
    seen: set[str] = set()
    for lamp in lamps_by_hand_alone(project, room):
        circuit = circuit_of(project, lamp.id)
        name = "the lamps here" if circuit is None else circuit.name
        if name in seen:
            continue
        seen.add(name)
        if circuit is None:
            # No wiring is drawn: a circuit of these lamps alone, without a neutral, is what is reckoned with.
            alone = tuple(x.id for x in lamps_in(project, room) if circuit_of(project, x.id) is None)
            circuit = Circuit(id="assumed", name=name, lamps=alone)
        module = module_for(project, circuit)
        if module is None:
            missing.append(f"no listed module fits {name} as it is wired")
        else:
            items.append(Item(module.name, module.price, f"switches {name}", module.id))
    return items, missing


def _buttons(project: Project, room: str) -> list[Item]:
    """A button for what is switched on by hand where no wall switch is drawn for it."""
    out = []
    for circuit in project.circuits:
        if any(lamp.id in circuit.lamps for lamp in lamps_in(project, room)) and not switches_of(project, circuit.id):
            out.append(Item("Battery-powered button", BUTTON_PRICE, f"switches {circuit.name} on by hand"))
    return out


# -- radio ---------------------------------------------------------------------------------------------------------


def _radio(project: Project, added: Sequence[Sensor]) -> list[Item]:
    """A controller for the first radio of the building, and a repeater where cells are out of everybody's reach."""
    out = []
    by_radio = [s for s in added if find(project.devices, s.device).radio in RADIOS]
    placed = {s.id for s in added}
    others = (s for s in project.sensors if s.id not in placed)
    heard = project.brief.controller or any(find(project.devices, s.device).radio in RADIOS for s in others)
    if by_radio and not heard:
        out.append(Item("Controller with radio", HUB_PRICE, "receives the sensors' reports; one per building"))
    repeater = min((d for d in catalogue() if d.relays and d.is_module), key=lambda d: d.price, default=None)
    far = [s for s in by_radio if find(project.devices, s.device).power == "battery" and not _in_reach(project, s)]
    relayed = any(find(project.devices, s.device).relays for s in added)
    if far and not relayed and repeater is not None and _relays(project):
        out.append(Item(repeater.name, repeater.price, "repeater for battery sensors", repeater.id))
    return out


def _relays(project: Project) -> list[tuple[str, tuple[float, float]]]:
    """Where anything stands that relays: level and place."""
    out = [(s.level, s.at[:2]) for s in project.sensors if find(project.devices, s.device).relays]
    for circuit in project.circuits:
        if circuit.module is not None and find(project.devices, circuit.module).relays:
            for switch in switches_of(project, circuit.id):
                out.append((switch.level, switch.at))
    return out


def _in_reach(project: Project, sensor: Sensor) -> bool:
    return any(
        level == sensor.level and math.dist(at, sensor.at[:2]) <= RADIO_REACH_M for level, at in _relays(project)
    )
