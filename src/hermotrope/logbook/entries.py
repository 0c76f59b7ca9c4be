"""Writing into the logbook."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any, BinaryIO, cast

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from hermotrope.bench.models import Conversion
from hermotrope.entry.pictures import encoded
from hermotrope.entry.typed import EditError
from hermotrope.logbook.models import Entry
from hermotrope_core.values.quantity import QuantityError, parse
from hermotrope_core.values.whole import MOST_KEY, whole_number

EARLIEST = date(1990, 1, 1)
MOST_MONTHS = 120
LARGEST_AH, LARGEST_OHM = 1e5, 1e4
LONGEST_SIDE = 1600
MOST_PICTURES = 2_000


def read(typed: Mapping[str, str], today: date) -> tuple[dict[str, Any], dict[str, str]]:
    """The fields of an entry and what is wrong with them, by field."""
    errors: dict[str, str] = {}
    kind = typed.get("kind", Entry.Kind.NOTE)
    found: dict[str, Any] = {"kind": kind}
    found |= {name: _clean(typed.get(name, ""), longest) for name, longest in (("text", 1000), ("pack", 120))}
    if kind not in Entry.Kind.values:
        errors["kind"] = "one of those listed"
    try:
        found["on"] = date.fromisoformat(typed.get("on", "") or today.isoformat())
        if not EARLIEST <= found["on"] <= today + timedelta(days=1):
            raise ValueError
    except ValueError:
        errors["on"] = "a day that has been, such as 2026-05-03"
    for name, unit, most in (("capacity_ah", "Ah", LARGEST_AH), ("resistance_ohm", "Ω", LARGEST_OHM)):
        text = typed.get(name, "").strip()
        try:
            found[name] = parse(text, unit) if text else None
            if text and not 0.0 < found[name] <= most:
                raise QuantityError("more than nothing, and not so much")
        except QuantityError as error:
            errors[name] = str(error)
    text = typed.get("months", "").strip()
    months = whole_number(text, MOST_MONTHS) if text else None
    if text and not months:
        errors["months"] = f"whole months, 1 to {MOST_MONTHS}"
    elif months and "on" in found:
        found["again_on"] = found["on"] + timedelta(days=round(months * 30.44))
    _complete(kind, found, errors)
    return found, errors


def _complete(kind: str, found: dict[str, Any], errors: dict[str, str]) -> None:
    """What each kind cannot be without."""
    if kind == Entry.Kind.NOTE and not found["text"]:
        errors.setdefault("text", "a note says something")
    if kind != Entry.Kind.NOTE and not found["pack"]:
        errors.setdefault("pack", "which pack?")
    if kind == Entry.Kind.MEASURED and not errors and not (found["capacity_ah"] or found["resistance_ohm"]):
        errors["capacity_ah"] = "its capacity or its resistance"


def _clean(text: str, longest: int) -> str:
    return "".join(sign for sign in text if sign.isprintable() or sign == "\n").strip()[:longest]


@transaction.atomic
def add(found: dict[str, Any], device: str, file: UploadedFile[Any] | None) -> Entry:
    """Keep an entry, with its picture if there is one. Raises `EditError`."""
    pk = whole_number(device, MOST_KEY)
    found = {**found, "conversion": Conversion.objects.filter(pk=pk).first() if pk else None}
    if file is not None:
        if Entry.objects.exclude(picture=b"").count() >= MOST_PICTURES:
            raise EditError(f"{MOST_PICTURES} pictures are kept in the logbook; remove some first")
        found["picture"] = encoded(cast(BinaryIO, file), file.size or 0, LONGEST_SIDE)[0]
    return Entry.objects.create(**found)
