"""What comes from other sites is not answered, but for a link that somebody follows."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, HttpResponseForbidden

View = Callable[[HttpRequest], HttpResponse]
SAME = ("", "same-origin", "none")
"""What browsers say of a request of our own pages, or of one typed or bookmarked; others say nothing."""


def cross_site(get_response: View) -> View:
    """Refuse requests that another site makes (fetch metadata); a followed link to a page is let through."""

    def answer(request: HttpRequest) -> HttpResponse:
        asks = request.headers
        link = (
            request.method == "GET"
            and asks.get("Sec-Fetch-Mode") == "navigate"
            and asks.get("Sec-Fetch-Dest") == "document"
            and not request.GET
        )
        if asks.get("Sec-Fetch-Site", "") in SAME or link:
            return get_response(request)
        return HttpResponseForbidden("This bench answers only its own pages.", content_type="text/plain; charset=utf-8")

    return answer
