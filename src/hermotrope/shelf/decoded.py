"""What the Shelf shows of a label: the text with what was read underlined, the part it makes, what is doubtful."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from hermotrope_core.know.label import LabelError
from hermotrope_core.know.line_print import line_facts, line_part, line_word
from hermotrope_core.know.printed import Printed, read_print
from hermotrope_core.know.shelved import board_facts, held, marked, part_of
from hermotrope_core.know.wall import adapter_line
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.source import Source
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import maybe, number
from hermotrope_core.values.whole import whole_number

IS = {"pack": "a pack", "bank": "a power bank", "cells": "loose cells", "adapter": "a wall adapter", "board": "a board"}


@dataclass(frozen=True)
class Choice:
    """One of the readings that a label leaves."""

    at: int
    words: str
    on: bool


MOST_READINGS = 99
"""Readings of one label that a page tells apart."""


def decoded_context(label: str, reading: str) -> dict[str, Any]:
    """Facts in rows, marks, doubts and readings of a label; `error` where nothing can be made of it."""
    if not label.strip():
        return {}
    at = whole_number(reading, MOST_READINGS) or 0
    try:
        if (small := line_part(label)) is not None:
            return {"facts": line_facts(small[0]), "assumed": small[1], "is": line_word(small[0]), "reading": 0}
        read = read_print(label)
    except LabelError as error:
        return {"error": str(error)}
    choices = [Choice(i, _words(one.chemistry, one.cells_in_series), i == at) for i, one in enumerate(read.readings)]
    context: dict[str, Any] = {
        "marks": marked(label, read.not_understood),
        "not_understood": read.not_understood,
        "doubts": () if at else read.doubts,
        "choices": choices,
        "reading": at,
    }
    try:
        named = part_of(label, at)
    except LabelError as error:
        return context | {"error": str(error)}
    facts = _facts(label, read, named.part, at) if isinstance(named.part, Source) else board_facts(named.part)
    return context | {"facts": facts, "assumed": named.assumed, "is": IS[read.kind]}


def _words(chemistry: str, series: int) -> str:
    return f"{CHEMISTRIES[chemistry].label}, {series} in series"


def _facts(label: str, read: Printed, part: Source, at: int) -> list[tuple[str, str]]:
    if read.kind == "adapter":
        return [("Gives", adapter_line(part))]
    sums = held(label, read, part, at)
    usable = " · ".join(f"{float(f'{mah:.2g}'):,.0f} mAh at {v:g} V" for v, mah in sums.usable_mah)
    facts = [
        ("Cells", _words(part.chemistry, part.cells_in_series)),
        ("Volts", f"{sums.full_v:.1f} full · {sums.nominal_v:.1f} mean · {sums.flat_v:.1f} flat"),
        ("At the cells", f"{sums.capacity_ah:.4g} Ah · {sums.wh:.4g} Wh"),
        ("Usable, after a converter", usable),
    ]
    return facts + [("Outlet", f"{port.name}: {_profiles(port)}") for port in part.ports]


def _profiles(port: Any) -> str:
    told = []
    for one in port.profiles:
        most = maybe(one.output_current_max_a)
        told.append(stated(number(one.output_v), "V") + (f" {stated(most, 'A')}" if most else ""))
    return ", ".join(told)
