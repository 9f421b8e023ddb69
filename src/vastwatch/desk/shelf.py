"""The device shelf: types by family, found by word, dragged or sent to the plan."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDrag, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QLineEdit, QSizePolicy, QVBoxLayout, QWidget

from vastwatch.desk import glyphs
from vastwatch.desk.focus import Focus
from vastwatch.desk.parts import clear, column, is_choice, label, scrolling
from vastwatch.desk.plan.view import DEVICE_MIME
from vastwatch.desk.theme import MARGIN, Theme, font
from vastwatch.devices import DeviceType, PirType, catalogue

FAMILIES = (("pir", "Passive infrared"), ("radar", "Radar"))


def family_of(device: DeviceType) -> str:
    """`pir` or `radar`."""
    return "pir" if isinstance(device, PirType) else "radar"


class DeviceCard(QWidget):
    """One device type; dragged, clicked or chosen by Return."""

    chosen = pyqtSignal(str)

    def __init__(self, device: DeviceType, theme: Theme, focus: Focus) -> None:
        super().__init__()
        self.device, self.theme, self.focus = device, theme, focus
        self.setFixedHeight(40)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName(device.name)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        how = self.tr("Drag it to the plan, or click and then point.")
        self.setToolTip(f"<b>{device.name}</b><br>{device.summary}<br>{figures(device)}<br>{how}")
        self._press: QPoint | None = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t, armed = self.theme, self.focus.placing == self.device.id
        border = t.ink if self.hasFocus() or armed else t.soft if self.underMouse() else t.hairline
        p.setPen(QPen(border, 1.5 if armed or self.hasFocus() else 1))
        p.setBrush(t.card)
        p.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 7, 7)
        family = family_of(self.device)
        glyphs.family_mark(
            p, family, self.rect().center().toPointF() * 0 + QPoint(21, 20).toPointF(), 10.5, t.family(family), t.card
        )
        room = self.width() - 44
        p.setPen(t.ink)
        p.setFont(font(12, 600))
        p.drawText(38, 17, p.fontMetrics().elidedText(self.device.name, Qt.TextElideMode.ElideRight, room))
        p.setPen(t.soft)
        p.setFont(font(11))
        price = f"{self.device.price:g}"
        p.drawText(
            38, 31, p.fontMetrics().elidedText(f"{self.device.power} · {price}", Qt.TextElideMode.ElideRight, room)
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        if (event.position().toPoint() - self._press).manhattanLength() < 8:
            return
        self._press = None
        drag = QDrag(self)
        mime = QMimeData()
        mime.setData(DEVICE_MIME, self.device.id.encode())
        drag.setMimeData(mime)
        family = family_of(self.device)
        drag.setPixmap(glyphs.family_icon(family, 26, self.theme.family(family), self.theme.card))
        drag.setHotSpot(QPoint(13, 13))
        drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._press is not None:
            self._press = None
            self.chosen.emit(self.device.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if is_choice(event):
            self.chosen.emit(self.device.id)
            return
        super().keyPressEvent(event)


def figures(device: DeviceType) -> str:
    """The figures of a type in one line."""
    lag = device.latency
    if isinstance(device, PirType):
        ranges = f"{device.tangential_m:g} m across, {device.radial_m:g} m towards, {device.minor_m:g} m hands"
        return f"{ranges}; {device.fov_h:.0f}°; reports in {lag.typical_s:g} s"
    return (
        f"{device.band_ghz} GHz; {device.moving_m:g} m moving, {device.still_m:g} m still; {device.fov_h:.0f}°; "
        f"reports in {lag.typical_s:g} s"
    )


class Shelf(QWidget):
    """All device types that fit the words typed."""

    say = pyqtSignal(str)

    def __init__(self, focus: Focus, theme: Theme) -> None:
        super().__init__()
        self.focus, self.theme = focus, theme
        box = QVBoxLayout(self)
        box.setContentsMargins(MARGIN, MARGIN, 4, 8)
        box.setSpacing(8)
        box.addWidget(label(self.tr("Shelf"), "head"))
        self.finder = QLineEdit()
        self.finder.setPlaceholderText(self.tr("find: corner, still, battery …"))
        self.finder.setAccessibleName(self.tr("Find a device type"))
        self.finder.setClearButtonEnabled(True)
        self.finder.textChanged.connect(self._fill)
        holder, inner = column(8, (0, 0, 10, 0))
        inner.addWidget(self.finder)
        box.addWidget(holder)
        area, self._list = scrolling(5, (0, 0, 10, 0))
        box.addWidget(area, 1)
        focus.shift.connect(lambda what: self.update_cards() if what == "placing" else None)
        self._fill("")

    def _fill(self, words: str) -> None:
        clear(self._list)
        wanted = words.lower().split()
        any_shown = False
        for family, heading in FAMILIES:
            shown = [
                d for d in catalogue()
                if family_of(d) == family
                and all(w in f"{d.name} {d.summary} {d.power} {heading} {' '.join(d.mounts)}".lower() for w in wanted)
            ]  # fmt: skip
            if not shown:
                continue
            any_shown = True
            self._list.addWidget(label(heading, "soft"))
            for device in shown:
                card = DeviceCard(device, self.theme, self.focus)
                card.chosen.connect(self._arm)
                self._list.addWidget(card)
            self._list.addSpacing(4)
        if not any_shown:
            self._list.addWidget(label(self.tr("Nothing on the shelf fits “{}”.").format(words), "soft", True))
        self._list.addStretch(1)

    def _arm(self, device: str) -> None:
        self.focus.set(placing=None if self.focus.placing == device else device)
        if self.focus.placing:
            self.say.emit(self.tr("Point on the plan where it hangs; near a wall it takes hold. Esc puts it back."))

    def update_cards(self) -> None:
        """Repaint which card is armed."""
        for card in self.findChildren(DeviceCard):
            card.update()
