"""The build sheet: on the page with ticks, notes and pictures; printed; its parts as CSV."""

from __future__ import annotations

import csv
from io import StringIO
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from hermotrope.bench.models import Conversion
from hermotrope.bench.shared import ON_SHEET
from hermotrope.entry.asked import htmx
from hermotrope.entry.pictures import shown
from hermotrope.entry.typed import EditError
from hermotrope.formats.cells import harmless
from hermotrope.proving import actions
from hermotrope.proving.checklist import parts_context, steps_context, where_to_do
from hermotrope.proving.models import Photo
from hermotrope.proving.sheet import sheet_context
from hermotrope_core.values.quantity import QuantityError, parse
from hermotrope_core.values.whole import MOST_KEY, whole_number


@require_GET
def sheet(request: HttpRequest, pk: int) -> HttpResponse:
    """Everything that is needed at the bench, laid out for A4 and Letter."""
    conversion = get_object_or_404(Conversion, pk=pk)
    context = sheet_context(conversion)
    for more in ON_SHEET:
        context |= more(conversion)
    return render(request, "proving/sheet.html", context)


@require_GET
def parts_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The parts list as CSV."""
    conversion = get_object_or_404(Conversion, pk=pk)
    out = StringIO()
    writer = csv.writer(out)
    writer.writerow(("part", "detail", "count", "own_or_buy", "price_each", "price"))
    for row in parts_context(conversion)["parts"]:
        line = row["line"]
        sum_ = "" if row["total"] is None else f"{row['total']:.2f}"
        each = "" if row["price"] is None else f"{row['price']:.2f}"
        writer.writerow((harmless(line.name), harmless(line.detail), line.count, row["have"], each, sum_))
    headers = {"Content-Disposition": 'attachment; filename="parts.csv"'}
    return HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8", headers=headers)


def _steps(request: HttpRequest, conversion: Conversion, error: str = "", now: str = "") -> HttpResponse:
    if not htmx(request):
        return redirect(f"{conversion.get_absolute_url()}?panel=do#steps")
    key = request.POST.get("key", "")
    context: dict[str, Any] = {
        "conversion": conversion,
        "oob": True,
        **steps_context(conversion, now or (key if error else "")),
    }
    context |= where_to_do(conversion, context["steps"])
    if error:
        context |= {"error": error, "error_key": key, "typed_note": request.POST.get("note")}
        context["stray"] = not any(row["step"].key == key for row in context["steps"])
    return render(request, "proving/_steps.html", context, status=422 if error else 200)


@require_POST
def tick(request: HttpRequest, pk: int) -> HttpResponse:
    """Mark a step as done or not."""
    conversion = get_object_or_404(Conversion, pk=pk)
    key, done = request.POST.get("key", ""), request.POST.get("done") == "yes"
    try:
        actions.tick(conversion, key, done=done)
    except EditError as error:
        return _steps(request, conversion, str(error))
    return _steps(request, conversion, now="" if done else key)


@require_POST
def note(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep a note with a step."""
    conversion = get_object_or_404(Conversion, pk=pk)
    try:
        note, was = request.POST.get("note", ""), request.POST.get("was")
        actions.annotate(conversion, request.POST.get("key", ""), note, was)
    except EditError as error:
        return _steps(request, conversion, str(error))
    return _steps(request, conversion, now=request.POST.get("key", ""))


@require_POST
def photo(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep a picture with a step, or take one out."""
    conversion = get_object_or_404(Conversion, pk=pk)
    wanted = whole_number(request.POST.get("remove", ""), MOST_KEY)
    if wanted is not None:
        Photo.objects.filter(pk=wanted, conversion=conversion).delete()
        return _steps(request, conversion, now=request.POST.get("key", ""))
    file = request.FILES.get("file")
    try:
        if file is None or file.size is None:
            raise EditError("choose a picture first")
        actions.add_photo(conversion, request.POST.get("key", ""), file, file.size)  # type: ignore[arg-type]  # a file
    except EditError as error:
        return _steps(request, conversion, str(error))
    return _steps(request, conversion, now=request.POST.get("key", ""))


@require_GET
def picture(request: HttpRequest, pk: int, photo: int) -> HttpResponse:
    """A picture of a step."""
    row = get_object_or_404(Photo, pk=photo, conversion_id=pk)
    return shown(row.image)


@require_POST
def part(request: HttpRequest, pk: int) -> HttpResponse:
    """Say whether a part is there, and what it costs."""
    conversion = get_object_or_404(Conversion, pk=pk)
    key, typed = request.POST.get("key", ""), request.POST.get("price", "").strip()
    have: Any = request.POST.get("have") if request.POST.get("have") in ("own", "buy") else ""
    error = ""
    try:
        actions.mark_part(conversion, key, have, parse(typed, "") if typed else None)
    except (QuantityError, EditError) as problem:
        error = str(problem)
    if not htmx(request):
        return redirect(f"{conversion.get_absolute_url()}?panel=buy#parts")
    context = {"conversion": conversion, "oob": True, **parts_context(conversion)}
    if error:
        context |= {"error": error, "error_key": key, "typed_price": typed, "typed_have": have}
    return render(request, "proving/_parts.html", context, status=422 if error else 200)
