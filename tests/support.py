"""What several tests need: the golden documents, and small changes to them."""

from __future__ import annotations

import copy
import json
import subprocess
import sys
from pathlib import Path
from typing import Any

from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from

TESTS = Path(__file__).parent
MOST_MEMORY = (
    "import re, pathlib\nprint(re.search(r'VmHWM:\\s*(\\d+)', pathlib.Path('/proc/self/status').read_text())[1])"
)
ROOT = TESTS.parent
VIEW_KEYS = ("match", "run", "build", "buy", "do", "make", "prove", "record")
"""The panels of a conversion that belong to no station."""


def golden(folder: str) -> list[tuple[str, dict[str, Any], dict[str, Any]]]:
    """Every golden document of a folder: name, the case as a tree, what is expected of it."""
    found = []
    for path in sorted((TESTS / folder).glob("*.json")):
        tree = json.loads(path.read_text())
        found.append((path.stem, tree, tree.pop("expect")))
    return found


def tree(folder: str, name: str, **changes: Any) -> dict[str, Any]:
    """A golden document with values put in, by place: ``tree("cases", "x", **{"path.0.rating_a": 2})``."""
    made = json.loads((TESTS / folder / f"{name}.json").read_text())
    made.pop("expect")
    for place, value in changes.items():
        made = put(made, place, value)
    return made


def put(made: dict[str, Any], place: str, value: Any) -> dict[str, Any]:
    """A copy of a tree with one value put in; None takes it out."""
    made = copy.deepcopy(made)
    *parents, last = [int(part) if part.isdigit() else part for part in place.split(".")]
    part: Any = made
    for step in parents:
        part = part[step]
    if value is None:
        part.pop(last, None)
    else:
        part[last] = value
    return made


def case(folder: str, name: str, **changes: Any) -> Case:
    return case_from(tree(folder, name, **changes))


PASSING = {
    "path.2.in_dropout": "passes",
    "path.2.headroom_v": 5.5,
    "path.2.input_min_v": 8.0,
    "device.supply.min_v": 9.0,
    "source.cutoff_v": 15.5,
}
"""Changes of the tool pack's case whose board passes its input on from 17.5 V down."""
MEASURED = {"kind": "barrel", "outer_mm": 5.5, "inner_mm": 2.1, "polarity": "centre-positive", "measured": True}


def ready(name: str, **changes: Any) -> Case:
    """A golden case whose inlet and outlet somebody has measured, so that it can be proved."""
    made = tree("cases", name)
    made["device"].setdefault("inlet", dict(MEASURED))
    made["source"].setdefault("outlet", {"kind": "terminals", "polarity": "marked", "measured": True})
    for place, value in changes.items():
        made = put(made, place, value)
    return case_from(made)


def alone(script: str, *words: str) -> tuple[list[int], int]:
    """The whole numbers that a script prints in a process of its own, and the most megabytes it took."""
    environment = {"PYTHONPATH": str(ROOT / "src"), "DJANGO_SETTINGS_MODULE": "tests.settings"}
    command = [sys.executable, "-c", f"{script}\n{MOST_MEMORY}", *words]
    done = subprocess.run(command, capture_output=True, env=environment, cwd=ROOT, check=True)
    *told, kilobytes = map(int, done.stdout.split())
    return told, kilobytes // 1024
