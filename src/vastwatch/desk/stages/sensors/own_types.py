"""The user's own device types: kept beside the program's, made from any other, checked field by field.

They are stored in one JSON list in the user's data folder; a project carries along those it uses.
"""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec.structs import replace
from platformdirs import user_data_path
from PyQt6.QtCore import QObject, pyqtSignal

from vastwatch.design.project import Project
from vastwatch.devices import DeviceType, catalogue
from vastwatch.files import ProjectError
from vastwatch.files.device_list import read_devices, write_devices


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
