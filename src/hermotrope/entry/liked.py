"""What somebody likes of figures, kept in a cookie of this browser, and holding for each of its requests.

Read when a request comes and let go when it is answered; files that other programs read (JSON, CSV, netlist, calendar)
write their numbers themselves and stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from urllib.parse import parse_qsl, urlencode

import msgspec
from django import template
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils.safestring import SafeString, mark_safe
from django.utils.timezone import localtime

from hermotrope_core.values.clock import clock_text
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import Number, number
from hermotrope_core.values.liking import METRIC, Liking, day_text, liked, liking, pointed, time_text
from hermotrope_core.values.liking import money as money_text
from hermotrope_core.values.quantity import show

COOKIE = f"{settings.CSRF_COOKIE_NAME}-liking"
A_YEAR_S = 365 * 86400
LONGEST_COOKIE = 400
register = template.Library()
"""Filters for every template (a builtin of the engine)."""


def as_liked(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Let what this browser likes hold while its request is answered."""

    def answer(request: HttpRequest) -> HttpResponse:
        with liking(of_cookie(request.COOKIES.get(COOKIE, ""))):
            return get_response(request)

    return answer


def of_cookie(text: str) -> Liking:
    """What a cookie says; metric where it says nothing that can be read."""
    try:
        return from_words(dict(parse_qsl(text[:LONGEST_COOKIE])))
    except ValueError:
        return METRIC


def from_words(words: dict[str, str]) -> Liking:
    """A liking from its fields as texts; what is none of its fields is passed over. Raises ValueError."""
    names = Liking.__struct_fields__
    return msgspec.convert({name: text for name, text in words.items() if name in names}, Liking)


def keep(response: HttpResponse, wish: Liking) -> None:
    """Put a liking into the browser's cookie for a year."""
    text = urlencode({name: value for name, value in msgspec.structs.asdict(wish).items() if value})
    response.set_cookie(COOKIE, text, max_age=A_YEAR_S, samesite="Strict", httponly=True)


@register.simple_tag
def liked_marks() -> SafeString:
    """What the page's own scripts must know of it: the decimal sign, where it is none of theirs."""
    return mark_safe(' data-decimal="comma"' if liked().decimal == "comma" else "")  # a fixed word


@register.filter
def day(value: date | None) -> str:
    """A date with its year."""
    return day_text(_here(value)) if value else ""


@register.filter
def day_of_year(value: date | None) -> str:
    """A date of about this year."""
    return day_text(_here(value), year=False, short=True) if value else ""


@register.filter
def moment(value: datetime | None) -> str:
    """A day and its time."""
    if value is None:
        return ""
    here = localtime(value)
    return f"{day_text(here.date(), year=False, short=True)} {time_text(here.time())}"


@register.filter
def clock(value: str | None) -> str:
    """A kept time of day."""
    return clock_text(value or "")


@register.filter
def money(value: float | None, decimals: int = 2) -> str:
    """An amount with the sign that is liked."""
    return "" if value is None else money_text(value, decimals)


@register.filter
def quantity(value: float | None, unit: str) -> str:
    """A stated value in a unit."""
    return "" if value is None else stated(value, unit)


@register.filter
def known(value: Number | None, unit: str = "") -> str:
    """A value of a document, however it is known."""
    return "" if value is None else stated(number(value), unit)


@register.filter
def price(value: float | None) -> str:
    """An amount as somebody would type it: without a sign, with two decimals or none."""
    return "" if value is None else pointed(f"{value:.2f}".removesuffix(".00"))


@register.filter
def typed(value: float | None, unit: str = "") -> str:
    """A kept value as somebody would type it."""
    return "" if value is None else show(value, unit)


def _here(value: date) -> date:
    return localtime(value).date() if isinstance(value, datetime) else value
