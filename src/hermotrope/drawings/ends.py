"""End views of connectors that are neither barrels nor round: two contacts each, with their signs."""

from __future__ import annotations

import msgspec

from hermotrope_core.kinds.inlets import Connector, ConnectorKind, fixed_by_standard, knows_sign


class Contact(msgspec.Struct, frozen=True):
    """A contact of an end view: its path about (x, y), its sign, and how far from there that stands."""

    x: float
    y: float
    path: str
    sign: str
    sign_dx: float
    sign_dy: float


class EndView(msgspec.Struct, frozen=True):
    """An end view in a frame of 150 by 74 units, not to scale: outline, contacts, words."""

    outline: str
    contacts: tuple[Contact, ...]
    words: str
    sure: bool


SCREW = "M-12 0A12 12 0 1 0 12 0A12 12 0 1 0 -12 0M-8 -8L8 8"
TAIL = "M-26 0H14M14 -3H30M14 0H32M14 3H30"
STUD_SMALL = "M-9 0A9 9 0 1 0 9 0A9 9 0 1 0 -9 0M-4 0A4 4 0 1 0 4 0A4 4 0 1 0 -4 0"
STUD_LARGE = "M0 -14L12 -7V7L0 14L-12 7V-7ZM-6 0A6 6 0 1 0 6 0A6 6 0 1 0 -6 0"
BLADE = "M-3 -13H3V13H-3Z"
PAD = "M-5 -2.5H5V2.5H-5Z"

_SHAPES: dict[ConnectorKind, tuple[str, tuple[tuple[str, float, float, float, float], ...], str]] = {
    "terminals": (
        "M20 6H130V68H20Z",
        ((SCREW, 50, 30, 0, 32), (SCREW, 100, 30, 0, 32)),
        "screw terminals, signs as marked on them; a fork or a ferrule on each wire, never bare strands",
    ),
    "leads": (
        "M10 8V66",
        ((TAIL, 50, 22, 48, 5), (TAIL, 50, 52, 48, 5)),
        "flying leads: keep the second covered while you work on the first",
    ),
    "clip": (
        "M14 10H136V64H14Z",
        ((STUD_SMALL, 48, 37, -20, 5), (STUD_LARGE, 98, 37, 22, 5)),
        "clip: on a block the small stud is plus, so on the device's clip the large one is",
    ),
    "dock": (
        "M14 12H136V62H14Z",
        ((BLADE, 48, 37, -16, 5), (BLADE, 102, 37, 16, 5)),
        "dock: two blades feed; any others carry signals, leave them open",
    ),
    "usb-a": (
        "M18 18H132V56H18Z",
        ((PAD, 46, 37, -16, 5), (PAD, 104, 37, 16, 5)),
        "USB-A: its standard fixes plus and minus; cut a lead far from the plug and measure its wires there",
    ),
    "usb-c": (
        "M36 20H114A17 17 0 0 1 114 54H36A17 17 0 0 1 36 20Z",
        ((PAD, 58, 37, -16, 5), (PAD, 92, 37, 16, 5)),
        "USB-C: its standard fixes plus and minus; it gives 5 V unless a trigger board asks for more",
    ),
}


def other_end(connector: Connector | None, *, of_device: bool) -> EndView | None:
    """The end view of a connector with two contacts; None for barrels, pins, bays and mains."""
    if connector is None or connector.kind not in _SHAPES:
        return None
    outline, shapes, words = _SHAPES[connector.kind]
    known = knows_sign(connector)
    signs = ("+", "−") if known else ("?", "?")
    if fixed_by_standard(connector):
        signs = ("", "")  # which of its contacts is plus its standard says; this drawing does not show them all
    if connector.kind == "clip" and of_device:
        signs = signs[::-1]
    contacts = tuple(
        Contact(x, y, path, sign, dx, dy) for (path, x, y, dx, dy), sign in zip(shapes, signs, strict=True)
    )
    return EndView(outline, contacts, words, known and (connector.measured or fixed_by_standard(connector)))
