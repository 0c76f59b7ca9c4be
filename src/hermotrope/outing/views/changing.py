"""How every change to an outing is made: from the newest document, refused with its reason beside the field."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from hermotrope.entry.asked import htmx
from hermotrope.outing import actions
from hermotrope.outing.models import Outing
from hermotrope.outing.panel import page_context
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.values.whole import MOST_KEY, whole_number


class Refused(Exception):
    """An entry that cannot be taken: the field it stands in, and why."""

    def __init__(self, field: str, why: str) -> None:
        self.field, self.why = field, why
        super().__init__(why)


def changed(request: HttpRequest, pk: int, change: Callable[[Document], tuple[Document, str]]) -> HttpResponse:
    """Apply a change to the newest document and answer with the page's part, or with the reason against it."""
    found = get_object_or_404(Outing, pk=pk)
    typed = {name: value for name, value in request.POST.items() if name not in ("csrfmiddlewaretoken", "version")}
    try:
        document = found.content()
        made, label = change(document)
        found = actions.put(pk, version_of(request), made, label)
    except Refused as refused:
        return answer(request, found, 422, errors={refused.field: refused.why}, typed=typed)
    except (CaseError, ValueError) as error:
        field = request.POST.get("place", "page")
        return answer(request, found, 422, errors={field: str(error)}, typed=typed)
    except IndexError:
        return answer(request, found, 409, errors={"page": "That is not there any more: this is the newest state."})
    except actions.Conflict:
        found.refresh_from_db()
        words = "It was changed in another tab meanwhile: this is the newest state. What you typed stands in its field."
        return answer(request, found, 409, errors={"page": words} | _kept(request), typed=typed)
    return answer(request, found)


def _kept(request: HttpRequest) -> dict[str, str]:
    """Beside the field of a supply or a device that somebody typed into: that it still waits."""
    match = request.resolver_match
    at = dict(match.kwargs) if match else {}
    field = {
        "outing-row": "rows-{index}",
        "outing-trunk": "rating_a-{index}",
        "outing-spares": "spares-{index}",
        "outing-charger": "charger",
        "outing-count": "count-{index}-{place}",
    }.get(match.url_name or "" if match else "")
    return {} if field is None else {field.format(**at): "not taken yet: look at the newest state, then send it again"}


def version_of(request: HttpRequest) -> int:
    version = whole_number(request.POST.get("version", ""), MOST_KEY)
    if version is None:
        raise Refused("page", "The page did not say which state it shows: load it again.")
    return version


def answer(request: HttpRequest, outing: Outing, status: int = 200, **more: Any) -> HttpResponse:
    if not htmx(request) and status == 200:
        return redirect(outing)
    context = page_context(outing, outing.content(), **more)
    part = "outing/_outing.html" if htmx(request) else "outing/outing.html"
    return render(request, part, context, status=status)
