"""Times of day such as 20:30, and moments so many seconds after one."""

from __future__ import annotations

import re
from datetime import time

from hermotrope_core.values.liking import time_text

DAY_S = 86400.0
_TYPED = re.compile(r"(\d{1,2})(?::(\d{2}))?(?: ?(am|pm))?")
_CLOCK = re.compile(r"([01]\d|2[0-3]):([0-5]\d)")


def since_midnight(text: str) -> float:
    """Seconds from midnight to a time of day. Raises ValueError for anything but two digits, a colon, two digits.

    >>> since_midnight("20:30")
    73800.0
    """
    found = _CLOCK.fullmatch(text)
    if found is None:
        raise ValueError(f"must be a time of day such as 20:30 (got {text!r})")
    return 3600.0 * int(found[1]) + 60.0 * int(found[2])


def clock_time(start: str, seconds: float) -> str:
    """The time of day so many seconds after a start.

    >>> clock_time("20:30", 5 * 3600)
    '01:30'
    """
    minutes = round((since_midnight(start) + seconds) / 60.0) % (24 * 60)
    return time_text(time(minutes // 60, minutes % 60))


def as_clock(text: str) -> str:
    """A time of day as it is kept, from what is typed: ``8:30 pm``, ``8 pm``, ``20:30`` or ``9:05``.

    >>> as_clock("8:30 pm"), as_clock("12 am"), as_clock("9:05")
    ('20:30', '00:00', '09:05')

    Raises ValueError.
    """
    found = _TYPED.fullmatch(" ".join(text.lower().replace(".", "").split()))
    if found is None or (found[2] is None and found[3] is None):
        raise ValueError(f"must be a time of day such as 20:30 or 8:30 pm (got {text!r})")
    hour, minute = int(found[1]), int(found[2] or 0)
    if found[3] is not None:
        if not 1 <= hour <= 12:
            raise ValueError(f"{found[3]} goes with 1 to 12 o'clock (got {text!r})")
        hour = hour % 12 + (12 if found[3] == "pm" else 0)
    kept = f"{hour:02d}:{minute:02d}"
    since_midnight(kept)
    return kept


def clock_text(kept: str) -> str:
    """A kept time of day as it is written here; what is none, as it is.

    >>> clock_text("20:30"), clock_text("")
    ('20:30', '')
    """
    return clock_time(kept, 0.0) if _CLOCK.fullmatch(kept) else kept


def days_later(start: str, seconds: float) -> int:
    """How many midnights lie before the moment; 0 within the first 24 hours, when its time of day is enough."""
    return int((since_midnight(start) + seconds) // DAY_S) if seconds >= DAY_S else 0


def seconds_until(start: str, seconds: float, text: str) -> float:
    """Seconds from the moment so many seconds after a start until the next such time of day; a whole day for the same.

    >>> seconds_until("20:30", 600, "02:00") / 3600
    5.333333333333333
    """
    return (since_midnight(text) - since_midnight(start) - seconds) % DAY_S or DAY_S
