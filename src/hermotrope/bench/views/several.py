"""Several conversions at once: compared, tagged, put away, brought back, removed."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from hermotrope.bench import actions
from hermotrope.bench.comparing import compared
from hermotrope.bench.devices import by_title
from hermotrope.bench.fields import Unreadable
from hermotrope.bench.models import Conversion
from hermotrope.bench.views.bench import bench_page
from hermotrope_core.values.whole import MOST_KEY, whole_number

MOST = 500
"""So many are taken at once."""


@require_POST
def several(request: HttpRequest) -> HttpResponse:
    """Do one thing to all that are chosen; what cannot be done is told and nothing of it is done."""
    chosen = [pk for text in request.POST.getlist("pk")[:MOST] if (pk := whole_number(text, MOST_KEY))]
    do = request.POST.get("do", "")
    if not chosen:
        return bench_page(request, "Choose some conversions first.", 422)
    if do == "compare":
        if len(chosen) != 2:
            return bench_page(request, f"Two are compared; {len(chosen)} are chosen.", 422)
        return redirect(f"{reverse('compare')}?a={chosen[0]}&b={chosen[1]}")
    if do == "remove" and request.POST.get("sure") != "yes":
        return bench_page(request, "Say that they are removed for good.", 422)
    try:
        actions.all_of(chosen, do, request.POST.get("text", ""))
    except ValueError as error:
        return bench_page(request, str(error), 422)
    return redirect("bench")


@require_GET
def compare(request: HttpRequest) -> HttpResponse:
    """Two conversions side by side; without two, the lists to choose them from."""
    asked = [whole_number(request.GET.get(name, ""), MOST_KEY) for name in ("a", "b")]
    found = {one.pk: one for one in Conversion.objects.filter(pk__in=[pk for pk in asked if pk])}
    pair = [found.get(pk or 0) for pk in asked]
    context: dict[str, object] = {
        "all": by_title(found),
        "asked": asked,
    }
    one, other = pair
    if one and other and not any(isinstance(each.case, Unreadable) for each in (one, other)):
        context |= compared((one, other))
    return render(request, "bench/compare.html", context)
