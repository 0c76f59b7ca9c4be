"""The timeline: what was built, measured, changed, run, charged and swapped, the newest first.

Each source is asked once, for so many rows; the pages go on from a day, so none counts what went before.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from itertools import groupby
from typing import Any

import msgspec
from django.db.models import BooleanField, Case, Model, QuerySet, When
from django.urls import reverse
from django.utils import timezone

from hermotrope.bench.devices import by_title
from hermotrope.bench.models import Revision, Trial
from hermotrope.entry.search import holding
from hermotrope.logbook.models import Entry
from hermotrope.making.models import MadePart
from hermotrope.proving.models import Photo, ProvedRow, ReadingRow, RunLogRow, StepMark, WaiverRow
from hermotrope_core.values.figures import duration, figure

PAGE = 60
"""Lines of a page, and what else happened on its last day."""
MOST = 300
"""Rows that a source is asked for at once; the next page goes on where they end."""
MOST_A_DAY = 20_000
MOST_WORDS = 6
KINDS = {
    "built": "built", "measured": "measured", "changed": "changed", "run": "run", "charged": "charged",
    "swapped": "swapped", "pack": "pack measured", "note": "note", "proved": "proved",
}  # fmt: skip
"""Kinds of lines, in words."""


class Filter(msgspec.Struct, frozen=True):
    """What is asked for; nothing set asks for everything."""

    words: str = ""
    device: int | None = None
    pack: str = ""
    month: date | None = None
    kind: str = ""
    before: date | None = None


class Line(msgspec.Struct, frozen=True):
    """One thing that happened."""

    at: datetime
    kind: str
    words: str
    device: str = ""
    device_pk: int | None = None
    pack: str = ""
    panel: str = ""
    entry: int | None = None
    picture: str = ""
    """Its address."""

    @property
    def on(self) -> date:
        return timezone.localdate(self.at)

    @property
    def called(self) -> str:
        """Its kind in words."""
        return KINDS[self.kind]


class Source(msgspec.Struct, frozen=True):
    """Rows of one table as lines. What happened on a day, not at a moment, stands at its noon."""

    kind: str
    rows: Callable[[], QuerySet[Any]]
    at: str
    words: Callable[[Any], str]
    panel: str = ""
    texts: tuple[str, ...] = ()
    """Columns that are searched, beside the conversion's title."""
    days: bool = False
    together: bool = False
    """Those of one conversion and day are told in one line."""
    has_pack: bool = False
    picture: Callable[[Any], str] | None = None


def timeline(asked: Filter, least: int = PAGE) -> tuple[list[Line], date | None]:
    """A page of lines, and the day before which the next goes on; None at the end."""
    found: list[Line] = []
    whole_from = date.min
    for source in SOURCES:
        if asked.pack and not source.has_pack:
            continue
        if asked.kind and source.kind and source.kind != asked.kind:
            continue
        lines, from_ = _lines(source, asked)
        whole_from = max(whole_from, from_)
        found += lines
    found = [line for line in found if not asked.kind or line.kind == asked.kind]
    found.sort(key=lambda line: line.at, reverse=True)
    page: list[Line] = []
    for line in found:
        if page and line.on != page[-1].on and (len(page) >= least or line.on < whole_from):
            return page, page[-1].on
        page.append(line)
    return page, whole_from if whole_from > date.min else None


def everything(asked: Filter, most: int) -> list[Line]:
    """All lines, page after page, up to so many."""
    found, before = timeline(asked, most)
    while before and len(found) < most:
        lines, before = timeline(msgspec.structs.replace(asked, before=before), most)
        found += lines
    return found[:most]


def _lines(source: Source, asked: Filter) -> tuple[list[Line], date]:
    """Lines of a source, and the day from which on none is missing.

    The last day of a full hand of rows may go on: it is then fetched whole, so that no day is cut.
    """
    rows = _narrowed(source, asked)
    taken = list(rows[:MOST])
    whole_from = date.min
    if len(taken) == MOST:
        whole_from = _day(source, taken[-1])
        taken = [row for row in taken if _day(source, row) > whole_from]
        taken += list(_on_day(source, rows, whole_from)[:MOST_A_DAY])
    if not source.together:
        return [_line(source, row, source.words(row)) for row in taken], whole_from
    lines = []
    for _, group in groupby(taken, key=lambda row: (_day(source, row), row.conversion_id)):
        these = list(group)
        more = f" and {len(these) - 1} more" if len(these) > 1 else ""
        lines.append(_line(source, these[0], f"{source.words(these[0])}{more}"))
    return lines, whole_from


def _day(source: Source, row: Any) -> date:
    at: date | datetime = getattr(row, source.at)
    return timezone.localdate(at) if isinstance(at, datetime) else at


def _bound(source: Source, day: date) -> date | datetime:
    return day if source.days else timezone.make_aware(datetime.combine(day, time()))


def _on_day(source: Source, rows: QuerySet[Any], day: date) -> QuerySet[Any]:
    after = day + timedelta(days=1)
    return rows.filter(**{f"{source.at}__gte": _bound(source, day), f"{source.at}__lt": _bound(source, after)})


