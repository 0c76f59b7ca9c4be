"""Run: the tools beside the charts, what to measure next, and files to take away."""

from __future__ import annotations

import csv
from io import StringIO
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.bench.feed import feed_of
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import panel_of_place, pointer_of, row_at, term_at
from hermotrope.bench.run_panel import run_context, tools_context
from hermotrope.bench.run_tools import plan_for, read_run_ask
from hermotrope.entry.typed import EditError
from hermotrope.formats.calendar_file import Moment, calendar
from hermotrope.formats.cells import harmless
from hermotrope_core.circuit.estimate import DRAWS, estimate
from hermotrope_core.know.measure import HELPERS, helpers_for

COLUMNS = ("seconds", "pack_v", "inlet_v", "pack_a", "charge_percent", "mode")


@require_GET
def tools(request: HttpRequest, pk: int) -> HttpResponse:
    """The tools alone, while somebody changes what they ask."""
    conversion = get_object_or_404(Conversion, pk=pk)
    feed = feed_of(conversion.case)
    context = {"conversion": conversion, "feed": feed, "case": conversion.case}
    context |= run_context(feed, request.GET) | tools_context(feed, request.GET)
    return render(request, "bench/_run_tools.html", context)


@require_GET
def next_measurement(request: HttpRequest, pk: int) -> HttpResponse:
    """Inputs ranked by how much the range would shrink if each alone were measured.

    A page asks for it a moment after it was drawn: nothing is to be shown where it does not run, or is gone, by then.
    """
    conversion = Conversion.objects.filter(pk=pk).first()
    feed = None if conversion is None else feed_of(conversion.case)
    if conversion is None or feed is None or feed.situation is None or feed.run is None:
        return HttpResponse(status=204)
    assert feed.planned is not None
    found = estimate(feed.planned.case, DRAWS)
    rows = [_worth(conversion, one) for one in found.measure_next if one.range_shrinks_by >= 0.005] if found else []
    return render(request, "bench/_measure_next.html", {"conversion": conversion, "rows": rows[:6]})


def _worth(conversion: Conversion, one: Any) -> dict[str, Any]:
    """An input with its term, where it is entered, and the helper that measures it."""
    case, pointer = conversion.case, pointer_of(one.place)
    try:
        row = row_at(case, pointer)
        term, text, known = term_at(case, pointer), row.text, row.known_by
    except LookupError:
        term, text, known = one.place, "", ""
    parts = pointer.split("/")
    helpers = [HELPERS[key].title for key in helpers_for(case, pointer)]
    panel = str(int(parts[2]) + 2) if parts[1] == "path" else panel_of_place(case, one.place)
    return {
        "term": term,
        "text": text,
        "known_by": known,
        "share": round(100 * one.range_shrinks_by),
        "width": round(100 * max(0.0, min(1.0, one.range_shrinks_by)), 1),
        "panel": panel,
        "field": "f" + pointer.replace("/", "-").replace("_", "-"),
        "helper": helpers[0] if helpers else "",
    }


@require_GET
def table_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The run as a table: every point of the chart, as CSV."""
    chart = feed_of(get_object_or_404(Conversion, pk=pk).case).chart
    if chart is None:
        raise Http404
    out = StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    names = [harmless(name) for name in chart["modes"]]
    for *figures, mode in zip(*chart["series"], strict=True):
        writer.writerow(["" if value is None else f"{value:.6g}" for value in figures] + [names[int(mode)]])
    headers = {"Content-Disposition": 'attachment; filename="run.csv"'}
    return HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8", headers=headers)


@require_GET
def calendar_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The swap plan as a calendar: one entry for each swap, from the duty's start today (or now)."""
    conversion = get_object_or_404(Conversion, pk=pk)
    feed = feed_of(conversion.case)
    try:
        found = plan_for(feed, read_run_ask(request.GET)) if feed.run and feed.run.runtime_s > 0 else None
    except ValueError as error:
        raise EditError(str(error)) from None
    if found is None:
        raise Http404
    about = f"A pack runs {found['each']} with its margin. {found['plan'].gap}."
    moments = [
        Moment(
            swap.at_s,
            f"swap-{conversion.pk}-{conversion.revision}-{i}",
            f"{conversion.title}: pack {swap.out} out, pack {swap.into} in"
            f"{'' if swap.ready else ' (it is not charged again by then)'}",
            about,
        )
        for i, swap in enumerate(found["plan"].swaps)
    ]
    made = calendar("swap plan", conversion.case.duty.start, moments)
    headers = {"Content-Disposition": 'attachment; filename="swaps.ics"'}
    return HttpResponse(made, content_type="text/calendar; charset=utf-8", headers=headers)
