"""The shelf: parts that are owned, borrowed, or might be bought."""

from __future__ import annotations

from typing import Any

import msgspec
from django.core.validators import MinValueValidator
from django.db import models
from django.db.models import Case, Value, When

from hermotrope.entry.search import holding
from hermotrope.shelf.parts import KINDS, Part, certainty, stored_part, summary
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.source import Source

COLUMN_FACTS = ("price", "mass_g", "recharge_h")
"""Facts of a pack that the shelf keeps in columns, to sort and filter by."""


AT_HAND = Case(When(have="own", then=Value(0)), When(have="borrowed", then=Value(1)), default=Value(2))
"""Where an item stands by `have`: what one owns first."""


class Items(models.QuerySet["Item"]):
    def saying(self, words: str) -> Items:
        """Those whose name, group or note holds each of the words."""
        found = self
        for word in words.split():
            found = found.filter(holding(word, "name", "group", "note"))
        return found

    def at_hand_first(self) -> Items:
        """Own, then borrowed, then what might be bought."""
        return self.order_by(AT_HAND, "position", "name", "pk")


class Item(models.Model):
    """One entry of the shelf. `part` is a source or stage of the case document; a conversion copies it."""

    class Have(models.TextChoices):
        OWN = "own", "own"
        BORROWED = "borrowed", "borrowed"
        MAYBE = "maybe", "might buy"

    key = models.SlugField(max_length=80, unique=True)
    kind = models.CharField(max_length=12, choices=list(KINDS.items()))
    group = models.CharField(max_length=80, blank=True)
    name = models.CharField(max_length=200)
    part = models.JSONField(null=True, blank=True)
    have = models.CharField(max_length=10, choices=Have.choices, default=Have.MAYBE)
    count = models.PositiveIntegerField(default=1)
    price = models.FloatField(null=True, blank=True, validators=[MinValueValidator(0)])
    mass_g = models.FloatField(null=True, blank=True, validators=[MinValueValidator(0)])
    recharge_h = models.FloatField(null=True, blank=True, validators=[MinValueValidator(0)])
    note = models.CharField(max_length=300, blank=True)
    position = models.PositiveIntegerField(default=1000)
    starter = models.BooleanField(default=False)

    objects = Items.as_manager()

    class Meta:
        ordering = ["position", "name", "pk"]
        indexes = [
            models.Index(fields=["kind", "have"]),
            models.Index(AT_HAND, "position", "name", "id", name="shelf_at_hand_first"),
            models.Index("kind", AT_HAND, "position", "name", "id", name="shelf_kind_at_hand_first"),
        ]

    def __str__(self) -> str:
        return self.name

    def content(self) -> Part:
        """The validated part. Raises CaseError if the row was tampered with."""
        return stored_part(self.kind, self.part)

    def readable(self) -> Part:
        """The part with the price, mass and hours that its row states; None where it cannot be read.

        The one place where a shelf row becomes a part of a conversion.
        """
        try:
            part = self.content()
        except CaseError:
            return None
        if not isinstance(part, Source):
            return part
        stated = {name: getattr(self, name) for name in COLUMN_FACTS if getattr(self, name) is not None}
        return msgspec.structs.replace(part, **stated) if stated else part

    @property
    def summary(self) -> str:
        try:
            return summary(self.content())
        except CaseError as error:
            return f"cannot be read: {error}"

    @property
    def certainty(self) -> str:
        return certainty(self.part)


class ImportDraft(models.Model):
    """A file on its way to the shelf: rows that wait to be judged, and the fates of those that are."""

    rows: Any = models.JSONField()
    waiting: Any = models.JSONField(default=list)
    name = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)


class Change(models.Model):
    """One change of the shelf: the items that it touched, as they were and as they became."""

    label = models.CharField(max_length=200)
    before: Any = models.JSONField()
    after: Any = models.JSONField()
    undone = models.BooleanField(default=False)
    made_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.label
