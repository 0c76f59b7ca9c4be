"""Guards before every view: other sites and hosts, numbers that no key can be, and what the disk refuses."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable, Iterable
from http import HTTPStatus
from wsgiref.types import StartResponse, WSGIApplication, WSGIEnvironment

from django.core.exceptions import DisallowedHost
from django.db import OperationalError
from django.http import (
    Http404,
    HttpRequest,
    HttpResponse,
    HttpResponseBadRequest,
    HttpResponseForbidden,
    HttpResponseNotAllowed,
    QueryDict,
)
from django.shortcuts import redirect, render
from django.urls import is_valid_path

from hermotrope_core.values.text import seen

LOG = logging.getLogger(__name__)
PLAIN = "text/plain; charset=utf-8"
View = Callable[[HttpRequest], HttpResponse]
SAME = ("", "same-origin", "none")
"""What browsers say of a request of our own pages, or of one typed or bookmarked; others say nothing."""


def cross_site(get_response: View) -> View:
    """Refuse requests to another host, or that another site makes; a followed link to a page is let through."""

    def answer(request: HttpRequest) -> HttpResponse:
        asks = request.headers
        link = (
            request.method == "GET"
            and asks.get("Sec-Fetch-Mode") == "navigate"
            and asks.get("Sec-Fetch-Dest") == "document"
            and not request.GET
        )
        try:
            request.get_host()  # before any file is given
        except DisallowedHost:
            LOG.warning("Refused a request for %r: that is not this bench.", request.META.get("HTTP_HOST", "")[:80])
            return HttpResponseBadRequest("This bench answers only at its own address.", content_type=PLAIN)
        if asks.get("Sec-Fetch-Site", "") in SAME or link:
            response = get_response(request)
            response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
            if response.get("Content-Type", "").startswith("text/html"):
                response.headers.setdefault("Cache-Control", "no-store")
            return response
        return HttpResponseForbidden("This bench answers only its own pages.", content_type=PLAIN)

    return answer


METHODS = ("GET", "HEAD", "POST")
"""What our pages ask with."""


def known_methods(get_response: View) -> View:
    """Refuse what no page of ours asks with."""
    return lambda request: get_response(request) if request.method in METHODS else HttpResponseNotAllowed(METHODS)


OTHER_LETTERS = re.compile(r"""\*|charset(?!\s*=\s*["']?utf-?8["']?\s*(;|$))""", re.IGNORECASE)
"""What a content type may not say (`x*=` as well): a name there is a codec's, and that is no matter of who asks."""


def in_utf8(application: WSGIApplication) -> WSGIApplication:
    """The application for what is written in UTF-8, before the framework looks for another codec."""

    def asked(environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        if OTHER_LETTERS.search(environ.get("CONTENT_TYPE", "")):
            start_response("415 Unsupported Media Type", [("Content-Type", PLAIN)])
            return [b"This bench reads UTF-8 alone."]
        return application(environ, start_response)

    return asked


def up_from_a_press(get_response: View) -> View:
    """The address of a press, opened as a page (a restored tab, Enter in the address), leads to the page above it."""

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        opened = request.method == "GET" and "text/html" in request.headers.get("Accept", "")
        if opened and response.status_code == HTTPStatus.METHOD_NOT_ALLOWED:
            return redirect(above(request.path))
        return response

    return answer


def above(path: str) -> str:
    """The nearest address above another at which something stands."""
    while path != "/":
        path = f"{path.rstrip('/').rpartition('/')[0]}/"
        if is_valid_path(path):
            break
    return path


def seen_texts(get_response: View) -> View:
    """What is typed or pasted arrives without the signs that nobody sees."""

    def answer(request: HttpRequest) -> HttpResponse:
        request.GET = _seen(request.GET)  # type: ignore[assignment]  # which is declared as one that nobody changes
        if request.method == "POST":
            request.POST = _seen(request.POST)  # type: ignore[assignment]
        return get_response(request)

    return answer


def _seen(sent: QueryDict) -> QueryDict:
    if all(text.isprintable() for texts in sent.lists() for text in texts[1]):
        return sent
    found = sent.copy()
    for name, texts in sent.lists():
        found.setlist(name, [seen(text) for text in texts])
    return found


MOST_NUMBER = 2**63 - 1
"""The largest key that a database of ours can hold."""


class Bounds:
    """A number in an address that no key can be leads nowhere, instead of into the database."""

    def __init__(self, get_response: View) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, _request: HttpRequest, _view: object, _args: object, place: dict[str, object]) -> None:
        """Raises Http404."""
        if any(isinstance(part, int) and part > MOST_NUMBER for part in place.values()):
            raise Http404


NOT_KEPT = (
    ("disk is full", "The disk is full, so nothing was saved. Free some space, then press again."),
    ("readonly database", "The bench's folder is read-only, so nothing was saved. Make it writable, then press again."),
    ("unable to open", "The bench's folder is gone or closed to this program. Bring it back, then press again."),
    ("disk I/O error", "The disk does not answer, so nothing was saved. Look after it, and keep a backup elsewhere."),
    ("database is locked", "Another program holds the bench, so nothing was saved. Close it, then press again."),
)
"""What SQLite says, and what a maker can do."""


class Kept:
    """Where the bench cannot be kept just now, it is told why and what helps; what was typed stays on the page."""

    def __init__(self, get_response: View) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Words for what the database could not do; everything else is left to others."""
        if not isinstance(error, OperationalError):
            return None
        told = next((words for sign, words in NOT_KEPT if sign in str(error)), None)
        if told is None:
            return None
        if request.headers.get("HX-Request"):
            return HttpResponse(told, status=503, content_type=PLAIN)
        return render(request, "error.html", {"title": "Not saved", "words": told}, status=503)
