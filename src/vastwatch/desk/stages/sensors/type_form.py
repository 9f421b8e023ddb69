"""The form of a device type: what stands on a box first, the rest by subject; and what its fields are called."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from vastwatch.desk.shell.widgets import Choice, column_in, label, scrolling
from vastwatch.devices import DeviceType
from vastwatch.devices.data_sheet import ON_THE_BOX, complete_fields
from vastwatch.devices.families import HEADINGS
from vastwatch.files.device_list import choices, device_fields, device_from_fields

# What a field is called and its unit, by the last part of its dotted name. Units stand beside the field.
# fmt: off
FIELD_WORDS: dict[str, tuple[str, str]] = {
    "name": ("Name", ""), "summary": ("Name within sentences", ""), "power": ("Power", "battery, usb, mains, host"),
    "price": ("Price", ""), "mounts": ("Mounts", "wall|corner|ceiling|low|on"),
    "mount_height": ("Rated height", "m high"), "min_s": ("Report delay: min.", "s"),
    "typical_s": ("Report delay: typical", "s"), "max_s": ("Report delay: max.", "s"), "hold_s": ("Device hold", "s"),
    "hold_min_s": ("Shortest hold", "s"), "hold_max_s": ("Longest hold", "s"), "hold_step_s": ("Hold step", "s"),
    "cell": ("Battery", ""), "count": ("Batteries", ""), "strings": ("In parallel", ""),
    "or_cell": ("Alternative battery", ""),
    "sleep_ua": ("Sleep current", "µA"), "report_ma": ("Report current", "mA"),
    "report_ms": ("Report duration", "ms"), "watts": ("Consumption", "W"), "lead_m": ("Cable length", "m"),
    "needs_neutral": ("Needs a neutral", "yes, no"),
    "in_switch_box": ("Fits a switch box", "yes, no"), "load_w": ("Max. switched load", "W"),
    "radio": ("Radio", "none, mesh, network, wire"), "relays": ("Mesh repeater", "yes, no"),
    "kind": ("Light sensor", "continuous, flag"), "low_lux": ("Min. lux", ""), "high_lux": ("Max. lux", ""),
    "flag_lux": ("Flag threshold", "lux"), "interval_s": ("Interval", "s"), "ip": ("Protection", "IP20"),
    "least_c": ("Min. temperature", "°C"), "most_c": ("Max. temperature", "°C"),
    "reliability": ("Field experience", ""),
    "lens": ("Lens", "wall, ceiling"), "tangential_m": ("Walking across", "m"), "radial_m": ("Walking towards", "m"),
    "minor_m": ("Hands and head", "m"), "fov_h": ("Field of view", "°"), "fov_v": ("Field, vertical", "°"),
    "span_up": ("Beams above axis", "°"), "span_down": ("Beams below axis", "°"),
    "beam_pitch": ("Beam spacing", "°"),
    "beam_pitch_el": ("Row spacing", "°"), "edge_share": ("Range at the edge", "share of 1"),
    "rearm_s": ("Re-arm time", "s"),
    "steps": ("Sensitivity steps", ""), "band_ghz": ("Band", "5.8, 24, 60"), "moving_m": ("Somebody moving", "m"),
    "still_m": ("Somebody still", "m"), "floor_m": ("Moving, on the floor", "m"),
    "floor_still_m": ("Still, on the floor", "m"), "frame_hz": ("Frame rate", "a second"),
    "confirm_of": ("Confirmed by", "m|n frames"),
    "reports": ("Output", "state, distance, xy"), "min_gate_m": ("Nearest gate", "m"),
    "max_gate_m": ("Farthest gate", "m"), "targets": ("Targets", ""), "zones": ("Zones", ""), "bands": ("Bands", ""),
    "sigma_r_m": ("Scatter, distance", "m"), "sigma_az_deg": ("Scatter, angle", "°"),
    "bias_r_m": ("Distance offset", "m"), "scale_r": ("Distance factor", "share of 1"),
    "pad": ("Pad", "m|m"), "closing_kpa": ("Closing pressure", "kPa"), "foldable": ("Can be folded", "yes, no"),
    "gap_mm": ("Gap up to", "mm"), "large_share": ("Large movements", "share of 1"),
    "small_share": ("Small movements", "share of 1"),
    "threshold_w": ("In-use threshold", "W"), "switches": ("Can also switch", "yes, no"),
    "accuracy_pct": ("Accuracy", "± %"),
    "dims": ("Dims", "yes, no"), "channels": ("Channels", ""), "two_way": ("Two-way circuits", "yes, no"),
}
# fmt: on
FIXED_FIELDS = ("family", "id", "pir.family", "radar.family", "pir.id", "radar.id")

# The fields by subject, in the order in which they are asked for; by the last part of their dotted name.
ON_A_BOX, OTHERS = "On the box", "Words about it"
SUBJECTS: dict[str, tuple[str, ...]] = {
    ON_A_BOX: (
        "name", "tangential_m", "moving_m", "closing_kpa", "gap_mm", "threshold_w", "fov_h", "hold_s", "rearm_s",
    ),
    "Price, power, mounting": (
        "price", "power", "mounts", "mount_height", "watts", "lead_m", "load_w", "least_load_w", "needs_neutral",
        "in_switch_box", "radio", "relays", "dims", "channels", "two_way", "switches", "ip", "least_c", "most_c",
    ),
    "Ranges and field of view": (
        "radial_m", "minor_m", "still_m", "floor_m", "floor_still_m", "fov_v", "span_up", "span_down", "beam_pitch",
        "beam_pitch_el", "edge_share", "min_gate_m", "max_gate_m", "lens", "band_ghz", "band_m", "pad", "foldable",
    ),
    "Delays, hold time, sensitivity": (
        "min_s", "typical_s", "max_s", "hold_min_s", "hold_max_s", "hold_step_s", "steps", "frame_hz", "confirm_of",
        "large_share", "small_share",
    ),
    "Reports": (
        "reports", "tells_length",
        "interval_s", "kind", "low_lux", "high_lux", "flag_lux", "accuracy_pct", "targets", "zones", "bands",
        "sigma_r_m", "sigma_az_deg", "bias_r_m", "scale_r",
    ),
    "Battery": ("cell", "or_cell", "count", "strings", "sleep_ua", "report_ma", "report_ms"),
    OTHERS: (),
}  # fmt: skip


def _last(name: str) -> str:
    return name.rsplit(".", 1)[-1]


class Section(QWidget):
    """Fields under a heading that folds them away."""

    def __init__(self, words: str, count: int, opened: bool) -> None:
        super().__init__()
        self._words, self._count = words, count
        box = column_in(self, 4)
        self.head = QToolButton()
        self.head.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.head.setCheckable(True)
        self.head.setAccessibleName(words)
        self.head.toggled.connect(self.open)
        box.addWidget(self.head)
        self._holder = QWidget()
        self._grid = QGridLayout(self._holder)
        self._grid.setContentsMargins(10, 0, 0, 4)
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(4)
        self._grid.setColumnMinimumWidth(0, 150)
        self._grid.setColumnStretch(1, 1)
        box.addWidget(self._holder)
        self.head.setChecked(opened)
        self.open(opened)

    def put(self, words: QLabel, field: QWidget, mark: QLabel) -> None:
        """A field with its words before and its unit behind."""
        at = self._grid.rowCount()
        for column, widget in enumerate((words, field, mark)):
            self._grid.addWidget(widget, at, column)

    def open(self, on: bool) -> None:
        """Show the fields, or only how many there are."""
        self.head.setChecked(on)
        self.head.setArrowType(Qt.ArrowType.DownArrow if on else Qt.ArrowType.RightArrow)
        self.head.setText(f"  {self._words}" if on else f"  {self._words} ({self._count})")
        self._holder.setVisible(on)


class TypeForm(QDialog):
    """Every figure of a type, editable; what contradicts is named beside its field. First the few that stand on every
    box, then the others by subject, folded away.

    A `new` one is empty; what is left so comes from the class, of which the device is typical.
    """

    def __init__(
        self, parent: QWidget, device: DeviceType, ident: str, take: Callable[[DeviceType], bool], new: bool = False
    ) -> None:
        super().__init__(parent)
        self.setObjectName("type-form")
        self._take, self._family, self._ident, self._new = take, device.family, ident, new
        self.lent: list[str] = []
        self.setWindowTitle(self.tr("Custom type: {}").format(HEADINGS[device.family]))
        self.resize(560, 620)
        box = column_in(self, 10, (20, 16, 20, 16))
        lead = self.tr("Based on {}. Take the figures from the data sheet; every calculation uses them.")
        if new:
            lead = self.tr("Enter the data sheet figures. Empty fields use the typical value of the class, as for {}.")
        box.addWidget(label(lead.format(device.name), "soft", True))
        area, inner = scrolling(8, (0, 0, 8, 0))
        self.fields: dict[str, QLineEdit | QComboBox] = {}
        self.marks: dict[str, QLabel] = {}
        self.sections: dict[str, Section] = {}
        self._base = device_fields(device)
        values = dict(self._base)
        for name in ("hold_max_s", "hold_step_s"):
            values.setdefault(name, "")
        self._put_fields(device, {n: v for n, v in values.items() if n not in FIXED_FIELDS}, inner)
        inner.addStretch(1)
        box.addWidget(area, 1)
        self.fault = label("", "bad", True)
        box.addWidget(self.fault)
        buttons = QDialogButtonBox()
        keep = buttons.addButton(self.tr("Save"), QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(self.tr("Cancel"), QDialogButtonBox.ButtonRole.RejectRole)
        assert keep is not None
        keep.setDefault(True)
        buttons.accepted.connect(self.keep)
        buttons.rejected.connect(self.reject)
        box.addLayout(_alone(buttons))

    def _put_fields(self, device: DeviceType, values: dict[str, str], inner: QVBoxLayout) -> None:
        """The figures that stand on a box, then the others by subject, folded away."""
        rest = dict(values)
        for subject, fields in SUBJECTS.items():
            mine = sorted((n for n in rest if _last(n) in fields), key=lambda n: fields.index(_last(n)))
            if subject == OTHERS:
                mine = list(rest)
            if not mine:
                continue
            section = self.sections[subject] = Section(self.tr(subject), len(mine), subject == ON_A_BOX)
            for name in mine:
                self._put_field(section, device, name, rest.pop(name))
            inner.addWidget(section)

    def _put_field(self, section: Section, device: DeviceType, name: str, text: str) -> None:
        words, unit = FIELD_WORDS.get(_last(name), (name, ""))
        prefix = {"pir": "PIR: ", "radar": "Radar: "}.get(name.split(".")[0], "") if "." in name else ""
        field: QLineEdit | QComboBox = QLineEdit("" if self._new else text)
        if isinstance(field, QLineEdit) and self._new:
            field.setPlaceholderText(text)
        if options := choices(device, name):
            field = Choice()
            field.addItems(list(options))
            field.setCurrentText(text)
            unit = ""
        field.setAccessibleName(prefix + words)
        field.setObjectName(name)
        mark = label(unit, "soft")
        section.put(label(prefix + words, "soft"), field, mark)
        self.fields[name], self.marks[name] = field, mark

    def unfold(self, name: str) -> None:
        """Show a field, whatever section it stands in."""
        for section in self.sections.values():
            if section.isAncestorOf(self.fields[name]):
                section.open(True)

    def value(self) -> DeviceType:
        """The type as it stands in the form. Raises ValueError, `field: what is wrong`."""
        texts = {
            name: field.text() if isinstance(field, QLineEdit) else field.currentText()
            for name, field in self.fields.items()
        }
        texts |= {name: self._base[name] for name in FIXED_FIELDS if name in self._base}
        if self._new:
            if not texts["name"].strip():
                raise ValueError("name: a name is needed")
            texts, lent = complete_fields(self._base, texts)
            self.lent = [n for n in lent if n.rsplit(".", 1)[-1] in ON_THE_BOX]
        return device_from_fields(texts | {"id": self._ident})

    def keep(self) -> None:
        """Take the type if its figures can be; else go to the field that cannot."""
        for field in self.fields.values():
            field.setProperty("wrong", "false")
        try:
            device = self.value()
        except ValueError as e:
            name, _, words = str(e).partition(": ")
            # A message may name a list's item, or a part that is missing.
            near = next((n for n in (name, name.split("[")[0]) if n in self.fields), None)
            shown = FIELD_WORDS.get(name.split("[")[0].rsplit(".", 1)[-1], (name, ""))[0]
            self.fault.setText(f"{shown}: {words}")
            if near is not None:
                self.unfold(near)
                self.fields[near].setProperty("wrong", "true")
                self.fields[near].setFocus()
            for field in self.fields.values():
                if (style := field.style()) is not None:
                    style.unpolish(field)
                    style.polish(field)
            return
        if self._take(device):
            self.accept()


def _alone(widget: QWidget) -> QHBoxLayout:
    out = QHBoxLayout()
    out.addWidget(widget)
    return out
