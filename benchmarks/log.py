"""A log of half a million rows: reading, keeping, drawing and fitting it, as multiples of one plain pass over its text.

Run ``PYTHONPATH=src .venv/bin/python benchmarks/log.py``. The plain pass is Python's csv reader with nothing done to
the cells. Figures are medians of three runs.
"""

from __future__ import annotations

import csv
import json
import statistics
import time
from collections.abc import Callable
from io import StringIO
from pathlib import Path

import numpy as np

from hermotrope.drawings.log_chart import log_chart
from hermotrope.formats.log_rows import read_log
from hermotrope.formats.logger_csv import recognise
from hermotrope_core.circuit.simulate import samples
from hermotrope_core.fit import compare, fit
from hermotrope_core.plan.case import planned
from hermotrope_core.plan.document import read_case

ROWS = 500_000
CASE = Path(__file__).parents[1] / "tests/cases/reference-3.json"


def median(of: Callable[[], object]) -> float:
    times = []
    for _ in range(3):
        begun = time.perf_counter()
        of()
        times.append(time.perf_counter() - begun)
    return statistics.median(times)


def main() -> None:
    case = planned(read_case(without_expectation(CASE.read_text())))
    rows = np.array([(one.seconds, one.pack_v, one.pack_a) for one in samples(case, 1.0)])
    seconds = np.linspace(0.0, rows[-1, 0], ROWS)
    volts, amps = (np.interp(seconds, rows[:, 0], rows[:, i]) for i in (1, 2))
    noise = np.random.default_rng(1)
    volts, amps = (column * (1 + 0.01 * noise.standard_normal(ROWS)) for column in (volts, amps))
    lines = [f"{t:.3f};{v:.3f};{a:.4f}".replace(".", ",") for t, v, a in zip(seconds, volts, amps, strict=True)]
    text = "time [s];U [V];I [A]\n" + "\n".join(lines) + "\n"
    data = text.encode()

    def plain() -> int:
        return sum(len(row) for row in csv.reader(StringIO(text), delimiter=";"))

    mapping = recognise(data).mapping
    log = read_log(data, mapping)
    base = median(plain)
    print(f"{ROWS:,} rows, {len(data) / 1e6:.0f} MB; a plain pass takes {base:.2f} s")
    compared = compare(case, log)[1]
    for name, of in (
        ("recognise", lambda: recognise(data)),
        ("read and clean", lambda: read_log(data, mapping)),
        ("compare with the prediction", lambda: compare(case, log)),
        ("thin and lay out for drawing", lambda: log_chart(log, compared)),
        ("fit", lambda: fit(case, log)),
    ):
        print(f"{name:30} {median(of) / base:6.2f}")


def without_expectation(text: str) -> str:
    """A golden document without what is expected of it."""
    tree = json.loads(text)
    tree.pop("expect", None)
    return json.dumps(tree)


if __name__ == "__main__":
    main()
