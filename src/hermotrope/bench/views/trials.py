"""Runs of a conversion: listed with what they say together, kept, removed, taken into the plan."""

from __future__ import annotations

from datetime import date

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from hermotrope.bench import trials
from hermotrope.bench.models import Conversion, Trial
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.entry.asked import htmx
from hermotrope.entry.pictures import AGAIN, shown
from hermotrope.entry.typed import EditError
from hermotrope.phones.once import each_once


def _part(request: HttpRequest, conversion: Conversion, status: int = 200, **more: object) -> HttpResponse:
    if status == 200 and request.method == "POST" and not htmx(request):
        return redirect(f"{conversion.get_absolute_url()}?panel=run")
    context = {**trials.context(conversion), "today": _today().isoformat(), "typed": {}, "errors": {}, **more}
    return render(request, "bench/_trials.html", context, status=status)


def _today() -> date:
    return timezone.localdate()


@require_GET
def listed(request: HttpRequest, pk: int) -> HttpResponse:
    """The runs and what they say together."""
    return _part(request, get_object_or_404(Conversion, pk=pk))


@each_once
@require_POST
def add(request: HttpRequest, pk: int) -> HttpResponse:
    """Keep a run; what cannot be read is told beside its field."""
    conversion = get_object_or_404(Conversion, pk=pk)
    typed = request.POST.dict()
    found, errors = trials.read(conversion, typed, _today())
    if not errors:
        try:
            trials.add(conversion, found, request.FILES.get("picture"))
        except EditError as error:
            errors = {"ran": str(error)}
        except ValueError as error:  # what was sent is no picture
            errors = {"picture": str(error)}
    if errors and request.FILES:
        errors.setdefault("picture", AGAIN)
    return _part(request, conversion, 422 if errors else 200, typed=typed if errors else {}, errors=errors)


@require_GET
def picture(request: HttpRequest, pk: int, trial: int) -> HttpResponse:
    """The picture of a run."""
    row = get_object_or_404(Trial, conversion_id=pk, pk=trial)
    if not row.picture:
        raise Http404
    return shown(row.picture)


@require_POST
def remove(request: HttpRequest, pk: int, trial: int) -> HttpResponse:
    """Take a run away for good."""
    Trial.objects.filter(conversion_id=pk, pk=trial).delete()
    return _part(request, get_object_or_404(Conversion, pk=pk))


@whole
def take(request: HttpRequest, pk: int) -> HttpResponse:
    """Put a figure as the runs have it into the plan."""
    conversion = get_object_or_404(Conversion, pk=pk)
    return body(request, trials.take(conversion, version_of(request), request.POST.get("place", "")))
