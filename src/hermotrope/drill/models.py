"""Attempts at a level."""

from __future__ import annotations

from django.db import models


class Attempt(models.Model):
    """One go at a level: the readings that were taken and how it ended."""

    level = models.CharField(max_length=12)
    readings = models.JSONField(default=list, help_text="red, black, mode, pack in, switch on, load on")
    begun_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True, blank=True)
    named = models.CharField(max_length=20, blank=True)
    powered = models.BooleanField(default=False, help_text="it was switched on, by hand or because time ran out")
    right = models.BooleanField(default=False)

    class Meta:
        ordering = ["-pk"]
        indexes = [models.Index(fields=["level", "right"])]

    def __str__(self) -> str:
        return f"level {self.level}, {len(self.readings)} readings"