def _line(source: Source, row: Any, words: str) -> Line:
    at = getattr(row, source.at)
    of = row.conversion
    return Line(
        midday(at) if source.days else at,
        source.kind or row.kind,
        words,
        of.title if of else "",
        of.pk if of else None,
        row.pack if source.has_pack else "",
        source.panel,
        None if source.kind else row.pk,
        source.picture(row) if source.picture else "",
    )


def midday(on: date) -> datetime:
    """A day as a moment: what has no time of its own stands at its noon."""
    return timezone.make_aware(datetime.combine(on, time(12)))


def _narrowed(source: Source, asked: Filter) -> QuerySet[Any]:
    """Rows of the month, the device, the pack and the words, before the day; the newest first."""
    rows = source.rows()
    if asked.device:
        rows = rows.filter(conversion=asked.device)
    if asked.pack:
        rows = rows.filter(pack=asked.pack)
    if asked.month:
        after = (asked.month + timedelta(days=32)).replace(day=1)
        rows = rows.filter(
            **{f"{source.at}__gte": _bound(source, asked.month), f"{source.at}__lt": _bound(source, after)}
        )
    if asked.before:
        rows = rows.filter(**{f"{source.at}__lt": _bound(source, asked.before)})
    for word in asked.words.split()[:MOST_WORDS]:
        rows = rows.filter(holding(word, "conversion__title", *source.texts))
    return rows.order_by(f"-{source.at}", "-pk")


def _ran(row: Trial) -> str:
    more = "; ".join(filter(None, [row.how, row.where, row.note]))
    ran = f"{'Ran' if row.ended else 'Still ran after'} {duration(row.seconds)}"
    return f"{ran}{f': {more}' if more else ''}"


def entry_words(row: Entry) -> str:
    """What an entry says in a line."""
    capacity = figure(row.capacity_ah, "Ah") if row.capacity_ah else ""
    ohms = figure(row.resistance_ohm, "Ω") if row.resistance_ohm else ""
    start = {"charged": "Charged", "swapped": "Swapped", "pack": "Measured"}.get(row.kind, "")
    told = " ".join(filter(None, [start, ", ".join(filter(None, [capacity, ohms]))]))
    return ": ".join(filter(None, [told, row.text]))


def _of(model: type[Model], *heavy: str) -> QuerySet[Any]:
    """Its rows with their conversion, without what is heavy and not told here."""
    return model._default_manager.select_related("conversion").defer("conversion__case", *heavy)


SOURCES = (
    Source(
        "changed", lambda: _of(Revision, "case"), "made_at",
        lambda row: row.label, texts=("label",), together=True,
    ),
    Source(
        "measured", lambda: _of(ReadingRow), "taken_at",
        lambda row: f"Read at the gates, {row.by}", "prove", ("ask", "by"), together=True,
    ),
    Source(
        "measured", lambda: _of(WaiverRow), "given_at",
        lambda row: f"Went past a gate: {row.reason}", "prove", ("reason", "by"),
    ),
    Source(
        "built",
        lambda: _of(StepMark).exclude(done_at=None),
        "done_at", lambda row: f"Step done{f': {row.note}' if row.note else ''}", "do", ("note",), together=True,
    ),
    Source(
        "built", lambda: _of(Photo, "image"), "added_at",
        lambda row: "A picture of a step", "do",
        picture=lambda row: reverse("picture", args=[row.conversion_id, row.pk]),
    ),
    Source(
        "built",
        lambda: _of(MadePart).exclude(printed_on=None),
        "printed_on", lambda row: f"Made: {row.name}", "make", ("name",), days=True,
    ),
    Source(
        "proved", lambda: _of(ProvedRow, "document"), "on",
        lambda row: "Proved; the record is frozen", "record", days=True,
    ),
    Source(
        "run",
        lambda: RunLogRow.objects.select_related("conversion").only(
            "name", "created_at", "lasts_s", "conversion__title"
        ),
        "created_at", lambda row: f"Logged: {row.name}, {duration(row.lasts_s)}", "prove", ("name",),
    ),
    Source(
        "run", lambda: _of(Trial, "case"), "on", _ran, "run",
        ("note", "how", "where", "pack"), days=True, has_pack=True,
    ),
    Source(
        "",
        lambda: _of(Entry, "picture").annotate(
            pictured=Case(When(picture=b"", then=False), default=True, output_field=BooleanField())
        ),
        "on", entry_words, texts=("text", "pack"), days=True, has_pack=True,
        picture=lambda row: reverse("logbook-picture", args=[row.pk]) if row.pictured else "",
    ),
)  # fmt: skip
"""What each table tells of; the last bears its own kinds."""


MOST_DEVICES = 100
"""Conversions of the list to filter by; the others are found by their words."""


def devices(chosen: int | None = None) -> list[tuple[int, str]]:
    """Conversions to filter by, with the one that is chosen."""
    return by_title(() if chosen is None else (chosen,), MOST_DEVICES)


def packs() -> list[str]:
    """Packs that runs and entries name."""
    named = set(Entry.objects.exclude(pack="").values_list("pack", flat=True))
    named |= set(Trial.objects.exclude(pack="").values_list("pack", flat=True))
    return sorted(named)[:MOST_DEVICES]
