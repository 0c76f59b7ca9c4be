"""Match over a large shelf, against 200 of SciPy's LSODA solves of reference case 1, in one run.

A shelf of 200 sources and 60 converters gives about 15,000 candidate paths for a 12 V device. Prints
how many were tried, the time of both, their ratio (1 would be as long as the 200 solves) and the memory
that the process had used when the match was done. Run it with
``PYTHONPATH=src:. .venv/bin/python benchmarks/match.py``.
"""

from __future__ import annotations

import importlib
import json
import resource
import statistics
import time
from pathlib import Path

from tests.shelves import request

from hermotrope_core.match.search import search
from hermotrope_core.plan.document import case_from

CASES = Path(__file__).parent.parent / "tests" / "cases"
SOLVES = 200
REPEATS = 5


def main() -> None:
    asked = request(200, 60)
    rounds = []
    for _ in range(REPEATS):
        start = time.perf_counter()
        found = search(asked)
        best = found.ranked()
        rounds.append(time.perf_counter() - start)
    ours = statistics.median(rounds)
    megabytes = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024

    solve = importlib.import_module("solve")  # only now, so that SciPy does not count as memory of the match

    tree = json.loads((CASES / "reference-1.json").read_text())
    tree.pop("expect")
    theirs, _ = solve.timed(solve.lsoda, case_from(tree))
    start = time.perf_counter()
    spares = sum(1 for _ in found.judged_spares())
    rest = time.perf_counter() - start
    print(
        f"tried {found.tried}: {len(best)} fit, {spares} fit no better than another of the same pack, "
        f"{len(found.dropped)} refused in full, {len(found.refused)} at once"
    )
    print(f"match {ours:.3f} s; {SOLVES} LSODA solves {SOLVES * theirs:.3f} s; ratio {ours / (SOLVES * theirs):.2f}")
    print(f"with the no better ones judged too {ours + rest:.3f} s; ratio {(ours + rest) / (SOLVES * theirs):.2f}")
    print(f"memory {megabytes:.0f} MB")


if __name__ == "__main__":
    main()
