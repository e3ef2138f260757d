"""Mutants: small mistakes put into the source, drawn by a seed, and whether the quick tests find each.

    scripts/mutants.py [--count 200] [--seed TEXT] [--part core --part workflow ...] [--tests PATH ...] [--jobs 2] [--out FILE.json]

A mutant is one operator, constant, condition or dropped call of `core`, `store`, `workflow` or `live`.  The quick tests run once
with a tracer that notes which test reaches which line; a mutant is then tried on the tests that reach its line, the quickest
first, in a copy of the tree.  What no quick test reaches survives.  Equivalent mutants are listed in `scripts/equivalent.txt`.
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
from collections import Counter, defaultdict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from importlib.util import cache_from_source
from multiprocessing import get_context
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "openstake"
PARTS = ("core", "store", "workflow", "live")
EQUIVALENT = Path(__file__).with_name("equivalent.txt")
LONGEST_S = 900.0
MOST_TESTS = 300  # of those that reach a line: the rest reach it the same way
OPERATORS = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.Mod: ast.Mult,
    ast.FloorDiv: ast.Div,
    ast.Pow: ast.Mult,
    ast.BitOr: ast.BitAnd,
    ast.BitAnd: ast.BitOr,
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.And: ast.Or,
    ast.Or: ast.And,
}


@dataclass(frozen=True, kw_only=True)
class Mutant:
    """One mistake: where it is, what is done to it, and the line before and after."""

    path: str
    line: int
    kind: str
    number: int
    before: str
    after: str

    @property
    def part(self) -> str:
        return self.path.split("/")[0]

    @property
    def key(self) -> str:
        """What names it in the list of equivalent ones: it holds while the line stands as it is."""
        return f"{self.path}: {self.before.strip()} -> {self.after.strip()}"


def changes(tree: ast.AST) -> list[tuple[ast.AST, str]]:
    """Return the places of a module that can be changed, each with its kind, in the order of the source."""
    found: list[tuple[ast.AST, str]] = []
    for node in ast.walk(tree):
        if isinstance(node, ast.BinOp | ast.BoolOp) and type(node.op) in OPERATORS:
            if not (isinstance(node, ast.BinOp) and _is_type(node)):
                found.append((node, "operator"))
        elif isinstance(node, ast.Compare) and type(node.ops[0]) in OPERATORS:
            found.append((node, "condition"))
        elif isinstance(node, ast.If | ast.IfExp | ast.While) and not _is_typing(node.test):
            found.append((node, "negated"))
        elif isinstance(node, ast.Constant) and type(node.value) in (int, float, bool) and not _computes_nothing(node):
            found.append((node, "constant"))
        elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            found.append((node, "dropped call"))
    return sorted(found, key=lambda item: (item[0].lineno, item[0].col_offset, item[1]))  # type: ignore[attr-defined]


def _is_type(node: ast.BinOp) -> bool:
    """Whether a | is of types."""
    sides = (node.left, node.right)
    return isinstance(node.op, ast.BitOr) and any(
        (isinstance(side, ast.Constant) and side.value is None) or (isinstance(side, ast.Name) and side.id[:1].isupper()) for side in sides
    )


def _is_typing(test: ast.expr) -> bool:
    return isinstance(test, ast.Name) and test.id == "TYPE_CHECKING"


def _computes_nothing(node: ast.AST) -> bool:
    return getattr(node, "computes_nothing", False)


def _marked(tree: ast.Module) -> ast.Module:
    """Mark what is no code that computes: annotations, decorators, patience."""
    for node in ast.walk(tree):
        parts = [getattr(node, "annotation", None), getattr(node, "returns", None), *getattr(node, "decorator_list", ())]
        for part in parts:
            for inner in ast.walk(part) if isinstance(part, ast.AST) else ():
                inner.computes_nothing = True  # type: ignore[attr-defined]
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "join":
            for argument in node.args:  # how long an end waits for a thread before it goes on without it
                argument.computes_nothing = True  # type: ignore[attr-defined]
    return tree


def changed(node: ast.AST, kind: str) -> None:
    """Change a place."""
    if kind == "operator":
        node.op = OPERATORS[type(node.op)]()  # type: ignore[attr-defined]
    elif kind == "condition":
        node.ops[0] = OPERATORS[type(node.ops[0])]()  # type: ignore[attr-defined]
    elif kind == "negated":
        node.test = ast.UnaryOp(ast.Not(), node.test)  # type: ignore[attr-defined]
    elif kind == "constant":
        value = node.value  # type: ignore[attr-defined]
        node.value = not value if isinstance(value, bool) else value + 1 if isinstance(value, int) else value * 1.5 + 0.1  # type: ignore[attr-defined]
    else:
        node.value = ast.Constant(None)  # type: ignore[attr-defined]


def mutated(path: Path, number: int) -> tuple[str, ast.AST, str]:
    """Return a module's text with one place changed, the place and its kind."""
    tree = _marked(ast.parse(path.read_text(encoding="utf-8")))
    node, kind = changes(tree)[number]
    changed(node, kind)
    return ast.unparse(ast.fix_missing_locations(tree)), node, kind


