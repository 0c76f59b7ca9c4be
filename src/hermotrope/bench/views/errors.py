"""Pages for what went wrong, in words that say what to do."""

from __future__ import annotations

from django.conf import settings
from django.core.exceptions import RequestDataTooBig, TooManyFieldsSent, TooManyFilesSent
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from hermotrope.guard import PLAIN


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """There is nothing at this address."""
    words = "There is nothing here. It may have been taken off the bench in another tab."
    return render(request, "error.html", {"title": "Not here", "words": words}, status=404)


def unread(request: HttpRequest, exception: Exception) -> HttpResponse:
    """What came could not be read as a form: too much of it, or broken on the way."""
    words = "What came cannot be read as a form, so nothing was changed."
    if isinstance(exception, RequestDataTooBig):
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE / 1e6
        words = f"That is more than {most:.1f} MB of text in one form, so nothing was changed."
    elif isinstance(exception, TooManyFieldsSent | TooManyFilesSent):
        words = "That form has more fields or files than any of this bench, so nothing was changed."
    if request.headers.get("HX-Request"):
        return HttpResponse(words, status=400, content_type=PLAIN)
    return render(request, "error.html", {"title": "Not read", "words": words}, status=400)


def broken(request: HttpRequest) -> HttpResponse:
    """A fault of ours; what was saved before stays saved."""
    words = "That went wrong, and it is our fault. Everything saved before is still there."
    return render(request, "error.html", {"title": "Our fault", "words": words}, status=500)


def forbidden(request: HttpRequest, reason: str = "") -> HttpResponse:
    """The form did not come from this bench, or cookies are off."""
    words = "This form is too old or came from elsewhere. Reload the page and try again; cookies must be allowed."
    return render(request, "error.html", {"title": "Not accepted", "words": words}, status=403)
