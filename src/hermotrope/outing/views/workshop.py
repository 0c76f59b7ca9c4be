"""A supply at the bench: steps ticked and gates read, each way by itself and all together."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from hermotrope.drawings.asks import asked
from hermotrope.entry.asked import htmx
from hermotrope.entry.typed import EditError
from hermotrope.outing.actions import Conflict, put, with_inlet
from hermotrope.outing.inlet_form import INLETS, inlet_of, key_of
from hermotrope.outing.models import Outing
from hermotrope.outing.workshop import TreeWorkshop, take_reading, tick
from hermotrope.phones.once import each_once
from hermotrope_core.kinds.inlets import knows_sign
from hermotrope_core.know.connectors import connector_words
from hermotrope_core.plan.document import CaseError
from hermotrope_core.prove.judge import read_reading, written
from hermotrope_core.prove.progress import STATE_WORDS, AskState, Progress
from hermotrope_core.prove.tree import WayProgress
from hermotrope_core.values.figures import duration, fixed, stated
from hermotrope_core.values.whole import MOST_KEY, whole_number

LONGEST_TYPED = 40


def _workshop(pk: int, index: int) -> TreeWorkshop:
    try:
        return TreeWorkshop(get_object_or_404(Outing, pk=pk), index)
    except (IndexError, CaseError) as error:
        raise Http404(str(error)) from None


@require_GET
def bench(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """The page: parts with their wires and steps, and the gates in their order."""
    return render(request, "outing/bench.html", _context(_workshop(pk, index)))


@require_POST
def tick_step(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """Mark a step as done, or take the mark off."""
    key = request.POST.get("key", "")
    return _done(request, pk, index, lambda shop: tick(shop, key, done=request.POST.get("done") == "yes"), {"key": key})


@require_POST
@each_once
def reading(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """A reading typed off a meter; what it is not stands beside the field, as typed."""
    way, ask, text = (request.POST.get(name, "") for name in ("way", "ask", "text"))

    def take(shop: TreeWorkshop) -> None:
        found = None if shop.shut else shop.ask(way, ask)
        if found is None:
            raise EditError(shop.shut or "this plan does not ask for that reading")
        if told := found[1].foreign(request.POST.get("basis", "")):
            raise EditError(told)
        take_reading(shop, way, ask, read_reading(text[:LONGEST_TYPED], found[2]))

    return _done(request, pk, index, take, {"way": way, "ask": ask, "text": text})


@require_POST
def inlet(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """Describe the inlet of a device: what it is, where plus is, whether that was measured."""
    key, size = request.POST.get("inlet", ""), request.POST.get("size", "")[:LONGEST_TYPED]
    measured = request.POST.get("measured") == "yes"
    version = whole_number(request.POST.get("version", ""), MOST_KEY)

    def describe(shop: TreeWorkshop) -> None:
        if place >= len(shop.supply.branches) or version is None:
            raise EditError("that device does not hang here any more: this is the newest state")
        made = with_inlet(shop.document, index, place, inlet_of(key, size, measured=measured))
        try:
            put(pk, version, made, f"Inlet of {shop.supply.branches[place].device.name}")
        except Conflict:
            raise EditError("it was changed in another tab meanwhile: this is the newest state") from None

    typed = {"place": str(place), "inlet": key, "size": size, "measured": "yes" if measured else ""}
    return _done(request, pk, index, describe, typed)


def _done(
    request: HttpRequest, pk: int, index: int, act: Callable[[TreeWorkshop], None], typed: dict[str, str]
) -> HttpResponse:
    try:
        act(_workshop(pk, index))
    except ValueError as error:
        context = _context(_workshop(pk, index)) | {"typed": typed, "error": str(error)}
        context["placed"] = _placed(context, typed)
        return render(request, "outing/_tree.html" if htmx(request) else "outing/bench.html", context, status=422)
    if not htmx(request):
        return redirect("outing-bench", pk, index)
    return render(request, "outing/_tree.html", _context(_workshop(pk, index)))


def _placed(context: dict[str, Any], typed: dict[str, str]) -> bool:
    """Whether the field that was refused stands on the page, so that the reason stands beside it."""
    if "place" in typed:
        return any(str(way["way"].place) == typed["place"] for way in context.get("ways", ()))
    return any(
        way["way"].key == typed.get("way")
        and (row["current"] or row["state"] == "passed")
        and ask["ask"].key == typed.get("ask")
        for way in context.get("ways", ())
        for row in way["rows"]
        for ask in row["asks"]
    )


def _context(shop: TreeWorkshop) -> dict[str, Any]:
    context: dict[str, Any] = {
        "outing": shop.outing, "supply": shop.supply, "index": shop.index, "view": shop.view, "shut": shop.shut,
        "typed": {}, "error": "", "inlets": [(key, words) for key, (words, _, _) in INLETS.items()],
    }  # fmt: skip
    if shop.shut:
        return context
    steps = [one for part in shop.parts for one in part.steps]
    gates = [row for way in shop.ways for row in way.rows]
    left = sum(one.step.minutes for one in steps if not one.done)
    return context | {
        "parts": [
            {
                "part": one.part,
                "steps": one.steps,
                "done": sum(step.done for step in one.steps),
                "cuts": [(cut, fixed(cut.length_mm, 0, "mm"), stated(cut.area_mm2, "mm²", 3)) for cut in one.cuts],
            }
            for one in shop.parts
        ],
        "ways": [_way(shop, one) for one in shop.ways],
        "done": sum(one.done for one in steps),
        "steps": len(steps),
        "left": duration(60 * left) if left else "",
        "passed": sum(row.state == "passed" for row in gates),
        "gates": len(gates),
    }


def _way(shop: TreeWorkshop, one: WayProgress) -> dict[str, Any]:
    current = next((row.gate.key for row in one.rows if row.state in ("open", "failed")), "")
    device = shop.supply.branches[one.way.place].device if one.way.place >= 0 and one.way.copy == 1 else None
    return {
        "way": one.way,
        "asks_inlet": device is not None and (not knows_sign(device.inlet) or bool(key_of(device.inlet))),
        "inlet": connector_words(device.inlet) if device and device.inlet else "",
        "inlet_key": key_of(device.inlet) if device else "",
        "inlet_open": device is not None and not knows_sign(device.inlet),
        "measured": bool(device and device.inlet and device.inlet.measured),
        "passed": one.passed,
        "count": sum(row.state == "passed" for row in one.rows),
        "locked_by": one.rows[0].locked_by if one.rows and one.rows[0].state == "locked" else "",
        "rows": [_gate(shop, one, row, row.gate.key == current) for row in one.rows],
    }


def _gate(shop: TreeWorkshop, way: WayProgress, row: Progress, current: bool) -> dict[str, Any]:
    read = [written(one.reading.value, one.ask.unit) for one in row.asks if one.reading and not one.stale]
    return {
        "gate": row.gate,
        "state": row.state,
        "word": STATE_WORDS[row.state],
        "current": current,
        "read": ", ".join(read[:4]),
        "asks": [_ask(shop, way, one) for one in row.asks],
    }


def _ask(shop: TreeWorkshop, way: WayProgress, one: AskState) -> dict[str, Any]:
    case = shop.chains[max(way.way.place, 0)]
    return asked(case, one, f"{way.way.key}-{one.ask.key}", draw=one.ask.red is not None)
