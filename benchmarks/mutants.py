"""How many hand-made faults the core tests notice: a comparison turned, a sign, a constant off by half, all for any.

``.venv/bin/python benchmarks/mutants.py [COUNT] [SEED]`` prints every survivor and how many died. It is first learned
which functions each test calls; a fault is then put into its function in a process of its own and shown to the tests
that call it, the quickest first, so the score is a lower bound. Only what stands within functions is tried: a table is
read when it is loaded. A survivor is a line that no test of the core holds, or a change that makes no difference; those
found so far stand in ``survivors.txt``, each with the reason why it is left.
"""

from __future__ import annotations

import ast
import gc
import os
import random
import signal
import sys
import time
import unittest
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from types import CodeType, FrameType, FunctionType
from typing import NamedTuple

ROOT = Path(__file__).resolve().parent.parent
CORE = ROOT / "src" / "hermotrope_core"
ROOMS = ("judge", "circuit", "kinds", "prove", "match")
AT_ONCE = os.cpu_count() or 1
PATIENCE_S = 60.0
"""After so long no further test is shown a fault."""
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
    """Below the root."""
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


def listen(suite: unittest.TestSuite) -> dict[str, tuple[float, list[str]]]:
    """Run tests; for each its seconds and the functions of the core that it calls. Empty where one fails."""
    heard: dict[str, tuple[float, list[str]]] = {}
    plain = unittest.TestCase.run
    here = f"{CORE}{os.sep}"

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
            names = [f"{Path(file).relative_to(ROOT)}:{line}" for file, line in called if file.startswith(here)]
            heard[test.id()] = (time.perf_counter() - began, sorted(names))

    unittest.TestCase.run = run  # type: ignore[method-assign]
    try:
        well = unittest.TextTestRunner(stream=sys.stderr, failfast=True).run(suite).wasSuccessful()
    finally:
        unittest.TestCase.run = plain  # type: ignore[method-assign]
    return heard if well else {}


def each(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for one in suite:
        if isinstance(one, unittest.TestSuite):
            yield from each(one)
        else:
            yield one


class Spoiled(NamedTuple):
    """A fault put into words and into code."""

    told: str
    function: str
    """The qualified name of the outermost function it stands in; empty at a module's or a class's top."""
    code: CodeType


def spoiled(fault: Fault) -> Spoiled:
    """The file of a fault, compiled with it."""
    file = ROOT / fault.file
    tree = ast.parse(file.read_text())
    node = list(places(tree))[fault.at]
    told = f"{fault.file}:{node.lineno}: {spoil(node)}"  # type: ignore[attr-defined]
    return Spoiled(told, _outermost(tree.body, node), compile(tree, str(file), "exec"))


def _outermost(body: list[ast.stmt], node: ast.AST, before: str = "") -> str:
    for one in body:
        if isinstance(one, ast.FunctionDef) and any(part is node for line in one.body for part in ast.walk(line)):
            return before + one.name
        if isinstance(one, ast.ClassDef) and (found := _outermost(one.body, node, f"{before}{one.name}.")):
            return found
    return ""


def _codes(code: CodeType) -> Iterator[CodeType]:
    for one in code.co_consts:
        if isinstance(one, CodeType):
            yield one
            yield from _codes(one)


def functions() -> dict[tuple[str, str], list[FunctionType]]:
    """Every function of the core that is loaded, by its file and its qualified name."""
    found: dict[tuple[str, str], list[FunctionType]] = defaultdict(list)
    for one in gc.get_objects():
        if isinstance(one, FunctionType) and one.__code__.co_filename.startswith(str(CORE)):
            found[one.__code__.co_filename, one.__code__.co_qualname].append(one)
    return found


class Impatient(unittest.TestResult):
    """Stops at the first failure, and begins no further test after a while."""

    def __init__(self) -> None:
        super().__init__()
        self.failfast = True
        self.until = time.monotonic() + PATIENCE_S

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802  # the name is unittest's
        super().startTest(test)
        if time.monotonic() > self.until:
            self.stop()


def begin(spoilt: Spoiled, loaded: list[FunctionType], tests: list[unittest.TestCase]) -> int:
    """Show a fault to tests, quickest first, in a process of its own, which ends with 1 if one of them notices."""
    child = os.fork()
    if child:
        return child
    try:
        silence = os.open(os.devnull, os.O_WRONLY)
        os.dup2(silence, 1)
        os.dup2(silence, 2)
        code = next(one for one in _codes(spoilt.code) if one.co_qualname == spoilt.function)
        for one in loaded:
            one.__code__ = code
        result = Impatient()
        unittest.TestSuite(tests).run(result)
        os._exit(int(not result.wasSuccessful()))
    except BaseException:  # a fault may raise anything, where no test stands around it too
        os._exit(1)


def main() -> int:
    os.environ["DJANGO_SETTINGS_MODULE"] = "tests.settings"
    sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
    suite = unittest.defaultTestLoader.discover(str(ROOT / "tests" / "core"), top_level_dir=str(ROOT))
    tests = {test.id(): test for test in each(suite)}
    heard = listen(unittest.TestSuite(tests.values()))
    if not heard:
        print("the tests fail as they are", file=sys.stderr)
        return 1
    calling: dict[str, list[unittest.TestCase]] = defaultdict(list)
    for test in sorted(heard, key=lambda one: heard[one][0]):
        for place in heard[test][1]:
            calling[place].append(tests[test])
    every = [one for one in faults(ROOT) if one.function]
    count = min(int(sys.argv[1]) if len(sys.argv) > 1 else 60, len(every))
    drawn = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 1).sample(every, count)
    loaded = functions()
    running: dict[int, tuple[str, int, float]] = {}
    alive = 0
    while drawn or running:
        while drawn and len(running) < AT_ONCE:
            fault = drawn.pop()
            spoilt, called = spoiled(fault), calling[f"{fault.file}:{fault.function}"]
            these = loaded[str(ROOT / fault.file), spoilt.function]
            running[begin(spoilt, these, called)] = spoilt.told, len(called), time.monotonic()
        time.sleep(0.02)
        for child, (told, shown, began) in list(running.items()):
            done, status = os.waitpid(child, os.WNOHANG)
            if not done and time.monotonic() - began > 4 * PATIENCE_S:  # it never ends: that is noticed too
                os.kill(child, signal.SIGKILL)
                done, status = os.waitpid(child, 0)
            if done:
                del running[child]
                if status == 0:
                    alive += 1
                    print(told, f"({shown} tests call it)", flush=True)
    print(f"{count - alive} of {count} died, out of {len(every)} places within functions")
    return 0


if __name__ == "__main__":
    sys.exit(main())
