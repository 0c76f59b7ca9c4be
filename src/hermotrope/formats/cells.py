"""Cells of files that spreadsheets open."""

from __future__ import annotations

FORMULA = ("=", "+", "-", "@", "＝", "＋", "－", "＠", "\t", "\r", "\n")
"""What a spreadsheet takes for the beginning of a formula (wide signs: where wide letters are written)."""


def harmless(text: str) -> str:
    """Text that no spreadsheet runs: an apostrophe stands before what would be a formula."""
    return f"'{text}" if text.startswith(FORMULA) else text


def bare(text: str) -> str:
    """The text that `harmless` was given."""
    return text[1:] if text.startswith("'") and text[1:].startswith(FORMULA) else text