def all_mutants(parts: tuple[str, ...]) -> list[tuple[str, int, int, str]]:
    """Return every place as path, number, line and kind."""
    found = []
    for part in parts:
        for path in sorted((SOURCE / part).rglob("*.py")):
            if "migrations" in path.parts or path.stem.startswith("demo"):
                continue  # what a table was once like, and what the demo's numbers are
            places = changes(_marked(ast.parse(path.read_text(encoding="utf-8"))))
            name = path.relative_to(SOURCE).as_posix()
            found += [(name, number, node.lineno, kind) for number, (node, kind) in enumerate(places)]  # type: ignore[attr-defined]
    return found


def drawn(count: int, seed: str, parts: tuple[str, ...]) -> list[Mutant]:
    """Return mutants drawn by a seed, as many of each part, none of those that are listed as equivalent."""
    dice, out = random.Random(seed), []
    listed = _listed()
    for n, part in enumerate(parts):
        share = count // len(parts) + (n < count % len(parts))
        places = all_mutants((part,))
        dice.shuffle(places)
        for name, number, line, kind in places:
            if share == 0:
                break
            lines = (SOURCE / name).read_text(encoding="utf-8").splitlines()
            _, node, _ = mutated(SOURCE / name, number)
            mutant = Mutant(path=name, line=line, kind=kind, number=number, before=lines[line - 1], after=_words(node, kind))
            if mutant.key not in listed:
                out.append(mutant)
                share -= 1
    return out


def _words(node: ast.AST, kind: str) -> str:
    if isinstance(node, ast.If | ast.While):
        return f"[{kind}] {ast.unparse(node.test)}"
    return f"[{kind}] {ast.unparse(node)}"


def _listed() -> set[str]:
    if not EQUIVALENT.exists():
        return set()
    lines = EQUIVALENT.read_text(encoding="utf-8").splitlines()
    return {line.partition("  # ")[0].strip() for line in lines if line and not line.startswith("#")}


def _traced(out: Path, which: list[str]) -> Path:
    """Run the quick tests once, with the tracer that writes to a folder; return it."""
    out.mkdir()
    environment = os.environ | {"OPENSTAKE_REPEATS": "few", "OPENSTAKE_REACHED": str(out)}
    pytest = [sys.executable, "-m", "pytest", "-q", "-n", "2", "--dist", "worksteal", "-m", "not slow"]
    print("The quick tests run once, traced ...", flush=True)
    command = [*pytest, "-p", "scripts.reached", *IGNORED, *which]
    done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True)
    if done.returncode:
        sys.exit(f"The quick tests fail without any mutant:\n{done.stdout[-3000:]}")
    return out


def reached(folder: Path) -> dict[tuple[str, int], list[str]]:
    """Return which tests reach each line by what the tracer wrote, the quickest first."""
    lines: dict[tuple[str, int], list[tuple[float, str]]] = defaultdict(list)
    for file in folder.glob("*.jsonl"):
        for row in file.read_text().splitlines():
            item = json.loads(row)
            for path, numbers in item["lines"].items():
                for number in numbers:
                    lines[path, number].append((item["seconds"], item["test"]))
    return {place: [test for _, test in sorted(tests)] for place, tests in lines.items()}


# These compare the tree with what was written of it: a changed line is no mistake of the program to them.
IGNORED = (
    "--deselect",
    "tests/test_licences.py",
    "--ignore",
    "tests/test_docs.py",
    "--ignore",
    "tests/test_lint.py",
    "--ignore",
    "tests/fuzz",
)


def _body_lines(mutant: Mutant) -> list[int] | None:
    """Return the lines of which one is reached where the mutant is: those of the statement that it is a part of.

    None where that statement is of the module and not of a function.
    """
    tree = ast.parse((SOURCE / mutant.path).read_text(encoding="utf-8"))
    around = [
        node for node in ast.walk(tree) if isinstance(node, ast.stmt) and node.lineno <= mutant.line <= (node.end_lineno or node.lineno)
    ]
    functions = [node for node in around if isinstance(node, ast.FunctionDef)]
    if not any(node.body[0].lineno <= mutant.line for node in functions):
        return None
    holds = [node for node in around if not isinstance(node, ast.FunctionDef | ast.ClassDef)]
    smallest = min(holds, key=lambda node: (node.end_lineno or 0) - node.lineno, default=None)
    return [mutant.line] if smallest is None else sorted({mutant.line, *range(smallest.lineno, (smallest.end_lineno or 0) + 1)})


