"""10,000 draws of reference cases 1 and 3 against SciPy's LSODA solves of them, in one run.

The goals are 20 solves for case 1 and 30 for case 3. Run it with
``PYTHONPATH=src:. .venv/bin/python benchmarks/estimate.py``.
"""

from __future__ import annotations

import json
import statistics
import time
from pathlib import Path

from solve import lsoda, timed

from hermotrope_core.circuit.estimate import DRAWS, estimate
from hermotrope_core.plan.document import case_from

CASES = Path(__file__).parent.parent / "tests" / "cases"
GOALS = {1: 20, 3: 30}


def main() -> None:
    heads = ("one LSODA", "draws alone", "in solves", "with measure next", "in solves", "goal")
    print(f"{'case':11}", *(f"{head:>17}" for head in heads))
    for n, goal in GOALS.items():
        tree = json.loads((CASES / f"reference-{n}.json").read_text())
        tree.pop("expect")
        case = case_from(tree)
        one, _ = timed(lsoda, case)
        spent = []
        for worth in (False, True):
            rounds = []
            for _ in range(5):
                start = time.perf_counter()
                estimate(case, DRAWS, worth=worth)
                rounds.append(time.perf_counter() - start)
            spent.append(statistics.median(rounds))
        alone, whole = spent
        times = [f"{seconds * 1e3:.1f} ms" for seconds in (one, alone, whole)]
        cells = (times[0], times[1], f"{alone / one:.1f}", times[2], f"{whole / one:.1f}")
        print(f"reference-{n}", *(f"{cell:>17}" for cell in (*cells, str(goal))))


if __name__ == "__main__":
    main()
