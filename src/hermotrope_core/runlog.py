"""A logged run as arrays: cleaned of duplicates and resets, with every gap told."""

from __future__ import annotations

from typing import Any, Literal

import msgspec
import numpy as np

from hermotrope_core.figures import duration

Array = np.ndarray[Any, np.dtype[np.float64]]
Column = Literal["pack_v", "pack_a", "inlet_v", "inlet_a"]
COLUMNS: tuple[Column, ...] = ("pack_v", "pack_a", "inlet_v", "inlet_a")
GAP_TIMES = 5.0
"""A pause counts as a gap from so many usual intervals on."""
ON_SHARE = 0.05
"""Under this share of the usual value the run is over (the pack opened, the device stopped)."""


class Remark(msgspec.Struct, frozen=True):
    """Something about a log: what it is, from and to in seconds, in words."""

    kind: Literal["gap", "reset", "duplicate", "unreadable", "turned", "ended"]
    start_s: float
    stop_s: float
    says: str


class RunLog(msgspec.Struct, frozen=True, eq=False):
    """Seconds since the start, ascending, and the columns that were logged (volts, amperes), same length."""

    seconds: Array
    columns: dict[Column, Array]
    remarks: tuple[Remark, ...] = ()

    def __len__(self) -> int:
        return len(self.seconds)

    @property
    def lasts_s(self) -> float:
        return float(self.seconds[-1]) if len(self.seconds) else 0.0

    def gaps(self) -> float:
        """Seconds of all gaps together."""
        return sum(one.stop_s - one.start_s for one in self.remarks if one.kind == "gap")


def clean(seconds: Array, columns: dict[Column, Array]) -> RunLog:
    """A log from raw columns: unreadable rows and duplicates out, minus turned, resets joined, gaps and the end told.

    Times may start anywhere. Where they jump back (the logger was switched off and on) what follows is put
    behind what was there, one usual interval later. Raises ValueError where fewer than two rows are left.
    """
    remarks: list[Remark] = []
    good = np.isfinite(seconds)
    for column in columns.values():
        good &= np.isfinite(column)
    lost = int((~good).sum())
    seconds = seconds[good]
    columns = {name: column[good] for name, column in columns.items()}
    if len(seconds) < 2:
        raise ValueError("fewer than two rows can be read")
    if lost:
        remarks.append(
            Remark("unreadable", 0.0, 0.0, f"{lost} row{'s' * (lost > 1)} could not be read and are left out")
        )
    columns, turned = _turned(columns)
    remarks += turned
    seconds = seconds - seconds[0]
    steps = np.diff(seconds)
    forward = steps[steps > 0.0]
    if not len(forward):
        raise ValueError("the times never advance")
    usual = float(np.median(forward))
    back = np.flatnonzero(steps < 0.0)
    if len(back):
        seconds = seconds.copy()
        for i in back:
            seconds[i + 1 :] += seconds[i] - seconds[i + 1] + usual
            at = float(seconds[i])
            remarks.append(Remark("reset", at, at, "its clock jumped back here: what follows is joined on"))
        steps = np.diff(seconds)
    same = np.concatenate([[False], steps == 0.0])
    if same.any():
        count = int(same.sum())
        at = float(seconds[np.flatnonzero(same)[0]])
        remarks.append(
            Remark("duplicate", at, at, f"{count} row{'s' * (count > 1)} with a time that was there already")
        )
        seconds = seconds[~same]
        columns = {name: column[~same] for name, column in columns.items()}
        steps = np.diff(seconds)
    for i in np.flatnonzero(steps > GAP_TIMES * usual):
        start, stop = float(seconds[i]), float(seconds[i + 1])
        remarks.append(Remark("gap", start, stop, f"nothing was logged for {duration(stop - start)}"))
    seconds, columns, ended = _ended(seconds, columns)
    return RunLog(seconds, columns, (*remarks, *ended))


def _turned(columns: dict[Column, Array]) -> tuple[dict[Column, Array], list[Remark]]:
    """Columns that read minus on average, the other way round: leads or a shunt were, or discharge is counted minus."""
    minus = [name for name, column in columns.items() if np.mean(column) < 0.0]
    words = " and ".join({"v": "volts", "a": "amperes"}[name[-1]] for name in minus)
    remarks = [Remark("turned", 0.0, 0.0, f"its {words} read minus and are turned round")] if minus else []
    return {name: -column if name in minus else column for name, column in columns.items()}, remarks


def _ended(seconds: Array, columns: dict[Column, Array]) -> tuple[Array, dict[Column, Array], tuple[Remark, ...]]:
    """Without what was logged after the run was over."""
    name = next((one for one in ("inlet_v", "pack_a", "inlet_a", "pack_v") if one in columns), None)
    if name is None:
        return seconds, columns, ()
    column = np.abs(columns[name])
    on = np.flatnonzero(column > ON_SHARE * float(np.median(column)))
    if not len(on) or on[-1] == len(column) - 1:
        return seconds, columns, ()
    last = int(on[-1])
    if last < 1:
        return seconds, columns, ()
    words = f"the run is over here; {len(column) - 1 - last} rows behind it are left out"
    remark = Remark("ended", float(seconds[last]), float(seconds[-1]), words)
    return seconds[: last + 1], {key: one[: last + 1] for key, one in columns.items()}, (remark,)
