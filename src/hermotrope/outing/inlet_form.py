"""The inlet of a device of an outing, from a short form: what it is, where plus is, whether that was measured."""

from __future__ import annotations

import re

from hermotrope_core.kinds.inlets import Connector, ConnectorKind, Polarity

INLETS: dict[str, tuple[str, ConnectorKind, Polarity]] = {
    "centre-positive": ("a barrel, plus in its centre", "barrel", "centre-positive"),
    "centre-negative": ("a barrel, minus in its centre", "barrel", "centre-negative"),
    "terminals": ("terminals, marked + and −", "terminals", "marked"),
    "leads": ("two leads, marked + and −", "leads", "marked"),
    "clip": ("a clip, marked + and −", "clip", "marked"),
    "usb-a": ("USB-A", "usb-a", "unknown"),
    "usb-c": ("USB-C", "usb-c", "unknown"),
}
"""By key: in words, its kind, its sign."""
_SIZE = re.compile(r"(\d+(?:[.,]\d+)?)\s*(?:x|×|\*|by|/)\s*(\d+(?:[.,]\d+)?)\s*(?:mm)?", re.IGNORECASE)


def inlet_of(key: str, size: str, *, measured: bool) -> Connector:
    """The inlet that a form tells. Raises ValueError for none of those offered, and for a size that is none."""
    if key not in INLETS:
        raise ValueError("choose what the inlet is and where plus is; measure it at the device")
    _, kind, polarity = INLETS[key]
    outer = inner = None
    if kind == "barrel" and size.strip():
        found = _SIZE.fullmatch(size.strip())
        if found is None:
            raise ValueError("a barrel’s size is its outer and inner diameter: 5.5 x 2.1")
        outer, inner = (float(part.replace(",", ".")) for part in found.groups())
    return Connector(kind=kind, polarity=polarity, outer_mm=outer, inner_mm=inner, measured=measured)


def key_of(inlet: Connector | None) -> str:
    """Which of those offered an inlet is; empty for another."""
    found = (key for key, (_, kind, sign) in INLETS.items() if inlet and (inlet.kind, inlet.polarity) == (kind, sign))
    return next(found, "")
