"""``load_outing``: keep the Sallow Fen night where no outing is kept yet."""

from __future__ import annotations

from pathlib import Path

from django.core.management.base import BaseCommand
from django.db import transaction

from hermotrope.outing import actions
from hermotrope.outing.models import Outing
from hermotrope_core.plan.outing_document import read_outing

DEMO = Path(__file__).parents[2] / "data" / "sallow-fen-night.json"


class Command(BaseCommand):
    help = "Keep the Sallow Fen night; where outings are kept already, nothing is added."

    @transaction.atomic
    def handle(self, *args: object, **options: object) -> None:
        if not Outing.objects.exists():
            actions.create(read_outing(DEMO.read_bytes()), "Started")
