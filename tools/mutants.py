"""Put one small fault at a time into the core and see whether its tests notice.

    python -m tools.mutants [--count 100] [--seed 1] [--workers 2] [--paths src/jalan/sql src/jalan/lineage]

A sample of all places where a comparison, a connective, a constant or a statement can be changed is taken at a
seed; each change is tried in a copy of the project against ``tests/core``, the examples in the docstrings, and the
oracles that need no server. The share that is noticed is printed, and every change that lived, with its place. Some
that live change nothing that can be seen; a person must tell.
"""

import argparse
import ast
import os
import random
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

from tools.copies import ROOT, copy_of_project

_FIRST = ("test_readings.py", "test_corpus.py", "test_extract.py", "test_procedures.py", "test_printing.py")
_LAST = ("src/jalan/sql", "src/jalan/lineage", "tests/oracle/test_duckdb.py", "tests/oracle/test_duckdb_forms.py")
_LIMIT = 600  # seconds; a test that never ends has noticed
_OTHER: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
}


@dataclass(frozen=True)
class Fault:
    """One change: the number of the node in the walk over its module, and what is done to it."""

    path: Path
    line: int
    node: int
    what: str


def faults(path: Path) -> Iterator[Fault]:
    """Yield what can be changed in a module."""
    module = ast.parse(path.read_text())
    made = {
        id(node) for node in ast.walk(module) if isinstance(node, ast.ClassDef) for node in _in_decorators(node)
    }
    for number, node in enumerate(ast.walk(module)):
        what = ""
        if id(node) in made:
            continue  # how a class of the tree is made is nothing that it does
        if isinstance(node, ast.Compare) and type(node.ops[0]) in _OTHER:
            what = f"{type(node.ops[0]).__name__} for {_OTHER[type(node.ops[0])].__name__}"
        elif isinstance(node, ast.BoolOp):
            what = "and for or" if isinstance(node.op, ast.Or) else "or for and"
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            what = "without not"
        elif isinstance(node, ast.Constant) and (node.value is True or node.value is False):
            what = f"{not node.value} for {node.value}"
        elif isinstance(node, ast.Constant) and type(node.value) is int:
            what = f"{node.value + 1} for {node.value}"
        elif (isinstance(node, ast.Expr) and isinstance(node.value, ast.Call)) or isinstance(node, ast.AugAssign):
            what = "without the statement"
        if what:
            yield Fault(path, node.lineno, number, what)  # type: ignore[attr-defined]


def _in_decorators(node: ast.ClassDef) -> Iterator[ast.AST]:
    for decorator in node.decorator_list:
        yield from ast.walk(decorator)


def changed(fault: Fault) -> str:
    """Return the module with its fault."""
    module = ast.parse(fault.path.read_text())
    node = next(node for number, node in enumerate(ast.walk(module)) if number == fault.node)
    if isinstance(node, ast.Compare):
        node.ops[0] = _OTHER[type(node.ops[0])]()
    elif isinstance(node, ast.BoolOp):
        node.op = ast.And() if isinstance(node.op, ast.Or) else ast.Or()
    elif isinstance(node, ast.UnaryOp):
        node.op = ast.UAdd()  # +x of a truth value is as true as x
    elif isinstance(node, ast.Constant):
        node.value = not node.value if isinstance(node.value, bool) else node.value + 1  # type: ignore[operator]
    else:
        return _without(module, node)
    return ast.unparse(module)


def _without(module: ast.Module, gone: ast.AST) -> str:
    for node in ast.walk(module):
        for name in ("body", "orelse", "finalbody"):
            body = getattr(node, name, None)
            if isinstance(body, list) and gone in body:
                body[body.index(gone)] = ast.copy_location(ast.Pass(), gone)
    return ast.unparse(module)


def is_noticed(fault: Fault, copy: Path) -> bool:
    """Run the tests of the core in a copy that has the fault."""
    place = copy / fault.path.relative_to(ROOT)
    before = place.read_text()
    place.write_text(changed(fault))
    try:
        return not passes(copy)
    finally:
        place.write_text(before)


def passes(copy: Path) -> bool:
    """Whether the tests of the core pass in a copy."""
    tests = [str(Path("tests/core") / name) for name in _FIRST]
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *tests, "tests/core", *_LAST]
    environment = {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        ran = subprocess.run(command, cwd=copy, env=environment, capture_output=True, timeout=_LIMIT, check=False)
    except subprocess.TimeoutExpired:
        return False
    return ran.returncode == 0


def main() -> None:
    """Try a sample and print what lived."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--count", type=int, default=100, help="faults to try (100)")
    arguments.add_argument("--seed", type=int, default=1, help="of the sample (1)")
    arguments.add_argument("--workers", type=int, default=2, help="copies that are tried side by side (2)")
    arguments.add_argument("--paths", nargs="+", default=["src/jalan/sql", "src/jalan/lineage"])
    given = arguments.parse_args()
    files = sorted(file for path in given.paths for file in (ROOT / path).rglob("*.py"))
    every = [fault for file in files for fault in faults(file)]
    sample = random.Random(given.seed).sample(every, min(given.count, len(every)))
    copies: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder:
        for n in range(given.workers):
            copy = Path(folder) / str(n)
            copy.mkdir()
            copy_of_project(copy)
            copies.put(copy)
        if not passes(copy):
            sys.exit("the tests fail without a fault")

        def attempt(fault: Fault) -> bool:
            copy = copies.get()
            try:
                return is_noticed(fault, copy)
            finally:
                copies.put(copy)

        with ThreadPoolExecutor(given.workers) as pool:
            noticed = 0
            for fault, seen in zip(sample, pool.map(attempt, sample), strict=True):
                noticed += seen
                if not seen:
                    print(f"lived: {fault.path.relative_to(ROOT)}:{fault.line} {fault.what}", flush=True)
    print(f"{noticed} of {len(sample)} faults noticed ({noticed / len(sample):.0%}), of {len(every)} places")


if __name__ == "__main__":
    main()
