"""Where a device is fed and a source gives: connectors, the pins of round ones, the cell bay."""

from __future__ import annotations

from typing import Literal

from hermotrope_core.values.known import Number, Value, maybe, number

Polarity = Literal["centre-positive", "centre-negative", "marked", "unknown"]
ConnectorKind = Literal["barrel", "terminals", "pins", "leads", "cell-bay", "usb-a", "usb-c", "clip", "dock", "mains"]
KIND_WORDS: dict[str, str] = {
    "barrel": "barrel",
    "terminals": "terminals",
    "pins": "pins",
    "leads": "leads",
    "cell-bay": "cell bay",
    "usb-a": "USB-A",
    "usb-c": "USB-C",
    "clip": "clip",
    "dock": "dock",
    "mains": "mains",
}
"""Connectors as sentences and drawings name them."""
CellSize = Literal["AAA", "AA", "C", "D", "block", "CR123A", "18650", "10440", "14500"]
MOST_SLOTS = 24


class PinReading(Value, frozen=True):
    """One reading between two pins with the original supply connected: volts, or that they are joined.

    `reading_v` is what the meter shows with red on one pin and black on the other; `joined` states
    that they beeped for continuity, with the supply off; `open` that they did not (OL).
    """

    red: int
    black: int
    reading_v: Number | None = None
    joined: bool = False
    open: bool = False

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.red == self.black:
            raise ValueError("red and black must be on two different pins")
        if (self.reading_v is not None) + self.joined + self.open != 1:
            raise ValueError("state reading_v, or that the pins are joined, or that they are open")


class Connector(Value, frozen=True):
    """The device's inlet or the source's outlet."""

    kind: ConnectorKind
    outer_mm: Number | None = None
    inner_mm: Number | None = None
    polarity: Polarity = "unknown"
    gender: Literal["socket", "plug"] | None = None
    measured: bool = False
    pin_count: int | None = None
    arc_deg: Number | None = None
    readings: tuple[PinReading, ...] = ()
    wires: str | None = None
    found_by: str | None = None
    """How its polarity was found, where the original supply was not there to be measured (see `measure.FINDS`)."""
    alternating: bool = False
    """Made for alternating current."""
    rating_a: Number | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        outer, inner = maybe(self.outer_mm), maybe(self.inner_mm)
        if outer is not None and inner is not None and inner >= outer:
            raise ValueError(f"inner_mm ({inner:g}) must be below outer_mm ({outer:g})")
        most = self.pin_count or 0
        for reading in self.readings:
            for pin in (reading.red, reading.black):
                if not 1 <= pin <= most:
                    raise ValueError(f"readings names pin {pin}; the connector has {most}")


STANDARD = ("usb-a", "usb-c")
"""Connectors whose standard says which contact is plus: nobody needs to measure, and nobody probes them."""


def fixed_by_standard(connector: Connector) -> bool:
    return connector.kind in STANDARD


def mains_like(connector: Connector) -> bool:
    """Whether a connector is made for mains: never probed, cut or given a plus and a minus."""
    return connector.kind == "mains"


def knows_sign(connector: Connector | None) -> bool:
    """Whether plus and minus of a connector are known: by its standard, by its sign, or by marks that were read.

    Marks are only where there are contacts to mark: a barrel that says "marked" says nothing.
    """
    if connector is None or mains_like(connector):
        return False
    if fixed_by_standard(connector):
        return True
    if connector.kind == "barrel":
        return connector.polarity in ("centre-positive", "centre-negative")
    return connector.polarity == "marked"


class CellBay(Value, frozen=True):
    """A bay for cells. Contacts are named by the slot and the end of the cell that lies on them: 2+ or 2-.

    `slots` say where the plus end points, seen from above; `links` join contacts inside the bay;
    `leads` are the contacts from which wires go into the device. `fed_slot` asks for both wires in
    one slot.
    """

    size: CellSize
    slots: tuple[Literal["up", "down"], ...]
    columns: int | None = None
    links: tuple[tuple[str, str], ...] = ()
    leads: tuple[str, ...] = ()
    fed_slot: int | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if not 1 <= len(self.slots) <= MOST_SLOTS:
            raise ValueError(f"slots must be 1 to {MOST_SLOTS}")
        known = self.contacts
        for link in self.links:
            for contact in link:
                if contact not in known:
                    raise ValueError(f"links names {contact!r}, which is no contact; they are 1+, 1- and so on")
            if link[0] == link[1]:
                raise ValueError(f"links joins {link[0]} to itself")
        for contact in self.leads:
            if contact not in known:
                raise ValueError(f"leads names {contact!r}, which is no contact; they are 1+, 1- and so on")
        if self.fed_slot is not None and not 1 <= self.fed_slot <= len(self.slots):
            raise ValueError(f"fed_slot must be 1 to {len(self.slots)}")
        if self.columns is not None and not 1 <= number(self.columns) <= MOST_SLOTS:
            raise ValueError(f"columns must be 1 to {MOST_SLOTS}")

    @property
    def contacts(self) -> tuple[str, ...]:
        """Every contact of the bay, slot by slot."""
        return tuple(f"{i}{sign}" for i in range(1, len(self.slots) + 1) for sign in "+-")
