"""Nights of several devices against SciPy's `solve_ivp` (LSODA) on the first reference case, in one run.

Prints how many such solves each takes: a night of five branches, its range by 1,500 draws, and the assignment of twelve
devices to eight packs, proposed and judged. Run it with ``PYTHONPATH=src:. .venv/bin/python benchmarks/outing.py``.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable

import msgspec
from benchmarks.solve import CASES, lsoda

from hermotrope_core.plan.document import case_from
from hermotrope_core.plan.outing import Outing, Supply
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several.assign import propose
from hermotrope_core.several.follow import follow
from hermotrope_core.several.ranges import night_range

REPEATS = 7
NIGHT = CASES.parent / "outings" / "a-night-in-the-cold.json"


def best(work: Callable[[], object]) -> float:
    """Seconds of the quickest of some rounds."""
    times = []
    for _ in range(REPEATS):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)


def read(name: str) -> dict[str, object]:
    tree: dict[str, object] = json.loads((CASES / f"{name}.json").read_text())
    tree.pop("expect")
    return tree


def twelve_on_eight(night: Outing) -> Outing:
    """Twelve devices, all on the first of eight packs."""
    supply = night.supplies[0]
    branches = tuple(
        msgspec.structs.replace(one, device=msgspec.structs.replace(one.device, name=f"{one.device.name} {k}"))
        for k in range(3)
        for one in supply.branches
    )[:12]
    packs: list[Supply] = [msgspec.structs.replace(supply, branches=branches, name="pack 0")]
    packs += [msgspec.structs.replace(supply, branches=(), name=f"pack {k}") for k in range(1, 8)]
    return msgspec.structs.replace(night, supplies=tuple(packs))


def main() -> None:
    case = case_from(read("reference-1"))
    solve = best(lambda: lsoda(case))
    tree = json.loads(NIGHT.read_text())
    tree.pop("expect")
    night = read_outing(json.dumps(tree))
    supply = night.supplies[0]
    many = twelve_on_eight(night)
    print(f"one LSODA solve of reference-1: {1000 * solve:.2f} ms")
    for name, work, limit in (
        ("a night of five branches", lambda: follow(supply, night.conditions, 10.0), 3 * 5),
        ("its range, 1,500 draws", lambda: night_range(supply, night.conditions, 10.0), 60),
        ("twelve devices to eight packs", lambda: propose(many, "fewest packs"), 1500),
    ):
        took = best(work)
        print(f"{name:32}{1000 * took:9.1f} ms {took / solve:8.1f} solves (at most {limit})")


if __name__ == "__main__":
    main()
