"""What asked for a page: the browser itself, or htmx for a part of one."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_vary_headers
from django_htmx.middleware import HtmxDetails


def htmx(request: HttpRequest) -> HtmxDetails:
    """What htmx tells of a request; false where it did not send it."""
    return cast(HtmxDetails, request.htmx)  # type: ignore[attr-defined]  # its middleware puts it there


def wants_part(request: HttpRequest) -> bool:
    """Whether only the part that changes is wanted: not when the browser goes back and has nothing kept."""
    told = htmx(request)
    return bool(told) and not told.history_restore_request


def page_or_part(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Tell the browser that one address has a page and a part of it, so that going back never shows a part alone."""

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        patch_vary_headers(response, ("HX-Request",))
        return response

    return answer
