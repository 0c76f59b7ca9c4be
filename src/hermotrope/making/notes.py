"""Made parts on the build sheet, and into and out of a conversion's record."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from typing import Any

import msgspec

from hermotrope.bench.models import Conversion
from hermotrope.drawings.solid import views
from hermotrope.making.actions import MOST_MADE
from hermotrope.making.documents import asked_of, known_of, measured_of, process_now
from hermotrope.making.models import MadePart, MeasuredPart
from hermotrope.making.panel import told
from hermotrope_core.make.made import MAKERS, made
from hermotrope_core.make.measured import Measured
from hermotrope_core.make.sureness import PRINTED_MOST_V
from hermotrope_core.tell.record import MadeNote
from hermotrope_core.values.figures import duration, figure, stated
from hermotrope_core.values.moments import day_of


def on_sheet(conversion: Conversion) -> dict[str, Any]:
    """Every made part with its drawings, its mass, what to mind, and the order of the work."""
    process, rows = process_now(), []
    for row in conversion.made_parts.all():
        try:
            shape = made(row.kind, asked_of(row), process)
            rows.append({"row": row, "views": views(shape), **told(row, shape, process)})
        except ValueError as error:
            rows.append({"row": row, "unreadable": str(error)})
    return {"made_on_sheet": rows, "printed_most": stated(PRINTED_MOST_V, "V")}


def in_parts(conversion: Conversion) -> dict[str, Any]:
    """What the made parts take together, beside the parts list; nothing where none is made."""
    process, volumes = process_now(), []
    for row in conversion.made_parts.all():
        with suppress(ValueError):  # one that cannot be read is told where it is made
            shape = made(row.kind, asked_of(row), process)
            volumes.append(sum(float(piece.solid.volume()) for piece in shape.pieces))
    if not volumes:
        return {}
    whole = sum(volumes)
    grams, lasts = figure(process.grams(whole), "g", 2), duration(process.seconds(whole))
    return {"made_sum": {"count": len(volumes), "grams": grams, "of": process.of.name, "lasts": lasts if whole else ""}}


def written(conversion: Conversion) -> list[MadeNote]:
    """Every made part for the record."""
    return [
        MadeNote(
            kind=row.kind,
            name=row.name,
            values=row.values,
            known=row.known,
            measured=row.measured.document if row.measured else None,
            printed_on=row.printed_on.isoformat() if row.printed_on else None,
        )
        for row in conversion.made_parts.select_related("measured").defer("measured__picture", "measured__past")
    ]


def remade(conversion: Conversion, notes: Sequence[MadeNote]) -> None:
    """Made parts out of a record; a measured part comes along without its picture. Raises ValueError."""
    if len(notes) > MOST_MADE:
        raise ValueError(f"a conversion has up to {MOST_MADE} made parts")
    for note in notes:
        if note.kind not in MAKERS:
            raise ValueError(f"{note.kind} is no part that is made here")
        row = MadePart(
            conversion=conversion, kind=note.kind, name=note.name[:120], values=note.values, known=note.known
        )
        asked_of(row)
        known_of(row)
        row.printed_on = day_of(note.printed_on) if note.printed_on else None
        row.measured = None if note.measured is None else _measured(note.measured)
        row.save()


def _measured(document: dict[str, Any]) -> MeasuredPart:
    """The same part where the shelf has it, else a new one; marks without their picture stay as they are."""
    part = msgspec.convert(document, Measured)
    for row in MeasuredPart.objects.filter(kind=part.kind, name=part.name).defer("picture"):
        if measured_of(row) == part:
            return row
    return MeasuredPart.objects.create(kind=part.kind, name=part.name, document=msgspec.to_builtins(part))
