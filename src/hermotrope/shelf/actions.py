"""Every change to the shelf: adding, editing, importing all or nothing."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import jsonpatch
import jsonpointer
import msgspec
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils.text import slugify

from hermotrope.entry.connectors import as_connector
from hermotrope.entry.typed import change_at
from hermotrope.formats.shelf_file import COLUMNS
from hermotrope.shelf.history import noted
from hermotrope.shelf.models import COLUMN_FACTS, ImportDraft, Item
from hermotrope.shelf.parts import item_groups, part_from, part_tree
from hermotrope_core.plan.document import CaseError, too_deep
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import maybe
from hermotrope_core.values.quantity import QuantityError, parse
from hermotrope_core.values.whole import whole_number


class Entry(msgspec.Struct, frozen=True):
    """What was typed into a field, how it is known, and what stood there when the typing began (None: not said)."""

    typed: str
    known_by: str = ""
    was: str | None = None


CHUNK = 500
"""Rows of a file that are judged at a time."""
MOST_DRAFTS = 5
"""Files that wait for a word at once: one in each of several tabs."""
LABELS = {"price": "price", "mass_g": "mass", "recharge_h": "recharge", "count": "count", "have": "have",
          "name": "name", "note": "note"}  # fmt: skip
NUMBERS = {"price": "", "mass_g": "g", "recharge_h": "h"}


@transaction.atomic
def add(kind: str, name: str, part: Any, note: str = "") -> Item:
    """Put a validated part on the shelf as owned. Raises `CaseError`."""
    content = part_from(kind, part)
    item = Item(kind=kind, name=name[:200], part=part_tree(content), note=note[:300], have=Item.Have.OWN, position=0)
    if isinstance(content, Source):
        for column in COLUMN_FACTS:
            setattr(item, column, maybe(getattr(content, column)))
    item.key = free_key(name)
    with noted(f"{item.name} put on the shelf") as touched:
        item.save()
        touched.add(item.key)
    return item


@transaction.atomic
def remove(pks: Sequence[int]) -> int:
    """Take items off the shelf; how many there were."""
    found = list(Item.objects.filter(pk__in=pks))
    label = f"{found[0].name} taken off" if len(found) == 1 else f"{len(found)} parts taken off"
    with noted(label, [item.key for item in found]):
        Item.objects.filter(pk__in=[item.pk for item in found]).delete()
    return len(found)


@transaction.atomic
def mark(pks: Sequence[int], have: str) -> int:
    """Say of several items at once whether they are owned, borrowed or might be bought. Raises `CaseError`."""
    if have not in Item.Have.values:
        raise CaseError("have", f"must be one of {', '.join(Item.Have.values)}")
    found = list(Item.objects.filter(pk__in=pks))
    with noted(f"{len(found)} parts: {Item.Have(have).label}", [item.key for item in found]):
        Item.objects.filter(pk__in=[item.pk for item in found]).update(have=have)
    return len(found)


def free_key(name: str) -> str:
    """A key made from a name that no item has yet."""
    base = slugify(name)[:60] or "item"
    taken = set(Item.objects.filter(key__startswith=base).values_list("key", flat=True))
    return next(key for i in range(len(taken) + 1) if (key := base if i == 0 else f"{base}-{i + 1}") not in taken)


class Behind(Exception):
    """The value was changed in another tab meanwhile: it is `now` what this page did not know."""

    def __init__(self, now: str) -> None:
        self.now = now
        super().__init__(f"changed in another tab to {now or 'nothing'}; enter yours again if you still want it")


@transaction.atomic
def set_field(pk: int, name: str, typed: str, was: str | None = None) -> Item:
    """Take what was typed into one field of an item. Raises `CaseError`, `Behind` and `Item.DoesNotExist`.

    `was` is what stood there when the typing began; None where the page does not say.
    """
    item = Item.objects.select_for_update().get(pk=pk)
    now = field_text(item, name)
    if was is not None and was != now and typed.strip() != now:
        raise Behind(now)
    if name in NUMBERS:
        setattr(item, name, _number(name, typed))
    elif name == "count":
        item.count = _count(typed)
    elif name == "have" and typed in Item.Have.values:
        item.have = typed
    elif name in ("name", "note"):
        setattr(item, name, typed.strip())
    else:
        raise CaseError(name, "cannot be changed here")
    _checked(item)
    with noted(f"{item.name}: {LABELS[name]}", [item.key]):
        item.save()
    return item


@transaction.atomic
def set_part(pk: int, place: str, entry: Entry) -> tuple[Item, str]:
    """Take what was typed at a place inside an item's part: the item, and what else changed with it.

    Raises `EditError`, `CaseError`, `Behind`, `Item.DoesNotExist`.
    """
    item = Item.objects.select_for_update().get(pk=pk)
    now = _row_text(item, place)
    if entry.was is not None and entry.was != now and entry.typed.strip() != now:
        raise Behind(now)
    change = change_at(item.part, place, entry.typed, entry.known_by)
    end = place.strip("/").split("/")[0]
    if end in ("outlet", "source_end", "device_end"):
        change = as_connector(getattr(item.content(), end), (item.part or {}).get(end), place, change)
    try:
        tree = jsonpatch.apply_patch(item.part, change.patch)
    except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException) as error:
        raise CaseError("part", f"the change does not fit this item any more ({error})") from None
    content = part_from(item.kind, tree)
    item.part = part_tree(content)
    if place == "/name" and isinstance(content, Source):
        item.name = content.name[:200]
    with noted(f"{item.name}: {place.rsplit('/', 1)[-1].replace('_', ' ')}", [item.key]):
        item.save()
    return item, change.told


def _row_text(item: Item, place: str) -> str:
    """What the field at a place of a part shows now."""
    rows = (row for _, rows in item_groups(item.content()) for row in rows)
    return next((row.text for row in rows if row.place == place), "")


def field_text(item: Item, name: str) -> str:
    """A field of the list as its cell shows it."""
    value = getattr(item, name, None) if name in (*NUMBERS, "count", "have", "name", "note") else None
    if value is None:
        return ""
    return f"{value:.2f}".removesuffix(".00") if isinstance(value, float) else str(value)


def _number(name: str, typed: str) -> float | None:
    if not typed.strip():
        return None
    try:
        value = parse(typed, NUMBERS[name])
    except QuantityError as error:
        raise CaseError(name, str(error)) from None
    if not 0 <= value <= 1e6:
        raise CaseError(name, "must be at least 0 and at most 1,000,000")
    return value


def _count(typed: str) -> int:
    count = whole_number(typed, 100_000)
    if count is None:
        raise CaseError("count", "must be a whole number from 0 to 100,000")
    return count


def _checked(item: Item) -> None:
    try:
        item.clean_fields(exclude=["part"])
    except ValidationError as error:
        name, why = next(iter(error.message_dict.items()))
        raise CaseError(name, why[0]) from None


def row_of(item: Item) -> dict[str, Any]:
    """An item as a row of a shelf file."""
    return {name: getattr(item, name) for name in COLUMNS}


def plan(rows: list[dict[str, Any]], judged: Sequence[dict[str, Any]] = ()) -> list[dict[str, Any]]:
    """The fate of every row: new, changed, same, or refused with the reason. Writes nothing; one query.

    `judged` are the fates of the rows before these in the same file.
    """
    keys = [str(row.get("key") or "") for row in rows]
    have = {item.key: item for item in Item.objects.filter(key__in=[key for key in keys if key])}
    seen = {fate["item"]["key"] for fate in judged if "item" in fate}
    fates = []
    for number, row in enumerate(rows, len(judged) + 1):
        try:
            item = item_from(row)
            if item.key and item.key in seen:
                raise CaseError("key", f"{item.key!r} stands twice in this file")
        except CaseError as error:
            fates.append({"row": number, "name": str(row.get("name", ""))[:80], "fate": "refused", "why": str(error)})
            continue
        seen.add(item.key)
        old = have.get(item.key) if item.key else None
        fate = "new" if old is None else "same" if row_of(old) == row_of(item) else "changed"
        fates.append({"row": number, "name": item.name, "fate": fate, "why": "", "item": row_of(item)})
    return fates


def item_from(row: dict[str, Any]) -> Item:
    """An item from a row of a file, validated but not saved. Raises `CaseError` naming the column."""
    unknown = [name for name in row if name not in COLUMNS]
    if unknown:
        raise CaseError(unknown[0], "unknown field")
    part = row.get("part")
    if isinstance(part, str):
        try:
            part = json.loads(part) if part.strip() else None
        except (ValueError, RecursionError):
            raise CaseError("part", "is not a JSON object") from None
        if too_deep(part):
            raise CaseError("part", "nested too deeply")
    kind = str(row.get("kind", ""))
    content = part_from(kind, part)
    name = str(row.get("name", "")).strip()
    if not name:
        raise CaseError("name", "is missing")
    have = str(row.get("have") or Item.Have.MAYBE)
    count = row.get("count")
    item = Item(
        key=str(row.get("key") or ""),
        kind=kind,
        group=str(row.get("group") or ""),
        name=name,
        part=part_tree(content),
        have=have,
        count=1 if count in (None, "") else _count(str(count)),
        note=str(row.get("note") or ""),
    )
    for column in NUMBERS:
        given = row.get(column)
        setattr(item, column, None if given in (None, "") else _number(column, str(given)))
    if not item.key:
        item.key = "to-be-made"
        _checked(item)
        item.key = ""
    else:
        _checked(item)
    return item


@transaction.atomic
def start_draft(name: str, rows: list[dict[str, Any]]) -> ImportDraft:
    """Remember the rows of a file until they are judged and decided; the oldest of many files is dropped."""
    kept = ImportDraft.objects.order_by("-pk").values("pk")[: MOST_DRAFTS - 1]
    ImportDraft.objects.exclude(pk__in=kept).delete()
    return ImportDraft.objects.create(name=name[:200], rows=[], waiting=rows)


@transaction.atomic
def read_on(pk: int, count: int = CHUNK) -> ImportDraft:
    """Judge the next so many rows of a draft. Raises `ImportDraft.DoesNotExist`."""
    draft = ImportDraft.objects.select_for_update().get(pk=pk)
    draft.rows += plan(draft.waiting[:count], draft.rows)
    draft.waiting = draft.waiting[count:]
    draft.save()
    return draft


@transaction.atomic
def apply_draft(pk: int) -> tuple[int, int]:
    """Put a previewed file on the shelf, all or nothing: (new, changed). Raises `CaseError`."""
    draft = ImportDraft.objects.filter(pk=pk).first()
    if draft is None:
        raise CaseError("import", "this file was already decided; choose it again")
    if draft.waiting:
        raise CaseError("import", "the file is not read to its end yet")
    fates = plan([fate.get("item", {}) for fate in draft.rows])
    refused = next((fate for fate in fates if fate["fate"] == "refused"), None)
    if refused:
        raise CaseError(f"row {refused['row']}", refused["why"])
    taken = set(Item.objects.values_list("key", flat=True))
    new, changed = [], 0
    with noted(
        f"{draft.name} imported", [fate["item"]["key"] for fate in fates if fate["fate"] == "changed"]
    ) as touched:
        for fate in fates:
            item = item_from(fate["item"])
            if fate["fate"] == "changed":
                Item.objects.filter(key=item.key).update(**row_of(item))
                changed += 1
            elif fate["fate"] == "new":
                item.key = item.key or _unused(slugify(item.name)[:60] or "item", taken)
                taken.add(item.key)
                new.append(item)
        Item.objects.bulk_create(new, batch_size=500)
        touched.update(item.key for item in new)
    draft.delete()
    return len(new), changed


def _unused(base: str, taken: set[str]) -> str:
    if base not in taken:
        return base
    i = 2
    while f"{base}-{i}" in taken:
        i += 1
    return f"{base}-{i}"
