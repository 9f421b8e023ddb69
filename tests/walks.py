"""Every command over any project: what is asked follows from what is in it."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from vastwatch import cli
from vastwatch.answers import COMMANDS, WITHOUT_PROJECT
from vastwatch.design.project import Project, find

WALK = Path(cli.__file__).parent / "data" / "saltmarsh-walk.csv"


def lines_for(project: Project, file: Path, days: int) -> Iterator[list[str]]:
    """Command lines that ask everything there is to ask of a project in a file."""
    rooms = [r.id for r in project.rooms]
    sensors = [s.id for s in project.sensors]
    weeks = ["--days", str(days)]
    tracking = [s for s in sensors if getattr(find(project.devices, find(project.sensors, s).device), "zones", 0)]
    asked: dict[str, list[list[str]]] = {
        "check": [[], ["--json"]], "coverage": [[], *(["--sensor", s] for s in sensors[:3])],
        "rehearse": [weeks, [*weeks, "--json"]], "tune": [["--room", r, *weeks] for r in rooms],
        "log": [[*weeks, "--out", str(file.with_suffix(".csv")), "--over"]],
        "replay": [[str(file.with_suffix(".csv"))], [str(file.with_suffix(".csv")), "--habits"]],
        "trial": [["--spot", s.id, "--minutes", "10"] for s in project.spots[:2]],
        "walk": [["--room", r] for r in rooms[:2]], "ways": [["--room", r] for r in rooms[:2]],
        "advise": [["--room", r] for r in rooms[:2]], "buy": [[]], "zones": [[]],
        "calibrate": [[str(WALK), "--sensor", s] for s in tracking[:1]], "scenes": [weeks],
        "lux": [["--scene", s.id] for s in project.scenes[:2]], "recipes": [[], ["--devices"], ["--csv"]],
        "ahead": [[]], "year": [[]], "circuits": [weeks],
    }  # fmt: skip
    assert asked.keys() == COMMANDS.keys(), "a command that nobody walks through"
    without = {"import": [], "compare": [["--variant", v.name] for v in project.variants[:1]], "device": []}
    assert without.keys() == WITHOUT_PROJECT.keys(), "a command that nobody walks through"
    for name, ways in {**asked, **without}.items():
        for more in ways:
            yield [name, str(file), *more]


def said(line: list[str]) -> tuple[int, str, str]:
    """What a command says: its code, and what it writes on either way out."""
    out, wrong = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(wrong):
        try:
            code = cli.main(line)
        except SystemExit as e:
            code = int(e.code or 0)
    return code, out.getvalue(), wrong.getvalue()
