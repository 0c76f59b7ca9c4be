"""Bringing a bench up to date: a backup first, and the old bench again where it fails."""

from __future__ import annotations

from pathlib import Path

from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.db.migrations.loader import MigrationLoader

from hermotrope.backups import upgraded


def known_schema() -> set[tuple[str, str]]:
    """Every migration that this program has."""
    loader = MigrationLoader(None, ignore_no_migrations=True)
    return set(loader.disk_migrations)


def migrated(database: Path) -> None:
    """Apply what the bench lacks. Raises `BackupError` where that fails; nothing is changed then."""
    executor = MigrationExecutor(connection)
    plan = executor.migration_plan(executor.loader.graph.leaf_nodes())
    began = bool(executor.loader.applied_migrations)
    connection.close()
    if not plan:
        return

    def migrate() -> None:
        call_command("migrate", verbosity=0)
        connection.close()

    if began:
        upgraded(database, migrate)
    else:
        migrate()
