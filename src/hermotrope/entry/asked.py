"""What asked for a page: the browser itself, or htmx for a part of one."""

from __future__ import annotations

from typing import cast

from django.http import HttpRequest
from django_htmx.middleware import HtmxDetails


def htmx(request: HttpRequest) -> HtmxDetails:
    """What htmx tells of a request; false where it did not send it."""
    return cast(HtmxDetails, request.htmx)  # type: ignore[attr-defined]  # its middleware puts it there


def wants_part(request: HttpRequest) -> bool:
    """Whether only the part that changes is wanted: not when the browser goes back and has nothing kept."""
    told = htmx(request)
    return bool(told) and not told.history_restore_request
