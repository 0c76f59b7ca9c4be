"""What a gate is: readings to take in one arrangement of the bench, each with its window and what a wrong one means."""

from __future__ import annotations

from math import inf
from typing import Literal

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.inlets import Connector, fixed_by_standard
from hermotrope_core.know.connectors import contacts_of

Level = Literal["pass", "note", "fail", "stop"]
Meter = Literal["volts", "mains", "ripple", "ohms", "diode", "amps", "temperature", "trip", "seen", "clock"]
Key = Literal[
    "open-voltage", "continuity", "set-point", "polarity", "dummy-load", "device", "warm-parts", "alarm", "run-down"
]

METER_SHARE, METER_V = 0.005, 0.03
"""A hand meter's doubt on volts: 0.5 % and three counts of 10 mV (typical)."""
NOTHING_V = 0.3
"""Under this a meter on open contacts shows nothing (typical)."""
METER_LEADS_OHM = 0.5
"""A hand meter's own leads and contacts on its lowest range (typical)."""
PLUG_IN = "a plug-in meter, never with probes"
OPEN_OHM = 1e6
"""At and above this a conductor counts as open; meters show OL."""


class Spot(msgspec.Struct, frozen=True):
    """Where a probe goes: the conductor before path[gap] (gap = len(path): the plug), or a part's body."""

    gap: int
    conductor: Literal["+", "-", "part"]
    words: str


class Rule(msgspec.Struct, frozen=True):
    """A reading from `low` up to below `high` means this."""

    low: float
    high: float
    level: Level
    says: str


class Setup(msgspec.Struct, frozen=True):
    """The arrangement on the bench: where the line is open, and what loads it."""

    cuts: tuple[int, ...] = ()
    """Gaps at which both conductors are open; 0 takes the pack away, len(path) the device."""
    load_a: float | None = None
    """A dummy load at the plug draws so much."""
    electronic: bool = True
    """Whether an electronic load may draw it: never behind an inverter."""
    mode: str | None = None
    """The device runs in this mode."""
    stages: tuple[int, int] | None = None
    """The parts between the probes, from and to (exclusive)."""
    wait_s: float = 0.0
    """How long to wait before reading."""
    peak: bool = False


class Ask(msgspec.Struct, frozen=True):
    """One reading: what it is, its window in the unit given, and the rules for what lies outside."""

    key: str
    what: str
    unit: str
    meter: Meter
    low: float
    high: float
    setup: Setup
    because: str
    """How the window follows from the plan."""
    red: Spot | None = None
    black: Spot | None = None
    rules: tuple[Rule, ...] = ()
    optional: bool = False
    expected: float | None = None


class Gate(msgspec.Struct, frozen=True):
    """Readings that belong together. `basis` names the parts it proved: with others it must be passed again."""

    key: Key
    title: str
    connect: tuple[str, ...]
    asks: tuple[Ask, ...]
    basis: str
    must_pass: bool = False
    """It cannot be waived: behind it the device gets power."""
    energises: bool = False
    caution: str = ""

    def foreign(self, basis: str) -> str:
        """Why a reading that was asked for with this basis does not count here; nothing where it does, or says none."""
        if basis in ("", self.basis):
            return ""
        return "the parts of this plan changed since that was read: measure again"


def within(volts: float) -> float:
    """What a hand meter may be off at so many volts."""
    return METER_SHARE * abs(volts) + METER_V


def asleep(situation: Situation) -> str:
    """A reason for no volts that only a bank has: it is put first where others follow, else empty."""
    return "the bank asleep, " if situation.source.regulated_output and not situation.cell.endless else ""


def below(limit: float, level: Level, says: str) -> Rule:
    return Rule(-inf, limit, level, says)


def above(limit: float, level: Level, says: str) -> Rule:
    return Rule(limit, inf, level, says)


def contact_words(connector: Connector | None, of: str) -> tuple[str, str]:
    """Where red and black go on a connector."""
    if connector is None:
        return f"plus of {of}", f"minus of {of}"
    if fixed_by_standard(connector):
        return "V+ of a USB meter or breakout", "its ground"
    if connector.kind == "cell-bay":
        return "the dummy cell where plus goes in", "the dummy cell where minus goes in"
    names = contacts_of(connector)
    if names is None:
        return f"the contact of {of} that you take for plus", "the other one"
    if connector.kind == "barrel" and of == "the plug":
        words = {"centre": "the plug’s centre hole", "sleeve": "its outer sleeve"}
        return words[names[0]], words[names[1]]
    if connector.kind in ("barrel", "pins"):
        return f"{names[0]} of {of}", f"{names[1]} of {of}"
    return f"plus of {of}", f"minus of {of}"
