"""Parts with measures, parts that are made after them, and how somebody prints."""

from __future__ import annotations

from django.db import models
from django.urls import reverse

from hermotrope.bench.models import Conversion


class MeasuredPart(models.Model):
    """A part on the shelf with its measures. `document` is a ``hermotrope-measured/1``; `past` holds older ones."""

    kind = models.CharField(max_length=20)
    name = models.CharField(max_length=120)
    document = models.JSONField()
    past = models.JSONField(default=list, help_text="documents before the last changes, each with what was done")
    version = models.PositiveIntegerField(default=1)
    picture_wide = models.PositiveIntegerField(default=0)
    picture_high = models.PositiveIntegerField(default=0)
    changed_at = models.DateTimeField(auto_now=True)
    picture = models.BinaryField(null=True, blank=True)

    class Meta:
        ordering = ["kind", "name", "pk"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("measured", args=[self.pk])


class MadePart(models.Model):
    """A part that is made for a conversion. `values` are its maker's parameters, `known` how each was measured."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="made_parts")
    measured = models.ForeignKey(MeasuredPart, on_delete=models.SET_NULL, null=True, blank=True)
    kind = models.CharField(max_length=20)
    name = models.CharField(max_length=120)
    values = models.JSONField(default=dict)
    known = models.JSONField(default=dict)
    past = models.JSONField(default=list)
    version = models.PositiveIntegerField(default=1)
    printed_on = models.DateField(null=True, blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class Printing(models.Model):
    """The user's own printing settings: one row."""

    values = models.JSONField(default=dict)

    def __str__(self) -> str:
        return "printing"
