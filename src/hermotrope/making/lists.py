"""What people type on the Make panel: holes, contacts and cut-outs, apart by semicolons; and how they print."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hermotrope_core.make.process import PRINTING
from hermotrope_core.make.template import PANEL_PARTS
from hermotrope_core.values.quantity import QuantityError, parse

WANTED = {"holes": (3, "x, y and across"), "contacts": (4, "x, y, long and thick")}
MOST = 60


def read_list(name: str, text: str) -> list[Any]:
    """The list under a name. Raises ValueError naming the entry.

    >>> read_list("holes", "3 3 3; 41 19 3")
    [[3.0, 3.0, 3.0], [41.0, 19.0, 3.0]]
    >>> read_list("cuts", "jack 25 30; 60 30 11.2")
    [{'part': 'jack', 'x': 25.0, 'y': 30.0}, {'part': '', 'x': 60.0, 'y': 30.0, 'across_mm': 11.2}]
    >>> read_list("names", "+; ; −")
    ['+', '', '−']
    """
    if name == "names":
        names = text.strip().removesuffix(";")
        return [" ".join(entry.split())[:40] for entry in names.split(";")] if names else []
    entries = [entry.split() for entry in text.replace("\n", ";").split(";") if entry.strip()]
    if len(entries) > MOST:
        raise ValueError(f"up to {MOST} of them")
    return [_cut(i, words) if name == "cuts" else _numbers(name, i, words) for i, words in enumerate(entries, 1)]


def read_printing(typed: Mapping[str, str]) -> tuple[dict[str, float], dict[str, str]]:
    """The numbers of a printing in millimetres, and why some cannot be; both by name.

    >>> read_printing(dict.fromkeys(PRINTING, "0.2"))[1]
    {'bed_mm': 'Bed must be from 50 to 2000 mm (got 0.2)'}
    """
    numbers, errors = {}, {}
    for name, size in PRINTING.items():
        try:
            numbers[name] = parse(typed.get(name, ""), "mm")
            told = size.problem(numbers[name])
        except QuantityError as error:
            told = str(error)
        if told:
            errors[name] = told
    return numbers, errors


def _numbers(name: str, at: int, words: list[str]) -> list[float]:
    count, what = WANTED[name]
    numbers = [_number(at, word) for word in words]
    if len(numbers) != count:
        raise ValueError(f"entry {at} should hold {what}: {count} numbers, not {len(numbers)}")
    return numbers


def _number(at: int, word: str) -> float:
    try:
        return parse(word, "mm")
    except QuantityError as error:
        raise ValueError(f"entry {at}: {error}") from None


def _cut(at: int, words: list[str]) -> dict[str, Any]:
    part = words[0] if words[0] in PANEL_PARTS else ""
    numbers = [_number(at, word) for word in words[bool(part) :]]
    if not part and len(numbers) < 3:
        known = ", ".join(PANEL_PARTS)
        raise ValueError(f"entry {at} should begin with a part ({known}), or hold x, y and its size")
    if not 2 <= len(numbers) <= 4:
        raise ValueError(f"entry {at} should hold x, y, and across or two sides")
    sizes = dict(zip(("across_mm",) if len(numbers) == 3 else ("long_mm", "wide_mm"), numbers[2:], strict=False))
    return {"part": part, "x": numbers[0], "y": numbers[1], **sizes}
