"""Self-discharge over runs of more than a week: the charge also leaks while the device draws.

    d(soc)/dt = -g(soc) - k,   k = self_discharge_per_month / (30 x 86,400 s),

with g the mean draw of the duty as the discharge has it. The charge at which the run ends stays the same, so the
time is the integral of d(soc) / (g + k) from the start to there (Gauss-Legendre between the table's rows).
"""

from __future__ import annotations

from itertools import pairwise

from hermotrope_core.circuit.discharge import GAUSS
from hermotrope_core.circuit.piece import ModeLaw
from hermotrope_core.circuit.point import mode_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.values.known import number

WEEK_S = 7 * 86400.0
MONTH_S = 30 * 86400.0


def leaking_runtime(situation: Situation) -> float | None:
    """Seconds with self-discharge, for a run of more than a week; None for a shorter one or none."""
    run, circuit = situation.run, situation.circuit
    if run is None or run.runtime_s <= WEEK_S:
        return None
    leak = situation.cell.self_discharge_per_month / MONTH_S
    cycle = sum(number(segment.seconds) for segment in situation.case.duty.repeat)
    shares = {mode.name: 0.0 for mode in situation.modes}
    for segment in situation.case.duty.repeat:
        shares[segment.mode] += number(segment.seconds) / cycle
    laws = []
    for mode in situation.modes:
        demand = situation.draw(mode_demand(mode)).demand
        if demand is None:
            return None
        laws.append((ModeLaw(circuit, demand, None), shares[mode.name] * mode.share))

    def speed(soc: float) -> float:
        emf = circuit.emf(soc)
        return leak + sum(share * law.speed(law.amps(emf)) for law, share in laws)

    edges = sorted({run.final_soc, circuit.start_soc, *(s for s, _ in circuit.emf_by_soc)})
    inside = [s for s in edges if run.final_soc <= s <= circuit.start_soc]
    return sum(w * (b - a) / speed(a + x * (b - a)) for a, b in pairwise(inside) for x, w in GAUSS)
