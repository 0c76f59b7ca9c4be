"""Cells of files that spreadsheets open."""

from __future__ import annotations

FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What a spreadsheet takes for the beginning of a formula."""


def harmless(text: str) -> str:
    """Text that no spreadsheet runs: an apostrophe stands before what would be a formula."""
    return f"'{text}" if text.startswith(FORMULA) else text
