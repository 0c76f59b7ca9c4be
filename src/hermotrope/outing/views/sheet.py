"""The build sheet of one supply with all its devices: parts, steps and gates of the whole tree, to print."""

from __future__ import annotations

from math import inf
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.drawings.wiring import wiring
from hermotrope.outing.models import Outing
from hermotrope.outing.workshop import TAKEN_OVER, TreeWorkshop
from hermotrope_core.judge.cautions import Caution, cautions, stops
from hermotrope_core.plan.document import CaseError
from hermotrope_core.prove.judge import written
from hermotrope_core.prove.tree import WayProgress
from hermotrope_core.values.figures import fixed, stated


@require_GET
def sheet(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """Everything that is needed to build one supply with its devices, laid out for A4 and Letter."""
    found = get_object_or_404(Outing, pk=pk)
    try:
        shop = TreeWorkshop(found, index)
    except (IndexError, CaseError) as error:
        raise Http404(str(error)) from None
    context: dict[str, Any] = {"outing": found, "supply": shop.supply, "view": shop.view, "index": index}
    if "run" in shop.view:
        try:
            context |= _built(shop)
        except ValueError as error:  # a way that makes no sense by itself
            shop.view["open"] = str(error)
    return render(request, "outing/sheet.html", context)


def _built(shop: TreeWorkshop) -> dict[str, Any]:
    told: dict[str, Caution] = {one.says: one for case in shop.chains for one in cautions(case)}
    context: dict[str, Any] = {
        "cautions": list(told.values()),
        "stops": [one for case in shop.chains for one in stops(case)],
        "taken_over": TAKEN_OVER,
    }
    if context["stops"]:
        return context
    drawn = zip(shop.supply.branches, (wiring(case) for case in shop.chains), strict=True)
    cuts = [(one.part.name, cut) for one in shop.parts for cut in one.cuts]
    return context | {
        "build": shop.parts,
        "cuts": [(name, cut, fixed(cut.length_mm, 0, "mm"), stated(cut.area_mm2, "mm²", 3)) for name, cut in cuts],
        "ways": [_way(one, shop.ways) for one in shop.ways if one.way.copy == 1],
        "drawings": [{"branch": branch, "drawing": drawing} for branch, drawing in drawn if drawing is not None],
    }


def _way(first: WayProgress, ways: tuple[WayProgress, ...]) -> dict[str, Any]:
    """A way with what each of its equal ones read."""
    equal = [one for one in ways if one.way.place == first.way.place and one.way.of > 1] or [first]
    rows = []
    for g, row in enumerate(first.rows):
        asks = []
        for k, one in enumerate(row.asks):
            states = [other.rows[g].asks[k] for other in equal]
            asks.append(
                {
                    "what": one.ask.what,
                    "low": written(one.ask.low, one.ask.unit),
                    "high": "" if one.ask.high == inf else written(one.ask.high, one.ask.unit),
                    "reads": [
                        written(state.reading.value, one.ask.unit) if state.reading and not state.stale else ""
                        for state in states
                    ],
                }
            )
        rows.append({"gate": row.gate, "asks": asks})
    return {"way": first.way, "gates": rows}
