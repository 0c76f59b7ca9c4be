"""Run-down logs: brought as a file, typed, or recorded; looked at before import; fitted; exported unchanged."""

from __future__ import annotations

import re
from typing import Any, get_args

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from hermotrope.bench.models import Conversion
from hermotrope.bench.views.changes import body, version_of
from hermotrope.entry.typed import EditError
from hermotrope.formats.logger_csv import LARGEST_BYTES, recognise
from hermotrope.proving import equipment, logs
from hermotrope.proving.actions import RUN_DOWN
from hermotrope.proving.bench import Workshop
from hermotrope.proving.keeping import original_of
from hermotrope.proving.log_panel import shown_log
from hermotrope.proving.models import RunLogRow
from hermotrope.proving.views.prove import answer, celsius_in, proving
from hermotrope_core.fit.runlog import COLUMNS
from hermotrope_core.prove import refusal_of
from hermotrope_core.tell.record import LogColumn, LogMapping, TimeKind
from hermotrope_core.values.quantity import QuantityError, parse

MOST_INTERVAL_S = 3600.0
MOST_TYPED = 400_000


def _row(conversion: Conversion, pk: int) -> RunLogRow:
    return get_object_or_404(RunLogRow, pk=pk, conversion=conversion)


@proving
def bring(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """A log from a file or typed; it is shown before it is imported."""
    file = request.FILES.get("file")
    typed = request.POST.get("rows", "")
    place: Any = "inlet" if request.POST.get("place") == "inlet" else "pack"
    if file is not None:
        if file.size is None or file.size > LARGEST_BYTES:
            raise EditError(f"more than {LARGEST_BYTES / 1e6:g} MB; cut it, or log less often")
        logs.draft_log(conversion, file.name or "log", file.read(), RunLogRow.Origin.FILE, place)
    elif typed.strip():
        if len(typed) > MOST_TYPED:
            raise EditError("that is too much to type; bring it as a file")
        logs.draft_log(conversion, "typed log", typed.encode(), RunLogRow.Origin.TYPED, place)
    else:
        raise EditError("choose a file, or type some rows: seconds, volts, amperes")
    return answer(request, conversion)


@proving
def keep(request: HttpRequest, conversion: Conversion, log: int) -> HttpResponse:
    """Import a draft as the form says it is to be read."""
    row = _row(conversion, log)
    logs.keep_log(row, _mapping(request, row))
    return answer(request, conversion)


def _mapping(request: HttpRequest, row: RunLogRow) -> LogMapping:
    """The recognised mapping with what the form says otherwise."""
    found = recognise(original_of(row))
    kind = request.POST.get("time_kind", found.mapping.time_kind)
    if kind not in get_args(TimeKind):
        raise EditError("say how the time is written")
    columns: list[LogColumn] = []
    time_index = -1
    for seen in found.columns:
        role = request.POST.get(f"role-{seen.index}", "")
        if role == "time":
            if time_index >= 0:
                raise EditError("only one column can be the time")
            time_index = seen.index
        elif role in COLUMNS:
            if any(one.what == role for one in columns):
                raise EditError(f"two columns cannot both be {role.replace('_', ' ')}")
            milli = request.POST.get(f"milli-{seen.index}") == "yes"
            columns.append(LogColumn(seen.index, role, 1e-3 if milli else 1.0))
    if not columns:
        raise EditError("say which column holds volts or amperes")
    if time_index < 0:
        kind = "rows"
    elif kind == "rows":
        kind = "seconds"
    decimal: Any = "," if request.POST.get("decimal") == "," else "."
    return LogMapping(
        encoding=found.mapping.encoding,
        separator=found.mapping.separator,
        decimal=decimal,
        first_row=found.mapping.first_row,
        time_index=time_index,
        time_kind=kind,  # type: ignore[arg-type]  # checked above
        day_first=request.POST.get("day_first") == "yes",
        columns=tuple(columns),
        interval_s=_interval(request),
    )


def _interval(request: HttpRequest) -> float:
    try:
        seconds = parse(request.POST.get("interval", "") or "1 s", "s")
    except QuantityError as error:
        raise EditError(str(error)) from None
    if not 0.05 <= seconds <= MOST_INTERVAL_S:
        raise EditError("an interval is 0.05 s to 1 h; for example 1 s")
    return seconds


@proving
def start(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Begin to log a run in the background."""
    place: Any = request.POST.get("place", "pack")
    if place not in equipment.PLACES:
        raise EditError("say where the logger sits")
    kind: Any = "polled" if request.POST.get("kind") == "polled" else "buffered"
    workshop = Workshop(conversion)
    refusal = refusal_of(workshop.progress, RUN_DOWN) if not workshop.shut else "this plan is refused"
    if refusal:
        raise EditError(refusal)
    equipment.record(conversion, place, _interval(request), kind)
    return answer(request, conversion)


@require_GET
def show(request: HttpRequest, pk: int, log: int) -> HttpResponse:
    """One log alone: what the page asks for again while it is recorded."""
    conversion = get_object_or_404(Conversion, pk=pk)
    context = {"conversion": conversion, "shown_log": shown_log(Workshop(conversion), [_row(conversion, log)])}
    return render(request, "proving/_log.html", context)


@proving
def stop(request: HttpRequest, conversion: Conversion, log: int) -> HttpResponse:
    """Stop logging; what came is kept."""
    equipment.stop(_row(conversion, log))
    return answer(request, conversion)


@proving
def remove(request: HttpRequest, conversion: Conversion, log: int) -> HttpResponse:
    """Take a log away, unless it belongs to what was frozen."""
    row = _row(conversion, log)
    if row.frozen:
        raise EditError("this log belongs to the record that was frozen, so it stays")
    equipment.drop(row)
    return answer(request, conversion)


@proving
def count(request: HttpRequest, conversion: Conversion, log: int) -> HttpResponse:
    """Take the log's duration as the reading of the run-down."""
    logs.count_as_run_down(_row(conversion, log), was_over=request.POST.get("was_over") == "yes")
    return answer(request, conversion)


@proving
def as_run(request: HttpRequest, conversion: Conversion, log: int) -> HttpResponse:
    """Count a kept log among the runs so far."""
    logs.among_the_runs(_row(conversion, log))
    return answer(request, conversion, log_counted=log)


@proving
def temperature(request: HttpRequest, conversion: Conversion, log: int) -> HttpResponse:
    """Say how warm it was where the run was logged."""
    logs.was_at(_row(conversion, log), celsius_in(request))
    return answer(request, conversion)


@proving
def take_fit(request: HttpRequest, conversion: Conversion, log: int) -> HttpResponse:
    """Put what the run tells into the plan."""
    row = _row(conversion, log)
    anyway = request.POST.get("anyway") == "yes"
    done = logs.accept_fit(row, version_of(request), request.POST.getlist("take"), anyway=anyway)
    return body(request, done, panel="prove")


@require_GET
def original(request: HttpRequest, pk: int, log: int) -> HttpResponse:
    """The file as it came, byte for byte."""
    row = get_object_or_404(RunLogRow, pk=log, conversion_id=pk)
    name = re.sub(r"[^\w.-]+", "-", row.original_name or "log.csv").strip("-.") or "log.csv"
    headers = {"Content-Disposition": content_disposition_header(True, name) or "attachment"}
    return HttpResponse(original_of(row), content_type="text/csv", headers=headers)
