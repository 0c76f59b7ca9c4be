"""The record: frozen when it is proved, written as one file, read back on another bench."""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from datetime import date, datetime
from typing import IO, Any, get_args

import msgspec
from django.db import transaction
from django.db.models import Sum
from django.db.models.functions import Length
from django.utils import timezone

from hermotrope.bench import actions as bench
from hermotrope.bench.models import Conversion
from hermotrope.bench.shared import MADE, REMAKE
from hermotrope.entry.typed import EditError
from hermotrope.proving.actions import LONGEST_NOTE, LONGEST_REASON, RUN_DOWN, tell
from hermotrope.proving.bench import Workshop
from hermotrope.proving.keeping import mapping_of, readings_of, stamp, waivers_of
from hermotrope.proving.logs import restore_log
from hermotrope.proving.models import (
    BenchPlace,
    PartMark,
    ProvedRow,
    ReadingRow,
    Rehearsal,
    RunLogRow,
    StepMark,
    WaiverRow,
)
from hermotrope_core.plan.document import CaseError
from hermotrope_core.prove.judge import as_read, stored
from hermotrope_core.prove.standin import Fault
from hermotrope_core.tell.record import (
    FORMAT,
    FitTaken,
    LogFile,
    PartNote,
    Proved,
    Record,
    StepNote,
    packed,
    read_record,
    written,
)


@transaction.atomic
def freeze(conversion: Conversion, version: int) -> ProvedRow:
    """Freeze the conversion as proved today, with its readings. Raises `EditError` while a gate is open, `Conflict`."""
    workshop = Workshop(conversion)
    if workshop.shut or not workshop.all_passed:
        raise EditError("not every gate has passed or was waived")
    measured = next((as_read(r.value) for r in reversed(list(conversion.readings.all())) if r.ask == RUN_DOWN), None)
    range_ = workshop.feed.range
    now = timezone.now()
    document = Proved(
        on=timezone.localdate().isoformat(),
        frozen_at=stamp(now),
        case=conversion.case,
        verdict=workshop.feed.verdict,
        range_s=(range_.p5, range_.p95) if range_ else None,
        runtime_s=measured,
        readings=tuple(_written(readings_of(conversion))),
        waivers=tuple(waivers_of(conversion)),
        steps=_steps(conversion),
        fits=tuple(
            msgspec.convert(one, FitTaken) for taken in conversion.logs.values_list("fits", flat=True) for one in taken
        ),
        rehearsal=conversion.rehearsal,
        bench_temperature_c=workshop.temperature_c,
    )
    done = bench.mark_done(conversion.pk, version, timezone.localdate(), measured)
    Conversion.objects.filter(pk=conversion.pk).update(proved_on=timezone.localdate())
    row = ProvedRow.objects.create(
        conversion=done, on=timezone.localdate(), document=msgspec.to_builtins(document), frozen_at=now
    )
    conversion.logs.filter(state=RunLogRow.State.KEPT).update(frozen=True)
    tell(done)
    return row


def _written(readings: list[Any]) -> list[Any]:
    return [msgspec.structs.replace(one, value=stored(one.value)) for one in readings]


def _steps(conversion: Conversion) -> tuple[StepNote, ...]:
    rows = conversion.step_marks.order_by("pk")
    return tuple(StepNote(row.key, stamp(row.done_at) if row.done_at else None, row.note, row.basis) for row in rows)


def proved_of(row: ProvedRow) -> Proved:
    """A frozen state as a value."""
    return msgspec.convert(row.document, Proved)


def _part_note(row: PartMark) -> PartNote:
    return msgspec.convert({"key": row.key, "have": row.have or None, "price": row.price}, PartNote)


def logs_of(conversion: Conversion) -> Iterator[LogFile]:
    """Its logs as a record has them, each read when its turn comes."""
    kept = conversion.logs.filter(state=RunLogRow.State.KEPT).exclude(mapping=None).order_by("pk")
    for pk in list(kept.values_list("pk", flat=True)):
        row = kept.defer("data").filter(pk=pk).first()
        mapping = None if row is None else mapping_of(row)
        if row is not None and mapping is not None:
            fits = tuple(msgspec.convert(one, FitTaken) for one in row.fits)
            original = packed(bytes(row.original) or zlib.compress(b""))
            named = row.name, row.origin, row.original_name
            yield LogFile(*named, mapping, original, fits, row.ended, row.temperature_c)  # type: ignore[arg-type]  # origin is one of its choices


