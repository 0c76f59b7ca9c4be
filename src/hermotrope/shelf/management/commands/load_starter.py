"""``load_starter``: put the generic parts on the shelf that are not there yet."""

from __future__ import annotations

from django.core.management.base import BaseCommand
from django.db import transaction

from hermotrope.shelf import starter
from hermotrope.shelf.models import Item
from hermotrope.shelf.parts import part_tree
from hermotrope_core.values.known import maybe


class Command(BaseCommand):
    help = "Put the generic parts on the shelf; what is already there is left as it is."

    @transaction.atomic
    def handle(self, *args: object, **options: object) -> None:
        have = set(Item.objects.values_list("key", flat=True))
        made = [
            Item(
                key=item.key,
                kind="source",
                group=item.group,
                name=item.source.name,
                part=part_tree(item.source),
                price=maybe(item.source.price),
                mass_g=maybe(item.source.mass_g),
                recharge_h=maybe(item.source.recharge_h),
            )
            for item in starter.sources().values()
        ]
        made += [
            Item(
                key=item.key,
                kind=item.kind,
                group=item.group,
                name=item.name,
                part=part_tree(item.part),
                price=item.price,
                mass_g=item.mass_g,
                note=item.note,
            )
            for item in starter.parts()
        ]
        for position, item in enumerate(made):
            item.position, item.starter = position, True
        new = [item for item in made if item.key not in have]
        Item.objects.bulk_create(new)
        self.stdout.write(f"{len(new)} generic parts were put on the shelf.")
