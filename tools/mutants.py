"""How well the core's tests defend the core: break it on purpose in many small ways, one by one, and see who notices.

    make mutants                 200 mutants, drawn with seed 1
    make mutants N=40 SEED=7     others
    tools/mutants.py --again verdicts.jsonl     once more those that nothing noticed, when tests have been added

A mutant is one changed operator, constant, condition, call or statement in the packages of `AIM`. For each, only the
tests that run the changed line are run (found once by coverage with a context a test), quickest first, until one fails.
What no test notices is listed: either a test is missing, or the change makes no difference to anybody.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue

import coverage

ROOT = Path(__file__).parents[1]
PACKAGE = ROOT / "src" / "vastwatch"
AIM = ("sensing", "people", "control", "rehearsal", "advice", "signals", "design", "loops")
# Compiled loops are not seen by coverage: these tests run them as plain Python, with the compiler off.
LOOPS = PACKAGE / "loops"
LOOP_TESTS = tuple(f"tests/core/test_{x}.py" for x in ("loops", "reactions", "end_to_end", "zones_lived", "many_lives"))
COMPILER_OFF = {"NUMBA_DISABLE_JIT": "1", "PYTHONWARNINGS": "ignore::RuntimeWarning"}
# A mutant that makes the tests so slow is noticed as well: seconds.
PATIENCE = 240.0

OTHER_COMPARISON = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
OTHER_OPERATOR = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.BitAnd: ast.BitOr,
    ast.BitOr: ast.BitAnd, ast.FloorDiv: ast.Div, ast.Mod: ast.Mult, ast.Pow: ast.Mult,
}  # fmt: skip
OTHER_NAME = {"min": "max", "max": "min", "any": "all", "all": "any", "minimum": "maximum", "maximum": "minimum"}


@dataclass(frozen=True)
class Mutant:
    """A place of a file, what stands there and what shall stand there instead."""

    file: Path
    line: int
    statement: int
    start: int
    end: int
    was: str
    now: str
    # Whether it runs when its module is imported, and not when a function is called.
    at_import: bool = False

    def __str__(self) -> str:
        return f"{self.file.relative_to(ROOT)}:{self.line}  {self.was!r} -> {self.now!r}"


def changed(node: ast.AST) -> ast.AST | str | None:
    """What could stand in a node's place; None if nothing is to be changed here."""
    match node:
        case ast.Compare(left, [op], [right]) if type(op) in OTHER_COMPARISON:
            return ast.Compare(left, [OTHER_COMPARISON[type(op)]()], [right])
        case ast.BinOp(left, op, right) if type(op) in OTHER_OPERATOR and not isinstance(left, ast.Constant):
            return ast.BinOp(left, OTHER_OPERATOR[type(op)](), right)
        case ast.BoolOp(ast.And(), values):
            return ast.BoolOp(ast.Or(), values)
        case ast.BoolOp(ast.Or(), values):
            return ast.BoolOp(ast.And(), values)
        case ast.UnaryOp(ast.Not() | ast.USub() | ast.Invert(), operand):
            return operand
        case ast.Constant(bool() as value):
            return ast.Constant(not value)
        case ast.Constant(int() | float() as value):
            return ast.Constant(value + 1)
        case ast.IfExp(test, body, orelse):
            return ast.IfExp(test, orelse, body)
        case ast.Call(ast.Name(name), args, keywords) if name in OTHER_NAME:
            return ast.Call(ast.Name(OTHER_NAME[name]), args, keywords)
        case ast.Call(ast.Attribute(value, name), args, keywords) if name in OTHER_NAME:
            return ast.Call(ast.Attribute(value, OTHER_NAME[name]), args, keywords)
        case ast.AugAssign() | ast.Expr(ast.Call()) | ast.Continue() | ast.Break():
            return "pass"
        case _:
            return None


def in_signature(tree: ast.AST) -> set[int]:
    """The nodes of annotations and decorators: to change them is to change nothing that runs."""
    out: set[int] = set()
    for node in ast.walk(tree):
        parts: list[ast.AST | None] = []
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            every = [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs]
            parts = [node.returns, *(a.annotation for a in every), *node.decorator_list]
        elif isinstance(node, ast.AnnAssign):
            parts = [node.annotation]
        elif isinstance(node, ast.ClassDef):
            parts = [*node.decorator_list, *node.bases]
        out |= {id(x) for part in parts if part is not None for x in ast.walk(part)}
    return out


