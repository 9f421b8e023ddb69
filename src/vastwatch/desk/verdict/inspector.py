"""The inspector: the exact figures of whatever is selected, each editable where it stands."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vastwatch.design.project import find_any
from vastwatch.desk.shell.document import Document
from vastwatch.desk.shell.focus import Focus
from vastwatch.desk.shell.widgets import clear, column_in
from vastwatch.desk.verdict.form import Form
from vastwatch.desk.verdict.inspect_building import (
    furnishing_form,
    opening_form,
    output_form,
    room_form,
    spot_form,
    wall_form,
)
from vastwatch.desk.verdict.inspect_fixtures import hazard_form, many_form, socket_form, switch_form
from vastwatch.desk.verdict.inspect_light import button_form, lamp_form
from vastwatch.desk.verdict.inspect_sensor import sensor_form
from vastwatch.desk.verdict.inspect_zone import zone_form

# What puts a form together, by collection.
FORMS: dict[str, Callable[[Form, Any], None]] = {
    "rooms": room_form, "walls": wall_form, "openings": opening_form, "furnishings": furnishing_form,
    "spots": spot_form, "hazards": hazard_form, "sockets": socket_form, "switches": switch_form, "lamps": lamp_form,
    "outputs": output_form, "sensors": sensor_form, "buttons": button_form,
    "zones": zone_form,
}  # fmt: skip


class Inspector(QWidget):
    """Shows one record; the form is made when the selection changes and filled when the project does."""

    say = pyqtSignal(str)

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        self.box = column_in(self)
        self._form: Form | None = None
        self._shown: object = None
        document.changed.connect(self.refresh)
        focus.shift.connect(self._shifted)
        self.refresh()

    def _shifted(self, what: str) -> None:
        if what in ("selected", "room", "stage", "feet", "marked"):
            self.refresh()

    def refresh(self, *_: object) -> None:
        """Show the selected record's present figures."""
        found = find_any(self.document.project, self.focus.selected or "")
        here, focus = self.focus.here, self.focus
        shape = None
        if found is not None:
            shape = found[0], found[1].id, here.has_roles, here.shapes, focus.feet, focus.marked
        if shape != self._shown:
            self._shown = shape
            self._make(found)
        if found is not None and self._form is not None:
            self._form.fill()
            self._form.lay_out()

    def rename(self) -> bool:
        """Go to the name of what is selected; False where no name is shown."""
        field = None if self._form is None else self._form.name
        if field is None:
            return False
        field.setFocus()
        field.selectAll()
        return True

    def _make(self, found: tuple[str, Any] | None) -> None:
        clear(self.box)
        self._form = None
        if found is None:
            return
        collection, record = found
        form = Form(self.document, self.focus, record.id, type(record))
        form.say.connect(self.say)
        if self.focus.marked:
            many_form(form)
        elif collection in FORMS:
            FORMS[collection](form, record)
        self._form = form
        self.box.addWidget(form)
