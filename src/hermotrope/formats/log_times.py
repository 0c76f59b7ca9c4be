"""Times as loggers write them: elapsed clocks, dates with times of day, ISO 8601; all as seconds."""

from __future__ import annotations

import re
from datetime import date
from functools import lru_cache

import numpy as np

from hermotrope_core.fit.runlog import Array

CLOCK = re.compile(r"^(?:(\d+)[.d ])?(\d{1,3}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?\s*([AaPp][Mm])?$")
DATE = re.compile(r"^(\d{1,4})([./-])(\d{1,2})\2(\d{1,4})$")
STAMP = re.compile(r"^(\d{1,4}[./-]\d{1,2}[./-]\d{1,4})[T ,]+(\d{1,2}:\d{2}.*)$")
_ZONE = re.compile(r"(?:Z|([+-])(\d{2}):?(\d{2}))$")
_SHORT_CLOCK = re.compile(r"^(\d{1,2}):\d{2}$")


def clock_s(cell: str) -> float:
    """Seconds of h:mm:ss (or m:ss, or a time of day with am or pm); not a number where it is none."""
    match = CLOCK.match(cell.strip())
    if match is None:
        return float("nan")
    days, first, second, third, half = match.groups()
    if third is None and half is None:
        third, second, first = second, first, "0"
    hours = int(first) % 12 + (12 if half.lower() == "pm" else 0) if half else int(first)
    return int(days or 0) * 86_400.0 + hours * 3600.0 + int(second) * 60.0 + float((third or "0").replace(",", "."))


def clocks_s(cells: list[str]) -> Array:
    """Seconds of a column of clocks. One of two parts counts minutes and seconds if it starts in its first minute;
    else it is a time of day in hours and minutes."""
    short = _SHORT_CLOCK.match(cells[0].strip())
    if short and int(short[1]) > 0:
        cells = [f"{cell.strip()}:00" for cell in cells]
    return np.array([clock_s(cell) for cell in cells])


def _zone_s(text: str) -> float:
    """Seconds by which a time with a zone is ahead of UTC; 0 without one."""
    match = _ZONE.search(text)
    if match is None or not match[1]:
        return 0.0
    ahead = int(match[2]) * 3600.0 + int(match[3]) * 60.0
    return -ahead if match[1] == "-" else ahead


def stamps_s(cells: list[str], day_first: bool) -> Array:
    """Seconds of time stamps; the whole column at once where they are ISO 8601."""
    if re.match(r"^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}", cells[0].strip()):
        try:
            plain = [_ZONE.sub("", cell.strip()).replace(",", ".") for cell in cells]
            moments = np.array(plain, dtype="datetime64[ms]")
            zones = np.array([_zone_s(cell.strip()) for cell in cells])
            made: Array = np.where(np.isnat(moments), np.nan, moments.astype(np.int64) / 1000.0) - zones
            return made
        except ValueError:
            pass
    return np.array([stamp_s(cell, day_first) for cell in cells])


def stamp_s(cell: str, day_first: bool) -> float:
    """Seconds of one date with its time of day; not a number where it is none."""
    match = STAMP.match(cell.strip())
    if match is None:
        return float("nan")
    of_day = match[2].strip()
    return _day(match[1], day_first) + _of_day(_ZONE.sub("", of_day)) - _zone_s(of_day)


def _of_day(text: str) -> float:
    """Seconds since midnight; without seconds the two parts are hours and minutes."""
    parts = text.split(":")
    return clock_s(text + ":00") if len(parts) == 2 and "m" not in text.lower() else clock_s(text)


@lru_cache(maxsize=4096)
def _day(text: str, day_first: bool) -> float:
    """Seconds at the start of a day, by the proleptic calendar."""
    a, b, c = (int(part) for part in re.split(r"[./-]", text))
    try:
        if a > 31:
            day = date(a, b, c)
        else:
            year = c if c > 99 else 2000 + c
            day = date(year, b, a) if day_first else date(year, a, b)
    except ValueError:
        return float("nan")
    return day.toordinal() * 86_400.0
