"""What was done and read for a conversion. Everything goes with it when it is taken off the bench."""

from __future__ import annotations

from django.db import models

from hermotrope.bench.models import Conversion


class BenchPlace(models.Model):
    """Where a conversion is proved: how warm it is there, if not as planned."""

    conversion = models.OneToOneField(
        Conversion, on_delete=models.CASCADE, related_name="bench_place", primary_key=True
    )
    temperature_c = models.FloatField()


class StepMark(models.Model):
    """A step of the build sheet: ticked or not, with a note."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="step_marks")
    key = models.CharField(max_length=40)
    done_at = models.DateTimeField(null=True, blank=True)
    note = models.CharField(max_length=500, blank=True)
    basis = models.CharField(max_length=12, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["conversion", "key"], name="one_mark_per_step")]


class Photo(models.Model):
    """A picture of a step, re-encoded as JPEG without any metadata."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="photos")
    step = models.CharField(max_length=40)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    added_at = models.DateTimeField(auto_now_add=True)
    image = models.BinaryField()

    class Meta:
        ordering = ["pk"]


class PartMark(models.Model):
    """What the maker says of a line of the parts list."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="part_marks")
    key = models.CharField(max_length=40)
    have = models.CharField(max_length=4, blank=True, choices=[("own", "own"), ("buy", "buy")])
    price = models.FloatField(null=True, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["conversion", "key"], name="one_mark_per_part")]


class ReadingRow(models.Model):
    """A reading as taken; never changed. An open circuit is kept as 9.9e37, as instruments write it."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="readings")
    ask = models.CharField(max_length=60)
    value = models.FloatField()
    taken_at = models.DateTimeField()
    by = models.CharField(max_length=120)
    basis = models.CharField(max_length=12)

    class Meta:
        ordering = ["pk"]


class WaiverRow(models.Model):
    """A gate that somebody goes past without passing it."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="waivers")
    gate = models.CharField(max_length=20)
    reason = models.CharField(max_length=300)
    given_at = models.DateTimeField()
    by = models.CharField(max_length=80, blank=True)
    basis = models.CharField(max_length=12)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["conversion", "gate"], name="one_waiver_per_gate")]


class RunLogRow(models.Model):
    """A logged run: the original file as it was, how it is read, and what that gave, compactly."""

    class State(models.TextChoices):
        DRAFT = "draft", "waits to be looked at"
        RECORDING = "recording", "is being logged"
        KEPT = "kept", "kept"

    class Origin(models.TextChoices):
        FILE = "file"
        TYPED = "typed"
        INSTRUMENT = "instrument"

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="logs")
    name = models.CharField(max_length=120)
    origin = models.CharField(max_length=10, choices=Origin.choices)
    state = models.CharField(max_length=10, choices=State.choices)
    original_name = models.CharField(max_length=120, blank=True)
    mapping = models.JSONField(null=True, blank=True)
    rows = models.PositiveIntegerField(default=0)
    lasts_s = models.FloatField(default=0.0)
    remarks = models.JSONField(default=list)
    ended = models.BooleanField(default=False)
    frozen = models.BooleanField(default=False, help_text="it belongs to a frozen record")
    temperature_c = models.FloatField(null=True, blank=True, help_text="where it was logged; none: as planned")
    trouble = models.CharField(max_length=300, blank=True)
    resource = models.CharField(max_length=120, blank=True)
    fits = models.JSONField(default=list)
    created_at = models.DateTimeField(auto_now_add=True)
    data = models.BinaryField(default=b"", help_text="numpy arrays, compressed")
    original = models.BinaryField(default=b"", help_text="zlib")

    class Meta:
        ordering = ["-pk"]
        indexes = [models.Index(fields=["-created_at", "-id"])]


class LogChunk(models.Model):
    """Rows of a run that is still being logged, as they came."""

    log = models.ForeignKey(RunLogRow, on_delete=models.CASCADE, related_name="chunks")
    rows = models.JSONField()

    class Meta:
        ordering = ["pk"]


class InstrumentName(models.Model):
    """A real instrument of this bench, by what it is used as."""

    role = models.CharField(max_length=10, unique=True)
    resource = models.CharField(max_length=120, blank=True)


class Rehearsal(models.Model):
    """A copy of a conversion that is proved against the simulated bench."""

    conversion = models.OneToOneField(Conversion, on_delete=models.CASCADE, related_name="rehearsed")
    fault = models.CharField(max_length=20, blank=True)


class ProvedRow(models.Model):
    """A conversion frozen as it was proved: its document is never changed."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="proved")
    on = models.DateField()
    document = models.JSONField()
    frozen_at = models.DateTimeField()

    class Meta:
        ordering = ["-pk"]
