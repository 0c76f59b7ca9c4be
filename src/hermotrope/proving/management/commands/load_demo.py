"""``load_demo``: put the Sallow Fen conversions on an empty bench."""

from __future__ import annotations

from datetime import date

from django.core.management.base import BaseCommand
from django.db import transaction

from hermotrope.bench.example import put_on_bench
from hermotrope.bench.models import Conversion
from hermotrope.proving import demo as workshop
from hermotrope.shelf import starter
from hermotrope.shelf.models import Item


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
            if demo.proved_on is not None:
                workshop.proved(conversion, date.fromisoformat(demo.proved_on))
            if demo.begun_on is not None:
                workshop.begun(conversion, date.fromisoformat(demo.begun_on))
        self.stdout.write(f"{len(starter.demo_conversions())} conversions are on the bench.")
