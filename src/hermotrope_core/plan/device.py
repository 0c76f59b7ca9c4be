"""The device: its window of volts, its modes, its traits, its own battery, how it ends and warns."""

from __future__ import annotations

import itertools
from typing import ClassVar, Literal

import msgspec

from hermotrope_core.kinds.inlets import CellBay, Connector
from hermotrope_core.parts.craft import NO_LOAD_SHARE
from hermotrope_core.plan.evidence import MOST_PIECES, Evidence
from hermotrope_core.values.known import Number, Table, Value, check_table, maybe, number

Trait = Literal[
    "electronics",
    "writes-storage",
    "receiver",
    "ridden",
    "child",
    "life-safety",
    "near-water",
    "mains-inside",
    "motor",
]


class TraitWords(msgspec.Struct, frozen=True):
    """What a trait says of a device, as it is asked; `of_use` says who or what can be hurt: everybody is asked once."""

    words: str
    of_use: bool = False


TRAITS: dict[Trait, TraitWords] = {
    "electronics": TraitWords("electronics inside"),
    "motor": TraitWords("has a motor"),
    "receiver": TraitWords("is a receiver"),
    "writes-storage": TraitWords("writes to storage"),
    "life-safety": TraitWords("a life depends on it: breathing, alarm, medical, rescue", of_use=True),
    "child": TraitWords("a child uses it", of_use=True),
    "ridden": TraitWords("it is ridden or carries somebody", of_use=True),
    "near-water": TraitWords("it is used near water", of_use=True),
    "mains-inside": TraitWords("there is mains voltage inside", of_use=True),
}
"""In the order in which they are asked."""


class Supply(Value, frozen=True):
    """The window of volts at the inlet within which the device works and survives."""

    min_v: Number | None = None
    nominal_v: Number | None = None
    max_v: Number | None = None
    absolute_max_v: Number | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        order = ("min_v", "nominal_v", "max_v", "absolute_max_v")
        known = [(name, maybe(getattr(self, name))) for name in order]
        known = [(name, v) for name, v in known if v is not None]
        for (low, a), (high, b) in itertools.pairwise(known):
            if a is not None and b is not None and a > b:
                raise ValueError(f"{low} ({a:g} V) is above {high} ({b:g} V)")


class Mode(Value, frozen=True):
    """One way the device draws: constant watts, constant amperes, a resistance, light-emitting diodes, or a motor.

    Diodes with their series resistors draw `current_a` at `at_v`, nothing at `fade_v` (the string's own volts) and
    below, and in between in proportion. A motor with brushes and magnets draws `current_a` at `at_v`: at other volts
    the same where its load pulls steadily, and more with the volts, above what it takes turning free, where the load
    grows with its speed (its own resistance counts for nothing beside that).
    """

    name: str
    kind: Literal["power", "current", "resistance", "led", "motor"]
    power_w: Number | None = None
    current_a: Number | None = None
    resistance_ohm: Number | None = None
    at_v: Number | None = None
    fade_v: Number | None = None
    torque: Literal["steady", "with-speed"] = "steady"
    """What a motor drives: the same pull at any speed, or one that grows with it."""
    no_load_share: float | None = None
    """Share of its amperes that a motor takes turning free."""
    stall_a: Number | None = None
    """What a motor takes at `at_v` with its shaft held; more or less with the volts."""
    peak_a: Number | None = None
    peak_w: Number | None = None
    peak_s: Number | None = None
    on_share: float | None = None
    """Share of its time for which it draws that: its controller switches it, too fast to be told apart."""
    stands_for: Literal["typical", "maximum"] | None = None
    never_used: bool = False
    """The device has it, and this conversion never runs it: it is not judged."""

    OWN: ClassVar[dict[str, str]] = {
        "power": "power_w",
        "current": "current_a",
        "resistance": "resistance_ohm",
        "led": "current_a",
        "motor": "current_a",
    }
    ALSO: ClassVar[dict[str, tuple[str, ...]]] = {
        "led": ("at_v", "fade_v"),
        "motor": ("at_v", "torque", "no_load_share", "stall_a"),
    }
    """What else a mode of a kind tells."""

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.name.strip():
            raise ValueError("name must not be empty")
        own = self.OWN[self.kind]
        for name in sorted({one for names in self.ALSO.values() for one in names} - {*self.ALSO.get(self.kind, ())}):
            if getattr(self, name) not in (None, "steady"):
                raise ValueError(f"{name} does not belong to a mode of kind {self.kind}")
        if self.at_v is not None and self.fade_v is not None and number(self.at_v) <= number(self.fade_v):
            raise ValueError("at_v must be above fade_v: between them the light goes from full to dark")
        for other in self.OWN.values():
            if other != own and getattr(self, other) is not None:
                raise ValueError(f"{other} does not belong to a mode of kind {self.kind}")
        if self.peak_a is not None and self.peak_w is not None:
            raise ValueError("give peak_a or peak_w, not both")
        if self.resistance_ohm is not None and number(self.resistance_ohm) == 0:
            raise ValueError("resistance_ohm must be above 0 Ω")

    @property
    def line(self) -> tuple[float, float] | None:
        """Ohms r and volts D of a draw that goes with the volts, I = (V - D) / r; None for others and while it is open.

        Diodes: D = V_fade, r = (V_at - V_fade) / I_at. A motor whose load grows with its speed, n the share that it
        takes turning free: I = I_at (n + (1 - n) V / V_at), so r = V_at / (I_at (1 - n)) and D = -n V_at / (1 - n).
        """
        if self.kind not in ("led", "motor"):
            return None
        at, amps = maybe(self.at_v), maybe(self.current_a)
        if not at or not amps:
            return None
        if self.kind == "led" and self.fade_v is not None:
            return (at - number(self.fade_v)) / amps, number(self.fade_v)
        if self.kind == "motor" and self.torque == "with-speed":
            free = NO_LOAD_SHARE if self.no_load_share is None else self.no_load_share
            return at / (amps * (1.0 - free)), -free * at / (1.0 - free)
        return None

    def led_amps(self, amps: float, volts: float) -> float:
        """Amperes at `at_v` of diodes that draw `amps` at `volts`: I (V_at - V_fade) / (V - V_fade).

        Raises ValueError while their volts are not told, and for volts at which they are dark.
        """
        if self.at_v is None or self.fade_v is None:
            raise ValueError("the volts of the diodes are needed first: where they draw that, and where they are dark")
        dark = number(self.fade_v)
        if volts <= dark:
            raise ValueError(
                f"at {volts:g} V these diodes are dark: read again with more volts, or look at where they fade"
            )
        return amps * (number(self.at_v) - dark) / (volts - dark)

    @property
    def asks(self) -> Literal["power", "current", "resistance"]:
        """What it asks of its feed where nothing goes with the volts: its amperes, where it is stated in them."""
        return self.kind if self.kind in ("power", "resistance") else "current"

    @property
    def value_power(self) -> float:
        """The power of its own figure with which its demand's value goes: ohms of diodes go against their amperes."""
        return 1.0 if self.line is None else -1.0

    @property
    def share(self) -> float:
        """The share of its time for which it draws."""
        return 1.0 if self.on_share is None else self.on_share

    @property
    def draw(self) -> Number | None:
        """What the mode draws, in the unit of its kind (W, A or Ω); None while unknown."""
        value: Number | None = getattr(self, self.OWN[self.kind])
        return value


