"""Nobody names a family: what a family is, its class says, and anybody who asks about it asks that."""

from __future__ import annotations

import ast
from pathlib import Path

import vastwatch
from vastwatch.devices import FAMILIES

SOURCE = Path(vastwatch.__file__).parent
# Where families are defined and modelled, shown (one table of looks), and read from files of device types, whose
# fields of two parts in one housing are called so.
KNOW_THEM = ("devices/families.py", "devices/non_presence_families.py", "desk/shell/family_style.py", "files/device_list.py",
             "desk/stages/sensors/own_types.py")  # fmt: skip


def test_no_module_asks_for_a_family_by_its_name():
    """A comparison with a name, or a collection of names: then a new family would have to be told there."""
    found = []
    for path in SOURCE.rglob("*.py"):
        name = path.relative_to(SOURCE).as_posix()
        if name in KNOW_THEM or name.startswith("sensing/families/"):
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Compare):
                sides = [node.left, *node.comparators]
                asks = any(isinstance(x, ast.Attribute) and x.attr == "family" for x in sides)
                named = any(isinstance(x, ast.Constant) and x.value in FAMILIES for s in sides for x in ast.walk(s))
                found += [f"{name}:{node.lineno}"] if asks and named else []
            elif isinstance(node, ast.Tuple | ast.List | ast.Set):
                words = [x.value for x in node.elts if isinstance(x, ast.Constant)]
                found += [f"{name}:{node.lineno}"] if len(words) > 1 and all(w in FAMILIES for w in words) else []
    assert found == []
