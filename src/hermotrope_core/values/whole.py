"""Whole numbers that a page sends back: places in a list, keys, versions, counts."""

from __future__ import annotations

MOST_KEY = 10**9
"""The greatest key of a row and version of a document that is taken for one."""
LONGEST = 12
"""Digits; a longer one is no number of anything here."""


def whole_number(text: str, most: int) -> int | None:
    """A whole number from 0 to `most` in plain digits; None for anything else (²  and ٣ are digits too, elsewhere)."""
    text = text.strip()
    if not text.isascii() or not text.isdigit() or len(text) > LONGEST:
        return None
    number = int(text)
    return number if number <= most else None
