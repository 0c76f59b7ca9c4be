"""How many hand-made faults the core tests notice: a comparison turned, a sign, a constant off by half, all for any.

``.venv/bin/python benchmarks/mutants.py [COUNT] [SEED]`` works on copies, prints every survivor and how many died.
It is first learned which functions each test calls; a fault is then shown to the tests that call its function, the
quickest first, so the score is a lower bound. A survivor is a line that no test of the core holds, or a change that
makes no difference.
"""

from __future__ import annotations

import ast
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from types import FrameType
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
ROOMS = ("judge", "circuit", "kinds", "prove")
AT_ONCE = os.cpu_count() or 1
LISTEN = "listen"
"""How this file is called to tell what the tests call: ``mutants.py listen``, in a copy."""
TURNED: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Add: ast.Sub, ast.Sub: ast.Add,
    ast.Mult: ast.Div, ast.Div: ast.Mult, ast.And: ast.Or, ast.Or: ast.And, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
}  # fmt: skip
TWINS = {"any": "all", "all": "any", "min": "max", "max": "min"}


def places(tree: ast.Module) -> Iterator[ast.AST]:
    """Every node that can be turned into a fault; texts and annotations apart."""
    yield from (node for node in ast.walk(tree) if _spoils(node))


def _spoils(node: ast.AST) -> bool:
    match node:
        case ast.Compare():
            return type(node.ops[0]) in TURNED
        case ast.BinOp() | ast.BoolOp():
            return type(node.op) in TURNED and not _of_texts(node)
        case ast.Constant():
            return type(node.value) is float and node.value != 0.0
        case ast.Call(func=ast.Name(id=name)):
            return name in TWINS
    return False


def _of_texts(node: ast.AST) -> bool:
    return any(isinstance(part, ast.JoinedStr) or _is_text(part) for part in ast.walk(node))


def _is_text(part: ast.AST) -> bool:
    return isinstance(part, ast.Constant) and isinstance(part.value, str)


def spoil(node: ast.AST) -> str:
    """Turn a node into a fault; what it was."""
    was = ast.unparse(node)
    if isinstance(node, ast.Compare):
        node.ops[0] = TURNED[type(node.ops[0])]()  # type: ignore[assignment]
    elif isinstance(node, ast.BinOp | ast.BoolOp):
        node.op = TURNED[type(node.op)]()  # type: ignore[assignment]
    elif isinstance(node, ast.Constant) and isinstance(node.value, float):
        node.value = node.value * 1.5
    elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
        node.func.id = TWINS[node.func.id]
    return f"{was}  ->  {ast.unparse(node)}"


class Fault(NamedTuple):
    """One place to spoil."""

    file: Path
    """Below a copy's root."""
    at: int
    """The which place of the file."""
    function: int
    """The first line of the function it stands in; 0 at a module's or a class's top."""


def faults(root: Path) -> list[Fault]:
    """Every place of the rooms."""
    found = []
    for room in ROOMS:
        top = root / "src" / "hermotrope_core" / room
        for file in sorted(top.rglob("*.py")):
            tree = ast.parse(file.read_text())
            inside: dict[int, int] = {}
            for one in ast.walk(tree):  # from the outside in: the innermost function is the last to say
                if isinstance(one, ast.FunctionDef):
                    first = min([one.lineno, *(mark.lineno for mark in one.decorator_list)])
                    inside.update((id(part), first) for line in one.body for part in ast.walk(line))
            name = file.relative_to(root)
            found += [Fault(name, i, inside.get(id(one), 0)) for i, one in enumerate(places(tree))]
    return found


def listen() -> None:
    """Run the core tests here and print, as JSON, for each test its seconds and the functions of the core it calls."""
    heard: dict[str, tuple[float, list[str]]] = {}
    plain = unittest.TestCase.run
    here = f"{Path.cwd() / 'src' / 'hermotrope_core'}{os.sep}"

    def run(test: unittest.TestCase, result: unittest.TestResult | None = None) -> unittest.TestResult | None:
        called: set[tuple[str, int]] = set()

        def call(frame: FrameType, _event: str, _arg: object) -> None:
            called.add((frame.f_code.co_filename, frame.f_code.co_firstlineno))

        began = time.perf_counter()
        sys.settrace(call)
        try:
            return plain(test, result)
        finally:
            sys.settrace(None)
            places = [f"src/hermotrope_core/{file[len(here) :]}:{line}" for file, line in called if here in file]
            heard[test.id()] = (time.perf_counter() - began, sorted(places))

    unittest.TestCase.run = run  # type: ignore[method-assign]
    suite = unittest.defaultTestLoader.discover("tests/core", top_level_dir=".")
    well = unittest.TextTestRunner(stream=sys.stderr, failfast=True).run(suite).wasSuccessful()
    print(json.dumps(heard if well else {}))


def in_copy(copy: Path, *command: str, seconds: float) -> subprocess.CompletedProcess[str]:
    """Run Python in a copy."""
    environment = dict(os.environ, PYTHONPATH=os.pathsep.join([str(copy / "src"), str(copy)]))
    environment |= {"PYTHONDONTWRITEBYTECODE": "1", "DJANGO_SETTINGS_MODULE": "tests.settings"}
    return subprocess.run(
        [sys.executable, *command], cwd=copy, env=environment, capture_output=True, text=True, timeout=seconds,
        check=False,
    )  # fmt: skip


def survives(copy: Path, fault: Fault, tests: list[str]) -> str:
    """What was spoiled, where none of the tests notices; else nothing."""
    file = copy / fault.file
    text = file.read_text()
    tree = ast.parse(text)
    node = list(places(tree))[fault.at]
    told = f"{fault.file}:{node.lineno}: {spoil(node)}"  # type: ignore[attr-defined]
    file.write_text(ast.unparse(tree))
    try:
        if tests and in_copy(copy, "-m", "unittest", "-f", "-q", *tests, seconds=300).returncode:
            return ""
    except subprocess.TimeoutExpired:
        return ""  # it never ends: that is noticed too
    finally:
        file.write_text(text)
    return told


def main() -> int:
    if sys.argv[1:] == [LISTEN]:
        listen()
        return 0
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    drawn = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    top = Path(tempfile.mkdtemp())
    copies: SimpleQueue[Path] = SimpleQueue()
    for i in range(AT_ONCE):
        copy = top / str(i)
        shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(".venv", ".git", "__pycache__", "*_cache"))
        copies.put(copy)
    done = in_copy(copy, "benchmarks/mutants.py", LISTEN, seconds=1800)
    heard = json.loads(done.stdout or "{}")
    if not heard:
        print("the tests fail as they are", done.stderr[-2000:], file=sys.stderr)
        return 1
    calling: dict[str, list[str]] = defaultdict(list)
    for test in sorted(heard, key=lambda one: heard[one][0]):
        for place in heard[test][1]:
            calling[place].append(test)

    def show(fault: Fault) -> str:
        mine = copies.get()
        tests = calling.get(f"{fault.file}:{fault.function}", []) if fault.function else list(heard)
        try:
            told = survives(mine, fault, tests)
        finally:
            copies.put(mine)
        if told:
            print(told, f"({len(tests)} tests call it)", flush=True)
        return told

    every = faults(copy)  # as it was copied: the tree itself may be worked on meanwhile
    with ThreadPoolExecutor(AT_ONCE) as pool:
        survivors = [told for told in pool.map(show, drawn.sample(every, min(count, len(every)))) if told]
    print(f"{count - len(survivors)} of {count} died, out of {len(every)} places")
    shutil.rmtree(top)
    return 0


if __name__ == "__main__":
    sys.exit(main())
