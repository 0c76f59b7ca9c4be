"""``load_making``: the demonstration's measured parts, and what is made after them."""

from __future__ import annotations

from django.core.management.base import BaseCommand

from hermotrope.making.demo import put_on_shelf


class Command(BaseCommand):
    help = "Put the measured parts of the demonstration on the shelf; a shelf that has some is left alone."

    def handle(self, *args: object, **options: object) -> None:
        put_on_shelf()
