"""What a stage does to volts and amperes, ready for computing: elements, holders of an output, causes of an end."""

from __future__ import annotations

from typing import Literal, get_args

import msgspec

from hermotrope_core.parts.craft import NEARLY_DARK
from hermotrope_core.values.interpolate import at
from hermotrope_core.values.known import Number, Table, number

Cause = Literal[
    "pack cut-off",
    "converter input too low",
    "converter input too high",
    "converter overload",
    "dropout",
    "device minimum",
    "collapse",
    "reserve",
    "empty",
    "auto-off",
    "programme over",
]
CAUSES: tuple[Cause, ...] = get_args(Cause)
"""In the order in which they are named when several hold at once."""
CAUSE_WORDS: dict[Cause, str] = {
    "pack cut-off": "the pack’s cut-off opens",
    "converter input too low": "the converter gets too few volts",
    "converter input too high": "the converter gets too many volts",
    "converter overload": "the converter is overloaded",
    "dropout": "the regulator gets too few volts",
    "device minimum": "the device gets too few volts",
    "collapse": "the path cannot give the power",
    "reserve": "the reserve is reached",
    "empty": "the pack is empty",
    "auto-off": "the bank switches off",
    "programme over": "the programme is over",
}
"""What happens then, as a clause."""


def dark_volts(drop_v: float) -> float:
    """Volts at or below which a resistance that holds back `drop_v` volts takes nothing that serves."""
    return max(0.0, drop_v) * (1.0 + NEARLY_DARK)


class Demand(msgspec.Struct, frozen=True, gc=False):
    """What a stretch feeds at its far end: watts, amperes or ohms by `kind`.

    `drop_v` are volts that a resistance holds back before any current flows: a string of light-emitting diodes.
    """

    kind: Literal["power", "current", "resistance"]
    value: float
    drop_v: float = 0.0

    @property
    def dark_v(self) -> float:
        """Volts at or below which a resistance takes nothing that serves."""
        return dark_volts(self.drop_v)


class Element(msgspec.Struct, frozen=True, gc=False):
    """One plain stage of a stretch: `stage` is its index in the path, -1 for the source itself."""

    stage: int
    resistance_ohm: float
    drop_v: float
    trips_v: float | None = None
    trips: Cause = "pack cut-off"
    """What it is called when the volts entering it fall to `trips_v`."""
    most_a: float | None = None
    """Above this it is overloaded: a board that passes its input on."""
    beside_a: float = 0.0
    """What loads across the line draw through it, beside the device; what that takes is part of `drop_v`."""


class Holder(msgspec.Struct, frozen=True, gc=False):
    """A stage that holds its output voltage; `stage` is its path index, -1 for a bank's own."""

    stage: int
    linear: bool
    output_v: float
    efficiency: float | Table
    quiescent: float
    """Watts for a converter, amperes for a linear regulator."""
    input_min_v: float
    """Below this its input is too low: its own limit, or output plus headroom or dropout."""
    input_max_v: float | None
    output_current_max_a: float | None
    passes_below_v: float | None = None
    """Below this input it passes the input on, less its headroom (`Circuit.falls_to`); None where it stops."""

    @property
    def low_cause(self) -> Cause:
        return "dropout" if self.linear else "converter input too low"

    def efficiency_at(self, amps: float) -> float:
        """Efficiency (0 to 1) at an output current, linear between the table's rows."""
        return self.efficiency if isinstance(self.efficiency, float) else at(self.efficiency, amps)

    def demand(self, amps: float) -> Demand:
        """What it asks of its input while it gives `amps`."""
        if self.linear:
            return Demand("current", amps + self.quiescent)
        return Demand("power", self.output_v * amps / self.efficiency_at(amps) + self.quiescent)


class Station(msgspec.Struct, frozen=True, gc=False):
    """What one station sees: volts and amps on both sides, and the heat it makes, in watts."""

    stage: int
    """Path index; -1 the source, len(path) the device."""
    volts_in: float
    volts_out: float
    amps_in: float
    amps_out: float
    heat_w: float


def efficiency_of(given: Number | Table) -> float | Table:
    """An efficiency as one plain number, or its table over output amperes."""
    return given if isinstance(given, tuple) else float(number(given))
