"""One outing: its page, its files, and how many more of a device it carries."""

from __future__ import annotations

import csv
import io
import json

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.drawings.night import bands
from hermotrope.formats.calendar_file import Moment, calendar
from hermotrope.formats.cells import harmless
from hermotrope.outing.kept import horizon_s
from hermotrope.outing.models import Outing
from hermotrope.outing.packs_panel import pack_moments, packs_context
from hermotrope.outing.panel import MOST_CHANGES, packs_that_last, page_context, weighed, when
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.outing import MOST_SUPPLIES, Supply
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.plan.outing_document import finished_supply
from hermotrope_core.several.assign import WISHES, CannotPropose, propose
from hermotrope_core.several.evenings import MOST_EVENINGS, evenings
from hermotrope_core.several.follow import follow
from hermotrope_core.several.load import MOST_ALIKE, how_many
from hermotrope_core.several.needs import needs
from hermotrope_core.several.netlist import supply_netlist
from hermotrope_core.several.rails import rails
from hermotrope_core.several.ranges import night_range
from hermotrope_core.several.shed import CannotShed, shed
from hermotrope_core.tell.nights import supply_tree
from hermotrope_core.values.figures import duration, figure, span
from hermotrope_core.values.known import maybe
from hermotrope_core.values.liking import money
from hermotrope_core.values.whole import whole_number

PAGE_DRAWS = 400


@require_GET
def outing(request: HttpRequest, pk: int) -> HttpResponse:
    """The page; an outing that cannot be read says why, and can be taken away as a file or removed."""
    found = get_object_or_404(Outing, pk=pk)
    try:
        context = page_context(found, found.content())
    except CaseError as error:
        return render(request, "outing/unreadable.html", {"outing": found, "why": str(error)})
    return render(request, "outing/outing.html", context)


@require_GET
def export_json(request: HttpRequest, pk: int) -> HttpResponse:
    """The document as a file."""
    found = get_object_or_404(Outing, pk=pk)
    response = HttpResponse(
        json.dumps(found.document, ensure_ascii=False, indent=1) + "\n", content_type="application/json"
    )
    response["Content-Disposition"] = f'attachment; filename="outing-{pk}.json"'
    return response


@require_GET
def export_csv(request: HttpRequest, pk: int) -> HttpResponse:
    """A row per device: what feeds it, how long it lasts, why it ends, watt-hours."""
    found = get_object_or_404(Outing, pk=pk)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["supply", "device", "count", "runtime_s", "end_cause", "energy_to_device_wh"])
    try:
        document = found.content()
        for supply in document.supplies:
            if not supply.branches:
                continue
            tree = supply_tree(follow(supply, document.conditions, document.hours, most=MOST_CHANGES))
            for branch, one in zip(supply.branches, tree["branches"], strict=True):
                name, device = harmless(tree["name"]), harmless(one["device"])
                figures = [one["runtime_s"], one["end_cause"], one["energy_to_device_wh"]]
                writer.writerow([name, device, branch.count, *figures])
    except ValueError as error:
        raise Http404(f"nothing to write yet: {error}") from None
    response = HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="outing-{pk}.csv"'
    return response


