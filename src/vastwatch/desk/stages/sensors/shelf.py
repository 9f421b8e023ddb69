"""The device shelf: types by family or in order of a figure, found by word, compared, dragged or sent to the plan."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from html import escape
from pathlib import Path

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QSizePolicy,
    QWidget,
)  # fmt: skip

from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.family_style import family_hue, family_icon, family_mark
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.guide_window import guide_label
from vastwatch.desk.shell.theme import MARGIN, Theme, font
from vastwatch.desk.shell.tool_buttons import carry
from vastwatch.desk.shell.widgets import Choice, clear, column, column_in, is_choice, label, row, scrolling
from vastwatch.desk.stages.sensors.box_sheet import BoxSheet
from vastwatch.desk.stages.sensors.compare import MOST, CompareSheet
from vastwatch.desk.stages.sensors.own_types import OwnTypes
from vastwatch.desk.stages.sensors.type_form import FIELD_WORDS, TypeForm
from vastwatch.devices import FAMILIES, DeviceType, catalogue
from vastwatch.devices.families import HEADINGS
from vastwatch.devices.search import hint, search
from vastwatch.files import ProjectError
from vastwatch.files.device_list import read_devices, write_devices


def _metres(reach: float) -> str:
    return f"{reach:g} m" if reach else "–"


# What a new type took from its class, where the word beside its field would say too little alone.
LENT_WORDS = {
    "mounts": "mounting", "mount_height": "mounting height", "typical_s": "report delay",
    "hold_s": "device hold time", "hold_min_s": "device hold time", "hold_max_s": "device hold time",
    "hold_step_s": "device hold time",
    "fov_v": "vertical field of view", "interval_s": "report interval", "load_w": "switched load",
    "moving_m": "the range on somebody moving", "still_m": "the range on somebody still",
    "tangential_m": "the range on somebody walking across", "radial_m": "the range on somebody walking towards",
    "minor_m": "the range on hands and head", "cell": "battery type", "count": "battery type", "pad": "pad size",
}  # fmt: skip


# How the shelf can be ordered: words, a key to sort by, and the figure shown for it.
ORDERS: tuple[tuple[str, Callable[[DeviceType], float] | None, Callable[[DeviceType], str]], ...] = (
    ("by kind", None, lambda d: f"{d.price:g}"),
    ("cheapest first", lambda d: d.price, lambda d: f"{d.price:g}"),
    ("quickest first", lambda d: d.typical_latency_s(), lambda d: f"{d.typical_latency_s():g} s"),
    ("longest range first", lambda d: -d.reach_m(), lambda d: _metres(d.reach_m())),
    ("best at stillness", lambda d: -d.still_reach_m(), lambda d: _metres(d.still_reach_m())),
)
POWERS = ("any power", "battery", "usb", "mains")
TICK = 15.0


class DeviceCard(QWidget):
    """One device type; dragged, clicked or chosen by Return; the box at its right, or Ctrl+Space, marks it to compare.
    Letters typed on it go into the search."""

    typed = pyqtSignal(str)
    chosen = pyqtSignal(str)
    marked = pyqtSignal(str)
    asked = pyqtSignal(str, QPoint)

    def __init__(self, device: DeviceType, theme: Theme, focus: Focus, figure: str, own: bool) -> None:
        super().__init__()
        self.device, self.theme, self.focus = device, theme, focus
        self.figure, self.own, self.compared = figure, own, False
        self.setFixedHeight(40)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName(device.name)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        how = (
            self.tr("Assign it to a circuit in the Brief.")
            if device.is_module
            else self.tr("Drag it onto the plan, or click it and then the plan.")
        )
        more = self.tr("Tick to compare (Ctrl+Space). Right-click to make a custom type from it.")
        self.setToolTip(
            f"<b>{escape(device.name)}</b><br>{escape(device.summary)}<br>{escape(device.summary_line())}<br>"
            f"<i>{escape(device.reliability)}</i><br>{how} {more}"
        )
        self._press: QPoint | None = None

    def _tick(self) -> QRectF:
        return QRectF(self.width() - TICK - 8, (self.height() - TICK) / 2, TICK, TICK)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t, armed = self.theme, self.focus.placing == self.device.id
        border = t.ink if self.hasFocus() or armed else t.soft if self.underMouse() else t.hairline
        p.setPen(QPen(border, 1.5 if armed or self.hasFocus() else 1))
        p.setBrush(t.card)
        p.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 7, 7)
        family = self.device.family
        family_mark(p, family, QPointF(20, 20), 10.5, family_hue(t, family), t.card)
        tick = self._tick()
        p.setPen(QPen(t.ink if self.compared else t.hairline, 1.3))
        p.setBrush(t.ink if self.compared else t.card)
        p.drawRoundedRect(tick, 3, 3)
        if self.compared:
            p.setPen(QPen(t.card, 1.6))
            c = tick.center()
            p.drawLine(c + QPointF(-4, 0), c + QPointF(-1, 3))
            p.drawLine(c + QPointF(-1, 3), c + QPointF(4, -3.5))
        room = self.width() - 38 - TICK - 16
        p.setPen(t.ink)
        p.setFont(font(12, 600))
        p.drawText(37, 17, p.fontMetrics().elidedText(self.device.name, Qt.TextElideMode.ElideRight, int(room)))
        p.setPen(t.soft)
        p.setFont(font(11))
        words = f"{'custom · ' if self.own else ''}{self.device.power} · {self.figure}"
        p.drawText(37, 31, p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(room)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.asked.emit(self.device.id, event.globalPosition().toPoint())
        elif event.button() == Qt.MouseButton.LeftButton:
            if self._tick().adjusted(-6, -12, 8, 12).contains(event.position()):
                self.marked.emit(self.device.id)
            else:
                self._press = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None or self.device.is_module:
            return
        if (event.position().toPoint() - self._press).manhattanLength() < 8:
            return
        self._press = None
        family = self.device.family
        carry(
            self, self.focus, self.device.id, family_icon(family, 26, family_hue(self.theme, family), self.theme.card)
        )

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._press is not None:
            self._press = None
            self.chosen.emit(self.device.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        control = event is not None and bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event is not None and control and event.key() == Qt.Key.Key_Space:
            self.marked.emit(self.device.id)
        elif is_choice(event):
            self.chosen.emit(self.device.id)
        elif event is not None and not control and event.text().isprintable() and event.text().strip():
            self.typed.emit(event.text())
        elif event is not None and event.key() == Qt.Key.Key_Menu:
            self.asked.emit(self.device.id, self.mapToGlobal(QPoint(30, 30)))
        else:
            super().keyPressEvent(event)


class Shelf(QWidget):
    """All device types that fit the words typed and the power chosen, in the order wanted."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus, own: OwnTypes, theme: Theme) -> None:
        super().__init__()
        self.document, self.focus, self.own, self.theme = document, focus, own, theme
        self.compared: list[str] = []
        box = column_in(self, 8, (MARGIN, MARGIN, 4, 8))
        self._more = QPushButton(self.tr("Custom types"))
        self._more.setToolTip(self.tr("Import, export and edit your own types."))
        self._more.clicked.connect(self._menu)
        head = row(guide_label(self.tr("Devices"), "shelf", "head"), QWidget(), self._more, stretch=1)
        head.setContentsMargins(0, 0, 10, 0)
        box.addWidget(head)
        self.finder = QLineEdit()
        self.finder.setPlaceholderText(self.tr("Search: corner, still, IP54…"))
        self.finder.setAccessibleName(self.tr("Search device types"))
        self.finder.setClearButtonEnabled(True)
        self.finder.textChanged.connect(self.fill)
        self.order, self.power = Choice(), Choice()
        self.order.addItems([words for words, _, _ in ORDERS])
        self.order.setAccessibleName(self.tr("Sort order"))
        self.power.addItems(list(POWERS))
        self.power.setAccessibleName(self.tr("Power"))
        for choice in (self.order, self.power):
            choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(6)
            choice.activated.connect(self.fill)
        holder, inner = column(6, (0, 0, 10, 0))
        inner.addWidget(self.finder)
        inner.addWidget(row(self.order, self.power, spacing=5))
        box.addWidget(holder)
        area, self._list = scrolling(5, (0, 0, 10, 0))
        box.addWidget(area, 1)
        self.compare = QPushButton()
        self.compare.setToolTip(self.tr("Up to {} types side by side, with differences highlighted.").format(MOST))
        self.compare.clicked.connect(self.show_comparison)
        foot = row(self.compare, stretch=0)
        foot.setContentsMargins(0, 0, 10, 0)
        box.addWidget(foot)
        focus.shift.connect(self._shifted)
        own.changed.connect(self.fill)
        own.failure.connect(self.say)
        document.changed.connect(self._project_changed)
        self.fill()

    def _shifted(self, what: str) -> None:
        if what == "placing":
            self.update_cards()

    def _project_changed(self, old, new) -> None:  # type: ignore[no-untyped-def]
        if old.devices is not new.devices:
            # A type that was on the device list and is now in the project as well changes nothing here.
            now = self.own.all(new)
            if len(now) != len(self._known) or any(a is not b for a, b in zip(now, self._known)):
                self.fill()

    def fill(self, *_: object) -> None:
        """Lay the cards out anew."""
        clear(self._list)
        _key_words, key, figure = ORDERS[max(self.order.currentIndex(), 0)]
        power = POWERS[max(self.power.currentIndex(), 0)]
        own = {d.id for d in self.own.types}
        self._known = self.own.all(self.document.project)
        matching = search(self._known, self.finder.text(), own)
        shown = [d for d in matching if power in (POWERS[0], d.power)]
        groups: list[tuple[str, list[DeviceType]]] = []
        if key is None:
            # In the order of their best match: as listed where nothing is searched for.
            families = dict.fromkeys(d.family for d in shown) if self.finder.text().strip() else FAMILIES
            groups = [(HEADINGS[f], [d for d in shown if d.family == f]) for f in families]
        else:
            groups = [("", sorted(shown, key=key))]
        for heading, devices in groups:
            if not devices:
                continue
            if heading:
                self._list.addWidget(label(heading, "soft"))
            for device in devices:
                card = DeviceCard(device, self.theme, self.focus, figure(device), device.id in own)
                card.compared = device.id in self.compared
                card.chosen.connect(self._arm)
                card.marked.connect(self.mark)
                card.asked.connect(self._ask)
                card.typed.connect(self._search_on)
                self._list.addWidget(card)
            self._list.addSpacing(4)
        if not shown:
            words = self.finder.text() or power
            self._list.addWidget(label(self.tr("No device matches “{}”.").format(words), "soft", True))
        if elsewhere := hint(self.finder.text()):
            self._list.addWidget(label(self.tr(elsewhere), "soft", True))
        self._list.addStretch(1)
        self._count()

    def _search_on(self, letter: str) -> None:
        """Go on in the search with what is typed on a card."""
        self.finder.setFocus()
        self.finder.setText(self.finder.text() + letter)

    def _arm(self, device: str) -> None:
        chosen = next(d for d in self.own.all(self.document.project) if d.id == device)
        if chosen.is_module:
            self.say.emit(self.tr("{} switches a circuit: assign it in the Brief.").format(chosen.name))
            return
        self.focus.set(placing=None if self.focus.placing == device else device)
        if self.focus.placing:
            where = self.tr(chosen.point_at)
            self.say.emit(where + " " + self.tr("Esc cancels."))

    def update_cards(self) -> None:
        """Repaint which card is armed."""
        for card in self.findChildren(DeviceCard):
            card.update()

    # -- comparing -----------------------------------------------------------------------------------------------

    def mark(self, device: str) -> None:
        """Mark a type to compare, or take the mark away."""
        if device in self.compared:
            self.compared.remove(device)
        elif len(self.compared) == MOST:
            self.say.emit(self.tr("Four types at most: remove one first."))
            return
        else:
            self.compared.append(device)
        for card in self.findChildren(DeviceCard):
            card.compared = card.device.id in self.compared
            card.update()
        self._count()

    def _count(self) -> None:
        n = len(self.compared)
        self.compare.setText(self.tr("Compare") if n == 0 else self.tr("Compare {}").format(n))
        self.compare.setEnabled(n >= 2)

    def show_comparison(self) -> None:
        """The marked types side by side."""
        by_id = {d.id: d for d in self.own.all(self.document.project)}
        devices = [by_id[i] for i in self.compared if i in by_id]
        if len(devices) < 2:
            self.say.emit(self.tr("Tick two to four types to compare."))
            return
        sheet = CompareSheet(self, devices, self.theme)
        sheet.chosen.connect(self._arm)
        sheet.open()

    # -- own types -----------------------------------------------------------------------------------------------

    def _ask(self, device: str, where: QPoint) -> None:
        menu = QMenu(self)
        chosen = next(d for d in self.own.all(self.document.project) if d.id == device)
        mine = any(d.id == device for d in self.own.types)
        if mine:
            menu.addAction(self.tr("Edit…"), lambda: self.edit(chosen, chosen.id))
            menu.addAction(self.tr("Delete"), lambda: self.own.remove(device))
        menu.addAction(self.tr("Data sheet vs model…"), lambda: self.test_the_box(chosen))
        menu.addAction(self.tr("Make a custom type from it…"), lambda: self.edit(chosen, self.own.fresh_id(chosen)))
        menu.popup(where)

    def edit(self, device: DeviceType, ident: str) -> TypeForm:
        """Open the form for a type, to be kept under an id."""

        def take(made: DeviceType) -> bool:
            if not self.own.put([made]):
                return False
            project = self.document.project
            if any(d.id == made.id for d in project.devices):
                from msgspec.structs import replace

                devices = tuple(made if d.id == made.id else d for d in project.devices)
                self.document.apply(replace(project, devices=devices), f"Change {made.name}")
            self.say.emit(self.tr("{} was added to the device list.").format(made.name))
            return True

        form = TypeForm(self, device, ident, take)
        form.open()
        return form

    def new_type(self, family: str) -> TypeForm:
        """Open the form for a new type of a family, which asks what its box says."""
        typical = next(d for d in catalogue() if d.family == family)

        def take(made: DeviceType) -> bool:
            if not self.own.put([made]):
                return False
            names = [n.rsplit(".", 1)[-1] for n in form.lent]
            words = dict.fromkeys(LENT_WORDS.get(n, FIELD_WORDS[n][0].lower()) for n in names)
            said = self.tr("{} was added to the device list.").format(made.name)
            if words:
                said += " " + self.tr("Typical value of its class used for: {}.").format(", ".join(words))
            self.say.emit(said)
            return True

        form = TypeForm(self, typical, self.own.fresh_id(typical), take, new=True)
        form.open()
        return form

    def test_the_box(self, device: DeviceType) -> BoxSheet:
        """Open the sheet that puts what a type's box says beside what its model gives."""
        sheet = BoxSheet(self, device, self.theme)
        sheet.open()
        return sheet

    def _menu(self) -> None:
        menu = QMenu(self)
        new = menu.addMenu(self.tr("New custom type"))
        assert new is not None
        for family in FAMILIES:
            new.addAction(HEADINGS[family], partial(self.new_type, family))
        menu.addAction(self.tr("Import types (CSV, JSON)…"), self._bring_in_dialog)
        send = menu.addAction(self.tr("Export custom types…"), self._send_out_dialog)
        assert send is not None
        send.setEnabled(bool(self.own.types))
        menu.addSeparator()
        menu.addAction(self.tr("Export all types…"), lambda: self._send_out_dialog(everything=True))
        menu.popup(self._more.mapToGlobal(QPoint(0, self._more.height())))

    def _bring_in_dialog(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, self.tr("Import device types"), "", self.tr("Device types (*.csv *.json)")
        )
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> None:
        """Add the types of a file to the user's own, all or none."""
        try:
            found = read_devices(path)
        except ProjectError as e:
            self.say.emit(str(e))
            return
        if self.own.put(found):
            self.say.emit(self.tr("{} types imported.").format(len(found)))

    def _send_out_dialog(self, everything: bool = False) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, self.tr("Export device types"), "device-types.csv", self.tr("Device types (*.csv *.json)")
        )
        if name:
            self.send_out(Path(name), everything)

    def send_out(self, path: Path, everything: bool = False) -> None:
        """Write the user's own types, or the whole shelf."""
        types = self.own.all(self.document.project) if everything else self.own.types
        try:
            write_devices(types, path)
        except ProjectError as e:
            self.say.emit(str(e))
            return
        self.say.emit(self.tr("{} types exported to {}.").format(len(types), path))
