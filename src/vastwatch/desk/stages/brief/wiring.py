"""The Wiring page: circuits with their lamps, switches and modules, and the sockets that feed a radar."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton, QWidget

from vastwatch.advice.checks.cautions import CAUTIONS
from vastwatch.control.export.truth_table import parallel_words
from vastwatch.design.edits import wiring
from vastwatch.design.edits.removing import removed
from vastwatch.design.project import Brief, find, put
from vastwatch.design.records import Sensor
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.editing import Edited, at_part
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import MARGIN
from vastwatch.desk.shell.tool_buttons import ArmingButton, mark_armed
from vastwatch.desk.shell.widgets import (
    Choice,
    LazyPanel,
    clear,
    column_in,
    column_under,
    kept_in_view,
    label,
    line,
    row,
    scrolling,
)
from vastwatch.desk.stages.brief.circuit_sheet import CircuitSheet
from vastwatch.desk.stages.brief.troubles import TroublesSection
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.site.building import Circuit

CONTROLLER = "controller that runs the rules"
NO_MODULE = "manual switch only"


class WiringPage(LazyPanel):
    """`say` carries one-line messages."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, own: OwnTypes) -> None:
        super().__init__()
        self.document, self.focus, self.own = document, focus, own
        outer = column_in(self, margins=(MARGIN, 2, 4, 8))
        self._area, box = scrolling(8, (0, 0, 10, 0))
        outer.addWidget(self._area)
        box.addWidget(label(CAUTIONS["mains"], "soft", True))
        self.add = QPushButton(self.tr("For this room"))
        self.add.setToolTip(self.tr("Creates a circuit with the lamps of the selected room."))
        self.add.clicked.connect(self._add)
        self.all = QPushButton(self.tr("One per room"))
        self.all.setToolTip(self.tr("Creates a circuit for every room whose lamps have none."))
        self.all.clicked.connect(self._add_all)
        box.addWidget(
            row(guide_label(self.tr("Circuits"), "Circuit", "head"), QWidget(), self.add, self.all, stretch=1)
        )
        self._list = column_under(box, 6)
        box.addWidget(line())
        self.socket = ArmingButton(self, self.tr("Socket"), "wiring:socket")
        self.socket.setToolTip(self.tr("Drag it to a socket position, or click it and then the plan."))
        self._sockets = label("", "soft", True)
        box.addWidget(row(guide_label(self.tr("Sockets"), "Socket", "head"), self._sockets, self.socket, stretch=1))
        self.edited = Edited(document, focus, Brief, at_part("brief"))
        self.edited.say.connect(self.say)
        self.cable = self.edited.field("cable_m")
        self.controller = self.edited.line("controller", self.tr("Controller"), 120, True, CONTROLLER)
        for words, field in ((self.tr("Max. cable length"), self.cable), (self.tr("Controller"), self.controller)):
            box.addWidget(row(label(words, "soft"), field, stretch=1))
        box.addWidget(line())
        self.troubles = TroublesSection(document, focus)
        self.troubles.say.connect(self.say)
        box.addWidget(self.troubles)
        box.addStretch(1)
        self._shown: object = None
        document.changed.connect(self.wake)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what in ("placing", "room"):
            mark_armed(self, self.focus)

    def refresh(self, *_: object) -> None:
        """Show the circuits as they are."""
        project = self.document.project
        self.edited.fill()
        self.troubles.edited.fill()
        n = len(project.sockets)
        self._sockets.setText(
            self.tr("None drawn: power supply is not checked.") if n == 0 else self.tr("{} on the plan").format(n)
        )
        self.all.setEnabled(any(wiring.circuit_of(project, x.id) is None for x in project.lamps))
        shown = (project.circuits, project.switches, project.lamps, project.devices, project.rooms, project.sensors)
        if shown == self._shown:
            return
        self._shown = shown
        with kept_in_view(self._area):
            self._fill()

    def _fill(self) -> None:
        project = self.document.project
        clear(self._list)
        for circuit in project.circuits:
            self._list.addWidget(self._circuit(circuit))
        if not project.circuits:
            self._list.addWidget(label(self.tr("None yet: each room's lamps count as one circuit."), "soft", True))

    def _circuit(self, circuit: Circuit) -> QWidget:
        project = self.document.project
        holder = QWidget()
        box = column_in(holder, 3, (0, 0, 0, 4))
        name = QLineEdit(circuit.name)
        name.setAccessibleName(self.tr("Name of the circuit"))
        name.editingFinished.connect(partial(self._rename, circuit.id, name))
        gone = QPushButton("×")
        gone.setFixedSize(24, 26)
        gone.setProperty("role", "pick")
        gone.setAccessibleName(self.tr("Remove {}").format(circuit.name))
        gone.setToolTip(self.tr("Removes the circuit and its switches; the lamps stay."))
        gone.clicked.connect(partial(self._remove, circuit.id, circuit.name))
        switch = ArmingButton(self, self.tr("+ switch"), f"wiring:{circuit.id}")
        switch.setToolTip(
            self.tr("Drag it to the switch position, or click it and then the plan. Two make a two-way pair.")
        )
        box.addWidget(row(name, switch, gone, stretch=0, spacing=5))
        rooms = dict.fromkeys(find(project.rooms, find(project.lamps, x).room).name for x in circuit.lamps)
        pair = len(wiring.switches_of(project, circuit.id))
        ways = self.tr("no switch drawn") if pair == 0 else self.tr("one switch") if pair == 1 else (
            self.tr("two-way pair") if pair == 2 else self.tr("{} switches").format(pair))  # fmt: skip
        load = wiring.load_w(project, circuit)
        lamps = self.tr("no lamp") if not circuit.lamps else f"{len(circuit.lamps)} × {', '.join(rooms)}".lower()
        box.addWidget(label(f"{lamps} · {load:g} W · {ways}", "soft", True))
        neutral = QCheckBox(self.tr("neutral in the switch box"))
        neutral.setChecked(circuit.neutral)
        neutral.toggled.connect(partial(self._neutral, circuit.id))
        module = Choice()
        module.setAccessibleName(self.tr("What switches {}").format(circuit.name))
        module.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        module.setMinimumContentsLength(12)
        module.addItem(NO_MODULE, None)
        for device in self.own.all(project):
            if device.is_module:
                module.addItem(device.name, device.id)
                module.setItemData(module.count() - 1, device.summary_line(), 3)
        module.setCurrentIndex(max(module.findData(circuit.module), 0))
        module.activated.connect(lambda i, box=module: self._module(circuit.id, box.itemData(i)))
        box.addWidget(row(neutral, module, stretch=1))
        if circuit.module is not None:
            for words in wiring.module_problems(project, circuit, find(project.devices, circuit.module)):
                box.addWidget(label(words[:1].upper() + words[1:] + ".", "bad", True))
        live = QCheckBox(self.tr("permanent live"))
        live.setToolTip(self.tr("The module is fed upstream of the wall switch, which only sends it a signal"))
        live.setChecked(circuit.live)
        live.setEnabled(circuit.module is not None)
        live.toggled.connect(partial(self._live, circuit.id))
        table = QPushButton(self.tr("Truth table…"))
        table.setToolTip(self.tr("Every combination of switches, contacts and module, and which lamps are on"))
        table.clicked.connect(partial(self.show_table, circuit.id))
        box.addWidget(row(live, QWidget(), table, stretch=1))
        box.addWidget(self._fed(circuit))
        return holder

    def show_table(self, ident: str, *_: object) -> None:
        """Open the truth table of a circuit."""
        self.table = CircuitSheet(self.window() or self, self.document, ident)
        self.table.say.connect(self.say)
        self.table.open()

    def _fed(self, circuit: Circuit) -> QWidget:
        """Which sensors have their supply from behind its switch, and which might."""
        project = self.document.project
        holder = QWidget()
        box = column_in(holder, 2)
        feeds, contacts = partial(self._feed, circuit.id), partial(self._contact, circuit.id)
        for ident in circuit.feeds:
            name = find(project.sensors, ident).name
            told = self.tr("{} has its own supply").format(name)
            box.addWidget(_taken(self.tr("powers {}").format(name), told, partial(feeds, ident, False)))
        for ident in circuit.contacts:
            name = find(project.sensors, ident).name
            told = self.tr("{} does not switch it").format(name)
            box.addWidget(_taken(self.tr("switched by {}").format(name), told, partial(contacts, ident, False)))
        if (words := parallel_words(project, circuit)) is not None:
            box.addWidget(label(f"{words}.", "bad", True))
        able = [s for s in project.sensors if wiring.could_switch(project, s)]
        if able:
            named = self.tr("Sensors that switch {} directly").format(circuit.name)
            box.addWidget(_more(named, self.tr("+ sensor contact"), able, contacts))
        could = [s for s in project.sensors if wiring.could_feed(project, s)]
        if could:
            named = self.tr("Also powered by {}").format(circuit.name)
            box.addWidget(_more(named, self.tr("+ sensor behind its switch"), could, feeds))
        return holder

    # -- writing -------------------------------------------------------------------------------------------------

    def _add(self) -> None:
        project = self.document.project
        lamps = tuple(x.id for x in project.lamps if x.room == self.focus.room)
        try:
            new, circuit = wiring.add_circuit(project, lamps)
        except ValueError:
            self.say.emit(self.tr("This room has no lamp."))
            return
        self.document.apply(new, f"Add {circuit.name}")

    def _add_all(self) -> None:
        project = self.document.project
        for room in project.rooms:
            lamps = tuple(x.id for x in project.lamps if x.room == room.id and wiring.circuit_of(project, x.id) is None)
            if lamps:
                project, _ = wiring.add_circuit(project, lamps)
        self.document.apply(project, "Add a circuit for each room")

    def _rename(self, ident: str, field: QLineEdit) -> None:
        circuit = next((c for c in self.document.project.circuits if c.id == ident), None)
        words = field.text().strip()
        if circuit is not None and words and words != circuit.name:
            self.document.apply(put(self.document.project, replace(circuit, name=words)), f"Rename to {words}")

    def _remove(self, ident: str, name: str) -> None:
        self.document.apply(removed(self.document.project, ident), f"Remove {name}")

    def _neutral(self, ident: str, on: bool) -> None:
        circuit = find(self.document.project.circuits, ident)
        words = f"{circuit.name} has a neutral" if on else f"{circuit.name} has no neutral"
        self.document.apply(put(self.document.project, replace(circuit, neutral=on)), words)

    def _module(self, ident: str, device_id: str | None) -> None:
        project = self.document.project
        device = next((d for d in self.own.all(project) if d.id == device_id), None)
        circuit = find(project.circuits, ident)
        words = f"{device.name} switches {circuit.name}" if device else f"{circuit.name} is switched by hand"
        self.document.apply(wiring.set_module(project, ident, device), words)

    def _feed(self, ident: str, sensor: str, on: bool) -> None:
        project = self.document.project
        name, circuit = find(project.sensors, sensor).name, find(project.circuits, ident)
        words = f"{circuit.name} powers {name}" if on else f"{name} has its own supply"
        self.document.apply(wiring.set_feed(project, ident, sensor, on), words)

    def _live(self, ident: str, on: bool) -> None:
        circuit = find(self.document.project.circuits, ident)
        words = f"{circuit.name}: module on permanent live" if on else f"{circuit.name}: module behind the switch"
        self.document.apply(put(self.document.project, replace(circuit, live=on)), words)

    def _contact(self, ident: str, sensor: str, on: bool, *_: object) -> None:
        project = self.document.project
        name, circuit = find(project.sensors, sensor).name, find(project.circuits, ident)
        words = f"{name} switches {circuit.name}" if on else f"{name} does not switch {circuit.name}"
        self.document.apply(wiring.set_contact(project, ident, sensor, on), words)


def _taken(words: str, named: str, away: Callable[..., object]) -> QWidget:
    """Something that a circuit has, with a button that removes it."""
    gone = QPushButton("×")
    gone.setFixedSize(24, 26)
    gone.setProperty("role", "pick")
    gone.setAccessibleName(named)
    gone.clicked.connect(lambda _: away())
    return row(label(words), QWidget(), gone, stretch=1)


def _more(named: str, first: str, sensors: list[Sensor], take: Callable[[str, bool], object]) -> Choice:
    """A list to take another sensor from."""
    out = Choice()
    out.setAccessibleName(named)
    out.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    out.setMinimumContentsLength(12)
    out.addItem(first, None)
    for sensor in sensors:
        out.addItem(sensor.name, sensor.id)
    out.activated.connect(lambda i: take(out.itemData(i), True) if out.itemData(i) else None)
    return out
