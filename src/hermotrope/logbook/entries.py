"""Writing into the logbook."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from hermotrope.bench.models import Conversion
from hermotrope.entry.answers import Answers, past_day, words
from hermotrope.entry.pictures import jpeg_of
from hermotrope.entry.typed import EditError
from hermotrope.logbook.models import Entry
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.quantity import parse_field
from hermotrope_core.values.whole import MOST_KEY, whole_number

MOST_MONTHS = 120
DAYS_OF_A_MONTH = 30.44
MOST_PICTURES = 2_000
FIGURES = ("capacity_ah", "resistance_ohm")
TEXTS = {"text": 1000, "pack": 120}


def read(typed: Mapping[str, str], today: date) -> tuple[dict[str, Any], dict[str, str]]:
    """The fields of an entry and what is wrong with them, by field."""
    answers = Answers(typed)
    answers.take("kind", _kind, Entry.Kind.NOTE)
    answers.take("on", past_day(today), today)
    answers.take("months", _months)
    for name in FIGURES:
        answers.take(name, lambda text, name=name: parse_field(text, FIELDS[name]))  # type: ignore[misc]
    for name, longest in TEXTS.items():
        answers.take(name, words(longest), "")
    found, errors = answers.found, answers.errors
    months = found.pop("months", None)
    if months and "on" in found:
        found["again_on"] = found["on"] + timedelta(days=round(months * DAYS_OF_A_MONTH))
    if not errors:
        _complete(found, errors)
    return found, errors


def _kind(text: str) -> str:
    if text not in Entry.Kind.values:
        raise EditError("one of those listed")
    return text


def _months(text: str) -> int:
    months = whole_number(text, MOST_MONTHS)
    if not months:
        raise EditError(f"whole months, 1 to {MOST_MONTHS}")
    return months


def _complete(found: dict[str, Any], errors: dict[str, str]) -> None:
    """What each kind cannot be without."""
    kind = found["kind"]
    if kind == Entry.Kind.NOTE and not found["text"]:
        errors["text"] = "a note says something"
    if kind != Entry.Kind.NOTE and not found["pack"]:
        errors["pack"] = "which pack?"
    if kind == Entry.Kind.MEASURED and not errors and not any(found[name] for name in FIGURES):
        errors["capacity_ah"] = "its capacity or its resistance"


@transaction.atomic
def add(found: dict[str, Any], device: str, file: UploadedFile[Any] | None) -> Entry:
    """Keep an entry, with its picture if there is one. Raises `EditError`."""
    pk = whole_number(device, MOST_KEY)
    found = {**found, "conversion": Conversion.objects.filter(pk=pk).first() if pk else None}
    if file is not None:
        if Entry.objects.exclude(picture=b"").count() >= MOST_PICTURES:
            raise EditError(f"{MOST_PICTURES} pictures are kept in the logbook; remove some first")
        found["picture"] = jpeg_of(file)
    return Entry.objects.create(**found)
