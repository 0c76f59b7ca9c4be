"""What a file may be that is put on the bench: a case, or what another place knows to read."""

from __future__ import annotations

from collections.abc import Callable
from typing import IO, NamedTuple

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope_core.plan.document import read_case

HEAD_BYTES = 400


class Importer(NamedTuple):
    """A kind of file: whether it begins like one, and how it becomes a conversion (from the file and its name)."""

    knows: Callable[[bytes], bool]
    put: Callable[[IO[bytes], str], Conversion]


IMPORTERS: list[Importer] = []
"""Asked in turn before a file is taken for a case; other places add theirs when they start."""


def put_file(file: IO[bytes], name: str) -> Conversion:
    """The conversion of an open file. Raises ValueError saying what is wrong with it."""
    head = file.read(HEAD_BYTES)
    file.seek(0)
    for one in IMPORTERS:
        if one.knows(head):
            return one.put(file, name)
    return actions.create(read_case(file), f"Imported from {name}")
