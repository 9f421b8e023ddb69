"""What each command of the command line answers: one JSON document, and the same in lines for people.

A function a command; what it needs is loaded when it is asked, so that a short answer is not kept waiting.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

from vastwatch.answers.choices import advise, buy, ways
from vastwatch.answers.design import check, coverage, trial, walk
from vastwatch.answers.device import device
from vastwatch.answers.files import compare, import_drawing
from vastwatch.answers.house import ahead, circuits, year
from vastwatch.answers.json_values import RequestError
from vastwatch.answers.logs import log, replay
from vastwatch.answers.scenes import lux, recipes, scenes
from vastwatch.answers.weeks import rehearse, tune
from vastwatch.answers.zones import calibrate, zones
from vastwatch.design.project import Project

__all__ = ["COMMANDS", "WITHOUT_PROJECT", "RequestError"]

WITHOUT_PROJECT: dict[str, Callable[[argparse.Namespace], tuple[Any, list[str]]]] = {
    "import": import_drawing,
    "compare": compare,
    "device": device,
}
COMMANDS: dict[str, Callable[[Project, argparse.Namespace], tuple[Any, list[str]]]] = {
    "check": check,
    "coverage": coverage,
    "walk": walk,
    "trial": trial,
    "rehearse": rehearse,
    "tune": tune,
    "log": log,
    "replay": replay,
    "ways": ways,
    "advise": advise,
    "buy": buy,
    "zones": zones,
    "scenes": scenes,
    "lux": lux,
    "recipes": recipes,
    "ahead": ahead,
    "year": year,
    "circuits": circuits,
    "calibrate": calibrate,
}
