"""Rows of the database as the values of the core, and back."""

from __future__ import annotations

import zlib
from datetime import datetime
from io import BytesIO

import msgspec
import numpy as np

from hermotrope.bench.models import Conversion
from hermotrope.proving.models import ReadingRow, RunLogRow
from hermotrope_core.fit.runlog import COLUMNS, Remark, RunLog
from hermotrope_core.prove import Reading, Waiver
from hermotrope_core.prove.judge import as_read
from hermotrope_core.tell.record import LogMapping


def readings_of(conversion: Conversion) -> list[Reading]:
    """Every reading, oldest first."""
    return [reading_of(row) for row in conversion.readings.all()]


def reading_of(row: ReadingRow) -> Reading:
    return Reading(row.ask, as_read(row.value), stamp(row.taken_at), row.by, row.basis)


def waivers_of(conversion: Conversion) -> list[Waiver]:
    return [Waiver(row.gate, row.reason, stamp(row.given_at), row.by, row.basis) for row in conversion.waivers.all()]


def stamp(moment: datetime) -> str:
    """A moment as text that sorts."""
    return moment.isoformat(timespec="milliseconds")


def mapping_of(row: RunLogRow) -> LogMapping | None:
    return None if row.mapping is None else msgspec.convert(row.mapping, LogMapping)


def arrays_kept(log: RunLog) -> bytes:
    """A log as compressed arrays: times in full, volts and amperes in seven digits."""
    out = BytesIO()
    columns = {name: column.astype(np.float32) for name, column in log.columns.items()}
    np.savez_compressed(out, seconds=log.seconds, **columns)  # type: ignore[arg-type]  # arrays by name
    return out.getvalue()


def log_of(row: RunLogRow) -> RunLog:
    """The log of a row that is kept. Raises ValueError while there is none."""
    if not row.data:
        raise ValueError("this log has not been read yet")
    return log_from(bytes(row.data), tuple(msgspec.convert(one, Remark) for one in row.remarks))


def log_from(data: bytes, remarks: tuple[Remark, ...] = ()) -> RunLog:
    """The log that its kept arrays hold."""
    with np.load(BytesIO(data), allow_pickle=False) as found:
        columns = {name: found[name].astype(float) for name in COLUMNS if name in found.files}
        return RunLog(found["seconds"], columns, remarks)


def original_of(row: RunLogRow) -> bytes:
    """The file as it came."""
    return zlib.decompress(bytes(row.original)) if row.original else b""
