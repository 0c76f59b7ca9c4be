"""What somebody writes into the logbook; everything else in it is read from where it happened."""

from __future__ import annotations

from django.db import models

from hermotrope.bench.models import Conversion


class Entry(models.Model):
    """A note, a charge, a swap, or a measurement of a pack."""

    class Kind(models.TextChoices):
        NOTE = "note", "note"
        CHARGED = "charged", "charged"
        SWAPPED = "swapped", "swapped"
        MEASURED = "pack", "pack measured"

    kind = models.CharField(max_length=10, choices=Kind.choices)
    on = models.DateField()
    text = models.CharField(max_length=1000, blank=True)
    pack = models.CharField(max_length=120, blank=True)
    conversion = models.ForeignKey(
        Conversion, on_delete=models.SET_NULL, null=True, blank=True, related_name="log_entries"
    )
    capacity_ah = models.FloatField(null=True, blank=True)
    resistance_ohm = models.FloatField(null=True, blank=True)
    again_on = models.DateField(null=True, blank=True, help_text="when to be reminded")
    added_at = models.DateTimeField(auto_now_add=True)
    picture = models.BinaryField(default=b"")

    class Meta:
        ordering = ["-on", "-pk"]
        indexes = [models.Index(fields=["on"]), models.Index(fields=["pack"])]

    def __str__(self) -> str:
        return f"{self.on}: {self.text or self.kind}"
