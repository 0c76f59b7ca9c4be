"""Moments of a plan as a calendar file (RFC 5545), in local time without a zone."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

import msgspec
from icalendar import Calendar, Event

from hermotrope_core.values.clock import since_midnight

LASTS = timedelta(minutes=10)


class Moment(msgspec.Struct, frozen=True):
    """One entry: seconds after the start, a name of its own that lasts, what happens, and more of it."""

    at_s: float
    uid: str
    summary: str
    description: str = ""


def begins(start: str | None) -> datetime:
    """Local time without a zone: that time of day today, or now."""
    now = datetime.now().replace(second=0, microsecond=0)
    if start is None:
        return now
    return now.replace(hour=0, minute=0) + timedelta(seconds=since_midnight(start))


def calendar(what: str, start: str | None, moments: Iterable[Moment]) -> bytes:
    """The file: an entry of ten minutes for each moment, from the start today (or now)."""
    made = Calendar()
    made.add("prodid", f"-//Hermotrope//{what}//EN")
    made.add("version", "2.0")
    first = begins(start)
    for moment in moments:
        event = Event()
        event.add("uid", f"{moment.uid}@hermotrope.local")
        event.add("dtstamp", datetime.now(UTC))
        event.add("dtstart", first + timedelta(seconds=moment.at_s))
        event.add("duration", LASTS)
        event.add("summary", moment.summary)
        if moment.description:
            event.add("description", moment.description)
        made.add_component(event)
    found: bytes = made.to_ical()
    return found
