"""The guide: what every panel tells, and where every figure is found; from the lines that the panels show."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from hermotrope_core.tell.help import PANELS_HELP, figures_told


@require_GET
def guide(request: HttpRequest) -> HttpResponse:
    """The whole of it on one page."""
    panels = [(key, title, line) for key, (title, line) in PANELS_HELP.items()]
    return render(request, "bench/guide.html", {"panels": panels, "figures": figures_told()})