def mutants_of(file: Path) -> list[Mutant]:
    """Every mutant of a file."""
    source = file.read_bytes()
    starts = [0]
    for line in source.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    tree = ast.parse(source)
    skipped = in_signature(tree)
    called = {id(x) for f in ast.walk(tree) if isinstance(f, ast.FunctionDef) for s in f.body for x in ast.walk(s)}
    # Walked from the outside in: the innermost statement has the last word.
    begins = {id(x): s.lineno for s in ast.walk(tree) if isinstance(s, ast.stmt) for x in ast.walk(s)}
    out = []
    for node in ast.walk(tree):
        other = None if id(node) in skipped else changed(node)
        if other is None:
            continue
        start = starts[node.lineno - 1] + node.col_offset  # type: ignore[attr-defined]
        end = starts[node.end_lineno - 1] + node.end_col_offset  # type: ignore[attr-defined]
        now = other if isinstance(other, str) else f"({ast.unparse(ast.fix_missing_locations(other))})"
        was = source[start:end].decode()
        out.append(Mutant(file, node.lineno, begins[id(node)], start, end, was, now, id(node) not in called))  # type: ignore[attr-defined]
    return out


def run_tests(source: Path, ids: list[str], plain: bool, *more: str) -> subprocess.CompletedProcess[str]:
    """The core's tests against a tree of sources; `plain`: with the compiler off."""
    env = {**os.environ, "PYTHONPATH": str(source), "HYPOTHESIS_DATABASE": "none"}
    if plain:
        env |= COMPILER_OFF
        more = (*more, "-W", COMPILER_OFF["PYTHONWARNINGS"])
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:pytest-qt", "-p", "no:cacheprovider", *more, *ids]
    return subprocess.run(command, cwd=ROOT, env=env, capture_output=True, text=True, timeout=PATIENCE)


class Reach:
    """Which tests run which line, and how long each takes."""

    def __init__(self, folder: Path) -> None:
        self._seconds: dict[str, float] = {}
        self._data = self._covered(folder / "all", {}, "tests/core")
        self._loops = self._covered(folder / "loops", COMPILER_OFF, *LOOP_TESTS)

    def _covered(self, folder: Path, also: dict[str, str], *tests: str) -> coverage.CoverageData:
        """What some tests run, line by line; how long each takes is noted."""
        from xml.etree import ElementTree

        folder.mkdir()
        data, times = folder / "coverage", folder / "junit.xml"
        env = {**os.environ, "COVERAGE_FILE": str(data), "PYTHONPATH": str(PACKAGE.parent), **also}
        ignored = ("-W", also["PYTHONWARNINGS"]) if also else ()
        command = [
            sys.executable, "-m", "pytest", *tests, "-q", "-p", "no:pytest-qt", f"--cov={PACKAGE}",
            "--cov-context=test", "--cov-report=", f"--junitxml={times}", "-n", "2", *ignored,
        ]  # fmt: skip
        subprocess.run(command, cwd=ROOT, env=env, stdout=subprocess.DEVNULL)
        for case in ElementTree.parse(times).iter("testcase"):
            ident = f"{case.get('classname', '').replace('.', '/')}.py::{case.get('name')}"
            if case.find("failure") is None and case.find("error") is None:
                self._seconds.setdefault(ident, float(case.get("time", 0.0)))
            else:
                # While lines are counted it fails as it is: it says nothing about mutants.
                print(f"left out  {ident}", flush=True)
        covered = coverage.CoverageData(str(data))
        covered.read()
        return covered

    def tests_of(self, mutant: Mutant) -> list[str]:
        """The tests that run a mutant's line, quickest first; where that runs when its module is imported, those that
        run anything of the module, or all."""
        data = self._loops if mutant.file.is_relative_to(LOOPS) else self._data
        by_line = data.contexts_by_lineno(str(mutant.file))
        contexts = by_line.get(mutant.line) or by_line.get(mutant.statement) or []
        if mutant.at_import:
            contexts = [c for line in by_line.values() for c in line]
        ids = {c.split("|")[0] for c in contexts if c} & self._seconds.keys()
        if not ids and "" in contexts:
            ids = set(self._seconds)
        return sorted(ids, key=lambda i: self._seconds.get(i, 0.0))


