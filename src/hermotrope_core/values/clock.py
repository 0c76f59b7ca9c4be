"""Times of day such as 20:30, and moments so many seconds after one."""

from __future__ import annotations

import re

DAY_S = 86400.0
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
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def days_later(start: str, seconds: float) -> int:
    """How many midnights lie before the moment; 0 within the first 24 hours, when its time of day is enough."""
    return int((since_midnight(start) + seconds) // DAY_S) if seconds >= DAY_S else 0


def seconds_until(start: str, seconds: float, text: str) -> float:
    """Seconds from the moment so many seconds after a start until the next such time of day; a whole day for the same.

    >>> seconds_until("20:30", 600, "02:00") / 3600
    5.333333333333333
    """
    return (since_midnight(text) - since_midnight(start) - seconds) % DAY_S or DAY_S
