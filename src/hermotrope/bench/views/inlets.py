"""Where it is fed: polarity, pins and cell bays as they are measured, and the port of a bank."""

from __future__ import annotations

from typing import Any

import msgspec
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.drawings.bay import bay_view
from hermotrope.entry.typed import EditError
from hermotrope_core.kinds.inlets import (
    MOST_SLOTS,
    CellBay,
    Connector,
    PinReading,
    Polarity,
    fixed_by_standard,
    mains_like,
)
from hermotrope_core.know.bank import fed_from
from hermotrope_core.know.bay import in_series
from hermotrope_core.know.pins import nets_of
from hermotrope_core.know.polarity import Find, found_polarity, polarity_from
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import number
from hermotrope_core.values.quantity import parse, show
from hermotrope_core.values.whole import whole_number

WRONG_MARK = "it reads minus: the mark is wrong, or the wires cross; call the other contact plus and measure again"


def with_inlet(case: Case, inlet: Connector) -> Case:
    """The case with another inlet."""
    return msgspec.structs.replace(case, device=msgspec.structs.replace(case.device, inlet=inlet))


def _inlet(request: HttpRequest, pk: int) -> tuple[Case, Connector]:
    case = get_object_or_404(Conversion, pk=pk).case
    if case.device.inlet is None:
        raise EditError("choose the connector first")
    return case, case.device.inlet


@whole
def polarity(request: HttpRequest, pk: int) -> HttpResponse:
    """Record the polarity of the inlet as measured: where the red probe was, and the sign read."""
    case, inlet = _inlet(request, pk)
    if fixed_by_standard(inlet) or mains_like(inlet):
        raise EditError("nobody probes this connector")
    found_by = request.POST.get("found_by", "")
    red_on = request.POST.get("red_on", "")
    if found_by:
        find = found_polarity(found_by, request.POST.get("text", ""))
        after = with_inlet(case, _found(inlet, find, red_on))
        return body(request, actions.put(pk, version_of(request), after, f"Polarity found: {find.title}"))
    read = parse(request.POST.get("text", ""), "V")
    if inlet.kind == "pins":
        raise EditError("pins are measured one against the other: enter the readings below them")
    if inlet.kind == "barrel":
        found = polarity_from("sleeve" if red_on == "sleeve" else "centre", read)
        red = "sleeve" if red_on == "sleeve" else "centre"
        label = f"Measured {found}: red on the {red} reads {show(read, 'V')}"
    else:
        if polarity_from("centre", read) != "centre-positive":
            raise EditError(WRONG_MARK)
        found, label = "marked", f"Measured: red on plus reads {show(read, 'V')}"
    after = with_inlet(case, msgspec.structs.replace(inlet, polarity=found, measured=True, found_by=None))
    return body(request, actions.put(pk, version_of(request), after, label))


def _found(inlet: Connector, find: Find, plus_on: str) -> Connector:
    """The inlet with a polarity found without its original supply; `plus_on` says which contact is plus."""
    if inlet.kind == "pins":
        raise EditError("pins are told by readings between two of them: beeps count there too")
    sign: Polarity = "marked"
    if inlet.kind == "barrel":
        sign = "centre-negative" if plus_on == "sleeve" else "centre-positive"
    return msgspec.structs.replace(inlet, polarity=sign, measured=True, found_by=find.key)


@whole
def pins(request: HttpRequest, pk: int) -> HttpResponse:
    """Add a reading between two pins, or take one back; what is plus and minus follows from them."""
    case, inlet = _inlet(request, pk)
    readings = list(inlet.readings)
    if request.POST.get("do") == "remove":
        at = _number(request, "at", len(readings) - 1)
        label = f"Reading taken back: {readings.pop(at).red}"
    else:
        red, black = _number(request, "red", 99), _number(request, "black", 99)
        typed = request.POST.get("text", "").strip()
        joined, apart = typed.lower() in ("beep", "beeps", "joined"), typed.lower() in ("ol", "o.l", "open")
        volts = None if joined or apart else parse(typed, "V")
        readings.append(PinReading(red=red, black=black, reading_v=volts, joined=joined, open=apart))
        label = f"Pins {red} and {black}: {'joined' if joined else 'open' if volts is None else figure(volts, 'V')}"
    changed = msgspec.structs.replace(inlet, readings=tuple(readings))
    settled = nets_of(changed).settled
    changed = msgspec.structs.replace(changed, polarity="marked" if settled else "unknown", measured=settled)
    return body(request, actions.put(pk, version_of(request), with_inlet(case, changed), label))


def _number(request: HttpRequest, name: str, most: int) -> int:
    text = request.POST.get(name, "").strip()
    number = whole_number(text, most)
    if number is None:
        raise EditError(f"{text or 'nothing'!r} is no number of a pin")
    return number


@whole
def bay(request: HttpRequest, pk: int) -> HttpResponse:
    """Lay out a cell bay, turn a slot round, or take the bay away."""
    case, post = get_object_or_404(Conversion, pk=pk).case, request.POST
    made: CellBay | None = None
    what = post.get("do", "")
    if what == "make":
        text = post.get("count", "").strip()
        count = whole_number(text, MOST_SLOTS)
        if not count:
            raise EditError(f"{text or 'nothing'!r} is no number of slots; 1 to {MOST_SLOTS}")
        made = CellBay(
            size=post.get("size", ""),  # type: ignore[arg-type]  # the action validates the whole case
            slots=tuple("up" if i % 2 == 0 else "down" for i in range(count)),
            links=in_series(count),
            leads=("1-", f"{count}+"),
        )
        label = f"Cell bay: {count} × {made.size}"
    elif what == "flip" and case.device.bay is not None:
        at = _number(request, "at", len(case.device.bay.slots) - 1)
        slots = list(case.device.bay.slots)
        slots[at] = "down" if slots[at] == "up" else "up"
        made, label = msgspec.structs.replace(case.device.bay, slots=tuple(slots)), f"Slot {at + 1} turned round"
    elif what == "remove":
        label = "Cell bay taken away"
    else:
        raise EditError("that cannot be done to the bay")
    device = msgspec.structs.replace(case.device, bay=made)
    return body(request, actions.put(pk, version_of(request), msgspec.structs.replace(case, device=device), label))


@require_GET
def bay_sheet(request: HttpRequest, pk: int) -> HttpResponse:
    """The bay and its dummies at their true size, for the printer."""
    conversion = get_object_or_404(Conversion, pk=pk)
    context: dict[str, Any] = {"conversion": conversion, "bay": bay_view(conversion.case.device.bay)}
    return render(request, "bench/bay_sheet.html", context)


@whole
def port(request: HttpRequest, pk: int) -> HttpResponse:
    """Feed from another port or profile of the bank."""
    case = get_object_or_404(Conversion, pk=pk).case
    if case.source is None:
        raise EditError("choose a pack first")
    at, profile = _number(request, "port", 99), _number(request, "profile", 99)
    after = actions.with_source(case, fed_from(case.source, at, profile))
    named = case.source.ports[at]
    label = f"From {named.name} at {show(number(named.profiles[profile].output_v), 'V')}"
    return body(request, actions.put(pk, version_of(request), after, label))
