"""A logged run as arrays: cleaned of duplicates and resets, with every gap told."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from hermotrope_core.values.figures import duration

Array = np.ndarray[Any, np.dtype[np.float64]]
Column = Literal["pack_v", "pack_a", "inlet_v", "inlet_a"]
COLUMNS: tuple[Column, ...] = ("pack_v", "pack_a", "inlet_v", "inlet_a")
MOST_TOLD = 100
"""Resets and gaps that are told one by one."""
GAP_TIMES = 5.0
"""A pause counts as a gap from so many usual intervals on."""
NOTHING_SHARE = 0.002
"""Under this share of the most that is logged a meter shows nothing."""
ON_SHARE = 0.3
"""Under this share of the lightest load (or of the device's volts) nothing runs: before the run, or after it."""


class Remark(msgspec.Struct, frozen=True):
    """Something about a log: what it is, from and to in seconds, in words."""

    kind: Literal["gap", "reset", "duplicate", "unreadable", "turned", "began", "ended"]
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
    """A log from raw columns: unreadable rows and duplicates out, minus turned, resets joined, and only what ran.

    Times may start anywhere. Where they jump back (the logger was switched off and on) what follows is put
    behind what was there, one usual interval later. Raises ValueError where fewer than two rows are left.
    """
    told: list[Remark] = []
    rows = _turned(_readable(Rows(seconds, columns), told), told)
    rows = _running(_in_order(rows, told), told)
    steps = np.diff(rows.seconds)
    gaps = np.flatnonzero(steps > GAP_TIMES * float(np.median(steps)))
    for i in gaps[:MOST_TOLD]:
        start, stop = float(rows.seconds[i]), float(rows.seconds[i + 1])
        told.append(Remark("gap", start, stop, f"nothing was logged for {duration(stop - start)}"))
    if len(rest := gaps[MOST_TOLD:]):
        start, lasted = float(rows.seconds[rest[0]]), float(steps[rest].sum())
        told.append(Remark("gap", start, start + lasted, f"{len(rest)} more gaps, {duration(lasted)} together"))
    return RunLog(rows.seconds, rows.columns, tuple(told))


class Rows(NamedTuple):
    """Seconds and columns of one length, on their way to a log."""

    seconds: Array
    columns: dict[Column, Array]

    def at(self, which: np.ndarray[Any, np.dtype[np.bool_]] | slice) -> Rows:
        """Some of the rows."""
        return Rows(self.seconds[which], {name: column[which] for name, column in self.columns.items()})


def _readable(rows: Rows, told: list[Remark]) -> Rows:
    """The rows whose every cell is a number. Raises ValueError for fewer than two."""
    good = np.isfinite(rows.seconds)
    for column in rows.columns.values():
        good &= np.isfinite(column)
    lost = int((~good).sum())
    if len(good) - lost < 2:
        raise ValueError("fewer than two rows can be read")
    if lost:
        told.append(Remark("unreadable", 0.0, 0.0, f"{lost} row{'s' * (lost > 1)} could not be read and are left out"))
    return rows.at(good) if lost else rows


def _turned(rows: Rows, told: list[Remark]) -> Rows:
    """Columns that read minus on average, the other way round: leads or a shunt were, or discharge is counted minus."""
    minus = [name for name, column in rows.columns.items() if np.mean(column) < 0.0]
    if minus:
        words = " and ".join({"v": "volts", "a": "amperes"}[name[-1]] for name in minus)
        told.append(Remark("turned", 0.0, 0.0, f"its {words} read minus and are turned round"))
    return Rows(rows.seconds, {name: -column if name in minus else column for name, column in rows.columns.items()})


def _in_order(rows: Rows, told: list[Remark]) -> Rows:
    """From 0 s on, with resets joined and no time twice. Raises ValueError where the times never advance."""
    seconds = rows.seconds - rows.seconds[0]
    steps = np.diff(seconds)
    if not (steps > 0.0).any():
        raise ValueError("the times never advance")
    usual = float(np.median(steps[steps > 0.0]))
    back = np.flatnonzero(steps < 0.0)
    if len(back):
        seconds[1:] += np.cumsum(np.where(steps < 0.0, usual - steps, 0.0))
    for i in back[:MOST_TOLD]:
        at = float(seconds[i])
        told.append(Remark("reset", at, at, "its clock jumped back here: what follows is joined on"))
    if len(back) > MOST_TOLD:
        at = float(seconds[back[MOST_TOLD]])
        told.append(Remark("reset", at, at, f"and {len(back) - MOST_TOLD} times more: is that column the time?"))
    same = np.concatenate([[False], np.diff(seconds) == 0.0])
    if same.any():
        count, at = int(same.sum()), float(seconds[np.flatnonzero(same)[0]])
        told.append(Remark("duplicate", at, at, f"{count} row{'s' * (count > 1)} with a time that was there already"))
    made = Rows(seconds, rows.columns)
    return made.at(~same) if same.any() else made


def _running(rows: Rows, told: list[Remark]) -> Rows:
    """From the first to the last row at which the device ran, by its volts, else by the amperes; 0 s where it began.

    It runs where the column is above `ON_SHARE` of the lowest tenth of what is not nothing: a light mode between heavy
    ones counts, what a meter shows of nothing does not. The pack's own volts tell only where nothing else does.
    """
    if not rows.columns:
        return rows
    name = next(one for one in ("inlet_v", "pack_a", "inlet_a", "pack_v") if one in rows.columns)
    column = np.abs(rows.columns[name])
    some = column[column > NOTHING_SHARE * float(np.percentile(column, 99))]
    on = np.flatnonzero(column > ON_SHARE * float(np.percentile(some if len(some) else column, 10)))
    if len(on) < 2:
        return rows
    first, last = int(on[0]), int(on[-1])
    began, ended, stopped = (float(rows.seconds[i]) for i in (first, last, -1))
    if first:
        told[:] = [
            replace(one, start_s=max(0.0, one.start_s - began), stop_s=max(0.0, one.stop_s - began)) for one in told
        ]
        told.append(Remark("began", 0.0, 0.0, f"the run begins here; {first} rows of nothing before it are left out"))
    after = len(column) - 1 - last
    if after:
        words = f"the run is over here; {after} rows behind it are left out"
        told.append(Remark("ended", ended - began, stopped - began, words))
    ran = rows.at(slice(first, last + 1))
    return Rows(ran.seconds - began, ran.columns)
