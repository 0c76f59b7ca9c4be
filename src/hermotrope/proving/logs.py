"""Run-down logs: kept as they came, read as people confirmed, fitted, and their figures taken into the plan."""

from __future__ import annotations

import zlib
from collections.abc import Collection
from datetime import date
from typing import Any, Literal

import msgspec
from django.db import transaction
from django.utils import timezone

from hermotrope.bench import actions as bench
from hermotrope.bench import trials
from hermotrope.bench.models import Conversion, Trial
from hermotrope.entry.typed import EditError
from hermotrope.formats.log_rows import read_log
from hermotrope.formats.logger_csv import recognise
from hermotrope.proving.actions import RUN_DOWN, believable, take_reading
from hermotrope.proving.bench import Workshop
from hermotrope.proving.keeping import arrays_kept, log_of, original_of, stamp
from hermotrope.proving.models import LogChunk, ReadingRow, RunLogRow
from hermotrope_core.fit import Fit, fit, fitted
from hermotrope_core.fit.runlog import RunLog
from hermotrope_core.plan.case import at_temperature
from hermotrope_core.tell.record import FitTaken, LogFile, LogMapping

MOST_LOGS = 20


@transaction.atomic
def draft_log(
    conversion: Conversion, name: str, data: bytes, origin: str, place: Literal["pack", "inlet"]
) -> RunLogRow:
    """Keep a file and how it would be read, for people to look at. Raises `LogError` (a ValueError)."""
    if conversion.logs.count() >= MOST_LOGS:
        raise EditError(f"{MOST_LOGS} logs are kept at most; take one out first")
    found = recognise(data, place)
    return RunLogRow.objects.create(
        conversion=conversion,
        name=name[:120] or "run-down",
        origin=origin,
        state=RunLogRow.State.DRAFT,
        original_name=name[:120],
        original=zlib.compress(data, 6),
        mapping=msgspec.to_builtins(found.mapping),
        temperature_c=Workshop(conversion).temperature_c,
    )


@transaction.atomic
def keep_log(row: RunLogRow, mapping: LogMapping) -> RunLogRow:
    """Read a draft as the mapping says. Raises `LogError` (a ValueError)."""
    return _kept(row, mapping, read_log(original_of(row), mapping))


def _kept(row: RunLogRow, mapping: LogMapping, log: RunLog) -> RunLogRow:
    row.mapping = msgspec.to_builtins(mapping)
    row.data = arrays_kept(log)
    row.rows, row.lasts_s = len(log), log.lasts_s
    row.remarks = [msgspec.to_builtins(one) for one in log.remarks]
    row.ended = row.ended or any(one.kind == "ended" for one in log.remarks)
    row.state = RunLogRow.State.KEPT
    row.save()
    return row


@transaction.atomic
def finish_recording(row: RunLogRow, rows: list[list[float]], data: bytes, *, ended: bool) -> None:
    """Turn what was recorded into a log that is kept; without rows it is dropped."""
    row.chunks.all().delete()
    if len(rows) < 2:
        row.delete()
        return
    row.original = zlib.compress(data, 6)
    row.ended = ended
    mapping = recognise(data).mapping
    _kept(row, mapping, read_log(data, mapping))


@transaction.atomic
def add_rows(row: RunLogRow, rows: list[list[float]]) -> None:
    """Keep rows of a run that is being logged."""
    LogChunk.objects.create(log=row, rows=rows)
    row.rows += len(rows)
    row.lasts_s = rows[-1][0]
    row.trouble = ""
    row.save(update_fields=["rows", "lasts_s", "trouble"])


@transaction.atomic
def count_as_run_down(row: RunLogRow, *, was_over: bool) -> ReadingRow:
    """Take a log's duration as the reading of the run-down.

    `was_over`: somebody saw that the run was over where a log stops. Raises `EditError` where nothing says so.
    """
    if not row.ended and not was_over:
        raise EditError("this log stops before the run ended: it does not say how long it runs")
    if not row.ended:
        row.ended = True
        row.save(update_fields=["ended"])
    return take_reading(row.conversion, RUN_DOWN, row.lasts_s, f"log “{row.name}”")


def among_the_runs(row: RunLogRow) -> Trial:
    """Count a kept log among the runs so far, once. Raises `EditError`."""
    note = f"log “{row.name}”"
    if row.conversion.trials.filter(note=note).exists():
        raise EditError("it stands among the runs so far already")
    found: dict[str, Any] = {
        "on": timezone.localdate(row.created_at), "seconds": row.lasts_s, "ended": row.ended,
        "temperature_c": row.temperature_c, "mode": "", "note": note,
    }  # fmt: skip
    return trials.add(row.conversion, found)


def fit_of(row: RunLogRow) -> Fit:
    """The fit of a kept log to the plan as it is. Raises ValueError where there is nothing to fit."""
    feed = Workshop(row.conversion).feed
    if feed.situation is None:
        raise EditError("the plan has open questions")
    return fit(at_temperature(feed.situation.case, row.temperature_c), log_of(row))


@transaction.atomic
def was_at(row: RunLogRow, celsius: float | None) -> None:
    """Say how warm it was where a run was logged; None: as planned. Raises `EditError`."""
    if row.frozen:
        raise EditError("this log belongs to the record that was frozen, so it stays as it is")
    row.temperature_c = None if celsius is None else believable(celsius)
    row.save(update_fields=["temperature_c"])


@transaction.atomic
def accept_fit(row: RunLogRow, version: int, places: Collection[str], *, anyway: bool) -> Conversion:
    """Put what a run tells into the plan, as measured. Raises `Conflict`, `EditError`, `CaseError`."""
    conversion = row.conversion
    found = fit_of(row)
    if not found.explained and not anyway:
        raise EditError("this run is not explained by the fit; tick that you take its figures all the same")
    told = [one for one in found.found if one.told and one.place in places]
    if not told:
        raise EditError("tick at least one figure that the run can tell")
    note = f"fit of “{row.name}”, {date.today().isoformat()}" + (" (rehearsed)" if conversion.rehearsal else "")
    made = fitted(conversion.case, found, [one.place for one in told], note)
    done = bench.put(conversion.pk, version, made, f"From the run: {', '.join(one.term for one in told)}")
    now = stamp(timezone.now())
    row.fits = [*row.fits, *(msgspec.to_builtins(FitTaken(one.place, one.was, one.now or 0.0, now)) for one in told)]
    row.save(update_fields=["fits"])
    return done


def restore_log(conversion: Conversion, log: LogFile) -> RunLogRow:
    """Keep a log of a record, read the same way again. Raises ValueError."""
    data = log.data()
    row = RunLogRow(
        conversion=conversion, name=log.name[:120], origin=log.origin, original_name=log.original_name[:120],
        original=zlib.compress(data, 6), ended=log.ended, fits=[msgspec.to_builtins(one) for one in log.fits],
        temperature_c=log.temperature_c,
    )  # fmt: skip
    read = read_log(data, log.mapping)
    del data  # megabytes, before what they say is packed
    return _kept(row, log.mapping, read)
