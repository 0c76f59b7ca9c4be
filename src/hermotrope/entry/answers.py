"""Answers of a small form: each read for itself, each error beside its own field, and nothing that was typed lost."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, timedelta
from typing import Any

from hermotrope_core.values.text import seen

EARLIEST = date(1990, 1, 1)


class Answers:
    """What was typed, as far as it could be read (`found`), and what is wrong (`errors`), both by field."""

    def __init__(self, typed: Mapping[str, str]) -> None:
        self._typed = typed
        self.found: dict[str, Any] = {}
        self.errors: dict[str, str] = {}

    def take(self, name: str, read: Callable[[str], Any], empty: Any = None, *, needed: bool = False) -> None:
        """Read a field; `empty` stands for one that was left empty, unless it is needed. `read` raises ValueError."""
        text = self._typed.get(name, "").strip()
        try:
            self.found[name] = read(text) if text or needed else empty
        except ValueError as error:
            self.errors[name] = str(error)


def past_day(today: date) -> Callable[[str], date]:
    """Reads a day that has been, today and (elsewhere on earth) tomorrow included. Raises ValueError."""

    def read(text: str) -> date:
        try:
            found = date.fromisoformat(text)
        except ValueError:
            found = date.max
        if not EARLIEST <= found <= today + timedelta(days=1):
            raise ValueError("a day that has been, such as 2026-05-03")
        return found

    return read


def words(longest: int) -> Callable[[str], str]:
    """Reads a text of at most so many letters; what cannot be seen falls away, lines stay. Raises ValueError."""

    def read(text: str) -> str:
        found = visible(text)
        if len(found) > longest:
            raise ValueError(f"at most {longest} letters, these are {len(found)}")
        return found

    return read


def visible(text: str) -> str:
    """A text without signs that are not seen; ends of lines stay."""
    return seen(text.replace("\r\n", "\n")).strip()
