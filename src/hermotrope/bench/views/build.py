"""Build: wire and fuse chosen together, the switch's place, chains of leads, deliberate choices, drawings."""

from __future__ import annotations

import re
from typing import Any

import msgspec
from csp.decorators import csp_update
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.bench import actions
from hermotrope.bench.build_panel import DELIBERATE
from hermotrope.bench.models import Conversion
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.drawings.schematic import schematic
from hermotrope.drawings.wiring import wiring
from hermotrope.entry.typed import EditError
from hermotrope.shelf.models import Item
from hermotrope_core.circuit.netlist import netlist
from hermotrope_core.judge.choose import choose
from hermotrope_core.judge.findings import BASES
from hermotrope_core.judge.findings.voltage import ridden_by_child
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.lead import as_lead, leads_of
from hermotrope_core.kinds.stages import Lead, Stage, Switch
from hermotrope_core.know.joints import CENTRES, centres_differ, gaps
from hermotrope_core.plan.case import Case, Choice, planned, questions
from hermotrope_core.values.whole import whole_number

LONGEST_REASON = 200
TAKEN_OVER = tuple(code for code, basis in BASES.items() if basis.can_be_accepted and "stop" in basis.levels)
"""Stops, which somebody must take over by name."""


@whole
def choose_wiring(request: HttpRequest, pk: int) -> HttpResponse:
    """Gauge of every lead and rating of every fuse, chosen together."""
    case = _finished(get_object_or_404(Conversion, pk=pk).case)
    made = msgspec.structs.replace(case, path=choose(case).path)
    return body(request, actions.put(pk, version_of(request), made, "Gauge and fuse chosen"))


@whole
def place_switch(request: HttpRequest, pk: int) -> HttpResponse:
    """One switch, at a place of the path without switches; none where no place is given."""
    case = get_object_or_404(Conversion, pk=pk).case
    path: list[Stage] = [stage for stage in case.path if not stage.BY_HAND]
    old = next((stage for stage in case.path if stage.BY_HAND), Switch())
    at = request.POST.get("at", "")
    if at:
        place = whole_number(at, len(path))
        if place is None:
            raise EditError("that place is not on the line")
        path.insert(place, old)
    label = "Switch moved" if at else "Switch taken out"
    return body(request, actions.put(pk, version_of(request), actions.with_path(case, path), label))


@whole
def use_chain(request: HttpRequest, pk: int) -> HttpResponse:
    """Put the leads of a chain where leads join something; or the one lead that is to be made."""
    case = _finished(get_object_or_404(Conversion, pk=pk).case)
    gap = next((one for one in gaps(case) if str(one.start) == request.POST.get("start", "")), None)
    if gap is None:
        raise EditError("nothing is to be joined there any more")
    wanted = request.POST.get("leads", "")
    inside = case.path[gap.start : gap.stop]
    leads = _from_shelf(wanted) if wanted else [_made(inside, gap.near, gap.far)]
    fuses = [stage for stage in inside if stage.opens_above_a is not None]
    path = [*case.path[: gap.start], *fuses, *leads, *case.path[gap.stop :]]
    made = actions.with_path(case, _signed(case, path))
    return body(request, actions.put(pk, version_of(request), made, f"Joined {gap.words}"))


def _from_shelf(indices: str) -> list[Stage]:
    items = [item.readable() for item in Item.objects.filter(kind="lead").at_hand_first()]
    leads = [lead for part in items if (lead := as_lead(part))]
    if not re.fullmatch(r"\d{1,4}(,\d{1,4}){0,9}", indices) or max(map(int, indices.split(","))) >= len(leads):
        raise EditError("those leads are no longer on the shelf")
    return [leads[int(i)] for i in indices.split(",")]


def _made(old: tuple[Stage, ...], near: Connector, far: Connector) -> Lead:
    """The lead to make, as long and as thick as the one it replaces."""
    before = next((lead for _, lead in leads_of(old)), Lead(length_m=1.0, area_mm2=0.75))
    return msgspec.structs.replace(before, source_end=_into(near), device_end=_into(far))