class Copy:
    """A copy of the package that mutants are tried in, one after another. It stays in one folder, so that bytecode and
    compiled loops are those of the mutant before wherever nothing was changed."""

    def __init__(self, folder: Path) -> None:
        self.source = folder / "src"
        shutil.copytree(PACKAGE, self.source / "vastwatch", ignore=shutil.ignore_patterns("__pycache__"))

    @contextmanager
    def changed(self, mutant: Mutant) -> Iterator[None]:
        """The mutant stands in the copy; afterwards what was there before."""
        target = self.source / "vastwatch" / mutant.file.relative_to(PACKAGE)
        text = mutant.file.read_bytes()
        try:
            self._write(target, text[: mutant.start] + mutant.now.encode() + text[mutant.end :])
            yield
        finally:
            self._write(target, text)

    def _write(self, target: Path, text: bytes) -> None:
        # Bytecode is told to be stale by second and size only, and both may be the same.
        for stale in (target.parent / "__pycache__").glob(f"{target.stem}.*.pyc"):
            stale.unlink()
        target.write_bytes(text)


def verdict(mutant: Mutant, tests: list[str], copy: Copy) -> str:
    """ "killed", "survived", "slow" or "unreached"."""
    if not tests:
        return "unreached"
    plain = mutant.file.is_relative_to(LOOPS)
    with copy.changed(mutant):
        # The command line has its limits, and the quickest tests notice most.
        for k in range(0, len(tests), 60):
            try:
                done = run_tests(copy.source, tests[k : k + 60], plain, "-x", "--no-header", "--tb=no")
            except subprocess.TimeoutExpired:
                return "slow"
            if done.returncode != 0:
                return "killed"
    return "survived"


def left_of(verdicts: Path, every: list[Mutant]) -> list[Mutant]:
    """The mutants that nothing noticed, each where it is now: the lines may have moved since."""
    out = []
    for line in verdicts.read_text().splitlines():
        told = json.loads(line)
        if told["verdict"] in ("survived", "unreached"):
            place, change = told["mutant"].split("  ", 1)
            name, number = place.rsplit(":", 1)
            same = [m for m in every if str(m).split("  ", 1)[1] == change and str(m.file.relative_to(ROOT)) == name]
            if same:
                out.append(min(same, key=lambda m: abs(m.line - int(number))))
            else:
                print(f"gone      {told['mutant']}", flush=True)
    return out


def main() -> None:
    """Draw mutants, try them, tell who survived."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("-n", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--out", type=Path, help="a JSON Lines file that each verdict is added to")
    parser.add_argument("--again", type=Path, help="such a file: only what was not killed there")
    options = parser.parse_args()
    every = [m for p in AIM for f in sorted((PACKAGE / p).rglob("*.py")) for m in mutants_of(f)]
    drawn = random.Random(options.seed).sample(every, min(options.n, len(every)))
    if options.again:
        drawn = left_of(options.again, every)
    print(f"{len(every)} mutants, {len(drawn)} of them drawn", flush=True)
    with tempfile.TemporaryDirectory(prefix="reach-") as folder:
        reach = Reach(Path(folder))
        copies: SimpleQueue[Copy] = SimpleQueue()
        for k in range(options.workers):
            copies.put(Copy(Path(folder) / f"copy-{k}"))
        told: dict[str, list[Mutant]] = {}
        begun = time.monotonic()

        def judge(mutant: Mutant) -> None:
            copy = copies.get()
            word = verdict(mutant, reach.tests_of(mutant), copy)
            copies.put(copy)
            told.setdefault(word, []).append(mutant)
            done = sum(map(len, told.values()))
            print(f"{done:4d} {time.monotonic() - begun:6.0f} s  {word:9s} {mutant}", flush=True)
            if options.out:
                with options.out.open("a") as file:
                    file.write(json.dumps({"verdict": word, "mutant": str(mutant)}) + "\n")

        with ThreadPoolExecutor(options.workers) as pool:
            list(pool.map(judge, drawn))
    killed = len(told.get("killed", [])) + len(told.get("slow", []))
    print(f"\n{killed} of {len(drawn)} killed, {killed / max(len(drawn), 1):.0%}")
    for word in ("survived", "unreached"):
        for mutant in sorted(told.get(word, []), key=str):
            print(f"  {word:9s} {mutant}")


if __name__ == "__main__":
    main()
