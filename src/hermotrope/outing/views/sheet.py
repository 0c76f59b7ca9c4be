"""The build sheet of one supply with all its devices: parts, steps and gates of the whole tree, to print."""

from __future__ import annotations

from math import inf
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.drawings.wiring import wiring
from hermotrope.outing.models import Outing
from hermotrope.outing.panel import supply_view
from hermotrope_core.build.tree import tree_build
from hermotrope_core.judge.cautions import Caution, cautions, stops
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.plan.outing import chain
from hermotrope_core.prove.gate import Gate
from hermotrope_core.prove.judge import written
from hermotrope_core.prove.tree import tree_gates
from hermotrope_core.several.load import Load, everything


@require_GET
def sheet(request: HttpRequest, pk: int, index: int) -> HttpResponse:
    """Everything that is needed to build one supply with its devices, laid out for A4 and Letter."""
    found = get_object_or_404(Outing, pk=pk)
    try:
        document = found.content()
        supply = document.supplies[index]
    except (IndexError, CaseError) as error:
        raise Http404(str(error)) from None
    view = supply_view(document, index, supply)
    context: dict[str, Any] = {"outing": found, "supply": supply, "view": view}
    if "run" in view:
        try:
            context |= _built(document, index)
        except ValueError as error:  # a way that makes no sense by itself
            view["open"] = str(error)
    return render(request, "outing/sheet.html", context)


def _built(document: Document, index: int) -> dict[str, Any]:
    supply, conditions = document.supplies[index], document.conditions
    chains = [chain(supply, place, conditions) for place in range(len(supply.branches))]
    told: dict[str, Caution] = {one.says: one for case in chains for one in cautions(case)}
    context: dict[str, Any] = {
        "cautions": list(told.values()),
        "stops": [one for case in chains for one in stops(case)],
    }
    if context["stops"]:
        return context
    load = Load(supply, conditions, everything(supply))
    drawn = zip(supply.branches, (wiring(case) for case in chains), strict=True)
    return context | {
        "build": tree_build(supply, conditions, load.junction_a),
        "ways": [
            {"way": one, "gates": [{"gate": gate, "asks": _asks(gate)} for gate in one.gates]}
            for one in tree_gates(supply, conditions)
        ],
        "drawings": [{"branch": branch, "drawing": drawing} for branch, drawing in drawn if drawing is not None],
    }


def _asks(gate: Gate) -> list[dict[str, Any]]:
    return [
        {
            "what": ask.what,
            "low": written(ask.low, ask.unit),
            "high": "" if ask.high == inf else written(ask.high, ask.unit),
        }
        for ask in gate.asks
    ]
