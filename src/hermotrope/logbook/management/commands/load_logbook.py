"""``load_logbook``: what was written down at Sallow Fen, into an empty logbook."""

from __future__ import annotations

from datetime import date

from django.core.management.base import BaseCommand
from django.db import transaction

from hermotrope.logbook import entries
from hermotrope.logbook.models import Entry

PACK = "Jetty pack"
WRITTEN: tuple[dict[str, str], ...] = (
    {"kind": "pack", "on": "2025-04-12", "pack": PACK, "capacity_ah": "5.9 Ah", "resistance_ohm": "38 mΩ"},
    {"kind": "pack", "on": "2025-10-04", "pack": PACK, "capacity_ah": "5.5 Ah", "resistance_ohm": "44 mΩ"},
    {"kind": "pack", "on": "2026-05-02", "pack": PACK, "capacity_ah": "4.7 Ah", "resistance_ohm": "59 mΩ"},
    {"kind": "charged", "on": "2026-06-06", "pack": PACK, "months": "3", "text": "to storage volts"},
    {
        "kind": "note",
        "on": "2026-06-07",
        "text": "Water in the lamp at the end of the jetty: seal it first.",
    },
)


class Command(BaseCommand):
    help = "Write the demonstration's entries into an empty logbook; one in use is left alone."

    @transaction.atomic
    def handle(self, *args: object, **options: object) -> None:
        if Entry.objects.exists():
            return
        for typed in WRITTEN:
            found, errors = entries.read(typed, date.fromisoformat(typed["on"]))
            assert not errors, errors
            entries.add(found, "", None)
