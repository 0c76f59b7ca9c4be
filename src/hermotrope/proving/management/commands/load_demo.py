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
    ("2026-05-09", "2h06", "", "north pool"),
    ("2026-05-16", "2h10", "17 °C", "north pool"),
    ("2026-05-23", "2h03", "", "reed channel, against the wind"),
    ("2026-05-30", "2h08", "21 °C", "north pool"),
    ("2026-06-06", "1h12", "", "weed in the screw"),
)
"""What the sampling boat ran: day, how long, temperature, where."""


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
            if conversion.case.device.name == "Sampling boat":
                _ran(conversion)
            if demo.proved_on is not None:
                workshop.proved(conversion, date.fromisoformat(demo.proved_on))
            if demo.begun_on is not None:
                workshop.begun(conversion, date.fromisoformat(demo.begun_on))
        self.stdout.write(f"{len(starter.demo_conversions())} conversions are on the bench.")


def _ran(conversion: Conversion) -> None:
    for on, ran, warmth, where in RUNS:
        typed = {"on": on, "ran": ran, "temperature": warmth, "where": where, "how": "it slowed, then stopped"}
        typed["pack"] = "Boat pack, 12.8 V"
        trials.add(conversion, trials.read(conversion, typed, date.fromisoformat(on))[0])
