"""Phones that were paired with this bench."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.db import models
from django.utils import timezone

from hermotrope_core.values.text import seen

LASTS = timedelta(days=30)
"""A phone that was not seen so long is a stranger again."""
LONGEST_NAME = 40
SEEN_EVERY = timedelta(minutes=1)


class Right(models.TextChoices):
    """What a phone may do; the laptop alone pairs phones and brings backups back."""

    READ = "read", "read only"
    BENCH = "bench", "readings and pictures"
    ALL = "all", "everything"


class Phone(models.Model):
    """A browser that was paired by a code; its token is kept as a hash."""

    name = models.CharField(max_length=LONGEST_NAME)
    right = models.CharField(max_length=8, choices=Right.choices)
    token_hash = models.CharField(max_length=64, unique=True)
    paired_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField()

    class Meta:
        ordering = ["-seen_at"]

    def __str__(self) -> str:
        return self.name


def called(text: str) -> str:
    """A name that was typed for a phone, as it is kept."""
    return " ".join(seen(text).split())[:LONGEST_NAME]


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def pair(name: str, right: str) -> tuple[Phone, str]:
    """A new phone and its token, which is told once."""
    token = secrets.token_urlsafe(32)
    made = Phone.objects.create(
        name=called(name) or "a phone", right=right, token_hash=_hash(token), seen_at=timezone.now()
    )
    return made, token


def phone_of(token: str) -> Phone | None:
    """The phone that holds this token, unless it was ended or not seen for long."""
    if not token or len(token) > 100:
        return None
    found = Phone.objects.filter(token_hash=_hash(token)).first()
    now = timezone.now()
    if found is None or now - found.seen_at > LASTS:
        return None
    if now - found.seen_at > SEEN_EVERY:
        found.seen_at = now
        found.save(update_fields=["seen_at"])
    return found


class Sent(models.Model):
    """The mark of an entry that was taken."""

    mark = models.CharField(max_length=40, unique=True)
    at = models.DateTimeField(auto_now_add=True, db_index=True)

    def __str__(self) -> str:
        return self.mark
