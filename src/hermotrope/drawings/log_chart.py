"""A logged run beside its prediction, thinned for the eye: the extremes of every stretch are kept.

Thinning is MinMaxLTTB (Van Der Donckt et al., 2023): minima and maxima of even stretches, and of those the points that
span the largest triangles.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from tsdownsample import MinMaxLTTBDownsampler

from hermotrope_core.fit import Compared
from hermotrope_core.fit.runlog import COLUMNS, Array, Column, RunLog

POINTS = 1600
"""To draw, all columns together."""
LAID_OVER: tuple[Column, ...] = ("pack_v", "inlet_v", "pack_a")
"""What is laid over the charts of a run, as dots."""
DOTS = 600
"""All together: a chart of a run has less room, and comes anew with every edit."""


def thinned(seconds: Array, column: Array, points: int = POINTS) -> np.ndarray[Any, np.dtype[np.int64]]:
    """Indices of the rows to draw."""
    if len(seconds) <= points:
        return np.arange(len(seconds))
    found = MinMaxLTTBDownsampler().downsample(seconds, np.ascontiguousarray(column), n_out=points)
    return np.unique(np.concatenate([[0], found.astype(np.int64), [len(seconds) - 1]]))


def overlay(log: RunLog) -> dict[str, Any]:
    """A log as dots for the charts of a run: seconds, and a list for each column that is laid over."""
    names = [name for name in LAID_OVER if name in log.columns]
    index = _drawn(log, names, DOTS)
    columns = {name: _plain(log.columns[name][index]) for name in names}
    return {"seconds": _plain(log.seconds[index]), "columns": columns}


def _drawn(log: RunLog, names: Sequence[Column], points: int) -> np.ndarray[Any, np.dtype[np.int64]]:
    """Indices of the rows that are drawn of some columns, so many points in all of them together."""
    found = [thinned(log.seconds, log.columns[name], points // len(names)) for name in names]
    return np.unique(np.concatenate([np.zeros(0, np.int64), *found]))


def log_chart(log: RunLog, compared: tuple[Compared, ...], after: tuple[Compared, ...] = ()) -> dict[str, Any]:
    """Series for the browser: per logged column the log, the prediction, the prediction after a fit, the residual."""
    names = [name for name in COLUMNS if name in log.columns]
    index = _drawn(log, names, POINTS)
    seconds = log.seconds[index]
    by_name = {one.column: one for one in compared}
    fitted = {one.column: one for one in after}
    plots = []
    for name in names:
        measured = log.columns[name][index]
        predicted = by_name[name].at_log[index] if name in by_name else np.full(len(index), np.nan)
        plots.append(
            {
                "column": name,
                "measured": _plain(measured),
                "predicted": _plain(predicted),
                "fitted": _plain(fitted[name].at_log[index]) if name in fitted else None,
                "residual": _plain(measured - predicted),
                "parts": by_name[name].parts_s if name in by_name else None,
            }
        )
    gaps = [[one.start_s, one.stop_s] for one in log.remarks if one.kind == "gap"]
    return {"seconds": _plain(seconds), "plots": plots, "gaps": gaps, "rows": len(log)}


def _plain(values: Array) -> list[float | None]:
    return [float(f"{x:.6g}") if np.isfinite(x) else None for x in values]
