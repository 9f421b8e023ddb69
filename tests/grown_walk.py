"""Walks through every command and every stage of a program that has footfall sensors and fountains (`test_grown`)."""

from __future__ import annotations

import io
import logging
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from msgspec.structs import replace

from samples import make_room
from vastwatch import cli
from vastwatch.advice.judging.settings import JudgeSettings, judging_by
from vastwatch.answers import COMMANDS, WITHOUT_PROJECT
from vastwatch.control.outputs.handler import handlers
from vastwatch.design.edits.fittings import add_output
from vastwatch.design.expressions import ConclusionRef
from vastwatch.design.presence import Roles, from_roles
from vastwatch.design.project import Variant, put
from vastwatch.design.records import Button, LadderRow, LampLevel, OutputRow, Scene, Sensor
from vastwatch.devices import catalogue
from vastwatch.files import load_project, save_project

FEW = JudgeSettings(days=1, chosen_on=(1,), held_out=(1001,))


def project():
    """The two rooms, with a footfall sensor that starts and keeps, a ladder, a button, and a fountain with a row."""
    two = make_room()
    footfall = next(d for d in catalogue() if d.family == "footfall")
    heard = Sensor(id="steps", device=footfall.id, level="g", name="Steps", at=(0.1, 2.0, 2.3), yaw=0.0)
    two = replace(two, devices=(*two.devices, footfall), sensors=(*two.sensors, heard))
    expr = from_roles(Roles(("pir", "steps"), ("pir", "steps"), 60.0))
    two = put(two, replace(two.presences[0], expr=expr))
    two, fountain = add_output(two, "g", (2.0, 3.0), "fountain", handlers()["fountain"].new)
    two = put(two, replace(fountain, rows=(OutputRow(name="in", when=ConclusionRef(presence="here"), level=0.5),)))
    lamp = next(x for x in two.lamps if x.room == "big")
    scene = Scene(id="on", room="big", name="On", levels=(LampLevel(lamp=lamp.id, level=1.0),))
    two = replace(
        two, scenes=(scene,), rules=(LadderRow(id="row", room="big", name="in", when=ConclusionRef(presence="here"), scene="on"),),
        buttons=(Button(id="press", room="big", name="By the door", at=(4.8, 1.0)),),
    )  # fmt: skip
    held = {name: getattr(two, name) for name in Variant.__struct_fields__ if name not in ("id", "name")}
    return replace(two, variants=(Variant(id="before", name="Before", **held),))


def every_command(folder: Path) -> None:
    file, log = folder / "two.vastwatch.json", folder / "said.csv"
    save_project(project(), file)
    assert load_project(file).outputs[-1].plays_on_s == 120.0
    walk = Path(cli.__file__).parent / "data" / "saltmarsh-walk.csv"
    asked = {
        "check": [[]], "coverage": [[], ["--sensor", "steps"]], "rehearse": [["--days", "2"]],
        "tune": [["--room", "big", "--days", "2"], ["--room", "big", "--days", "1", "--all-parameters"]],
        "log": [["--days", "2", "--out", str(log)]], "replay": [[str(log), "--habits"]],
        "trial": [["--spot", "chair", "--minutes", "10"]], "walk": [["--room", "big"]],
        "ways": [["--room", "big"]], "advise": [["--room", "big"]], "buy": [[], ["--starter", "--budget", "200"]],
        "zones": [[]], "calibrate": [[str(walk), "--sensor", "steps"]], "scenes": [["--days", "2"]],
        "lux": [["--scene", "on"]], "recipes": [[], ["--devices"], ["--csv"]], "ahead": [[]], "year": [[]],
        "circuits": [["--days", "2"]],
    }  # fmt: skip
    assert asked.keys() == COMMANDS.keys(), "a command that nobody walks through"
    without = {
        "import": [[str(Path(cli.__file__).parent / "data" / "saltmarsh.dxf"), "--out", str(folder / "drawn.json")]],
        "compare": [[str(file), "--variant", "Before"]],
        "device": [["footfall-wall-9"], ["footfall-wall-9", "--project", str(file)]],
    }
    assert without.keys() == WITHOUT_PROJECT.keys(), "a command that nobody walks through"
    for name, ways in {**asked, **without}.items():
        for more in ways:
            line = [name, *([str(file)] if name in asked else []), *more]
            said, wrong = io.StringIO(), io.StringIO()
            with redirect_stdout(said), redirect_stderr(wrong):
                code = cli.main(line)
            # What has no zones cannot be calibrated: that is told.
            wanted = (0, 1) if name in ("check", "calibrate", "zones") else (0,)
            failed = "internal error" in wrong.getvalue()
            assert code in wanted and not failed, (line, code, wrong.getvalue()[-800:])


def every_stage(folder: Path) -> None:
    from PyQt6.QtTest import QTest

    from vastwatch.design.edits.selections import duplicate_many
    from vastwatch.design.references import without
    from vastwatch.desk.shell.app import Desk, make_application
    from vastwatch.desk.shell.document import Document
    from vastwatch.desk.shell.widgets import FigureField
    from vastwatch.desk.stages import STAGES
    from vastwatch.files.journal import Journal

    failed = []
    logging.getLogger().addHandler(type("Heard", (logging.Handler,), {"emit": lambda self, r: failed.append(r)})())
    sys.excepthook = lambda *what: failed.append(what)
    app = make_application()
    two = project()
    window = Desk(Document(two, None, Journal(folder / "journal"))).window
    window.resize(1280, 800)
    window.show()
    fountain, fields = two.outputs[-1].id, set()
    for stage in STAGES:
        for selected in ("steps", fountain, "big"):
            window.focus.set(stage=stage.name, level="g", room="big", selected=selected)
            QTest.qWait(60)
            window.grab()
            if stage.name == "Sensors":
                fields |= {f.accessibleName() for f in window.verdict.inspector.findChildren(FigureField)}
            panel = window.panel(stage.name)
            for page in range(len(getattr(panel, "tabs", ()))):
                panel.show_page(page)
                QTest.qWait(10)
    document = window.document
    document.apply(duplicate_many(document.project, ["steps", fountain])[0], "Copy both")
    document.apply(without(document.project, ["steps", fountain]), "Delete both")
    document.undo_stack.undo()
    document.undo_stack.undo()
    assert document.project is two
    while window.results.busy():
        QTest.qWait(20)
    document.undo_stack.setClean()
    window.close()
    # What is set on either follows from what its record says.
    assert {"Sensitivity", "Measured range", "Plays on", "Minimum run"} <= fields, fields
    week = window.results.rehearsal
    assert len(week.signals["steps"].intervals) > 0 and week.output_scores[fountain].run_h > 0
    assert app is not None and not failed, failed


if __name__ == "__main__":
    where = Path(sys.argv[1])
    with judging_by(FEW):
        every_command(where)
        every_stage(where)
    print("walked through all")
