"""Every change to measured and made parts: one action each, checked against the version that the page was made from."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any, BinaryIO

import msgspec
from django.db import transaction

from hermotrope.bench.models import Conversion
from hermotrope.entry.pictures import encoded
from hermotrope.making.documents import asked_of, known_of, measured_of, plain, process_now
from hermotrope.making.models import MadePart, MeasuredPart, Printing
from hermotrope.making.plan import starting
from hermotrope_core.make.made import MAKERS, asked_from
from hermotrope_core.make.measured import BLADE_MM, Kind, Mark, Measured, Read, found, values_for
from hermotrope_core.make.process import Process
from hermotrope_core.make.sizes import SIZES
from hermotrope_core.photo.plane import Reference

KEPT = 50
"""Changes of a part that can be taken back."""
LONGEST_SIDE = 2400
QUALITY = 90
MOST_MADE = 60
"""Made parts of one conversion."""


class Behind(Exception):
    """The part was changed in another tab meanwhile."""


@transaction.atomic
def measure(kind: Kind, name: str, file: BinaryIO | None, size: int) -> MeasuredPart:
    """Put a part with measures on the shelf, with or without its picture. Raises ValueError, `EditError`."""
    document = Measured(kind=kind, name=name)
    picture, wide, high = encoded(file, size, LONGEST_SIDE, QUALITY) if file else (None, 0, 0)
    return MeasuredPart.objects.create(
        kind=kind, name=name, document=plain(document), picture=picture, picture_wide=wide, picture_high=high
    )


@transaction.atomic
def change_measured(pk: int, version: int, label: str, change: Callable[[Measured], Measured]) -> MeasuredPart:
    """Change the document of a part. Raises `Behind`, ValueError."""
    row = MeasuredPart.objects.select_for_update().get(pk=pk)
    if row.version != version:
        raise Behind
    made = plain(change(measured_of(row)))
    if made == row.document:
        return row
    row.past = [*row.past, {"label": label, "document": row.document}][-KEPT:]
    row.document = plain(msgspec.convert(made, Measured))
    row.name = row.document["name"]
    row.version += 1
    row.save()
    return row


def refer(pk: int, version: int, reference: Reference) -> MeasuredPart:
    """Set what is of known size in the picture."""
    return change_measured(pk, version, "Reference", lambda part: msgspec.structs.replace(part, reference=reference))


def mark(pk: int, version: int, new: Mark, at: int | None = None) -> MeasuredPart:
    """Add a mark, or put it in the place of another; a part has one outline, one latch and one trimmer."""

    def change(part: Measured) -> Measured:
        marks = list(part.marks)
        alike = [
            i for i, one in enumerate(marks) if one.role == new.role and new.role in ("outline", "latch", "trimmer")
        ]
        place = at if at is not None and at < len(marks) else next(iter(alike), None)
        if place is None:
            marks.append(new)
        else:
            marks[place] = new
        return msgspec.structs.replace(part, marks=tuple(marks))

    return change_measured(pk, version, f"Mark: {new.name or new.role}", change)


def unmark(pk: int, version: int, at: int) -> MeasuredPart:
    """Take a mark away. Raises ValueError where it is gone."""

    def change(part: Measured) -> Measured:
        if not 0 <= at < len(part.marks):
            raise ValueError("that mark is not there any more")
        return msgspec.structs.replace(part, marks=part.marks[:at] + part.marks[at + 1 :])

    return change_measured(pk, version, "Mark taken away", change)


def caliper(pk: int, version: int, name: str, mm: float | None) -> MeasuredPart:
    """Take what a caliper says of a measure, or forget it."""

    def change(part: Measured) -> Measured:
        rest = {key: value for key, value in part.caliper.items() if key != name}
        return msgspec.structs.replace(part, caliper=rest if mm is None else rest | {name: mm})

    return change_measured(pk, version, f"Caliper: {SIZES[name].term.lower() if name in SIZES else name}", change)


def held(pk: int, version: int, above_mm: float, distance_mm: float) -> MeasuredPart:
    """Set how far the face stands above the reference, and the camera away from it."""
    return change_measured(
        pk, version, "Heights",
        lambda part: msgspec.structs.replace(part, above_mm=above_mm, distance_mm=distance_mm),
    )  # fmt: skip


@transaction.atomic
def take_back(pk: int, version: int) -> MeasuredPart:
    """Undo the last change of a measured part."""
    row = MeasuredPart.objects.select_for_update().get(pk=pk)
    if row.version != version:
        raise Behind
    if row.past:
        row.document = row.past[-1]["document"]
        row.past = row.past[:-1]
        row.name = row.document["name"]
        row.version += 1
        row.save()
    return row


@transaction.atomic
def add(conversion: Conversion, kind: str, measured: MeasuredPart | None) -> MadePart:
    """A made part of a kind, begun from the plan and, where there is one, from a measured part. Raises ValueError."""
    if kind not in MAKERS:
        raise ValueError("choose what is to be made")
    if conversion.made_parts.count() >= MOST_MADE:
        raise ValueError(f"a conversion has up to {MOST_MADE} made parts")
    values, known = starting(conversion, kind, process_now())
    row = MadePart(conversion=conversion, kind=kind, name=MAKERS[kind].title, values=values, known=known)
    if measured is not None:
        _take_over(row, measured)
    asked_of(row)
    row.save()
    return row


def _take_over(row: MadePart, measured: MeasuredPart) -> None:
    part = measured_of(measured)
    reads = found(part).reads
    row.measured, row.name = measured, f"{MAKERS[row.kind].title}, {measured.name}"[:120]
    fields = MAKERS[row.kind].asked.__struct_fields__
    new = {name: value for name, value in values_for(part).items() if name in fields}
    row.values = row.values | new
    row.known = row.known | {name: plain(read) for name, read in reads.items() if name in fields}
    if "contacts" in new:  # a picture from above shows no thickness of a blade
        row.known["contacts"] = plain(Read(BLADE_MM, 0.0, "usual"))


@transaction.atomic
def shape(pk: int, version: int, name: str, value: Any, read: Read | None = None) -> MadePart:
    """Set one parameter; `read` says how a measure is known. Raises `Behind`, ValueError."""
    row = _newest(pk, version)
    if name not in MAKERS[row.kind].asked.__struct_fields__:
        raise ValueError("there is no such measure")
    values = row.values | {name: value}
    if name == "contacts" and plain(asked_from(row.kind, values | {"names": []}))[name] != plain(asked_of(row))[name]:
        values["names"] = []  # a sign must never move to another contact: they are named anew
    known = {key: one for key, one in row.known.items() if key != name}
    return _kept(row, values, known if read is None else known | {name: plain(read)}, name)


@transaction.atomic
def follow(pk: int, version: int) -> MadePart:
    """Take the newest measures of the part it is made after. Raises `Behind`, ValueError."""
    row = _newest(pk, version)
    if row.measured is None:
        raise ValueError("it is made after no measured part")
    values, known, name = row.values, row.known, row.name
    _take_over(row, row.measured)
    made, read, row.values, row.known, row.name = row.values, row.known, values, known, name
    return _kept(row, made, read, "measures")


def _newest(pk: int, version: int) -> MadePart:
    row = MadePart.objects.select_for_update().get(pk=pk)
    if row.version != version:
        raise Behind
    return row


def _kept(row: MadePart, values: dict[str, Any], known: dict[str, Any], label: str) -> MadePart:
    asked = asked_from(row.kind, values)
    if plain(asked) == plain(asked_of(row)) and known == row.known:
        return row
    term = SIZES[label].term if label in SIZES else label.capitalize()
    row.past = [*row.past, {"label": term, "values": row.values, "known": row.known}][-KEPT:]
    row.values, row.known, row.printed_on = values, known, None
    known_of(row)
    row.version += 1
    row.save()
    return row


@transaction.atomic
def undo(pk: int, version: int) -> MadePart:
    """Undo the last change of a made part."""
    row = _newest(pk, version)
    if row.past:
        row.values, row.known = row.past[-1]["values"], row.past[-1]["known"]
        row.past = row.past[:-1]
        row.version += 1
        row.save()
    return row


@transaction.atomic
def printed(pk: int, version: int, on: date | None) -> MadePart:
    """State that it is made, or take that back."""
    row = _newest(pk, version)
    row.printed_on = on
    row.version += 1
    row.save()
    return row


@transaction.atomic
def remove(pk: int, version: int) -> None:
    """Take a made part away."""
    _newest(pk, version).delete()


@transaction.atomic
def print_so(process: Process) -> None:
    """Keep the user's printing."""
    Printing.objects.update_or_create(pk=1, defaults={"values": plain(process)})
