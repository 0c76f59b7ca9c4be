"""The rows of a logger's file as numbers, read as a mapping says, so many at a time."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from io import BytesIO, TextIOWrapper
from itertools import islice

import numpy as np

from hermotrope.formats.log_times import CLOCK, clocks_s, stamp_s, stamps_s
from hermotrope.formats.logger_csv import LEAST_EPOCH_MS, LogError, cells_of, number_in
from hermotrope_core.fit.runlog import Array, Column, RunLog, clean
from hermotrope_core.tell.record import LogMapping

MOST_ROWS = 2_000_000
BLOCK_ROWS = 5_000
"""Rows whose cells are held as texts at once."""


def read_log(data: bytes, mapping: LogMapping) -> RunLog:
    """Read a file as the mapping says, so many rows at a time, and clean it. Raises `LogError`."""
    if not mapping.columns:
        raise LogError("say which column holds volts or amperes")
    clock = _clock_index(mapping, data) if mapping.time_kind == "date and clock" else -1
    wanted = sorted({one.index for one in mapping.columns} | {at for at in (mapping.time_index, clock) if at >= 0})
    times: list[Array] = []
    blocks: dict[Column, list[Array]] = {one.what: [] for one in mapping.columns}
    rows = 0
    for block in _blocks(data, mapping, wanted):
        begins, rows = rows, rows + len(block[wanted[0]])
        if rows > MOST_ROWS:
            raise LogError(f"more than {MOST_ROWS:,} rows; log less often")
        counted = mapping.time_kind == "rows"
        times.append(np.arange(begins, rows, dtype=float) if counted else _times(block, mapping, clock))
        for one in mapping.columns:
            blocks[one.what].append(one.factor * _floats(block[one.index], mapping.decimal))
    if not rows:
        raise LogError("no rows: the column is not there")
    try:
        values = {what: np.concatenate(blocks.pop(what)) for what in tuple(blocks)}  # never all of it twice
        return clean(_seconds(np.concatenate(times), mapping), values)
    except ValueError as error:
        raise LogError(str(error)) from None


def _text(data: bytes, mapping: LogMapping) -> TextIOWrapper:
    """The file as lines, from its first row of numbers on; never decoded as a whole."""
    lines = TextIOWrapper(BytesIO(data), mapping.encoding, "replace", newline=None)
    for _ in range(mapping.first_row):
        if not lines.readline():
            break
    return lines


def _blocks(data: bytes, mapping: LogMapping, wanted: list[int]) -> Iterator[dict[int, list[str]]]:
    """The cells of the wanted columns, `BLOCK_ROWS` rows at a time."""
    lines = _text(data, mapping)
    reader = (
        (line.split() for line in lines) if mapping.separator == " " else csv.reader(lines, delimiter=mapping.separator)
    )
    last, torn = wanted[-1], [""] * (wanted[-1] + 1)
    whole = False
    try:
        while some := list(islice(reader, BLOCK_ROWS)):
            whole = whole or any(len(row) > last for row in some)
            kept = [row if len(row) > last else torn for row in some if any(row) or len(row) > last]
            yield {i: [row[i] for row in kept] for i in wanted}  # a torn row is unreadable, so that it is counted
    except csv.Error as error:
        raise LogError(f"it cannot be read as a table ({error})") from None
    if not whole:
        raise LogError("no rows: the column is not there")


def _floats(cells: list[str], decimal: str) -> Array:
    """Numbers of a column; not a number where a cell is none."""
    if decimal == ",":
        cells = [cell.replace(".", "").replace(",", ".") if "," in cell else cell for cell in cells]
    try:
        return np.array(cells, dtype=float)
    except ValueError:
        return np.array([number_in(cell) for cell in cells])


def _clock_index(mapping: LogMapping, data: bytes) -> int:
    """The column of the clock that goes with a column of dates."""
    for i, cell in enumerate(cells_of(_text(data, mapping).readline(), mapping.separator)):
        if CLOCK.match(cell):
            return i
    raise LogError("there are dates but no times of day")


def _times(block: dict[int, list[str]], mapping: LogMapping, clock: int) -> Array:
    """The column of times as numbers, each as it stands; not a number where a cell is no time."""
    cells = block[mapping.time_index]
    if mapping.time_kind == "date and clock":
        pairs = zip(cells, block[clock], strict=True)
        return np.array([stamp_s(f"{day.strip()} {time.strip()}", mapping.day_first) for day, time in pairs])
    if mapping.time_kind == "stamp":
        return stamps_s(cells, mapping.day_first)
    if mapping.time_kind == "clock":
        return clocks_s(cells)
    return _floats(cells, mapping.decimal)


def _seconds(times: Array, mapping: LogMapping) -> Array:
    """Seconds out of the numbers of all rows: rows are counted, clocks go past midnight, units differ."""
    kind = mapping.time_kind
    if kind in ("stamp", "date and clock"):
        return times
    if kind == "rows":
        return times * mapping.interval_s
    if kind == "clock":
        with np.errstate(invalid="ignore"):
            over = np.diff(times, prepend=times[:1]) < -43_200.0  # past midnight
        return times + 86_400.0 * np.cumsum(over)
    if kind == "seconds" and np.nanmax(times, initial=0.0) > LEAST_EPOCH_MS:
        kind = "milliseconds"
    return times * {"milliseconds": 1e-3, "minutes": 60.0, "hours": 3600.0}.get(kind, 1.0)
