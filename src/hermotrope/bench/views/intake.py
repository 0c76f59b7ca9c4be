"""Getting to know the device: what it ran on, its polarity, and readings turned into figures."""

from __future__ import annotations

import msgspec
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.bench import actions
from hermotrope.bench.edits import EditError
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import row_at
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.bench.views.feed import feed_context
from hermotrope_core.case import Connector
from hermotrope_core.intake import Original, from_adapter, from_cells, merge
from hermotrope_core.measure import HELPERS, helpers_for, polarity_from, summed
from hermotrope_core.quantity import QuantityError, parse, show

AC = (
    "an AC adapter says nothing about direct current: measure the volts behind the device's rectifier, "
    "or leave the adapter in place"
)


@whole
def intake(request: HttpRequest, pk: int) -> HttpResponse:
    """Infer the supply window from the cells or the adapter that the device ran on."""
    case = get_object_or_404(Conversion, pk=pk).case
    merged = merge(case.device.supply, _original(request))
    device = msgspec.structs.replace(case.device, supply=merged.supply)
    told = "; ".join(merged.told) or "what it ran on agrees with what is known"
    after = msgspec.structs.replace(case, device=device)
    done = actions.put(pk, version_of(request), after, "Window from what it ran on")
    return body(request, done, told[0].upper() + told[1:] + ".")


def _original(request: HttpRequest) -> Original:
    post = request.POST
    if post.get("from") == "cells":
        count = post.get("count", "").strip()
        if not count.isdigit() or len(count) > 3:
            raise EditError(f"{count or 'nothing'!r} is no number of cells; for example 4")
        return from_cells(post.get("chemistry", ""), int(count))
    if post.get("kind") == "ac":
        raise EditError(AC)
    unloaded = post.get("unloaded", "").strip()
    volts = parse(post.get("volts", ""), "V")
    regulated = post.get("kind") == "regulated"
    return from_adapter(volts, regulated=regulated, unloaded_v=parse(unloaded, "V") if unloaded else None)


@whole
def polarity(request: HttpRequest, pk: int) -> HttpResponse:
    """Record the polarity of a barrel inlet as measured: where the red probe was, and the sign read."""
    case = get_object_or_404(Conversion, pk=pk).case
    inlet = case.device.inlet
    if not isinstance(inlet, Connector) or inlet.kind != "barrel":
        raise EditError("only a barrel has a centre and a sleeve")
    red_on = "sleeve" if request.POST.get("red_on") == "sleeve" else "centre"
    read = parse(request.POST.get("text", ""), "V")
    found = polarity_from(red_on, read)  # type: ignore[arg-type]
    device = msgspec.structs.replace(case.device, inlet=msgspec.structs.replace(inlet, polarity=found, measured=True))
    label = f"Measured {found}: red on the {red_on} reads {show(read, 'V')}"
    done = actions.put(pk, version_of(request), msgspec.structs.replace(case, device=device), label)
    return body(request, done)


@require_GET
def measure(request: HttpRequest, pk: int, key: str) -> HttpResponse:
    """The form of a measuring helper, and its sum once the readings are there; nothing is stored."""
    conversion = get_object_or_404(Conversion, pk=pk)
    place = request.GET.get("place", "")
    try:
        row = row_at(conversion.case, place)
    except LookupError:
        raise Http404 from None
    if key not in helpers_for(conversion.case, place):
        raise Http404
    helper = HELPERS[key]
    typed = {take.name: request.GET.get(take.name, "").strip() for take in helper.takes}
    context = {
        "conversion": conversion,
        "helper": helper,
        "place": place,
        "field_id": row.id,
        "readings": [(take.name, take.term, typed[take.name]) for take in helper.takes],
    }
    if all(typed.values()):
        try:
            readings = {take.name: parse(typed[take.name], take.unit) for take in helper.takes}
            result = summed(key, readings, conversion.case, place)
            context |= {"result": result, "text": show(float(f"{result.value:.4g}"), result.unit)}
        except (QuantityError, ValueError) as error:
            context["error"] = str(error)
    if request.htmx:  # type: ignore[attr-defined]
        sum_only = request.htmx.target == f"m-{row.id}-sum"  # type: ignore[attr-defined]
        return render(request, "bench/_measured.html" if sum_only else "bench/_measure.html", context)
    return render(request, "bench/measure.html", {**feed_context(conversion, ""), **context})