def _into(connector: Connector) -> Connector | None:
    if connector.kind in ("terminals", "leads"):
        return None
    gender: Any = {"socket": "plug", "plug": "socket"}.get(connector.gender or "socket")
    return Connector(
        kind=connector.kind,
        outer_mm=connector.outer_mm,
        inner_mm=connector.inner_mm,
        polarity="unknown" if connector.kind == "barrel" else "marked",
        gender=gender,
        pin_count=connector.pin_count,
    )


def _signed(case: Case, path: list[Stage]) -> list[Stage]:
    """The path with its last lead swapping or straight, as outlet and inlet ask."""
    inlet, outlet = case.device.inlet, case.source.outlet if case.source else None
    if inlet is None or outlet is None or not {inlet.polarity, outlet.polarity} <= set(CENTRES):
        return path
    odd = sum(s.turns for s in path) % 2 == 1
    leads = leads_of(path)
    if leads and odd != centres_differ(case):
        last, lead = leads[-1]
        path[last] = msgspec.structs.replace(lead, swaps_polarity=not lead.swaps_polarity)
    return path


@whole
def choice(request: HttpRequest, pk: int) -> HttpResponse:
    """Accept a finding on purpose, with a reason; or take that back."""
    conversion = get_object_or_404(Conversion, pk=pk)
    case, code = conversion.case, request.POST.get("code", "")
    if code not in (*TAKEN_OVER, *DELIBERATE):
        raise EditError("that is nothing to be chosen on purpose")
    kept = tuple(one for one in case.choices if one.code != code)
    accepted = tuple(one for one in case.accepted if one != code)
    if request.POST.get("do") == "undo":
        made = msgspec.structs.replace(case, choices=kept, accepted=accepted)
        return body(request, actions.put(pk, version_of(request), made, f"No longer chosen: {code}"))
    reason, by = (request.POST.get(name, "").strip()[:LONGEST_REASON] for name in ("reason", "by"))
    if code == "over-max" and ridden_by_child(case):
        raise EditError(
            "a child rides it: an overvoltage is not accepted. Ask its maker, or somebody answerable for ridden toys"
        )
    if by and not reason and code in TAKEN_OVER:
        reason = "takes it over as a qualified person"
    if code in TAKEN_OVER and not by:
        raise EditError("say who takes it over")
    if not reason:
        raise EditError("say why; the reason is kept in the record and printed")
    one = Choice(code=code, reason=reason, by=by or None)  # type: ignore[arg-type]  # the action validates the whole case
    made = msgspec.structs.replace(case, choices=(*kept, one), accepted=(*accepted, one.code))
    return body(request, actions.put(pk, version_of(request), made, f"Chosen deliberately: {code} ({reason})"))


def _finished(case: Case) -> Case:
    for question in questions(case):
        raise EditError(question.ask)
    return case


@require_GET
def wiring_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The wiring drawing as an SVG file."""
    case = get_object_or_404(Conversion, pk=pk).case
    drawing = wiring(case)
    if drawing is None:
        raise Http404
    return _svg(render(request, "bench/wiring.svg", {"d": drawing, "alone": True}), case, "wiring")


@require_GET
@csp_update({"style-src": ["'unsafe-inline'"]})  # type: ignore[arg-type]  # it takes any view
def schematic_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The schematic as an SVG file; the library that draws it writes style attributes."""
    case = get_object_or_404(Conversion, pk=pk).case
    if case.source is None:
        raise Http404
    return _svg(HttpResponse(schematic(case)), case, "schematic")


@require_GET
def netlist_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The path as a SPICE netlist."""
    case = get_object_or_404(Conversion, pk=pk).case
    if any(True for _ in questions(case)):
        raise Http404
    headers = {"Content-Disposition": f'attachment; filename="{_name(case, "path")}.cir"'}
    return HttpResponse(netlist(planned(case)), content_type="text/plain; charset=utf-8", headers=headers)


def _svg(response: HttpResponse, case: Case, what: str) -> HttpResponse:
    response["Content-Type"] = "image/svg+xml"
    response["Content-Disposition"] = f'inline; filename="{_name(case, what)}.svg"'
    return response


def _name(case: Case, what: str) -> str:
    title = re.sub(r"[^a-z0-9]+", "-", case.title.lower()).strip("-") or "case"
    return f"{title}-{what}"
