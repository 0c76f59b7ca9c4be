"""Days and moments that come from outside: within the years in which anything here can have happened."""

from __future__ import annotations

from datetime import date, datetime
from typing import TypeVar

When = TypeVar("When", bound=date)
FIRST_YEAR, LAST_YEAR = 1970, 2199
"""Beyond them a zone or the day after may be no date at all."""


def day_of(text: str) -> date:
    """A date such as ``2026-06-03``. Raises ValueError saying what is wrong.

    >>> day_of("2026-06-03")
    datetime.date(2026, 6, 3)
    """
    try:
        day = date.fromisoformat(text)
    except ValueError:
        raise ValueError("is no date such as 2026-06-03") from None
    return _believed(day)


def moment_of(text: str) -> datetime:
    """A moment with its time zone, such as ``2026-06-03T10:15:00+00:00``. Raises ValueError saying what is wrong."""
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise ValueError("is no moment such as 2026-06-03T10:15:00+00:00") from None
    if moment.tzinfo is None:
        raise ValueError("needs its time zone, such as +00:00")
    return _believed(moment)


def _believed(when: When) -> When:
    if not FIRST_YEAR <= when.year <= LAST_YEAR:
        raise ValueError(f"must be in the years {FIRST_YEAR} to {LAST_YEAR}")
    return when
