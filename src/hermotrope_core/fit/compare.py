"""Predicted against measured: the prediction on the log's own times, and where the two part for good."""

from __future__ import annotations

import msgspec
import numpy as np

from hermotrope_core.circuit.point import point
from hermotrope_core.circuit.simulate import Simulation
from hermotrope_core.fit.runlog import COLUMNS, Array, Column, RunLog
from hermotrope_core.plan.case import Case

STEPS = 1500
MOST_STEPS = 20_000
KNOTS = 200
"""Charges at which each mode's volts and amperes are worked out, and interpolated between."""
SMOOTH = 60
PART_SHARE, PART_SHARE_AMPS = 0.015, 0.05
"""They have parted where they differ by this share of the volts, or of the amperes, on average over a sixtieth."""
FOR_GOOD = 0.9
BEYOND = 1.5
"""The prediction is followed to so many times the length of the log."""


class Compared(msgspec.Struct, frozen=True, eq=False):
    """The prediction of one column, the time from which it parts from the log (None if never) and by how much."""

    column: Column
    at_log: Array
    """On the log's own times; not a number behind the predicted end."""
    parts_s: float | None
    parts_by: float


def compare(case: Case, log: RunLog) -> tuple[float, tuple[Compared, ...]]:
    """Seconds of the predicted run (infinite where the log stops long before), each column beside its prediction."""
    simulation = Simulation(case)
    step = max(0.25, min(log.lasts_s / STEPS, simulation.cycle_s / 8.0), BEYOND * log.lasts_s / MOST_STEPS)
    charges: list[tuple[float, float]] = []
    while simulation.seconds <= BEYOND * log.lasts_s + step and simulation.sample() is not None:
        charges.append((simulation.seconds, simulation.soc))
        simulation.step(step)
    if len(charges) < 2:
        return 0.0, ()
    ends = charges[-1][0] if simulation.cause else float("inf")
    predicted = _at(simulation, np.array(charges), log.seconds)
    return ends, tuple(_parted(name, log, predicted[name]) for name in COLUMNS if name in log.columns)


def _at(simulation: Simulation, charges: Array, seconds: Array) -> dict[Column, Array]:
    """Every column at the given times: the charge then, and the mode that the duty has then."""
    soc = np.interp(seconds, charges[:, 0], charges[:, 1])
    starts = np.cumsum([0.0, *(lasts for _, lasts in simulation.segments)])
    segment = np.clip(np.searchsorted(starts, seconds % simulation.cycle_s, side="right") - 1, 0, len(starts) - 2)
    mode = np.array([index for index, _ in simulation.segments])[segment]
    made: dict[Column, Array] = {name: np.full(len(seconds), np.nan) for name in COLUMNS}
    knots = np.linspace(float(charges[-1, 1]), float(charges[0, 1]), KNOTS)
    for index, draw in enumerate(simulation.draws):
        points = [point(draw, simulation.circuit.emf(x)) for x in knots]
        table = np.array([simulation.shown(one) if one.complete else (np.nan,) * 4 for one in points])
        here = (mode == index) & (seconds <= charges[-1, 0])
        for k, name in enumerate(COLUMNS):
            made[name][here] = np.interp(soc[here], knots, table[:, k])
    return made


def _parted(name: Column, log: RunLog, at_log: Array) -> Compared:
    """Where the averaged residual goes beyond its share and stays there."""
    residual = log.columns[name] - at_log
    known = np.isfinite(residual)
    share = PART_SHARE if name.endswith("_v") else PART_SHARE_AMPS
    limit = share * float(np.median(np.abs(at_log[known]))) if known.any() else 0.0
    starts, means = [], []
    for rows in np.array_split(np.arange(len(residual)), min(SMOOTH, len(residual))):
        if known[rows].any():
            starts.append(float(log.seconds[rows[0]]))
            means.append(float(np.mean(residual[rows][known[rows]])))
    off = np.abs(means) > limit
    for k in range(len(off)):
        if off[k] and off[k:].mean() > FOR_GOOD:
            return Compared(name, at_log, starts[k], float(np.mean(means[k:])))
    return Compared(name, at_log, None, 0.0)