def megabytes_of_logs(conversion: Conversion) -> float:
    """What the logs take in a record."""
    held = conversion.logs.aggregate(held=Sum(Length("original")))["held"] or 0
    return float(held) * 4.0 / 3.0 / 1e6


def record_text(conversion: Conversion) -> Iterator[str]:
    """The record as text, a piece at a time."""
    return written(record_of(conversion), logs_of(conversion))


def record_of(conversion: Conversion) -> Record:
    """Everything about a conversion, pictures and logs aside."""
    rehearsed = Rehearsal.objects.filter(conversion=conversion).first()
    parts = [_part_note(row) for row in conversion.part_marks.order_by("pk")]
    return Record(
        format=FORMAT,
        case=conversion.case,
        rehearsal=conversion.rehearsal,
        fault=next((one for one in get_args(Fault) if rehearsed and one == rehearsed.fault), None),
        steps=_steps(conversion),
        parts=tuple(parts),
        readings=tuple(_written(readings_of(conversion))),
        waivers=tuple(waivers_of(conversion)),
        proved=tuple(proved_of(row) for row in conversion.proved.order_by("pk")),
        bench_temperature_c=Workshop(conversion).temperature_c,
        made=tuple(note for notes in MADE for note in notes(conversion)),
    )


@transaction.atomic
def put_on_bench(data: bytes | IO[bytes], name: str) -> Conversion:
    """Put a record from a file on the bench. Raises `CaseError`; nothing is kept then."""
    record = read_record(data)
    conversion = bench.create(record.case, f"Imported from {name}")
    restore(conversion, record)
    for remake in REMAKE:
        try:
            remake(conversion, record.made)
        except ValueError as error:
            raise CaseError("made", str(error)) from None
    conversion.refresh_from_db()
    return conversion


def restore(conversion: Conversion, record: Record) -> None:
    """Fill in what a record holds beside its case."""
    moment = datetime.fromisoformat
    StepMark.objects.bulk_create(
        StepMark(
            conversion=conversion,
            key=one.key[:40],
            done_at=moment(one.done_at) if one.done_at else None,
            note=one.note[:LONGEST_NOTE],
            basis=one.basis[:12],
        )
        for one in {step.key: step for step in record.steps}.values()
    )
    PartMark.objects.bulk_create(
        PartMark(conversion=conversion, key=one.key[:40], have=one.have or "", price=one.price)
        for one in {part.key: part for part in record.parts}.values()
    )
    ReadingRow.objects.bulk_create(
        ReadingRow(
            conversion=conversion,
            ask=one.ask[:60],
            value=one.value,
            taken_at=moment(one.taken_at),
            by=one.by[:120],
            basis=one.basis[:12],
        )
        for one in record.readings
    )
    WaiverRow.objects.bulk_create(
        WaiverRow(
            conversion=conversion,
            gate=one.gate[:20],
            reason=one.reason[:LONGEST_REASON],
            given_at=moment(one.given_at),
            by=one.by[:80],
            basis=one.basis[:12],
        )
        for one in {waiver.gate: waiver for waiver in record.waivers}.values()
    )
    for log in record.logs:
        restore_log(conversion, log)
    for one in record.proved:
        ProvedRow.objects.create(
            conversion=conversion,
            on=date.fromisoformat(one.on),
            document=msgspec.to_builtins(one),
            frozen_at=moment(one.frozen_at),
        )
    if record.proved:
        conversion.logs.update(frozen=True)
    if record.bench_temperature_c is not None:
        BenchPlace.objects.create(conversion=conversion, temperature_c=record.bench_temperature_c)
    if record.rehearsal:
        Rehearsal.objects.create(conversion=conversion, fault=record.fault or "")
    _restore_columns(conversion, record)
    tell(conversion)


def _restore_columns(conversion: Conversion, record: Record) -> None:
    columns: dict[str, Any] = {"rehearsal": record.rehearsal}
    if record.proved:
        last = record.proved[-1]
        on = date.fromisoformat(last.on)
        same = last.case == record.case
        columns |= {
            "proved_on": on,
            "done_on": on,
            "measured_s": last.runtime_s,
            "done_revision": conversion.revision if same else 0,
        }
    Conversion.objects.filter(pk=conversion.pk).update(**columns)
