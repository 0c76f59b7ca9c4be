"""Predicted against measured: both on the log's times, the residual, and where they part for good."""

from __future__ import annotations

import msgspec
import numpy as np

from hermotrope_core.case import Case
from hermotrope_core.runlog import Array, Column, RunLog
from hermotrope_core.simulate import Simulation

STEPS = 1500
SMOOTH = 60
PART_SHARE = 0.015
"""Predicted and measured have parted when they differ by this share of the volts (5 % of the amperes), smoothed."""
PART_SHARE_AMPS = 0.05


class Compared(msgspec.Struct, frozen=True, eq=False):
    """The prediction of one column, the time from which it parts from the log (None if never) and by how much."""

    column: Column
    seconds: Array
    predicted: Array
    """On even steps up to the predicted end."""
    at_log: Array
    """On the log's own times; not a number behind the predicted end."""
    parts_s: float | None
    parts_by: float


def compare(case: Case, log: RunLog) -> tuple[float, tuple[Compared, ...]]:
    """Seconds of the predicted run, and each logged column beside its prediction."""
    simulation = Simulation(case)
    step = max(0.25, min(log.lasts_s * 1.2 / STEPS, simulation.cycle_s / 8.0))
    step = max(step, log.lasts_s * 1.5 / 40_000)
    rows: list[tuple[float, ...]] = []
    while simulation.seconds <= log.lasts_s * 1.5 + step:
        one = simulation.sample()
        if one is None:
            break
        rows.append((one.seconds, one.pack_v, one.pack_a, one.inlet_v, one.inlet_a))
        simulation.step(step)
    if len(rows) < 2:
        return 0.0, ()
    table = np.array(rows)
    names: tuple[Column, ...] = ("pack_v", "pack_a", "inlet_v", "inlet_a")
    ends = float(table[-1, 0]) if simulation.cause else float("inf")
    made = []
    for i, name in enumerate(names, start=1):
        if name in log.columns:
            at_log = np.interp(log.seconds, table[:, 0], table[:, i], right=np.nan)
            made.append(_parted(name, table[:, 0], table[:, i], log, at_log))
    return ends, tuple(made)


def _parted(name: Column, seconds: Array, predicted: Array, log: RunLog, at_log: Array) -> Compared:
    residual = log.columns[name] - at_log
    share = PART_SHARE if name.endswith("_v") else PART_SHARE_AMPS
    limit = share * float(np.nanmedian(np.abs(at_log))) if np.isfinite(at_log).any() else 0.0
    blocks = np.array_split(np.arange(len(residual)), min(SMOOTH, len(residual)))
    means = np.array([np.nanmean(residual[rows]) if np.isfinite(residual[rows]).any() else np.nan for rows in blocks])
    off = np.abs(means) > limit
    parts_s, parts_by = None, 0.0
    for k in range(len(blocks)):
        behind = off[k:][np.isfinite(means[k:])]
        if len(behind) and behind.mean() > 0.9 and off[k]:
            parts_s, parts_by = float(log.seconds[blocks[k][0]]), float(np.nanmean(means[k:]))
            break
    return Compared(name, seconds, predicted, at_log, parts_s, parts_by)
