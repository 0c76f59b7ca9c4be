"""What a file may be that is put on the bench: a case, or what another place knows to read."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope_core.plan.document import read_case


class Importer(NamedTuple):
    """A kind of file: whether these bytes are one, and how it becomes a conversion (from bytes and the file's name)."""

    knows: Callable[[bytes], bool]
    put: Callable[[bytes, str], Conversion]


IMPORTERS: list[Importer] = []
"""Asked in turn before a file is taken for a case; other places add theirs when they start."""


def put_file(data: bytes, name: str) -> Conversion:
    """The conversion of a file. Raises ValueError saying what is wrong with it."""
    for one in IMPORTERS:
        if one.knows(data):
            return one.put(data, name)
    return actions.create(read_case(data), f"Imported from {name}")
