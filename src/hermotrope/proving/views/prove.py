"""Gates: readings by hand or by instrument, waivers, instruments, rehearsals, the frozen record."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseClientRedirect, reswap, retarget

from hermotrope.bench import actions as bench
from hermotrope.bench.models import Conversion
from hermotrope.bench.views.changes import BEHIND, body, version_of
from hermotrope.bench.views.feed import feed_context
from hermotrope.entry.asked import htmx, query_behind
from hermotrope.entry.typed import EditError
from hermotrope.instruments.reading import take
from hermotrope.instruments.scpi import InstrumentError, checked_resource
from hermotrope.instruments.simulated import ROLES
from hermotrope.phones.once import each_once
from hermotrope.proving import actions, equipment, records
from hermotrope.proving.bench import Workshop
from hermotrope.proving.log_panel import as_chosen
from hermotrope.proving.models import InstrumentName
from hermotrope.proving.panel import prove_context, told_words
from hermotrope_core.prove import read_reading, refusal_of
from hermotrope_core.prove.judge import judge
from hermotrope_core.values.quantity import QuantityError, parse

View = Callable[..., HttpResponse]


def answer(request: HttpRequest, conversion: Conversion, error: str = "", **more: Any) -> HttpResponse:
    """The Prove panel after a change; with an error the form that was refused keeps what it held."""
    status = 422 if error else 200
    typed: dict[str, Any] = {
        **request.POST.dict(),
        "form": request.resolver_match.url_name if request.resolver_match else "",
        "error": error,
    }
    if not htmx(request):
        if not error:
            return redirect(f"{conversion.get_absolute_url()}?panel=prove{more.get('at', '')}")
        context = feed_context(conversion, "prove", query=request.GET)
        return render(request, "bench/feed.html", {**context, "typed": typed, "notice": error}, status=status)
    query = query_behind(request).copy()
    query.pop("gate", None)  # go on with what comes next
    if error:  # back to the gate that was asked for, as far as it is open
        gate = request.POST.get("gate") or request.POST.get("ask", "").partition(".")[0]
        query.setlist("gate", [gate])
    context = {"conversion": conversion, **prove_context(conversion, query), "swap_beside": True, **more}
    if error:
        typed["take"] = request.POST.getlist("take")
        context |= {"typed": typed, "error_above": "" if _has_place(typed, context) else error}
        if typed["form"] == "log-keep" and (context.get("shown_log") or {}).get("kind") == "draft":
            context["shown_log"] = as_chosen(context["shown_log"], request.POST)
    response = render(request, "proving/_prove.html", context, status=status)
    return retarget(reswap(response, "outerHTML"), "#prove")  # also where all went well means the whole body


def _has_place(typed: dict[str, Any], context: dict[str, Any]) -> bool:
    """Whether the form that was refused stands on the panel, so that the reason can be said beside it."""
    form = typed["form"]
    gate = next((one for one in context["gates"] if one["open"]), None)
    if form in ("gate-reading", "gate-measure"):
        return gate is not None and any(one["ask"].key == typed.get("ask") for one in gate["asks"])
    if form == "gate-waive":
        return gate is not None and gate["can_waive"] and gate["gate"].key == typed.get("gate")
    kinds = {
        "log-keep": "draft",
        "log-fit": "kept",
        "log-count": "kept",
        "log-run": "kept",
        "log-remove": "kept",
        "log-temperature": "kept",
    }
    if form in kinds:
        return (context.get("shown_log") or {}).get("kind") == kinds[form]
    return form in ("instruments", "log-bring", "bench-temperature") or (
        form == "log-start" and bool(context.get("logger_named"))
    )


def proving(view: View) -> View:
    """A change of the Prove panel: what it refuses is told in the form that asked for it."""

    @require_POST
    @wraps(view)
    def wrapped(request: HttpRequest, pk: int, **place: int) -> HttpResponse:
        conversion = get_object_or_404(Conversion, pk=pk)
        try:
            return view(request, conversion, **place)
        except bench.Conflict as conflict:
            return body(request, conflict.conversion, BEHIND, 409, panel="prove")
        except (ValueError, InstrumentError) as error:
            return answer(request, get_object_or_404(Conversion, pk=pk), str(error))

    return wrapped


@each_once
@proving
def reading(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """A reading typed off a meter."""
    key = request.POST.get("ask", "")
    found = Workshop(conversion).ask(key)
    if found is None:
        raise EditError("this plan does not ask for that reading")
    if told := found[0].foreign(request.POST.get("basis", "")):
        raise EditError(told)
    try:
        value = read_reading(request.POST.get("text", ""), found[1])
    except QuantityError as error:
        raise EditError(str(error)) from None
    actions.take_reading(conversion, key, value, "by hand")
    return _after(request, conversion, key, value)


@proving
def measure_reading(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """A reading taken by the instruments."""
    key = request.POST.get("ask", "")
    workshop = Workshop(conversion)
    found = workshop.ask(key)
    if found is None:
        raise EditError("this plan does not ask for that reading")
    refusal = refusal_of(workshop.progress, key)
    if refusal:
        raise EditError(refusal)
    resources = equipment.resources_for(conversion)
    value = take(found[1], resources, simulated=conversion.rehearsal)
    by = "simulated bench" if conversion.rehearsal else resources["meter"]
    actions.take_reading(conversion, key, value, by)
    return _after(request, conversion, key, value)


def _after(request: HttpRequest, conversion: Conversion, key: str, value: float) -> HttpResponse:
    """The panel with what the reading means, stated once more beside the gate that is open now."""
    workshop = Workshop(conversion)
    found = workshop.ask(key)
    said = judge(found[1], value) if found else None
    return answer(
        request,
        conversion,
        just=key,
        just_level=said.level if said else "",
        just_says=said.says if said else "",
        just_told=told_words(workshop, key),
    )


@proving
def put_reading(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Put what a reading tells into the plan."""
    done = actions.put_reading(conversion, version_of(request), request.POST.get("ask", ""))
    return body(request, done, panel="prove")


