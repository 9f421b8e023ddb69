"""How the program fits together: no module needs one that needs it, by whatever import."""

from __future__ import annotations

import ast
from graphlib import TopologicalSorter
from pathlib import Path

import vastwatch

ROOT = Path(vastwatch.__file__).parents[1]


def test_no_modules_need_each_other():
    """Also by imports inside functions and for types alone."""
    files = {path.relative_to(ROOT).with_suffix("").parts: path for path in (ROOT / "vastwatch").rglob("*.py")}
    modules = {".".join(parts).removesuffix(".__init__"): path for parts, path in files.items()}
    needs: dict[str, set[str]] = {}
    for name, path in modules.items():
        found = needs[name] = set()
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module:
                for alias in node.names:
                    whole = f"{node.module}.{alias.name}"
                    found |= {whole} if whole in modules else {node.module} & modules.keys()
            elif isinstance(node, ast.Import):
                found |= {alias.name for alias in node.names} & modules.keys()
        found.discard(name)
    assert len(list(TopologicalSorter(needs).static_order())) == len(modules) > 400
