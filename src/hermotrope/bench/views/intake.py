"""Getting to know the device: what it ran on, and readings turned into figures."""

from __future__ import annotations

import msgspec
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import row_at
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.bench.views.feed import feed_context
from hermotrope.entry.typed import EditError, show_table
from hermotrope_core.case import Known, Mode
from hermotrope_core.intake import Original, from_adapter, from_cells, merge
from hermotrope_core.measure import HELPERS, helpers_for, summed, with_output
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
def mode_from_reading(request: HttpRequest, pk: int) -> HttpResponse:
    """Add a mode from volts and amperes as read, at the inlet or at a battery behind an adapter."""
    case, post = get_object_or_404(Conversion, pk=pk).case, request.POST
    name = post.get("name", "").strip()
    if not name:
        raise EditError("name the mode that you measured, for example slew")
    readings = {"volts": parse(post.get("volts", ""), "V"), "amps": parse(post.get("amps", ""), "A")}
    key = "draw-behind" if post.get("where") == "battery" else "draw"
    if key == "draw-behind":
        readings["efficiency"] = parse(post.get("efficiency", "") or "85 %", "%")
    found = summed(key, readings, case, f"/device/modes/{len(case.device.modes)}/power_w")
    where = "at a battery through an adapter" if key == "draw-behind" else "at the inlet"
    power = Known(
        value=float(f"{found.value:.4g}"),
        known_by="typical" if key == "draw-behind" else "measured",
        note=f"{found.values}, read {where}",
    )
    added = actions.with_mode(case, Mode(name=name, kind="power", power_w=power))
    done = actions.put(pk, version_of(request), added, f"Mode: {name}, as read")
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
            value = float(f"{result.value:.4g}")
            context |= {"result": result, "text": show(value, result.unit)}
            if key == "rf":
                context["entry"] = show_table(
                    with_output(conversion.case.device.output_by_v, readings["volts"], value), "output_by_v"
                )
        except (QuantityError, ValueError) as error:
            context["error"] = str(error)
    if request.htmx:  # type: ignore[attr-defined]
        sum_only = request.htmx.target == f"m-{row.id}-sum"  # type: ignore[attr-defined]
        return render(request, "bench/_measured.html" if sum_only else "bench/_measure.html", context)
    return render(request, "bench/measure.html", {**feed_context(conversion, ""), **context})