@require_GET
def export_calendar(request: HttpRequest, pk: int) -> HttpResponse:
    """A calendar entry for every device that stops, every supply that ends, every change and charge of a pack."""
    found = get_object_or_404(Outing, pk=pk)
    moments = []
    try:
        document = found.content()
        for p, supply in enumerate(document.supplies):
            if not supply.branches:
                continue
            run = follow(supply, document.conditions, document.hours, most=MOST_CHANGES)
            uid = f"outing-{pk}-{found.revision}-{p}"
            for b, one in enumerate(run.branches):
                if one.end_cause != "programme over":
                    words = f"{one.device} stops: {one.why}"
                    moments.append(Moment(one.runtime_s, f"{uid}-{b}", words, f"on {supply.called}"))
            left = f"{figure(run.final_soc, '%', 2)} left"
            moments.append(Moment(run.runtime_s, uid, f"{supply.called}: {found.title} is over for it", left))
        moments += pack_moments(document, f"outing-{pk}-{found.revision}") if document.hours is not None else []
    except ValueError as error:
        raise Http404(f"nothing to write yet: {error}") from None
    response = HttpResponse(calendar("outing", document.start, moments), content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="outing-{pk}.ics"'
    return response


def _of(pk: int, index: int) -> tuple[Document, Supply]:
    """An outing's document and one of its supplies, finished. Raises `Http404` where there is none."""
    found = get_object_or_404(Outing, pk=pk)
    try:
        document = found.content()
        supply = document.supplies[index]
        finished_supply(supply, f"supplies[{index}]")
    except (IndexError, CaseError) as error:
        raise Http404(str(error)) from None
    return document, supply


@require_GET
def weigh(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """In a line of plain text: what would be if a device hung on another supply (`to`)."""
    found = get_object_or_404(Outing, pk=pk)
    to = whole_number(request.GET.get("to", ""), MOST_SUPPLIES)
    try:
        words = weighed(found.content(), index, place, -1 if to is None else to)
    except (IndexError, CaseError):
        raise Http404("that is not there any more") from None
    return HttpResponse(words, content_type="text/plain; charset=utf-8")


@require_GET
def export_netlist(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """A supply with its branches for SPICE; what cannot be written says why."""
    document, supply = _of(pk, index)
    try:
        text = supply_netlist(supply, document.conditions)
    except ValueError as error:
        raise Http404(str(error)) from None
    response = HttpResponse(text, content_type="text/plain; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="outing-{pk}-{index}.cir"'
    return response


@require_GET
def how_sure(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """The range of a supply's night: how long each device lasts in nine of ten draws, and what is left.

    A page asks for it a moment after it was drawn: nothing is to be shown where its devices went by then.
    """
    document, supply = _of(pk, index)
    if not supply.branches:
        return HttpResponse(status=204)
    hours = maybe(document.hours)
    try:
        made = night_range(supply, document.conditions, hours, PAGE_DRAWS)
        horizon = horizon_s(follow(supply, document.conditions, hours, most=MOST_CHANGES), hours)
    except ValueError as error:
        return render(request, "outing/_range.html", {"why_not": str(error)})
    rows = [(one.device, span(one.p5, one.p95), figure(one.whole, "%", 2)) for one in made.branches]
    left = f"{figure(made.left[0], '%', 2)} to {figure(made.left[2], '%', 2)}"
    drawn = bands([(one.device, one.p5, one.p95) for one in made.branches], horizon)
    context = {"rows": rows, "left": left, "hours": hours is not None, "bands": drawn, "index": index}
    return render(request, "outing/_range.html", context)


@require_GET
def packs(request: HttpRequest, pk: int) -> HttpResponse:
    """The packs in turn: when each goes in and comes out, and when it is charged again."""
    found = get_object_or_404(Outing, pk=pk)
    try:
        context = packs_context(found.content())
    except CaseError as error:
        raise Http404(str(error)) from None
    return render(request, "outing/_packs.html", context)


@require_GET
def proposal(request: HttpRequest, pk: int) -> HttpResponse:
    """Who should feed whom under a wish, with what speaks for it and against the others."""
    found = get_object_or_404(Outing, pk=pk)
    wish = next((one for one in WISHES if one == request.GET.get("wish")), WISHES[0])
    text = request.GET.get("failed", "")
    failed = whole_number(text, MOST_SUPPLIES)
    context: dict[str, object] = {"outing": found, "wish": wish, "why_not": "", "failed": ""}
    try:
        document = found.content()
        if failed is not None:
            context["failed"] = document.supplies[failed].called
        made = propose(document, wish, failed)
        context |= {
            "proposal": made,
            "same": made.outing == document,
            "mass": "" if made.mass_g is None else figure(made.mass_g, "g", 2),
            "price": "" if made.price is None else money(made.price),
        }
    except (CannotPropose, CaseError) as error:
        context["why_not"] = str(error)
    except IndexError:
        raise Http404 from None
    return render(request, "outing/_proposal.html", context)


@require_GET
def what_must_it_be(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """The least pack of each chemistry that lasts for what hangs on a supply, and the packs of the Shelf that do."""
    document, supply = _of(pk, index)
    hours = maybe(document.hours)
    context: dict[str, object] = {"supply": supply, "hours": hours}
    if hours is not None and supply.branches:
        context |= {
            "needs": [
                (one, figure(one.capacity_ah, "Ah"), figure(one.energy_wh, "Wh"))
                for one in needs(supply, document.conditions, hours)
            ],
            "packs": packs_that_last(supply, document.conditions, hours),
        }
    return render(request, "outing/_needs.html", context)


@require_GET
def how_many_evenings(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """How many such evenings, one a day, one charge of a supply lasts, and when it is flat with all off."""
    document, supply = _of(pk, index)
    hours = maybe(document.hours)
    context: dict[str, object] = {"supply": supply}
    try:
        if hours is None:
            raise ValueError("say for how many hours one evening is")
        found = evenings(supply, document.conditions, hours)
        flat = "" if found.flat_s is None else duration(found.flat_s)
        context["rechargeable"] = CHEMISTRIES[supply.source.chemistry].rechargeable
        context |= {"found": found, "most": MOST_EVENINGS, "idle": figure(found.idle_a, "A", 2), "flat": flat}
    except ValueError as error:
        context["why_not"] = str(error)
    return render(request, "outing/_evenings.html", context)


@require_GET
def which_volts(request: HttpRequest, pk: int) -> HttpResponse:
    """Which volts to share: what each choice loses in boards, and how many it takes."""
    found = get_object_or_404(Outing, pk=pk)
    try:
        rows = [(one, figure(one.lost_wh, "Wh", 2), figure(one.lost_share, "%", 2)) for one in rails(found.content())]
        wh = figure(rows[0][0].devices_wh, "Wh")
    except CaseError as error:
        raise Http404(str(error)) from None
    except ValueError as error:
        return render(request, "outing/_rails.html", {"why_not": f"{error}."})
    return render(request, "outing/_rails.html", {"rows": rows, "wh": wh})


@require_GET
def goes_first(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """At how many volts a device must be cut off so that all the others last, or why that does not help."""
    document, supply = _of(pk, index)
    if place >= len(supply.branches):
        raise Http404("no such device")
    context: dict[str, object] = {"branch": supply.branches[place], "index": index, "place": place}
    context["outing"] = get_object_or_404(Outing, pk=pk)
    hours = maybe(document.hours)
    try:
        if hours is None:
            raise CannotShed("say for how many hours the outing is meant")
        found = shed(supply, document.conditions, hours, place)
        context["volts"] = context["typed"] = figure(found.trips_v, "V", 4)
        context["when"] = when(found.stops_s, document.start)
    except ValueError as error:
        context["why_not"] = str(error)
    return render(request, "outing/_first.html", context)


@require_GET
def how_many_more(request: HttpRequest, pk: int, index: int, place: int) -> HttpResponse:
    """How many of a branch's devices its supply carries, and what refuses the next."""
    document, supply = _of(pk, index)
    if place >= len(supply.branches):
        raise Http404("no such device")
    carried = how_many(supply, document.conditions, place)
    context = {"carried": carried, "branch": supply.branches[place], "most": MOST_ALIKE}
    return render(request, "outing/_many.html", context)
