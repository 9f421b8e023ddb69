"""The JSON Schema of the project file, made from the records themselves.

`python -m vastwatch.files.schema PATH` writes it; a test keeps `docs/format/` current.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import msgspec

from vastwatch.design.project import VERSION, Project


def project_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of the present version of the project file."""
    schema = msgspec.json.schema(Project)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Vast Watch project, version {VERSION}",
        **schema,
    }


def text() -> str:
    """The schema as it is kept in the documentation."""
    return json.dumps(project_schema(), indent=2, sort_keys=True) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(text(), encoding="utf-8")
