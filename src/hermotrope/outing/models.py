"""Outings and their revisions. The document is the truth."""

from __future__ import annotations

from django.db import models
from django.urls import reverse

from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.plan.outing_document import outing_from


class Outing(models.Model):
    """One night or day. `version` rises with every change, undo included (optimistic locking)."""

    title = models.CharField(max_length=300)
    document = models.JSONField()
    version = models.PositiveIntegerField(default=1)
    revision = models.PositiveIntegerField(
        default=1, help_text="the revision that is current; later ones can be redone"
    )
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-changed_at", "pk"]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("outing", args=[self.pk])

    def content(self) -> Document:
        """The validated document. Raises `CaseError` where this version cannot read it."""
        return outing_from(self.document)

    @property
    def summary(self) -> str:
        """In a line: how many devices on how many packs; or why it cannot be read."""
        try:
            supplies = self.content().supplies
        except CaseError as error:
            return f"cannot be read: {error}"
        devices = sum(branch.count for supply in supplies for branch in supply.branches)
        packs = "one pack" if len(supplies) == 1 else f"{len(supplies)} packs"
        return f"{devices} {'device' if devices == 1 else 'devices'} on {packs}"


class Revision(models.Model):
    """A state of an outing's document, with what was done to reach it."""

    outing = models.ForeignKey(Outing, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    label = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["outing", "number"], name="one_outing_revision_per_number")]

    def __str__(self) -> str:
        return f"{self.number}: {self.label}"


class TreeStep(models.Model):
    """A step of a supply's build that is done. `supply` is its name with its place among those of the same name."""

    outing = models.ForeignKey(Outing, on_delete=models.CASCADE, related_name="tree_steps")
    supply = models.CharField(max_length=320)
    key = models.CharField(max_length=60)
    done_at = models.DateTimeField()
    basis = models.CharField(max_length=12)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["outing", "supply", "key"], name="one_mark_per_tree_step")]


class TreeReading(models.Model):
    """A reading at a gate of a supply, as taken; never changed. An open circuit is kept as 9.9e37."""

    outing = models.ForeignKey(Outing, on_delete=models.CASCADE, related_name="tree_readings")
    supply = models.CharField(max_length=320)
    way = models.CharField(max_length=20)
    ask = models.CharField(max_length=60)
    value = models.FloatField()
    taken_at = models.DateTimeField()
    basis = models.CharField(max_length=12)

    class Meta:
        ordering = ["pk"]