def tried(mutant: Mutant, tests: dict[tuple[str, int], list[str]], tree: Path) -> str:
    """Return what became of a mutant in a copy of the tree: killed, survived or not reached."""
    lines = _body_lines(mutant)
    if lines is None:  # what a module does when it is imported: whoever reaches anything of it
        lines = [line for path, line in tests if path == mutant.path]
    candidates = list(dict.fromkeys(test for line in lines for test in tests.get((mutant.path, line), ())))
    if not candidates:
        return "not reached"
    path = tree / "src" / "openstake" / mutant.path
    whole = path.read_text(encoding="utf-8")
    text, _, _ = mutated(SOURCE / mutant.path, mutant.number)
    _put(path, text)
    try:
        process = _FORKS.Process(target=_run_tests, args=(tree, candidates[:MOST_TESTS]))
        process.start()
        process.join(LONGEST_S)
        process.kill()  # what hangs outside of a test
        process.join()
    finally:
        _put(path, whole)
    return "survived" if process.exitcode == 0 else "killed"


def _put(path: Path, text: str) -> None:
    """Write a module; what was compiled of it before is of no use, though it be as long and of the same second."""
    path.write_text(text, encoding="utf-8")
    Path(cache_from_source(str(path))).unlink(missing_ok=True)


# A process that has imported what no mutant changes: each trial forks from it.
_FORKS = get_context("forkserver")
_IMPORTED = ["_pytest.main", "hypothesis", "numpy", "scipy.stats", "sqlalchemy.orm", "flask", "pydantic", "spectree"]


def _run_tests(tree: Path, tests: list[str]) -> None:
    os.environ["OPENSTAKE_REPEATS"] = "few"
    sys.dont_write_bytecode = False
    os.chdir(tree)
    sys.path[:0] = [str(tree / "src"), str(tree)]
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.dup2(nowhere, 2)
    import pytest

    # A test that hangs ends it all: nobody would not see that.
    hangs = ["-o", "faulthandler_timeout=60", "-o", "faulthandler_exit_on_timeout=true"]
    os._exit(pytest.main(["-x", "-q", "-p", "no:cacheprovider", "-p", "no:xdist", *hangs, *tests]))


def main() -> None:
    """Try mutants and print how many of each part are killed, and those that are not."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", default="open stake")
    parser.add_argument("--part", action="append", choices=PARTS)
    parser.add_argument("--tests", action="append", default=[], help="tests to try them on, in place of all quick ones")
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--out", type=Path)
    parser.add_argument("--reached", type=Path, help="what an earlier run with the tracer wrote, in place of another one")
    asked = parser.parse_args()
    _FORKS.set_forkserver_preload(_IMPORTED)
    mutants = drawn(asked.count, asked.seed, tuple(asked.part or PARTS))
    begun = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="mutants-") as name:
        folder = Path(name)
        tests = reached(asked.reached or _traced(folder / "reached", asked.tests))
        trees: Queue[Path] = Queue()
        for n in range(asked.jobs):
            copy = folder / f"tree-{n}"
            shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(".git", ".venv", "node_modules", ".stamps", "data", "__pycache__"))
            (copy / ".venv").symlink_to(ROOT / ".venv")
            trees.put(copy)

        def one(mutant: Mutant) -> tuple[Mutant, str]:
            tree = trees.get()
            try:
                result = tried(mutant, tests, tree)
            finally:
                trees.put(tree)
            print(f"{result:12} {mutant.path}:{mutant.line} {mutant.after[:90]}", flush=True)
            return mutant, result

        with ThreadPoolExecutor(asked.jobs) as pool:
            results = list(pool.map(one, mutants))
    _tell(results, time.monotonic() - begun)
    if asked.out:
        asked.out.write_text(json.dumps([asdict(mutant) | {"result": result} for mutant, result in results], indent=1))


def _tell(results: list[tuple[Mutant, str]], seconds: float) -> None:
    counts: dict[str, Counter[str]] = defaultdict(Counter)
    for mutant, result in results:
        counts[mutant.part][result] += 1
    print()
    for part, found in counts.items():
        killed, whole = found["killed"], found.total()
        print(
            f"{part:9} {killed:3} of {whole:3} killed, {100.0 * killed / whole:.0f} %; {found['not reached']} not reached by a quick test"
        )
    print(f"{seconds / 60.0:.1f} min")


if __name__ == "__main__":
    main()