class InternalBattery(Value, frozen=True):
    """The device's own battery, which may carry it alone. What nobody stated about it stays unknown."""

    energy_wh: Number
    takes_over: bool = False
    chemistry: str | None = None
    charges_from_feed: bool | None = None
    charge_w: Number | None = None
    """Watts that it takes from the feed while it charges."""
    ends: Literal["clean", "abrupt", "resets"] | None = None
    """How the device ends when this one is empty too; `Device.ends` tells the end of the feed."""


class Device(Value, frozen=True):
    name: str
    supply: Supply = Supply()
    modes: tuple[Mode, ...] = ()
    inlet: Connector | None = None
    traits: tuple[Trait, ...] = ()
    internal_battery: InternalBattery | None = None
    cells_left_in_bay: bool = False
    switched_inlet: bool = False
    ends: Literal["clean", "abrupt", "resets"] | None = None
    low_warning: bool | None = None
    charges_source: bool = False
    """It charges what is connected to it, as if that were its own battery."""
    charges_to_v: Number | None = None
    charges_chemistry: str | None = None
    """What its charger is made for: the volts at which it stops, and the chemistry."""
    rectifies: bool = False
    """Its inlet goes to a rectifier: it takes alternating and direct current of either sign."""
    uses_stated: bool = False
    """Somebody was asked what it is used for (life, children, riding, water) and answered with `traits`."""
    denied: tuple[Trait, ...] = ()
    """What somebody was asked by a word of its own and answered with no: it is not asked again."""
    input_capacitance_f: Number | None = None
    bay: CellBay | None = None
    output_by_v: Table | None = None
    output_unit: str | None = None
    output_mode: str | None = None
    """The mode whose output `output_by_v` tells."""
    evidence: tuple[Evidence, ...] = ()
    """What is known of it, as it was learned; window and modes follow from it where nobody typed them."""

    def __post_init__(self) -> None:
        super().__post_init__()
        names = [mode.name for mode in self.modes]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"modes holds two modes named {name!r}")
        if len(self.evidence) > MOST_PIECES:
            raise ValueError(f"evidence has more than {MOST_PIECES} pieces")
        if self.output_by_v is not None:
            check_table("output_by_v", self.output_by_v, 0.0, 1e9)
        if self.output_mode is not None and self.output_mode not in names:
            raise ValueError(f"output_mode names {self.output_mode!r}, which is no mode of the device")


def peak_watts(mode: Mode, nominal_v: float | None) -> float | None:
    """Watts of a mode's peak at the rated volts, a motor held fast included; None where nothing tells them."""
    if mode.peak_w is not None:
        return number(mode.peak_w)
    if nominal_v is not None and mode.peak_a is not None:
        return number(mode.peak_a) * nominal_v
    if nominal_v is not None and mode.stall_a is not None and mode.at_v is not None:
        return nominal_v * nominal_v * number(mode.stall_a) / number(mode.at_v)
    return None


def rated_watts(mode: Mode, nominal_v: float) -> float:
    """Watts that a mode with a known draw takes at the rated volts."""
    draw = number(mode.draw or 0.0)
    if mode.line is not None:
        ohm, drop = mode.line
        return max(0.0, nominal_v - drop) / ohm * nominal_v
    if mode.kind == "resistance":
        return nominal_v * nominal_v / draw if draw else 0.0
    return draw if mode.kind == "power" else draw * nominal_v
