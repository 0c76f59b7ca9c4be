"""A round connector with many pins: its mating face, and the solder side, which is its mirror image."""

from __future__ import annotations

from math import cos, radians, sin

import msgspec

from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.know.connectors import pin_names
from hermotrope_core.know.pins import FULL_CIRCLE, Nets, nets_of, pin_angles
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe

RING, NUMBER_RING = 45.0, 73.0
WORDS = {"plus": "+", "minus": "−", "other": "~", "silent": "·", "unknown": "?"}


class Pin(msgspec.Struct, frozen=True):
    """A contact: where it is, where its number stands, what it is (plus, minus, other, silent, unknown)."""

    number: int
    x: float
    y: float
    label_x: float
    label_y: float
    kind: str
    sign: str


class Face(msgspec.Struct, frozen=True):
    """One view of the connector."""

    title: str
    pins: tuple[Pin, ...]
    words: str


class PinView(msgspec.Struct, frozen=True):
    """Both views, and what the readings say, in words."""

    faces: tuple[Face, Face]
    nets: Nets
    told: tuple[str, ...]
    ask: str
    readings: tuple[tuple[int, str], ...]


SOCKET_TITLES = ("the device’s socket, from outside", "the same from behind")
PLUG_TITLES = ("the plug’s face", "the plug’s solder side")


def pin_view(connector: Connector | None, *, plug: bool = False) -> PinView | None:
    """The two faces of a connector with pins whose count is known; None for anything else.

    The plug that goes into it is its mirror image: its solder side looks like the view into the device's socket.
    """
    if connector is None or connector.kind != "pins" or connector.pin_count is None:
        return None
    nets = nets_of(connector)
    angles = pin_angles(connector.pin_count, maybe(connector.arc_deg) or FULL_CIRCLE)
    into = tuple(_pin(i + 1, angle, nets) for i, angle in enumerate(angles))
    mirrored = tuple(_pin(i + 1, -angle, nets) for i, angle in enumerate(angles))
    mating, behind = (mirrored, into) if plug else (into, mirrored)
    titles = PLUG_TITLES if plug else SOCKET_TITLES
    listed = ", ".join(f"{pin.number} {pin.sign}" for pin in mating)
    readings = tuple(
        (
            i,
            f"{r.red} and {r.black} beep"
            if r.joined
            else f"{r.red} and {r.black} read OL"
            if r.open
            else f"red {r.red}, black {r.black}: {figure(maybe(r.reading_v) or 0.0, 'V')}",
        )
        for i, r in enumerate(connector.readings)
    )
    faces = (
        Face(titles[0], mating, f"{titles[0]}: {listed}"),
        Face(titles[1], behind, f"{titles[1]}: {listed}"),
    )
    return PinView(faces, nets, tuple(_told(nets)), _ask(nets), readings)


def _pin(number: int, angle: float, nets: Nets) -> Pin:
    x, y = sin(radians(angle)), -cos(radians(angle))
    others = {pin for pin, _ in nets.others}
    sets = (("plus", nets.plus), ("minus", nets.minus), ("other", others), ("silent", nets.silent))
    kind = next((name for name, pins in sets if number in pins), "unknown")
    return Pin(
        number,
        round(RING * x, 1),
        round(RING * y, 1),
        round(NUMBER_RING * x, 1),
        round(NUMBER_RING * y + 4.0, 1),
        kind,
        WORDS[kind],
    )


def _told(nets: Nets) -> list[str]:
    told = []
    if nets.conflict:
        told.append(nets.conflict)
    if nets.plus and nets.volts is not None:
        told.append(f"plus is {pin_names(nets.plus)}, minus is {pin_names(nets.minus)}: {figure(nets.volts, 'V')}")
    told += [f"pin {pin} stands at {figure(volts, 'V')}: a second supply" for pin, volts in nets.others]
    if nets.silent:
        told.append(f"{pin_names(nets.silent)} read nothing against either: leave open")
    if nets.half:
        told.append(f"{pin_names(nets.half)} read nothing against one of them: read against the other too")
    unread = tuple(pin for pin in nets.unknown if pin not in nets.half)
    if nets.plus and unread:
        told.append(f"{pin_names(unread)} not read yet: leave open until they are")
    for pins in (nets.plus, nets.minus):
        if len(pins) > 1 and not any(set(pins) <= set(group) for group in nets.joined):
            told.append(f"{pin_names(pins)} stand at the same volts: see whether they beep before joining them")
    return told


def _ask(nets: Nets) -> str:
    if nets.next_reading is None:
        return ""
    red, black = nets.next_reading
    return f"Next: red on {red}, black on {black}"
