"""Forms of the inspector for what gives light and what a hand presses: lamps with how they spread it, buttons."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog, QPushButton

from vastwatch.control.light.illuminance import height_of
from vastwatch.control.manual.override import ends_words
from vastwatch.control.outputs.handler import handler_of
from vastwatch.design.edits.lamps import photometry_for, with_photometry, without_photometry
from vastwatch.design.ladders import scenes_in
from vastwatch.design.project import find
from vastwatch.design.records import Button
from vastwatch.desk.shell.widgets import pressed, row
from vastwatch.desk.verdict.form import Form
from vastwatch.desk.verdict.inspect_building import circuit_choice
from vastwatch.files import ProjectError
from vastwatch.files.photometric import read_photometric

# The beam of a plain disc, degrees.
DISC_DEG = 120.0


def lamp_form(form: Form, lamp: Any) -> None:
    form.name_field(form.tr("Lamp"))
    form.fields("watts", "lumens")
    form.field("height_m", read=lambda r: height_of(form.document.project, r))
    form.field(
        "beam_deg", read=lambda r: DISC_DEG if r.beam_deg is None else r.beam_deg,
        write=lambda r, v: replace(r, beam_deg=None if v == DISC_DEG else v),
    )  # fmt: skip
    form.fields("dims", "least_level", "standby_w")
    form.place_figures()
    circuit_choice(form)
    _photometry(form, lamp)
    form.text(lambda _: form.tr(handler_of(lamp).caution))


def _photometry(form: Form, lamp: Any) -> None:
    """Which photometric file a lamp follows, another one, or none."""

    def told(record: Any) -> str:
        table = photometry_for(form.document.project, record.id)
        return form.tr("Even light within its beam.") if table is None else form.tr(
            "Light distribution of “{}”: {} planes, {} angles."
        ).format(table.name, len(table.c_deg), len(table.gamma_deg))  # fmt: skip

    form.text(told)
    ask = QPushButton(form.tr("Photometric file…"))
    ask.setToolTip(form.tr("LM-63 or EULUMDAT from the manufacturer; lumens and watts are imported too"))
    ident = lamp.id

    def opened() -> None:
        name, _ = QFileDialog.getOpenFileName(
            form, form.tr("A photometric file"), "", form.tr("Photometric files (*.ies *.ldt *.txt);;All files (*)")
        )
        if name:
            take_file(form, ident, Path(name))

    ask.clicked.connect(opened)
    off = pressed(form.tr("Remove file"), lambda: _without(form, ident))
    form.box.addWidget(row(ask, off, spacing=6))
    form.fills.append(lambda record: off.setVisible(record.photometry is not None))


def take_file(form: Form, ident: str, path: Path) -> None:
    """Let a lamp follow a photometric file; say what was understood, or why not."""
    try:
        read = read_photometric(path)
    except ProjectError as e:
        form.say.emit(str(e))
        return
    project = form.document.project
    form.document.apply(with_photometry(project, ident, read), f"Use {path.name}")
    words = form.tr("{}: {:.0f} lm, {:.0f} W. {}").format(path.name, read.lumens, read.watts, " ".join(read.notes))
    form.say.emit(words.strip())


def _without(form: Form, ident: str) -> None:
    form.document.apply(without_photometry(form.document.project, ident), "Use the beam angle only")


def button_form(form: Form, button: Any) -> None:
    """What a press does, and until when."""
    form.name_field(form.tr("Button"))
    form.field("does")
    scenes = [("", form.tr("brightest")), *((s.id, s.name) for s in scenes_in(form.document.project, button.room))]
    form.choice(
        form.tr("Scene"), scenes, lambda r: r.scene or "", lambda r, key: replace(r, scene=key or None),
        form.tr("Scene it recalls when it switches on."),
    )  # fmt: skip
    form.field("ends", wide=True)
    form.field("minutes")
    # A time that a file has and the list has not is listed too.
    times = sorted({*(f"{m // 60:02d}:{m % 60:02d}" for m in range(0, 1440, 30)), button.clock})
    form.choice(
        form.tr("Time"), [(t, t) for t in times], lambda r: r.clock, lambda r, key: replace(r, clock=key),
        form.tr("End time, if it ends at a time of day."),
    )  # fmt: skip
    form.place_figures()

    def told(record: Button) -> str:
        room = find(form.document.project.rooms, record.room)
        return form.tr("Overrides every row of {}, {}.").format(room.name.lower(), ends_words(record))

    form.text(told)
    form.text(lambda _: form.tr("A button only signals the controller: it cuts no supply, so sensors stay powered."))
