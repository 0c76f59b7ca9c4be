"""From rows to the core's documents and back; what was stored is read once, and told where it cannot be."""

from __future__ import annotations

from typing import Any

import msgspec

from hermotrope.making.models import MadePart, MeasuredPart, Printing
from hermotrope_core.make.made import asked_from
from hermotrope_core.make.measured import Measured, Read
from hermotrope_core.make.process import Process
from hermotrope_core.make.sizes import Asked


def measured_of(row: MeasuredPart) -> Measured:
    """The part as the core knows it. Raises ValueError where the row holds none."""
    return msgspec.convert(row.document, Measured)


def asked_of(row: MadePart) -> Asked:
    """Its parameters. Raises ValueError where the row holds none."""
    return asked_from(row.kind, row.values)


def known_of(row: MadePart) -> dict[str, Read]:
    """How its measures are known, by name."""
    return msgspec.convert(row.known, dict[str, Read])


def process_now() -> Process:
    """The user's printing; the usual one where nothing was set, or what was set is no printing."""
    row = Printing.objects.first()
    try:
        return msgspec.convert(row.values, Process) if row else Process()
    except ValueError:
        return Process()


def plain(document: msgspec.Struct) -> Any:
    """What is stored of a document."""
    return msgspec.to_builtins(document)
