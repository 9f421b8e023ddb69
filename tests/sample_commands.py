"""What the command line says of the sample building, for `sample_figures`: its JSON, line by line."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import msgspec

import vastwatch
from vastwatch import cli
from vastwatch.answers import COMMANDS, RequestError
from vastwatch.design.project import Project

DATA = Path(vastwatch.__file__).parent / "data"

LINES = (
    "rehearse --days 3", "walk --room throwing", "walk --room sitting", "walk --room landing",
    "zones", "zones --for-room", "scenes", "recipes",
    "recipes --devices", "ahead", "year", "circuits", "coverage --sensor radar-sitting", "ways --room toilet",
    "ways --room box", "advise --room toilet", "advise --room box", "advise --room kitchen", "tune --room throwing",
    "tune --room sitting",
)  # fmt: skip


def _begun(document: Any) -> Any:
    """A document with long lists, such as the days of a year, as far as their first forty."""
    if isinstance(document, dict):
        return {k: _begun(v) for k, v in document.items()}
    return [_begun(v) for v in document[:40]] if isinstance(document, list) else document


def of_commands(project: Project, fitted_out: Project) -> Any:
    """What commands say as JSON, of the sample and some of it as it is fitted out."""
    lines = [(project, line) for line in LINES]
    lines += [(project, f"lux --scene {scene.id}") for scene in project.scenes]
    lines += [(project, f"trial --spot {spot.id}") for spot in project.spots if spot.activity in ("desk", "reading")]
    tracker = next(z.sensor for z in project.zones)
    lines.append((project, f"calibrate {DATA / 'saltmarsh-walk.csv'} --sensor {tracker}"))
    lines.append((project, f"replay {DATA / 'saltmarsh-log.csv'} --habits --hold presence-throwing=120"))
    lines += [(fitted_out, line) for line in ("scenes --days 2", "recipes", "circuits --days 2", "rehearse --days 2")]
    out: dict[str, Any] = {}
    for of, line in lines:
        words = line.split()
        more = words[1:2] if words[0] in ("calibrate", "replay") else []
        args = cli._parser().parse_args([words[0], "--demo", *more, *words[1 + len(more) :]])
        name = line.replace(str(DATA), "data") + ("" if of is project else ", fitted out")
        try:
            document, said = COMMANDS[words[0]](of, args)
        except RequestError as e:
            out[name] = str(e)
            continue
        out[name] = [_begun(json.loads(json.dumps(document, default=msgspec.to_builtins))), len(list(said))]
    return out
