"""Tests. Hypothesis draws the same examples every time and has no clock, so that a slow machine fails nothing."""

from __future__ import annotations

from typing import Any

from django.db import connections
from django.db.models.signals import post_migrate
from hypothesis import HealthCheck, settings

settings.register_profile("steady", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("steady")


def _write_through(using: str, **_: Any) -> None:
    """Bring the log of the test database into its file, which is copied for each process that tests run in."""
    with connections[using].cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")


post_migrate.connect(_write_through, weak=False)
