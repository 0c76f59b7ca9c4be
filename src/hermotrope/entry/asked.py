"""What asked for a page: the browser itself, or htmx for a part of one."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast
from urllib.parse import urlsplit

from django.http import HttpRequest, HttpResponse, QueryDict
from django.middleware.csrf import CSRF_TOKEN_LENGTH
from django.utils.cache import patch_vary_headers
from django_htmx.middleware import HtmxDetails

MOST_WORDS = 80
"""Characters of what a list is searched for."""


def htmx(request: HttpRequest) -> HtmxDetails:
    """What htmx tells of a request; false where it did not send it."""
    return cast(HtmxDetails, request.htmx)  # type: ignore[attr-defined]  # its middleware puts it there


def wants_part(request: HttpRequest) -> bool:
    """Whether only the part that changes is wanted: not when the browser goes back and has nothing kept."""
    told = htmx(request)
    return bool(told) and not told.history_restore_request


def words_sought(query: QueryDict, name: str = "find") -> str:
    """What a list is searched for."""
    return query.get(name, "").strip()[:MOST_WORDS]


def query_behind(request: HttpRequest) -> QueryDict:
    """The query of the page from which a press comes, as htmx tells it."""
    url = htmx(request).current_url if htmx(request) else None
    return QueryDict(urlsplit(url).query if url else "")


def token_sent(request: HttpRequest) -> dict[str, str]:
    """For the templates: the forms of a part bear the token that came with the press, which has been checked.

    Django masks it anew for every answer; so every form of a page would differ from what it was a moment ago.
    """
    checked = getattr(request, "csrf_processing_done", False)
    if request.method != "POST" or not checked or not htmx(request):
        return {}
    token = request.POST.get("csrfmiddlewaretoken") or request.headers.get("X-CSRFToken", "")
    return {"csrf_token": token} if len(token) == CSRF_TOKEN_LENGTH else {}


def page_or_part(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Tell the browser that one address has a page and a part of it, so that going back never shows a part alone."""

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        patch_vary_headers(response, ("HX-Request",))
        return response

    return answer
