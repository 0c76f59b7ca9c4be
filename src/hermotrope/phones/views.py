"""Sharing with a phone: codes, and the phones that were paired. At the laptop alone (`rights.LAPTOP_ALONE`)."""

from __future__ import annotations

import segno
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.safestring import SafeString, mark_safe
from django.views.decorators.http import require_GET, require_POST

from hermotrope.phones.codes import CODES, Code
from hermotrope.phones.door import PAIR
from hermotrope.phones.models import Phone, Right, called

USUAL = Right.BENCH
"""What a phone may do where nothing is said."""


def pairing_address(code: Code) -> str:
    """What the square holds: the pairing page with its code."""
    return f"{settings.LAN_URL.rstrip('/')}{PAIR}?code={code.text}"


def square(code: Code) -> SafeString:
    """The pairing address as an SVG that a phone's camera reads: black on white in every scheme."""
    made = segno.make_qr(pairing_address(code), error="m")
    return mark_safe(made.svg_inline(scale=6, light="#fff", dark="#000", omitsize=False))  # our own address


def _context(request: HttpRequest) -> dict[str, object]:
    waiting = CODES.waiting() if settings.LAN_URL else None
    return {
        "address": settings.LAN_URL,
        "fingerprint": settings.LAN_FINGERPRINT,
        "rights": Right.choices,
        "usual": USUAL,
        "phones": Phone.objects.all(),
        "code": waiting[0] if waiting else None,
        "gives": Right(waiting[0].right).label if waiting else "",
        "left_s": waiting[1] if waiting else 0,
        "square": square(waiting[0]) if waiting else "",
    }


@require_GET
def share(request: HttpRequest) -> HttpResponse:
    """The code that waits, how to get one, and the phones."""
    return render(request, "phones/share.html", _context(request))


@require_GET
def listed(request: HttpRequest) -> HttpResponse:
    """The code and the phones once more, as they are now."""
    return render(request, "phones/_now.html", _context(request))


@require_POST
def code(request: HttpRequest) -> HttpResponse:
    """A new code."""
    right = request.POST.get("right", USUAL)
    if settings.LAN_URL and right in Right.values:
        CODES.new(right)
    return redirect("phones")


@require_POST
def change(request: HttpRequest, pk: int) -> HttpResponse:
    """Name a phone or say what it may do."""
    phone = get_object_or_404(Phone, pk=pk)
    right = request.POST.get("right", "")
    phone.name = called(request.POST.get("name", "")) or phone.name
    phone.right = right if right in Right.values else phone.right
    phone.save(update_fields=["name", "right"])
    return redirect("phones")


@require_POST
def end(request: HttpRequest, pk: int) -> HttpResponse:
    """End a phone's session: it is a stranger from now on."""
    Phone.objects.filter(pk=pk).delete()
    return redirect("phones")
