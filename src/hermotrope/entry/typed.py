"""What somebody typed into one field of a document, as a change of it, and back again."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

import jsonpointer

from hermotrope_core.know.intake import replaced_note
from hermotrope_core.plan.document import WHOLE_NUMBERS
from hermotrope_core.values.clock import as_clock, clock_text
from hermotrope_core.values.fields import FIELDS, TABLES, Field
from hermotrope_core.values.known import Number, Value, number
from hermotrope_core.values.quantity import QuantityError, parse, parse_field, show

FLAGS = {
    "measured",
    "swaps_polarity",
    "low_voltage_cut_off",
    "low_warning",
    "cells_left_in_bay",
    "switched_inlet",
    "charges_source",
    "once",
    "mixed_cells",
    "takes_over",
    "rectifies",
    "alternating",
    "never_used",
    "bought",
    "built_in",
    "by_itself",
    "isolates",
    "takes_back_feed",
    "charges_from_feed",
}
TABLE_EXAMPLES = {
    "efficiency": "0.2 A: 86 %; 1 A: 90 %",
    "ocv": "0 %: 3 V; 50 %: 3.65 V; 100 %: 4.2 V",
    "resistance_by_soc": "0 %: 4; 20 %: 2; 100 %: 1",
    "output_by_v": "10 V: 2.4; 12 V: 4",
    "temperature_by_h": "0 h: 15 °C; 8 h: 2 °C",
}
WITH_PARENT = {"/device/internal_battery/energy_wh", "/device/bay/size"}
"""Left open, these take with them the part that is nothing without them."""
CONTACTS = ("links", "leads")
"""Contacts of a cell bay, typed as 1+ or 2-."""
KNOWN_BY = ("measured", "datasheet", "label", "typical", "guess")


class EditError(ValueError):
    """What was typed cannot be used; the message stands beside the field."""


NO_FIELD = "this field is not part of the document"


class Edit(NamedTuple):
    """JSON Patch operations and the words for the history."""

    patch: list[dict[str, Any]]
    label: str
    told: str = ""
    """What else changed with it, to be said where the change was made."""


def change_at(tree: Any, place: str, text: str, known_by: str = "", limit: Number | None = None) -> Edit:
    """Turn `text` typed at `place` (a JSON pointer into `tree`) into a change. Raises `EditError`.

    A `limit` of the supply window that is stated anew keeps in its note what it said before.
    """
    try:
        return _change_at(tree, place, text, known_by, limit)
    except jsonpointer.JsonPointerException:
        raise EditError(NO_FIELD) from None


def _change_at(tree: Any, place: str, text: str, known_by: str, limit: Number | None) -> Edit:
    parts = [part for part in place.split("/") if part]
    if not parts:
        raise EditError(NO_FIELD)
    name = parts[-1]
    text = text.strip()
    term = FIELDS[name].term if name in FIELDS else name.replace("_", " ").replace("-", " ").capitalize()
    if not text:
        return _removal(tree, place, term)
    value, shown = _value(name, text)
    if name in FIELDS and name not in WHOLE_NUMBERS and isinstance(value, float):
        value = _known(jsonpointer.resolve_pointer(tree, place, None), value, known_by, limit)
    patch = _with_parent(tree, parts)
    patch.append({"op": "add", "path": place, "value": value})
    return Edit(patch, f"{term}: {shown}")


def _value(name: str, text: str) -> tuple[Any, str]:
    if name in FLAGS:
        if text not in ("yes", "no"):
            raise EditError("choose yes or no")
        return text == "yes", text
    if name in TABLES and (":" in text or name != "efficiency"):
        table = parse_table(text, name)
        return table, f"table of {len(table)}"
    if name in CONTACTS:
        return contacts(text, name), text
    if name == "start":
        return _time_of_day(text)
    field = FIELDS.get(name)
    if field is None:
        return text, text
    value = _quantity(text, field)
    if name in WHOLE_NUMBERS:
        if value != int(value):
            raise EditError(f"must be a whole number (got {value:g})")
        return int(value), str(int(value))
    return float(value), show(value, field.unit)


def without_place(error: Exception) -> str:
    """A refusal in words, without the place in the document that a reader of documents adds."""
    return str(error).split(" - at ", maxsplit=1)[0].strip()


def _time_of_day(text: str) -> tuple[str, str]:
    try:
        kept = as_clock(text)
    except ValueError as error:
        raise EditError(str(error)) from None
    return kept, clock_text(kept)


def _quantity(text: str, field: Field) -> float:
    try:
        return parse_field(text, field)
    except QuantityError as error:
        raise EditError(str(error)) from None


def _known(old: Any, value: float, known_by: str, limit: Number | None = None) -> Any:
    """Keep the note of the old value; a bare number stands for a typical one."""
    note = old.get("note") if isinstance(old, dict) else None
    kept = known_by or (old.get("known_by", "typical") if isinstance(old, dict) else "typical")
    if kept not in KNOWN_BY:
        raise EditError(f"known by must be one of {', '.join(KNOWN_BY)}")
    note = replaced_note(limit, value, kept) or note  # type: ignore[arg-type]  # just checked
    if kept == "typical" and not note:
        return value
    return {"value": value, "known_by": kept} | ({"note": note} if note else {})


def _with_parent(tree: Any, parts: list[str]) -> list[dict[str, Any]]:
    """Operations that make the object around a place, where it is not there yet."""
    parent = "/" + "/".join(parts[:-1])
    if len(parts) == 1 or jsonpointer.resolve_pointer(tree, parent, None) is not None:
        return []
    return [{"op": "add", "path": parent, "value": {}}]


def _removal(tree: Any, place: str, term: str) -> Edit:
    if place in WITH_PARENT:
        place = place.rsplit("/", 1)[0]
    if jsonpointer.resolve_pointer(tree, place, None) is None:
        return Edit([], f"{term}: left open")
    return Edit([{"op": "remove", "path": place}], f"{term}: left open")


def parse_table(text: str, name: str) -> list[list[float]]:
    """Read ``0.2 A: 86 %; 1 A: 90 %``. Raises `EditError` naming the row."""
    units, example = TABLES[name], TABLE_EXAMPLES[name].partition(";")[0]
    rows = []
    for i, row in enumerate(filter(None, (part.strip() for part in re.split(r"[;\n]", text))), 1):
        pair = row.split(":")
        if len(pair) != 2:
            raise EditError(f"row {i} ({row}) should read like {example}")
        try:
            rows.append([parse(cell, unit) for cell, unit in zip(pair, units, strict=True)])
        except QuantityError as error:
            raise EditError(f"row {i}: {error}") from None
    return sorted(rows)


def contacts(text: str, name: str) -> list[Any]:
    """Read ``1+ 2-, 2+ 3-`` as links, or ``1- 4+`` as leads. Raises `EditError`."""
    clean = text.replace("−", "-").replace("–", "-")
    if name == "leads":
        return clean.replace(",", " ").split()
    pairs = [pair.split() for pair in re.split(r"[,;\n]", clean) if pair.strip()]
    wrong = next((pair for pair in pairs if len(pair) != 2), None)
    if wrong is not None:
        raise EditError(f"{' '.join(wrong)!r} should name two contacts, like 1+ 2-; put commas between the pairs")
    return pairs


def show_contacts(value: tuple[Any, ...], name: str) -> str:
    """Links or leads as `contacts` reads them."""
    return " ".join(value) if name == "leads" else ", ".join(" ".join(pair) for pair in value)


def show_table(table: tuple[tuple[float, float], ...], name: str) -> str:
    """A table as `parse_table` reads it."""
    x_unit, y_unit = TABLES[name]
    return "; ".join(f"{show(x, x_unit)}: {show(y, y_unit)}" for x, y in table)


def shown(part: Value, name: str) -> str:
    """The text of a field as people would type it; empty where nothing is stated."""
    value = getattr(part, name)
    if value is None:
        return ""
    if name in CONTACTS:
        return show_contacts(value, name)
    if isinstance(value, tuple):
        return show_table(value, name)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if name == "start":
        return clock_text(str(value))
    field = FIELDS.get(name)
    return str(value) if field is None else show(number(value), field.unit)
