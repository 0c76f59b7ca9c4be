"""What was changed on the shelf, so that it can be taken back and made again, by its name, after a reload too."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction

from hermotrope.shelf.models import Change, Item

KEPT = 50
"""Changes that can be taken back; older ones are forgotten."""
FIELDS = tuple(field.attname for field in Item._meta.concrete_fields)
AT_ONCE = 500
"""Keys that one query asks for."""


@contextmanager
def noted(label: str, keys: Iterable[str] = ()) -> Iterator[set[str]]:
    """Keep what the items under these keys were and become; keys of new items are added to what it gives.

    Used inside a transaction. Nothing is kept where nothing changed, or where it raises.
    """
    touched = set(keys)
    before = _rows(touched)
    yield touched
    after = _rows(touched)
    if before == after:
        return
    Change.objects.filter(undone=True).delete()
    Change.objects.create(label=label[:200], before=before, after=after)
    old = Change.objects.order_by("-pk").values_list("pk", flat=True)[KEPT:]
    Change.objects.filter(pk__in=list(old)).delete()


def steps() -> tuple[Change | None, Change | None]:
    """The change that an undo takes back, and the one that a redo makes again."""
    done = Change.objects.filter(undone=False).order_by("-pk").first()
    return done, Change.objects.filter(undone=True).order_by("pk").first()


@transaction.atomic
def step(by: int) -> str:
    """Take the last change back (-1) or make the next again (1): its label; empty where there is none."""
    done, again = steps()
    change = done if by < 0 else again
    if change is None:
        return ""
    gone, rows = (change.after, change.before) if by < 0 else (change.before, change.after)
    lasting = {row["key"] for row in rows}
    _delete({row["key"] for row in gone} - lasting)
    own = {row["id"] for row in rows}
    for part in _parts(lasting):  # what was put there meanwhile under the same key makes room
        Item.objects.filter(key__in=part).exclude(pk__in=own).delete()
    kept = {pk for part in _parts(lasting) for pk in Item.objects.filter(key__in=part).values_list("pk", flat=True)}
    for row in rows:
        Item(**row).save(force_insert=row["id"] not in kept)
    change.undone = by < 0
    change.save()
    return str(change.label)


def _rows(keys: Iterable[str]) -> list[dict[str, Any]]:
    found = (row for part in _parts(keys) for row in Item.objects.filter(key__in=part).values(*FIELDS))
    return sorted(found, key=lambda row: row["key"])


def _delete(keys: Iterable[str]) -> None:
    for part in _parts(keys):
        Item.objects.filter(key__in=part).delete()


def _parts(keys: Iterable[str]) -> Iterator[list[str]]:
    every = sorted(keys)
    yield from (every[i : i + AT_ONCE] for i in range(0, len(every), AT_ONCE))
