"""Flat outlines on paper at true size, tiled over pages, each with a ruler to measure."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.drawings.solid import true_size
from hermotrope.making.models import MadePart
from hermotrope.making.views.made import shape_of

PAPERS = {"a4": (180.0, 250.0), "letter": (185.0, 232.0)}
"""What a page takes inside its margins, in millimetres."""


@require_GET
def true_size_page(request: HttpRequest, pk: int, part: int) -> HttpResponse:
    """Every tile on a page of its own."""
    row = get_object_or_404(MadePart.objects.select_related("conversion"), pk=part, conversion_id=pk)
    shape = shape_of(row)
    if not shape.flats:
        raise Http404
    paper = "letter" if request.GET.get("paper") == "letter" else "a4"
    context = {"row": row, "conversion": row.conversion, "paper": paper, "sheet": true_size(shape, PAPERS[paper])}
    return render(request, "making/true_size.html", context)
