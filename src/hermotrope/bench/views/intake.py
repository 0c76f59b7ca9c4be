"""Getting to know the device: what somebody knows of it, and readings turned into figures."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import row_at
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.bench.views.feed import feed_context
from hermotrope.entry.asked import htmx
from hermotrope.entry.evidence import doubted, learned
from hermotrope.entry.typed import EditError, show_table
from hermotrope_core.know.evidence import line_of
from hermotrope_core.know.measure import HELPERS, helpers_for, rf_watts, summed, with_output
from hermotrope_core.know.refit import refitted
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.known import Known
from hermotrope_core.values.quantity import QuantityError, parse, show
from hermotrope_core.values.whole import whole_number

USUAL_EFFICIENCY = "85 %"
"""Taken for an adapter that nobody measured (typical): what follows from it is typical too."""
NEW_MODE = "/device/modes/new/power_w"
"""The place of a mode's watts that is not there yet: nothing is known of it, so nothing is expected."""


@whole
def evidence(request: HttpRequest, pk: int) -> HttpResponse:
    """Put in, change, doubt or take out a piece of what is known; window and modes follow."""
    case, post = get_object_or_404(Conversion, pk=pk).case, request.POST
    pieces, do, at = list(case.device.evidence), post.get("do", ""), post.get("at", "")
    if at and whole_number(at, len(pieces) - 1) is None:
        raise EditError("this piece is no longer there")
    if do == "add":
        pieces.append(learned(post.get("kind", ""), post.dict()))
    elif do == "change" and at:
        pieces[int(at)] = learned(post.get("kind", ""), post.dict(), pieces[int(at)])
    elif do == "doubt" and at:
        pieces[int(at)] = doubted(pieces[int(at)])
    elif do == "remove" and at:
        del pieces[int(at)]
    else:
        raise EditError("nothing of this kind can be done here")
    refit = refitted(case, pieces)
    changed = pieces[-1] if do == "add" else case.device.evidence[int(at)]
    words = line_of(changed).words
    label = {"add": "Known: ", "change": "Known otherwise: ", "doubt": "Doubted or not: ", "remove": "Taken out: "}[do]
    done = actions.put(pk, version_of(request), refit.case, label + words)
    return body(request, done, " ".join(refit.told))


@whole
def mode_from_reading(request: HttpRequest, pk: int) -> HttpResponse:
    """Add a mode from volts and amperes as read, at the inlet or at a battery behind an adapter."""
    case, post = get_object_or_404(Conversion, pk=pk).case, request.POST
    name = post.get("name", "").strip()
    if not name:
        raise EditError("name the mode that you measured, for example slew")
    where = post.get("where", "inlet")
    key = {"battery": "draw-behind", "plug-in": "plug-in"}.get(where, "draw")
    if case.mains_at(len(case.path)) and key == "draw":
        raise EditError("mains volts stand at this inlet: read watts with a plug-in meter, never with probes")
    if key == "plug-in":
        readings = {"watts": parse(post.get("volts", ""), "W")}
    else:
        readings = {"volts": parse(post.get("volts", ""), "V"), "amps": parse(post.get("amps", ""), "A")}
    guessed = False
    if key == "draw-behind":
        guessed = not post.get("efficiency", "").strip()
        readings["efficiency"] = parse(post.get("efficiency", "").strip() or USUAL_EFFICIENCY, "%")
    found = summed(key, [readings], case, NEW_MODE)
    words = {"battery": "at a battery through an adapter", "plug-in": "by a plug-in meter"}.get(where, "at the inlet")
    power = Known(
        value=float(f"{found.value:.4g}"),
        known_by="typical" if guessed else "measured",
        note=f"{found.values}, read {words}" + (f"; the adapter’s {USUAL_EFFICIENCY} is a guess" if guessed else ""),
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
    typed = [
        [(take, request.GET.get(f"{take.name}-{i}", "").strip()) for take in helper.takes] for i in range(helper.rows)
    ]
    once = [(take, request.GET.get(take.name, "").strip()) for take in helper.once]
    context = {
        "conversion": conversion,
        "helper": helper,
        "place": place,
        "field_id": row.id,
        "whole_page": row.whole_page,
        "rows": typed,
        "once": once,
    }
    used = [cells for cells in typed if any(text for _, text in cells)]
    gap = next((take.term for take, text in (*once, *(cell for cells in used for cell in cells)) if not text), "")
    if used and (gap or len(used) < helper.least):
        context["wants"] = f"{gap} is still to be read." if gap else f"{helper.least} rows make the sum."
    elif used:
        try:
            shared = {take.name: parse(text, take.unit) for take, text in once}
            readings = [{take.name: parse(text, take.unit) for take, text in cells} | shared for cells in used]
            result = summed(key, readings, conversion.case, place)
            context |= {"result": result, "text": show(float(f"{result.value:.4g}"), result.unit)}
            if key == "rf":
                context |= {"entry": _rf_table(conversion.case, readings), "text": f"{len(readings)} rows"}
        except (QuantityError, ValueError) as error:
            context["error"] = str(error)
    if htmx(request):
        sum_only = htmx(request).target == f"m-{row.id}-sum"
        return render(request, "bench/_measured.html" if sum_only else "bench/_measure.html", context)
    return render(request, "bench/measure.html", {**feed_context(conversion, ""), **context})


def _rf_table(case: Case, readings: list[dict[str, float]]) -> str:
    """The device's table of output with these readings put in, as the field reads it."""
    table = case.device.output_by_v
    for one in readings:
        made = with_output(table, one["volts"], float(f"{rf_watts(one):.4g}"))
        table = tuple((v, y) for v, y in made)
    return show_table(table or (), "output_by_v")
