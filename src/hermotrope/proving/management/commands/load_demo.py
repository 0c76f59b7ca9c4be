"""``load_demo``: put the Sallow Fen conversions on an empty bench."""

from __future__ import annotations

from datetime import date

from django.core.management.base import BaseCommand
from django.db import transaction

from hermotrope.bench import trials
from hermotrope.bench.example import put_on_bench
from hermotrope.bench.models import Conversion
from hermotrope.proving import demo as workshop
from hermotrope.shelf import starter
from hermotrope.shelf.models import Item

RUNS = (
    ("2026-05-09", "19h10", "12 °C", "east side"),
    ("2026-05-16", "19h40", "14 °C", "east side"),
    ("2026-05-23", "18h50", "9 °C", "end of the jetty"),
    ("2026-05-30", "19h30", "15 °C", "east side"),
    ("2026-06-06", "11h", "15 °C", "end of the jetty, fitting full of water"),
)
"""What the jetty lamps ran: day, how long, temperature, where."""


class Command(BaseCommand):
    help = "Put the Sallow Fen conversions on an empty bench; a bench in use is left alone."

    @transaction.atomic
    def handle(self, *args: object, **options: object) -> None:
        if Conversion.objects.exists():
            self.stdout.write("The bench is not empty; nothing was added.")
            return
        Item.objects.filter(key__in=starter.owned()).update(have=Item.Have.OWN)
        for demo in reversed(starter.demo_conversions()):
            conversion = put_on_bench(demo)
            if conversion.case.device.name == "Jetty lamps":
                _ran(conversion)
            if demo.proved_on is not None:
                workshop.proved(conversion, date.fromisoformat(demo.proved_on))
            if demo.begun_on is not None:
                workshop.begun(conversion, date.fromisoformat(demo.begun_on))
        self.stdout.write(f"{len(starter.demo_conversions())} conversions are on the bench.")


def _ran(conversion: Conversion) -> None:
    for on, ran, warmth, where in RUNS:
        typed = {"on": on, "ran": ran, "temperature": warmth, "where": where, "how": "they grew dim, then went out"}
        typed["pack"] = "Jetty pack"
        trials.add(conversion, trials.read(conversion, typed, date.fromisoformat(on))[0])
