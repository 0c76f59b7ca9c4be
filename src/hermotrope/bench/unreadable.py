"""A conversion whose stored case cannot be read never takes a page down: it says why, can be exported and removed."""

from __future__ import annotations

import json
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from hermotrope.bench.fields import Unreadable, UnreadableCase
from hermotrope.bench.models import Conversion


class UnreadableMiddleware:
    """Answers in words where a view met a case that cannot be read."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if not isinstance(exception, UnreadableCase) or request.resolver_match is None:
            return None
        context = {"why": str(exception), "pk": request.resolver_match.kwargs.get("pk")}
        return render(request, "bench/unreadable.html", context, status=409)


def tree_file(conversion: Conversion) -> HttpResponse:
    """What is stored of an unreadable case, as it stands."""
    kept = conversion.case
    assert isinstance(kept, Unreadable)
    text = json.dumps(kept.tree, ensure_ascii=False, indent=1) + "\n"
    headers = {"Content-Disposition": 'attachment; filename="unreadable.json"'}
    return HttpResponse(text, content_type="application/json", headers=headers)


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Take an unreadable conversion off the bench, once that was confirmed."""
    conversion = get_object_or_404(Conversion, pk=pk)
    if not isinstance(conversion.case, Unreadable):
        return redirect(conversion)
    if request.POST.get("sure") != "yes":
        context = {"why": conversion.case.why, "pk": pk, "error": "Tick the box to take it off the bench."}
        return render(request, "bench/unreadable.html", context, status=422)
    conversion.delete()
    return redirect("bench")
