"""How many hand-made faults the core tests notice: a comparison turned, a sign, a constant off by half, all for any.

Works on a copy: ``.venv/bin/python benchmarks/mutants.py [COUNT] [SEED]`` prints every survivor and how many died.
A survivor is a line that no test of the core holds, or a change that makes no difference.
"""

from __future__ import annotations

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
ROOMS = ("judge", "circuit", "kinds", "prove", "hours")
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


def dies(copy: Path) -> bool:
    """Whether a test of the core notices: first the outputs, then all of them."""
    environment = dict(os.environ, PYTHONPATH=str(copy / "src"), PYTHONDONTWRITEBYTECODE="1")
    for label in ("tests.core.test_outputs", "tests.core"):
        command = [sys.executable, "-m", "hermotrope", "test", label, "--failfast", "--parallel", "1"]
        try:
            done = subprocess.run(command, cwd=copy, env=environment, capture_output=True, timeout=600, check=False)
        except subprocess.TimeoutExpired:
            return True  # it never ends: that is noticed too
        if done.returncode:
            return True
    return False


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    drawn = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    copy = Path(tempfile.mkdtemp()) / "copy"
    shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(".venv", ".git", "__pycache__", "*_cache"))
    files = [file for room in ROOMS for file in sorted((copy / "src" / "hermotrope_core" / room).rglob("*.py"))]
    every = [(file, i) for file in files for i, _ in enumerate(places(ast.parse(file.read_text())))]
    if dies(copy):
        print("the tests fail as they are", file=sys.stderr)
        return 1
    survived = 0
    for file, i in drawn.sample(every, count):
        text = file.read_text()
        tree = ast.parse(text)
        node = list(places(tree))[i]
        told = f"{file.relative_to(copy / 'src')}:{node.lineno}: {spoil(node)}"  # type: ignore[attr-defined]
        file.write_text(ast.unparse(tree))
        if not dies(copy):
            survived += 1
            print(told, flush=True)
        file.write_text(text)
    print(f"{count - survived} of {count} died, out of {len(every)} places")
    shutil.rmtree(copy.parent)
    return 0


if __name__ == "__main__":
    sys.exit(main())
