"""A new family and a new kind of output need not be told anywhere but where they are: a copy of the program is given
one of each, by what `docs/architecture.md` says of that, and walks through every command and every stage with them."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import vastwatch

PACKAGE = Path(vastwatch.__file__).parent
FOUNTAIN = '''"""Fountains: they play while somebody is in."""

from typing import Literal

from vastwatch.control.outputs.handler import OutputContext
from vastwatch.control.outputs.rows import RowHandler
from vastwatch.design.records import Fountain
from vastwatch.signals import Signal


class FountainHandler(RowHandler):
    disturbs: Literal["the quiet"] = "the quiet"
    label, why = "fountain", "Plays while somebody is in."
    caution = "Water and mains: ask whoever is licensed."

    def new(self, ident, room, name, at):
        return Fountain(id=ident, room=room, name=name, at=at, watts=40.0)

    def default_signal(self, output: Fountain, context: OutputContext) -> Signal:
        return context.presence.hold(output.plays_on_s)


HANDLER = FountainHandler()
'''
RECORD = '''class Fountain(GuardedOutput, frozen=True, kw_only=True, tag_field="kind", tag="fountain"):
    """A fountain that plays for a while after."""

    plays_on_s: Annotated[NotNegative, Shown("Plays on", "s", "How long it plays after.", 30, high=900)] = 120.0


'''


def changed(file: Path, *changes: tuple[str, str]) -> None:
    text = file.read_text(encoding="utf-8")
    for old, new in changes:
        assert text.count(old) == 1, (file.name, old)
        text = text.replace(old, new)
    file.write_text(text, encoding="utf-8")


def grown(folder: Path) -> Path:
    """A copy of the program with sensors that hear footfalls, as ultrasound hears movement, and with fountains."""
    package = folder / "vastwatch"
    shutil.copytree(PACKAGE, package, ignore=shutil.ignore_patterns("__pycache__"))

    def renamed(text: str) -> str:
        for old, new in (("Ultrasonic", "Footfall"), ("ultrasonic", "footfall"), ("Ultrasound", "Footfalls"),
                         ("ultrasound", "footfalls")):  # fmt: skip
            text = text.replace(old, new)
        return text

    families = package / "devices" / "families.py"
    text = families.read_text(encoding="utf-8")
    begin, end = text.index("class UltrasonicType"), text.index("class DualType")
    changed(
        families, ("class DualType", renamed(text[begin:end]) + "class DualType"),
        ("    | UltrasonicType\n", "    | UltrasonicType\n    | FootfallType\n"),
    )  # fmt: skip
    models = package / "sensing" / "families"
    (models / "footfall.py").write_text(renamed((models / "ultrasonic.py").read_text(encoding="utf-8")))
    catalogue = package / "devices" / "catalogue.json"
    text = catalogue.read_text(encoding="utf-8")
    entry = text[text.index('  {"family": "ultrasonic", "id": "ultrasonic-wall-9"') : text.rindex("]")]
    catalogue.write_text(text[: text.rindex("]")].rstrip() + ",\n" + renamed(entry) + "]\n", encoding="utf-8")
    changed(
        package / "desk" / "shell" / "family_style.py",
        ('    "dual": FamilyLook', '    "footfall": FamilyLook(lambda t: t.radar, _swell),\n    "dual": FamilyLook'),
        ('"alert": _word,', '"alert": _word, "fountain": _drop,'),
    )
    changed(
        package / "design" / "records.py",
        ("# Outputs that are no lamps, by kind.", RECORD + "# Outputs that are no lamps, by kind."),
        ("Setback, Blind, Alert)", "Setback, Blind, Alert, Fountain)"),
        ("Setback | Blind | Alert, ...]", "Setback | Blind | Alert | Fountain, ...]"),
    )
    (package / "control" / "outputs" / "fountain.py").write_text(FOUNTAIN, encoding="utf-8")
    return folder


def test_a_new_family_and_a_new_output_walk_through_every_command_and_stage(tmp_path):
    env = {
        **os.environ, "PYTHONPATH": f"{grown(tmp_path)}{os.pathsep}{Path(__file__).parents[1]}",
        # Compiled loops would be compiled anew for the copy; the same in plain Python does for few days.
        "NUMBA_DISABLE_JIT": "1", "PYTHONWARNINGS": "ignore", "PYTHONDONTWRITEBYTECODE": "1",
        "XDG_DATA_HOME": str(tmp_path / "data"), "XDG_CONFIG_HOME": str(tmp_path / "config"),
    }  # fmt: skip
    walk = Path(__file__).parents[1] / "grown_walk.py"
    done = subprocess.run([sys.executable, str(walk), str(tmp_path)], env=env, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-6000:]
    assert done.stdout.splitlines()[-1] == "walked through all"
