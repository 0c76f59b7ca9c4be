"""Pages for what went wrong, in words that say what to do."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """There is nothing at this address."""
    words = "There is nothing here. It may have been taken off the bench in another tab."
    return render(request, "error.html", {"title": "Not here", "words": words}, status=404)


def broken(request: HttpRequest) -> HttpResponse:
    """A fault of ours; what was saved before stays saved."""
    words = "That went wrong, and it is our fault. Everything saved before is still there."
    return render(request, "error.html", {"title": "Our fault", "words": words}, status=500)


def forbidden(request: HttpRequest, reason: str = "") -> HttpResponse:
    """The form did not come from this bench, or cookies are off."""
    words = "This form is too old or came from elsewhere. Reload the page and try again; cookies must be allowed."
    return render(request, "error.html", {"title": "Not accepted", "words": words}, status=403)
