"""The whole shelf as JSON or CSV, out and in. Reading says the fate of every row and writes nothing."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterable
from typing import Any

import msgspec

from hermotrope.formats.cells import bare, harmless
from hermotrope_core.know.label import LabelError
from hermotrope_core.know.shelved import part_of
from hermotrope_core.plan.document import CaseError, json_tree, of_format
from hermotrope_core.plan.upgrade import SHELF
from hermotrope_core.values.text import seen

FORMAT = SHELF.current
COLUMNS = ("key", "kind", "group", "name", "have", "count", "price", "mass_g", "recharge_h", "note", "part")
MOST_ROWS, MOST_LABELS = 20_000, 5_000
"""A label is read word by word, a third of a millisecond each."""
LARGEST_BYTES = 20_000_000
_QUANTITY = re.compile(r"\d\s*(mAh|Ah|Wh|mV|V|A|W|m)\b")


def write_json(rows: Iterable[dict[str, Any]]) -> str:
    """The shelf as one JSON document."""
    return json.dumps({"format": FORMAT, "items": list(rows)}, ensure_ascii=False, indent=1) + "\n"


def write_csv(rows: Iterable[dict[str, Any]]) -> str:
    """The shelf as CSV; the part is a JSON text in its column.

    A cell that a spreadsheet would run as a formula is guarded by an apostrophe, which `read` takes off.
    """
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS)
    writer.writeheader()
    for row in rows:
        flat = {**row, "part": json.dumps(row["part"], ensure_ascii=False) if row["part"] is not None else ""}
        writer.writerow({name: harmless("" if flat[name] is None else str(flat[name])) for name in COLUMNS})
    return out.getvalue()


def read(data: bytes) -> list[dict[str, Any]]:
    """Rows of a shelf file, JSON or CSV, as plain dicts. Raises `CaseError` for what is no such file."""
    if len(data) > LARGEST_BYTES:
        raise CaseError("file", f"more than {LARGEST_BYTES / 1e6:g} MB is no shelf")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise CaseError("file", "is not text in UTF-8") from None
    if "\x00" in text or not text.strip():
        raise CaseError("file", "is empty" if not text.strip() else "is not a text file")
    text = seen(text)
    read_as = _read_json if text.lstrip()[0] in "{[" else _read_csv if _names_columns(text) else _read_labels
    rows = read_as(text)
    if len(rows) > MOST_ROWS:
        raise CaseError("file", f"has {len(rows)} rows; {MOST_ROWS} at most")
    return rows


def _names_columns(text: str) -> bool:
    """Whether the first line names columns; where it states a quantity, each line is what is printed on a part."""
    return not _QUANTITY.search(text.splitlines()[0])


def _read_labels(text: str) -> list[dict[str, Any]]:
    """A list of labels, one a line, each in its likeliest reading. Raises `CaseError` with a line that says nothing."""
    rows, lines = [], text.splitlines()
    if len(lines) > MOST_LABELS:
        raise CaseError("file", f"has {len(lines)} lines; {MOST_LABELS} labels at most")
    for number, line in enumerate(lines, start=1):
        label = " ".join(line.split())
        if not label:
            continue
        try:
            named = part_of(label)
        except (LabelError, ValueError) as error:
            raise CaseError(f"line {number}", f"“{label[:60]}” is no label that says enough: {error}") from None
        note = "decoded from its label"
        rows.append({"kind": named.kind, "name": label[:120], "note": note, "part": msgspec.to_builtins(named.part)})
    return rows


def _read_json(text: str) -> list[dict[str, Any]]:
    items = of_format(json_tree(text, "file", LARGEST_BYTES), SHELF).get("items")
    if not isinstance(items, list) or not all(isinstance(item, dict) for item in items):
        raise CaseError("items", "must be a list of objects")
    return items


def _read_csv(text: str) -> list[dict[str, Any]]:
    first = text.splitlines()[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.DictReader(io.StringIO(text), delimiter=delimiter)
    try:
        names = [name.strip() for name in reader.fieldnames or ()]
    except csv.Error as error:
        raise CaseError("line 1", str(error)) from None
    unknown = [name for name in names if name not in COLUMNS]
    if unknown or "name" not in names or "kind" not in names:
        why = f"unknown column {unknown[0]!r}" if unknown else "the columns name and kind are needed"
        raise CaseError("line 1", f"{why}; columns are {', '.join(COLUMNS)}")
    rows = []
    try:
        for cells in reader:
            if None in cells:
                raise CaseError(f"line {reader.line_num}", "has more cells than the first line names columns")
            row = {k.strip(): bare(v) for k, v in cells.items() if v is not None}
            rows.append(row)
    except csv.Error as error:
        raise CaseError(f"line {reader.line_num}", str(error)) from None
    return rows
