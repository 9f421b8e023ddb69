"""Checks that no word of the list `dialect.txt` comes back in what people read.

That is the texts of the program, its pages, and the docstrings and comments of its code.

usage: words.py; prints each hit with its place and what to write instead, and exits with 1 if there is any.
"""

from __future__ import annotations

import ast
import io
import re
import sys
import tokenize
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
# Keys of incidents and causes, in what other programs read.
KEYS = ("own hold", "false start")
PAGES = (
    "README.md", "docs/guide.md", "docs/glossary.md", "docs/models.md", "docs/architecture.md", "docs/catalogue.md",
    "docs/format/README.md", "docs/third-party.md",
)  # fmt: skip


def listed() -> list[tuple[re.Pattern[str], str]]:
    """The words that must not come back, with what to write instead."""
    lines = (ROOT / "tools" / "dialect.txt").read_text(encoding="utf-8").splitlines()
    pairs = (line.split("\t") for line in lines if line and not line.startswith("#"))
    return [(re.compile(word, re.IGNORECASE), instead) for word, instead in pairs]


def texts(source: str) -> Iterator[tuple[int, str]]:
    """Strings of a module that are sentences or phrases, with their lines, and what `notes` gives; single words are
    not."""
    tree = ast.parse(source)
    docs = {id(n.value) for n in ast.walk(tree) if isinstance(n, ast.Expr)}
    for node in ast.walk(tree):
        if not isinstance(node, ast.Constant) or not isinstance(node.value, str) or id(node) in docs:
            continue
        if " " in node.value.strip() and node.value not in KEYS:
            yield node.lineno, node.value
    yield from notes(source, tree)


def notes(source: str, tree: ast.Module | None = None) -> Iterator[tuple[int, str]]:
    """Docstrings and comments of a module, without the names in them that are in backticks."""
    documented = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef, ast.Module)
    for node in ast.walk(tree or ast.parse(source)):
        if isinstance(node, documented) and (text := ast.get_docstring(node, clean=False)) is not None:
            yield node.body[0].lineno, re.sub(r"`[^`]*`", "", text)
    for token in tokenize.generate_tokens(io.StringIO(source).readline):
        if token.type == tokenize.COMMENT:
            yield token.start[0], re.sub(r"`[^`]*`", "", token.string)


def lines(page: str) -> Iterator[tuple[int, str]]:
    """Lines of a page without its code and its comments: names in code may be older than the words."""
    shown = re.sub(r"<!--.*?-->", lambda m: re.sub(r"[^\n]", "", m[0]), page, flags=re.DOTALL)
    for n, line in enumerate(shown.splitlines(), 1):
        if not line.startswith("    "):
            yield n, re.sub(r"`[^`]*`|\]\([^)]*\)", "", line)


def hits() -> Iterator[str]:
    """Every word of the list that is found, with its place."""
    words = listed()
    places = [(p, texts(p.read_text(encoding="utf-8"))) for p in sorted((ROOT / "src").rglob("*.py"))]
    for folder in ("tests", "tools", "benchmarks"):
        # What tests type and expect is data; what they say of themselves is text.
        places += [(p, notes(p.read_text(encoding="utf-8"))) for p in sorted((ROOT / folder).rglob("*.py"))]
    places += [(ROOT / p, lines((ROOT / p).read_text(encoding="utf-8"))) for p in PAGES]
    for path, found in places:
        for n, text in found:
            for pattern, instead in words:
                if (m := pattern.search(text)) is not None:
                    yield f"{path.relative_to(ROOT)}:{n}: “{m[0]}”; write: {instead}"


if __name__ == "__main__":
    every = list(hits())
    print("\n".join(every) or "No word of the list was found.")
    sys.exit(bool(every))
