"""Units, money, decimal sign, dates and clock, as this browser likes them."""

from __future__ import annotations

from datetime import date
from typing import Any, get_args
from urllib.parse import urlsplit

import msgspec
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from hermotrope.entry.liked import from_words, keep
from hermotrope.entry.typed import without_place
from hermotrope_core.values.clock import clock_time
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.liking import (
    LONGEST_MONEY,
    Day,
    Liking,
    day_text,
    liked,
    liking,
    money,
)

CHOICES: dict[str, tuple[str, dict[str, str]]] = {
    "length": ("Lengths of leads", {"m": "metres, millimetres", "ft": "feet, inches"}),
    "wire": ("Wire", {"mm²": "mm² of copper", "AWG": "gauge (AWG)"}),
    "mass": ("Mass", {"g": "grams, kilograms", "oz": "ounces, pounds"}),
    "warmth": ("Temperature", {"°C": "°C", "°F": "°F"}),
    "decimal": ("Decimal sign", {"point": "point: 12.6 V", "comma": "comma: 12,6 V"}),
    "day": ("Dates", {name: name for name in get_args(Day)}),
    "clock": ("Clock", {"24": "20:30", "12": "8:30 pm"}),
}
"""Each field of a liking with its term and the words of its values."""
SHOWN_DAY = date(2026, 6, 3)


@require_http_methods(["GET", "POST"])
def likings(request: HttpRequest) -> HttpResponse:
    """The choices, with what figures look like then; a choice goes back to the page it came from."""
    back = _own_path(request, request.POST.get("back") or request.headers.get("referer", ""))
    if request.method == "GET":
        return render(request, "bench/likings.html", _context(liked(), back))
    words = request.POST.dict()
    try:
        wish = from_words({name: str(text).strip() for name, text in words.items()})
    except msgspec.ValidationError as error:
        context = _context(liked(), back) | {"error": without_place(error), "typed": words.get("money", "")}
        return render(request, "bench/likings.html", context, status=422)
    response = redirect(back)
    keep(response, wish)
    return response


def _own_path(request: HttpRequest, url: str) -> str:
    """The page of this bench that an address names; the Bench for any other."""
    told = urlsplit(url)
    own = not told.netloc or told.netloc == request.get_host()
    path = told.path + (f"?{told.query}" if told.query else "")
    return path if own and path.startswith("/") and not path.startswith(("//", "/\\", request.path)) else "/"


def _context(now: Liking, back: str) -> dict[str, Any]:
    rows = [
        (
            name,
            term,
            [(value, _words(name, value, words), value == getattr(now, name)) for value, words in choices.items()],
        )
        for name, (term, choices) in CHOICES.items()
    ]
    example = (
        f"{stated(1.2, 'm')} of {stated(0.823, 'mm²')} lead, a pack of {figure(640, 'g')}, {figure(5, '°C', 2)} "
        f"outside, {stated(12.6, 'V')}, {money(18.5)}, on {day_text(SHOWN_DAY)} at {clock_time('20:30', 0.0)}"
    )
    return {"rows": rows, "money": now.money, "longest": LONGEST_MONEY, "back": back, "example": example}


def _words(name: str, value: str, words: str) -> str:
    if name != "day":
        return words
    with liking(msgspec.structs.replace(liked(), day=value)):
        return day_text(SHOWN_DAY)
