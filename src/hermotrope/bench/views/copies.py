"""A conversion once more under another name, and the words by which it is found."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST
from django_htmx.http import HttpResponseClientRedirect

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.entry.asked import htmx
from hermotrope_core.plan.document import CaseError

LONGEST_TITLE = 200


@require_POST
def copy(request: HttpRequest, pk: int) -> HttpResponse:
    """Copy all, the device or the line, and open the copy; a refused one keeps what was typed."""
    conversion = get_object_or_404(Conversion, pk=pk)
    what = next((part for part in actions.PARTS if part == request.POST.get("what", "all")), None)
    title = " ".join(request.POST.get("title", "").split()) or f"{conversion.title}, copy"
    if what is None:
        return body(request, conversion, "Choose what is copied: all, the device or the line.", 422)
    if len(title) > LONGEST_TITLE:
        return body(request, conversion, f"A name has up to {LONGEST_TITLE} letters.", 422)
    try:
        url = actions.copy(pk, what, title).get_absolute_url()
    except CaseError as error:
        return body(request, conversion, f"Not copied: {error}", 422)
    return HttpResponseClientRedirect(url) if htmx(request) else redirect(url)


@whole
def tags(request: HttpRequest, pk: int) -> HttpResponse:
    """Set its tags."""
    return body(request, actions.tag(pk, version_of(request), request.POST.get("text", "")))
