"""What comes from other sites is not answered, but for a link that somebody follows."""

from __future__ import annotations

from collections.abc import Callable

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseForbidden

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
        request.get_host()  # a host that is not ours is refused before any file is given; raises DisallowedHost
        if asks.get("Sec-Fetch-Site", "") in SAME or link:
            response = get_response(request)
            response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
            if response.get("Content-Type", "").startswith("text/html"):
                response.headers.setdefault("Cache-Control", "no-store")
            return response
        return HttpResponseForbidden("This bench answers only its own pages.", content_type="text/plain; charset=utf-8")

    return answer


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
