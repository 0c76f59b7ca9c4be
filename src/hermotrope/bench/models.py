"""Conversions and their revisions. A conversion's case is the truth; the other columns follow from it."""

from __future__ import annotations

from django.db import models
from django.urls import reverse

from hermotrope.bench.fields import CaseField


class Conversion(models.Model):
    """One device on one pack. `version` rises with every change, undo included (optimistic locking)."""

    class Verdict(models.TextChoices):
        OPEN = "open"
        REFUSED = "refused"
        CARE = "fits with care"
        FITS = "fits"

    case = CaseField()
    version = models.PositiveIntegerField(default=1)
    revision = models.PositiveIntegerField(
        default=1, help_text="the revision that is current; later ones can be redone"
    )

    title = models.CharField(max_length=300)
    words = models.TextField(blank=True, help_text="what it is found by besides its tags, in small letters")
    verdict = models.CharField(max_length=20, choices=Verdict.choices)
    headline = models.TextField(blank=True)
    next_step = models.TextField(blank=True)
    runtime_s = models.FloatField(null=True)
    runtime_low_s = models.FloatField(null=True)
    runtime_high_s = models.FloatField(null=True)
    end_cause = models.CharField(max_length=40, blank=True)

    done_on = models.DateField(null=True, blank=True)
    done_revision = models.PositiveIntegerField(null=True, blank=True)
    measured_s = models.FloatField(null=True, blank=True)
    proved_on = models.DateField(null=True, blank=True)
    workshop = models.CharField(max_length=80, blank=True, help_text="how far build and proving are, in words")
    tags = models.CharField(max_length=200, blank=True, help_text="own words to find it by, apart by commas")
    archived = models.BooleanField(default=False, help_text="put away: shown only when asked for")
    rehearsal = models.BooleanField(default=False, help_text="a copy that is proved against the simulated bench")

    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-changed_at", "pk"]
        indexes = [models.Index(fields=["verdict"]), models.Index(fields=["title"])]

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("feed", args=[self.pk])

    @property
    def tag_words(self) -> list[str]:
        """Its tags, each by itself."""
        return self.tags.split(", ") if self.tags else []

    @property
    def ran_as_it_is(self) -> float | None:
        """Seconds that this very state ran; None where it was never tried or was changed since."""
        return self.measured_s if self.done_revision == self.revision else None

    @property
    def proved_as_it_is(self) -> bool:
        """Whether this very state was proved, of real parts."""
        return self.proved_on is not None and not self.rehearsal and self.done_revision == self.revision


class Revision(models.Model):
    """A state of a conversion's case, with what was done to reach it."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    case = CaseField()
    label = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["conversion", "number"], name="one_revision_per_number")]
        indexes = [models.Index(fields=["-made_at", "-id"])]

    def __str__(self) -> str:
        return f"{self.number}: {self.label}"


class Trial(models.Model):
    """One run of a conversion, as it was on the day: what was run, how long, how it ended."""

    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="trials")
    case = CaseField(help_text="the case as it stood, with the temperature and the mode of the run")
    on = models.DateField()
    seconds = models.FloatField()
    ended = models.BooleanField(default=True, help_text="by itself; else it was stopped while it still ran")
    temperature_c = models.FloatField(null=True, blank=True)
    mode = models.CharField(max_length=200, blank=True, help_text="the one mode it was in; none: the duty")
    pack = models.CharField(max_length=60, blank=True, help_text="which of several packs")
    where = models.CharField(max_length=60, blank=True)
    how = models.CharField(max_length=120, blank=True, help_text="how it ended")
    note = models.CharField(max_length=500, blank=True)
    taken_in = models.PositiveIntegerField(
        null=True, blank=True, help_text="the revision that took what it taught into the plan"
    )
    added_at = models.DateTimeField(auto_now_add=True)
    picture = models.BinaryField(default=b"", help_text="JPEG")

    class Meta:
        ordering = ["on", "pk"]

    def __str__(self) -> str:
        return f"{self.on}: {self.seconds:.0f} s"
