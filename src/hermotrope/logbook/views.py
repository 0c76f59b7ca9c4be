"""The logbook: read, narrowed, written, printed, taken away."""

from __future__ import annotations

import csv
from datetime import date, datetime, time
from io import StringIO
from typing import Any
from urllib.parse import urlencode

import msgspec
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from hermotrope.bench.models import Trial
from hermotrope.drawings.pack_life import life_drawn
from hermotrope.entry.pictures import AGAIN, shown
from hermotrope.formats.calendar_file import Moment, begins, calendar
from hermotrope.formats.cells import harmless
from hermotrope.logbook import entries
from hermotrope.logbook.models import Entry
from hermotrope.logbook.timeline import KINDS, Filter, devices, everything, packs, timeline
from hermotrope.shelf.models import Item
from hermotrope_core.know.pack_life import RETIRE, WORN, Measured, life
from hermotrope_core.values.known import number
from hermotrope_core.values.moments import day_of
from hermotrope_core.values.whole import MOST_KEY, whole_number

MOST_IN_A_FILE = 20_000
COLUMNS = ("at", "kind", "words", "device", "pack")


def read_filter(query: QueryDict) -> Filter:
    """What the address asks for; what cannot be read asks for nothing."""
    kind = query.get("kind", "")
    return Filter(
        words=query.get("q", "").strip()[:100],
        device=whole_number(query.get("device", ""), MOST_KEY) or None,
        pack=query.get("pack", "").strip()[:120],
        month=_day(f"{query.get('month', '')}-01"),
        kind=kind if kind in KINDS else "",
        before=_day(query.get("before", "")),
    )


def _day(text: str) -> date | None:
    try:
        return day_of(text) if len(text) == len("2026-05-03") else None
    except ValueError:
        return None


def _context(asked: Filter) -> dict[str, Any]:
    lines, on = timeline(asked)
    words = {"q": asked.words, "device": asked.device or "", "pack": asked.pack, "kind": asked.kind}
    words["month"] = f"{asked.month:%Y-%m}" if asked.month else ""
    query = {name: value for name, value in words.items() if value}
    return {
        "lines": lines,
        "asked": words,
        "query": urlencode(query),
        "older": urlencode({**query, "before": on.isoformat()}) if on else "",
        "devices": devices(asked.device),
        "packs": packs(),
        "kinds": KINDS.items(),
        "kinds_written": Entry.Kind.choices,
        "life": _life(asked.pack) if asked.pack else None,
        "today": timezone.localdate().isoformat(),
        "reminders": Entry.objects.exclude(again_on=None).exists(),
        "narrowed": bool(query),
    }


def _life(pack: str) -> dict[str, Any]:
    """The life of a pack: what was measured of it, how often it ran and was charged."""
    rows = list(Entry.objects.filter(pack=pack).defer("picture"))
    found = [Measured(row.on, row.capacity_ah, row.resistance_ohm) for row in rows]
    item = Item.objects.filter(name=pack).first()
    rated = item.content() if item and item.part else None
    of = getattr(rated, "capacity_ah", None)
    judged = life(found, number(of) if of is not None else None)
    return {
        "pack": pack,
        "judged": judged,
        "drawn": life_drawn(found, judged) if judged else None,
        "rated": of is not None,
        "worn": round(100 * WORN),
        "retire": round(100 * RETIRE),
        "runs": Trial.objects.filter(pack=pack).count(),
        "charges": sum(row.kind == Entry.Kind.CHARGED for row in rows),
        "percent": round(100 * judged.share) if judged and judged.share is not None else None,
        "a_year": round(100 * judged.a_year) if judged and judged.a_year is not None else None,
    }


@require_GET
def logbook(request: HttpRequest) -> HttpResponse:
    """The timeline, narrowed as asked, and a form for what is only told."""
    context = _context(read_filter(request.GET))
    return render(request, "logbook/logbook.html", {**context, "typed": {}, "errors": {}})


@require_GET
def pack_life(request: HttpRequest) -> HttpResponse:
    """The life of one pack alone, for its page on the shelf."""
    return render(request, "logbook/_life.html", {"life": _life(request.GET.get("pack", "").strip()[:120])})


@require_POST
def write(request: HttpRequest) -> HttpResponse:
    """Keep an entry; what cannot be read is told beside its field."""
    typed = request.POST.dict()
    found, errors = entries.read(typed, timezone.localdate())
    file = request.FILES.get("picture")
    if not errors:
        try:
            entries.add(found, typed.get("device", ""), file)
            return redirect("logbook")
        except ValueError as error:  # no picture, or too many
            errors["picture"] = str(error)
    if file is not None:
        errors.setdefault("picture", AGAIN)
    context = {**_context(Filter()), "typed": typed, "errors": errors}
    return render(request, "logbook/logbook.html", context, status=422)


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take an own entry out for good."""
    get_object_or_404(Entry, pk=pk).delete()
    return redirect("logbook")


@require_GET
def picture(request: HttpRequest, pk: int) -> HttpResponse:
    """The picture of an entry."""
    row = get_object_or_404(Entry, pk=pk)
    if not row.picture:
        raise Http404
    return shown(row.picture)


def _file_lines(request: HttpRequest) -> list[dict[str, str]]:
    asked = msgspec.structs.replace(read_filter(request.GET), before=None)
    return [
        {"at": timezone.localtime(one.at).isoformat(), **{name: getattr(one, name) for name in COLUMNS[1:]}}
        for one in everything(asked, MOST_IN_A_FILE)
    ]


@require_GET
def as_json(request: HttpRequest) -> HttpResponse:
    """The lines as JSON, narrowed as the page."""
    made = {"format": "hermotrope-logbook/1", "lines": _file_lines(request)}
    return JsonResponse(made, headers={"Content-Disposition": 'attachment; filename="logbook.json"'})


@require_GET
def as_csv(request: HttpRequest) -> HttpResponse:
    """The lines as CSV, narrowed as the page."""
    out = StringIO()
    writer = csv.DictWriter(out, COLUMNS)
    writer.writeheader()
    writer.writerows({name: harmless(text) for name, text in line.items()} for line in _file_lines(request))
    headers = {"Content-Disposition": 'attachment; filename="logbook.csv"'}
    return HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8", headers=headers)


@require_GET
def reminders(request: HttpRequest) -> HttpResponse:
    """Charges that come due, as a calendar file: at ten in the morning of each day."""
    now = begins(None)
    moments = [
        Moment(
            (datetime.combine(row.again_on, time(10)) - now).total_seconds(),
            f"charge-{row.pk}",
            f"{'Swap' if row.kind == Entry.Kind.SWAPPED else 'Charge'} {row.pack}",
            f"Last {row.get_kind_display()} {row.on.isoformat()}.",
        )
        for row in Entry.objects.exclude(again_on=None).defer("picture")[:500]
        if row.again_on
    ]
    headers = {"Content-Disposition": 'attachment; filename="charges.ics"'}
    made = calendar("charges", None, moments)
    return HttpResponse(made, content_type="text/calendar; charset=utf-8", headers=headers)
