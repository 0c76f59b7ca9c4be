"""What a phone may do, by the names of the addresses. What is not named here needs the right to everything."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import Resolver404, resolve

from hermotrope.phones.models import Right

LAPTOP_ALONE = {
    "phones", "phones-code", "phones-list", "phones-set", "phones-end",
    "backup", "backup-file", "backup-restore", "backup-kept",
}  # fmt: skip
"""By no method and for no phone."""
OF_ITS_OWN = {"likings"}
"""Kept in the phone's own browser."""
READINGS_AND_PICTURES = {
    "gate-reading", "bench-temperature", "tick", "note", "photo", "outing-tick", "outing-reading", "trial-add",
    "logbook-write",
    "measured-all", "measured-reference", "measured-mark", "measured-unmark", "measured-caliper", "measured-held",
    "measured-undo", "measured-settle",
}  # fmt: skip


def refused(request: HttpRequest, right: str) -> str:
    """Why a phone with this right may not do that; nothing where it may."""
    try:
        name = resolve(request.path_info).url_name or ""
    except Resolver404:
        name = ""
    if name in LAPTOP_ALONE:
        return "That is done at the laptop alone."
    if request.method in ("GET", "HEAD") or right == Right.ALL or name in OF_ITS_OWN:
        return ""
    if right == Right.BENCH:
        allowed = name in READINGS_AND_PICTURES
        return "" if allowed else "This phone may bring readings and pictures; the rest is done at the laptop."
    return "This phone may only read."
