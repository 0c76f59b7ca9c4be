"""The drill's pages."""

from __future__ import annotations

import random
from collections.abc import Callable

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from hermotrope.drawings.drill import line_drawn
from hermotrope.drill import play
from hermotrope.drill.models import Attempt
from hermotrope.entry.typed import EditError


@require_GET
def drill(request: HttpRequest) -> HttpResponse:
    """The levels and what was reached."""
    return render(request, "drill/drill.html", {"levels": play.scores()})


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new attempt at a level; at a drawn one where none is named."""
    key = request.POST.get("level", "") or f"s{random.SystemRandom().randrange(10**6)}"
    try:
        return redirect("drill-attempt", play.begin(key).pk)
    except ValueError:
        raise Http404 from None


def _page(request: HttpRequest, attempt: Attempt, error: str = "") -> HttpResponse:
    made = play.context(attempt)
    typed = request.POST if error else (attempt.readings and _last(attempt)) or {}
    made |= {"drawn": line_drawn(made["level"].line), "typed": typed, "error": error}
    return render(request, "drill/attempt.html", made, status=422 if error else 200)


def _last(attempt: Attempt) -> dict[str, object]:
    """The last reading's setting: the next begins with it."""
    red, black, mode, pack, switch, load = attempt.readings[-1]
    return {
        "red": str(red), "black": str(black), "mode": mode, "pack": "in" if pack else "out",
        "switch": "on" if switch else "off", "load": "on" if load else "",
    }  # fmt: skip


@require_GET
def attempt(request: HttpRequest, pk: int) -> HttpResponse:
    """An attempt: the line, the meter, the readings; afterwards what they told."""
    return _page(request, get_object_or_404(Attempt, pk=pk))


def _playing(do: Callable[[Attempt, HttpRequest], None]) -> Callable[[HttpRequest, int], HttpResponse]:
    @require_POST
    def wrapped(request: HttpRequest, pk: int) -> HttpResponse:
        found = get_object_or_404(Attempt, pk=pk)
        try:
            do(found, request)
        except EditError as error:
            return _page(request, found, str(error))
        return redirect("drill-attempt", pk)

    return wrapped


probe = _playing(lambda found, request: play.take(found, play.read_probe(request.POST)))
name = _playing(lambda found, request: play.name(found, request.POST.get("fault", "")))
power = _playing(lambda found, request: play.power(found))
