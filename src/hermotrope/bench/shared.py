"""What places beside each other tell of a conversion without knowing each other: for its sheet and for its record."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from hermotrope.bench.models import Conversion
from hermotrope_core.tell.record import MadeNote

ON_SHEET: list[Callable[[Conversion], dict[str, Any]]] = []
"""More of what the build sheet's templates ask for."""
MADE: list[Callable[[Conversion], Sequence[MadeNote]]] = []
"""Made parts for the record."""
REMAKE: list[Callable[[Conversion, Sequence[MadeNote]], None]] = []
"""Made parts from a record; raises ValueError for what is none."""
