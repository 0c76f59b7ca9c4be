"""The list of outings, a new one, one from a file."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from hermotrope.bench.fields import UnreadableCase
from hermotrope.bench.models import Conversion
from hermotrope.entry.asked import words_sought
from hermotrope.outing import actions
from hermotrope.outing.models import Outing
from hermotrope.outing.panel import bench_choices, pack_choices
from hermotrope_core.plan.case import MOST_STAGES
from hermotrope_core.plan.document import LARGEST_BYTES, CaseError
from hermotrope_core.plan.outing import forked
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.values.whole import whole_number

SHOWN = 200
CHOICES = {"packs": pack_choices, "conversions": bench_choices}


@require_GET
def outings(request: HttpRequest) -> HttpResponse:
    """Every outing, the latest first."""
    return _page(request)


def _page(request: HttpRequest, status: int = 200, **more: object) -> HttpResponse:
    context = {"outings": Outing.objects.all()[:SHOWN], "error": "", "import_error": "", "typed": "", **more}
    return render(request, "outing/outings.html", context, status=status)


@require_GET
def choices(request: HttpRequest, what: str) -> HttpResponse:
    """The packs or the conversions that are called by some words, as the entries of a list."""
    offered = CHOICES.get(what)
    if offered is None:
        raise Http404
    return render(request, "outing/_choices.html", {"choices": offered(words_sought(request.GET))})


@require_POST
def new(request: HttpRequest) -> HttpResponse:
    """Begin an outing with its name."""
    title = " ".join(request.POST.get("title", "").split())
    if not title or len(title) > 200:
        return _page(request, 422, error="Give it a name of at most 200 characters.", typed=title)
    return redirect(actions.create(actions.new_document(title), "Started"))


@require_POST
def fork(request: HttpRequest, pk: int) -> HttpResponse:
    """Hang more on the line of a conversion: its pack and the line up to a place feed its device and others."""
    found = get_object_or_404(Conversion, pk=pk)
    at = whole_number(request.POST.get("at", ""), MOST_STAGES)
    try:
        document = forked(found.case, -1 if at is None else at)
    except (UnreadableCase, ValueError) as error:
        return _page(request, 422, error=f"{found.title}: {error}.")
    return redirect(actions.create(document, f"From the line of {found.title}"[:200]))


@require_POST
def take_in(request: HttpRequest) -> HttpResponse:
    """Keep an outing from a file; a refused one says where and why."""
    file = request.FILES.get("file")
    if file is None or file.size is None:
        return _page(request, 422, import_error="Choose an outing file first (it ends in .json).")
    if file.size > LARGEST_BYTES:
        return _page(request, 422, import_error=f"{file.name}: more than {LARGEST_BYTES / 1e6:g} MB is no outing.")
    try:
        document = actions.unlinked(read_outing(file.read()))
    except CaseError as error:
        return _page(request, 422, import_error=f"{file.name}: {error}")
    return redirect(actions.create(document, f"Read from {file.name}"))