@proving
def waive(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Go past a gate with a reason, or take that back."""
    gate = request.POST.get("gate", "")
    if request.POST.get("do") == "undo":
        actions.unwaive(conversion, gate)
    else:
        actions.waive(conversion, gate, request.POST.get("reason", ""), request.POST.get("by", ""))
    return answer(request, conversion)


def celsius_in(request: HttpRequest) -> float | None:
    """The temperature that a form says; None for an empty field. Raises `EditError`."""
    text = request.POST.get("temperature", "").strip()
    try:
        return parse(text, "°C") if text else None
    except QuantityError as error:
        raise EditError(str(error)) from None


@proving
def at_bench(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Say how warm it is where the gates are read."""
    actions.be_at(conversion, celsius_in(request))
    return answer(request, conversion)


@proving
def again(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Begin the proving anew."""
    if request.POST.get("sure") != "yes":
        raise EditError("tick the box to throw the readings away")
    actions.start_again(conversion)
    return answer(request, conversion)


@proving
def instruments(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Name the real instruments of this bench; an empty field takes a name away."""
    named = {role: request.POST.get(role, "").strip() for role in ROLES}
    checked = {role: checked_resource(text) if text else "" for role, text in named.items()}
    for role, resource in checked.items():
        InstrumentName.objects.update_or_create(role=role, defaults={"resource": resource})
    return answer(request, conversion)


@proving
def rehearse(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Rehearse on a copy against the simulated bench; in a rehearsal, choose its fault."""
    fault = request.POST.get("fault", "")
    if conversion.rehearsal:
        actions.choose_fault(conversion, fault)
        return answer(request, conversion)
    copy = actions.rehearse(conversion, fault)
    place = f"{copy.get_absolute_url()}?panel=prove"
    return HttpResponseClientRedirect(place) if htmx(request) else redirect(place)


@proving
def freeze(request: HttpRequest, conversion: Conversion) -> HttpResponse:
    """Freeze the conversion as proved today."""
    records.freeze(conversion, version_of(request))
    return body(request, Conversion.objects.get(pk=conversion.pk), panel="prove")


@require_GET
def record_file(request: HttpRequest, pk: int) -> StreamingHttpResponse:
    """The whole record as one JSON file."""
    conversion = get_object_or_404(Conversion, pk=pk)
    name = re.sub(r"[^a-z0-9]+", "-", conversion.title.lower()).strip("-") or "conversion"
    headers = {"Content-Disposition": f'attachment; filename="{name}-record.json"'}
    text = (piece.encode() for piece in records.record_text(conversion))
    return StreamingHttpResponse(text, content_type="application/json", headers=headers)
