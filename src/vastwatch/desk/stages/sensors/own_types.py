"""The user's own device types: kept beside the program's, made from any other, checked field by field.

They live in one JSON list in the user's data folder; a project carries along those it uses.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec
from msgspec.structs import replace
from platformdirs import user_data_path
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QWidget,
)  # fmt: skip

from vastwatch.design.project import Project
from vastwatch.desk.shell.parts import Choice, column_in, label, scrolling
from vastwatch.devices import DeviceType, catalogue
from vastwatch.devices.data_sheet import ON_THE_BOX, filled
from vastwatch.devices.families import HEADINGS
from vastwatch.files import ProjectError
from vastwatch.files.device_list import choices, flat, made, read_devices, write_devices

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


def own_types_path() -> Path:
    """Where the user's own types are kept."""
    # Where earlier versions kept them: in a folder of the maker, and in that of the program.
    return user_data_path("vastwatch") / "vastwatch" / "own-devices.json"


class OwnTypes(QObject):
    """The list, in its file. `changed` follows every change; `failure` carries a sentence."""

    changed = pyqtSignal()
    failure = pyqtSignal(str)

    def __init__(self, path: Path | None = None) -> None:
        super().__init__()
        self.path = path or own_types_path()
        self.types: list[DeviceType] = []
        self.unreadable = ""
        self._read()

    def _read(self) -> None:
        """What the file holds now: another window may have added types since."""
        self.unreadable = ""
        if not self.path.exists():
            return
        try:
            self.types = read_devices(self.path, may_be_empty=True)
        except ProjectError as e:
            # Left as it is: nothing writes over it until it can be read.
            self.unreadable = str(e)

    def all(self, project: Project) -> list[DeviceType]:
        """Every type to choose from: the project's as it carries them, the user's own, and the catalogue's."""
        out: dict[str, DeviceType] = {}
        for device in (*catalogue(), *self.types, *project.devices):
            out[device.id] = device
        return list(out.values())

    def put(self, devices: list[DeviceType]) -> bool:
        """Add types, or replace those with the same id. One that another window changed meanwhile is not written over:
        both are kept, the new one under an id and a name of its own."""
        known = {d.id: d for d in self.types}
        self._read()
        now = {d.id: d for d in self.types}
        for device in devices:
            other = now.get(device.id)
            if other is not None and not _alike(other, device) and not _alike(other, known.get(device.id)):
                ident = self.fresh_id(device)
                device = replace(device, id=ident, name=f"{device.name} (changed in two windows)")
            now[device.id] = device
        return self._write(list(now.values()))

    def remove(self, ident: str) -> bool:
        """Forget a type; a project that uses it keeps it."""
        self._read()
        return self._write([d for d in self.types if d.id != ident])

    def _write(self, types: list[DeviceType]) -> bool:
        if self.unreadable:
            self.failure.emit(self.unreadable)
            return False
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            write_devices(types, self.path)
        except (ProjectError, OSError) as e:
            self.failure.emit(str(e))
            return False
        self.types = types
        self.changed.emit()
        return True

    def fresh_id(self, device: DeviceType) -> str:
        """An id for a type made from another."""
        used = {d.id for d in (*catalogue(), *self.types)}
        stem, n = f"own-{device.id.removeprefix('own-')}"[:58], 2
        ident = stem
        while ident in used:
            ident, n = f"{stem}-{n}", n + 1
        return ident


def _alike(a: DeviceType | None, b: DeviceType | None) -> bool:
    """Whether two types say the same in every field."""
    return a is not None and b is not None and msgspec.to_builtins(a) == msgspec.to_builtins(b)


class TypeForm(QDialog):
    """Every figure of a type, editable; what contradicts is named beside its field.

    A `new` one asks what a box says first, empty; what is left so comes from the class, of which the device is typical.
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
        area, inner = scrolling(4, (0, 0, 8, 0))
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        self.fields: dict[str, QLineEdit | QComboBox] = {}
        self.marks: dict[str, QLabel] = {}
        self._base = flat(device)
        values = dict(self._base)
        for name in ("hold_max_s", "hold_step_s"):
            values.setdefault(name, "")
        shown = [(n, v) for n, v in values.items() if n not in FIXED_FIELDS]
        if new:
            said = [n for n, _ in shown if n.rsplit(".", 1)[-1] in ON_THE_BOX]
            shown.sort(key=lambda it: ON_THE_BOX.index(it[0].rsplit(".", 1)[-1]) if it[0] in said else len(ON_THE_BOX))
            rest = label(self.tr("Rarely on data sheets"), "head")
            grid.addWidget(rest, len(said), 0, 1, 3)
        for at, (name, text) in enumerate(shown):
            at += bool(new and at >= len(said))
            words, unit = FIELD_WORDS.get(name.rsplit(".", 1)[-1], (name, ""))
            prefix = {"pir": "PIR: ", "radar": "Radar: "}.get(name.split(".")[0], "") if "." in name else ""
            field: QLineEdit | QComboBox = QLineEdit("" if new else text)
            if new:
                field.setPlaceholderText(text)
            if options := choices(device, name):
                field = Choice()
                field.addItems(list(options))
                field.setCurrentText(text)
                unit = ""
            field.setAccessibleName(prefix + words)
            field.setObjectName(name)
            mark = label(unit, "soft")
            grid.addWidget(label(prefix + words, "soft"), at, 0)
            grid.addWidget(field, at, 1)
            grid.addWidget(mark, at, 2)
            self.fields[name], self.marks[name] = field, mark
        inner.addWidget(holder)
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
            texts, lent = filled(self._base, texts)
            self.lent = [n for n in lent if n.rsplit(".", 1)[-1] in ON_THE_BOX]
        return made(texts | {"id": self._ident})

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
