"""The door to the network: who comes in by it is a paired phone or sees one page."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Callable, Iterable
from typing import Any
from wsgiref.types import StartResponse, WSGIApplication, WSGIEnvironment

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.template.loader import render_to_string

from hermotrope.phones.codes import CODES, CodeError
from hermotrope.phones.models import LASTS, pair, phone_of
from hermotrope.phones.rights import refused
from hermotrope_core.values.whole import whole_number

OUTSIDE = "hermotrope.outside"
"""The mark of what came in from the network, set by our own server and by no header."""
PAIR = "/pair/"
COOKIE = f"{settings.CSRF_COOKIE_NAME}-phone"
LONGEST = 4_000
"""Bytes of a pairing form; what is longer is no pairing form."""
STYLE = (
    "body{font:1.1rem/1.5 system-ui,sans-serif;max-width:26rem;margin:2rem auto;padding:0 1rem;"
    "color:#1b2a2f;background:#fbfcfa}label{display:block;margin-top:1rem}"
    "input,button{font:inherit;padding:.6rem;width:100%;box-sizing:border-box;min-height:3rem}"
    "button{margin-top:1.2rem;background:#0f6670;color:#fff;border:0;border-radius:4px}"
    ".code{font:600 1.5rem monospace;letter-spacing:.15em;text-transform:uppercase}.no{color:#9c2a2f}"
    "@media(prefers-color-scheme:dark){body{background:#12191b;color:#e6edec}.no{color:#ff9a9a}}"
)
"""The page brings its own: a stranger gets no other file."""
POLICY = (
    f"default-src 'none'; style-src 'sha256-{base64.b64encode(hashlib.sha256(STYLE.encode()).digest()).decode()}'; "
    "form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
)
View = Callable[[HttpRequest], HttpResponse]


def from_outside(application: WSGIApplication) -> WSGIApplication:
    """The application as the network sees it: each request bears the mark."""

    def marked(environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        environ[OUTSIDE] = True
        return application(environ, start_response)

    return marked


class Door:
    """Middleware: requests of this machine pass; those from the network are let in by their phone's right."""

    def __init__(self, get_response: View) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        asked: Any = request
        asked.phone = None
        if not request.META.get(OUTSIDE):
            return self.get_response(request)
        if request.path_info == PAIR and request.method == "POST":
            return _paired(request)
        phone = phone_of(request.COOKIES.get(COOKIE, ""))
        if phone is None or request.path_info == PAIR:
            return _page(request, code=request.GET.get("code", "")[:40], status=403 if phone is None else 200)
        reason = refused(request, phone.right)
        if reason:
            return _closed(HttpResponse(reason, status=403, content_type="text/plain; charset=utf-8"))
        asked.phone = phone
        response = self.get_response(request)
        if "Cache-Control" not in response:
            response["Cache-Control"] = "no-store"
        return response


def _paired(request: HttpRequest) -> HttpResponse:
    """Pair the browser that knows the code, and send it to the Bench."""
    length = request.META.get("CONTENT_LENGTH") or "0"
    if request.content_type != "application/x-www-form-urlencoded" or whole_number(length, LONGEST) is None:
        return _page(request, status=403)
    code, name = request.POST.get("code", ""), request.POST.get("name", "")
    try:
        right = CODES.use(code)
    except CodeError as error:
        return _page(request, code=code[:40], name=name[:40], error=str(error), status=403)
    _, token = pair(name, right)
    response = HttpResponseRedirect("/", status=303)
    age = int(LASTS.total_seconds())
    response.set_cookie(COOKIE, token, max_age=age, httponly=True, samesite="Strict", secure=request.is_secure())
    return _closed(response)


def _page(request: HttpRequest, code: str = "", name: str = "", error: str = "", status: int = 403) -> HttpResponse:
    """The one page that a stranger sees."""
    context = {"code": code, "name": name, "error": error, "style": STYLE, "secure": request.is_secure(), "pair": PAIR}
    return _closed(HttpResponse(render_to_string("phones/pair.html", context), status=status))


def _closed(response: HttpResponse) -> HttpResponse:
    """Headers of what is answered before the other guards are asked."""
    response["Content-Security-Policy"] = POLICY
    response["Cache-Control"] = "no-store"
    response["X-Content-Type-Options"] = "nosniff"
    response["Referrer-Policy"] = "no-referrer"
    response["X-Frame-Options"] = "DENY"
    return response
