"""Our solve against SciPy's `solve_ivp` (LSODA, rtol 1e-6) on the reference cases, in one run.

Prints, per case: the time of each in this run, their ratio, and the error of each against the
closed-form reference. Run it with ``.venv/bin/python benchmarks/solve.py``.
"""

from __future__ import annotations

import json
import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from scipy.integrate import solve_ivp

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from hermotrope_core.values.known import number

CASES = Path(__file__).parent.parent / "tests" / "cases"
REPEATS = 15
ROUND_S = 0.05


def lsoda(case: Case) -> float:
    """Runtime in seconds of a reference case (constant power behind one converter, no Peukert)."""
    circuit = circuit_of(case)
    ohm = circuit.stretches[0].resistance_ohm
    socs, emfs = (np.array(column) for column in zip(*circuit.emf_by_soc, strict=True))
    watts = {}
    for mode in case.duty_modes():
        demand = draw_of(circuit, mode_demand(mode), len(case.path)).demand
        assert demand is not None
        watts[mode.name] = demand.value

    def amps(emf: float, power: float) -> float:
        return 2.0 * power / (emf + max(emf * emf - 4.0 * ohm * power, 0.0) ** 0.5)

    at, soc = 0.0, np.array([1.0])
    while True:
        for segment in case.duty.repeat:
            power = watts[segment.mode]

            def slope(_: float, y: Any, power: float = power) -> list[float]:
                return [-amps(float(np.interp(y[0], socs, emfs)), power) / (3600.0 * circuit.charge_ah)]

            def cut_off(_: float, y: Any, power: float = power) -> float:
                emf = float(np.interp(y[0], socs, emfs))
                return emf - ohm * amps(emf, power) - circuit.cutoff_v

            cut_off.terminal = True  # type: ignore[attr-defined]
            if cut_off(0.0, soc) <= 0.0:
                return at
            span = (at, at + number(segment.seconds))
            done = solve_ivp(slope, span, soc, method="LSODA", rtol=1e-6, atol=1e-9, events=cut_off)
            if done.t_events[0].size:
                return float(done.t_events[0][0])
            at, soc = span[1], done.y[:, -1]


def once(solve: Callable[[Case], float], case: Case) -> float:
    """Seconds of one call, over as many as `ROUND_S` takes."""
    start = now = time.perf_counter()
    calls = 0
    while now - start < ROUND_S:
        solve(case)
        calls, now = calls + 1, time.perf_counter()
    return (now - start) / calls


def timed(solve: Callable[[Case], float], case: Case) -> tuple[float, float]:
    """Median seconds of one call over the rounds, and its answer."""
    answer = solve(case)
    return statistics.median(once(solve, case) for _ in range(REPEATS)), answer


def main() -> None:
    """Rounds of both in turn, so that a machine that changes its pace does so for both; the median of their ratios."""
    print(f"{'case':12} {'LSODA':>10} {'ours':>10} {'times faster':>13} {'LSODA error':>13} {'our error':>11}")
    for n in (1, 2, 3):
        tree = json.loads((CASES / f"reference-{n}.json").read_text())
        exact = tree.pop("expect")["runtime_s"]
        case = case_from(tree)
        theirs_off, ours_off = abs(lsoda(case) - exact), abs(run(case).runtime_s - exact)
        rounds = [(once(lsoda, case), once(lambda one: run(one).runtime_s, case)) for _ in range(REPEATS)]
        theirs, ours = (statistics.median(column) for column in zip(*rounds, strict=True))
        ratio = statistics.median(a / b for a, b in rounds)
        errors = f"{theirs_off:11.2e} s {ours_off:9.1e} s"
        print(f"reference-{n:<2} {theirs * 1e3:7.2f} ms {ours * 1e3:7.3f} ms {ratio:13.0f} {errors}")


if __name__ == "__main__":
    main()
