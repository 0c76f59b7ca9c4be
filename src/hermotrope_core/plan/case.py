"""The one definition of the domain: a conversion from pack to device, as frozen, validated values.

The JSON document, the database column, the forms and the command line all use these types. Units
are in the names. A document may be unfinished (no pack yet, a mode nobody has measured): the types
allow that, and `questions` names what is open. Whatever computes asks for a finished one.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import ClassVar, Literal

import msgspec

from hermotrope_core.kinds.holding import Enclosure
from hermotrope_core.kinds.inlets import CellBay, CellSize, Connector, ConnectorKind, Polarity, mains_like
from hermotrope_core.kinds.stage import Place
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.parts.craft import SLEEPS_AFTER_S
from hermotrope_core.values.clock import since_midnight
from hermotrope_core.values.known import Known, KnownBy, Number, Table, Value, check_table, maybe, number

__all__ = ["Connector", "ConnectorKind", "Known", "KnownBy", "Number", "Polarity", "Table", "Value", "maybe", "number"]

FORMAT = "hermotrope-case/1"
MOST_STAGES = 40

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
USES: tuple[Trait, ...] = ("life-safety", "child", "ridden", "near-water", "mains-inside")
"""Traits that say who or what can be hurt: everybody is asked about these once."""
PlanOn = Literal["duty", "typical", "maximum"]
Code = Literal[
    "over-absolute-max",
    "over-max",
    "under-min-at-full",
    "early-stop",
    "does-not-start",
    "does-not-last",
    "collapse",
    "peak-drop",
    "set-point-near-limit",
    "diode-at-rest",
    "source-overload",
    "source-overload-peak",
    "converter-overload",
    "converter-overload-peak",
    "converter-near-limit",
    "converter-input-high",
    "converter-input-low",
    "set-point-outside",
    "wrong-profile",
    "polarity-unknown",
    "polarity-reversed",
    "polarity-swapped",
    "plug-mismatch",
    "plug-overload",
    "ac-inlet",
    "auto-off",
    "no-low-voltage-cut-off",
    "deep-discharge",
    "standing-drain",
    "no-load-rise",
    "no-fuse",
    "unfused-lead",
    "fuse-over-wire",
    "fuse-under-load",
    "fuse-cannot-open",
    "rating-volts",
    "no-switch",
    "wire-drop",
    "wire-hot",
    "hot-part",
    "abrupt-stop",
    "no-warning",
    "backfeed",
    "live-pins",
    "wrong-socket",
    "second-supply",
    "mixed-cells",
    "look-alike-cells",
    "primary-charged",
    "wrong-charger",
    "back-feed-motor",
    "not-stated",
    "inrush",
    "radio-noise",
    "cold-run",
    "too-hot",
    "cold-charge",
    "child",
    "ridden",
    "near-water",
    "life-safety",
    "mains",
]


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
    """One way the device draws: constant watts, constant amperes, or a resistance."""

    name: str
    kind: Literal["power", "current", "resistance"]
    power_w: Number | None = None
    current_a: Number | None = None
    resistance_ohm: Number | None = None
    peak_a: Number | None = None
    peak_w: Number | None = None
    peak_s: Number | None = None
    stands_for: Literal["typical", "maximum"] | None = None
    never_used: bool = False
    """The device has it, and this conversion never runs it: it is not judged."""

    OWN: ClassVar[dict[str, str]] = {
        "power": "power_w",
        "current": "current_a",
        "resistance": "resistance_ohm",
    }

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.name.strip():
            raise ValueError("name must not be empty")
        own = self.OWN[self.kind]
        for other in self.OWN.values():
            if other != own and getattr(self, other) is not None:
                raise ValueError(f"{other} does not belong to a mode of kind {self.kind}")
        if self.peak_a is not None and self.peak_w is not None:
            raise ValueError("give peak_a or peak_w, not both")
        if self.resistance_ohm is not None and number(self.resistance_ohm) == 0:
            raise ValueError("resistance_ohm must be above 0 Ω")

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
    input_capacitance_f: Number | None = None
    bay: CellBay | None = None
    output_by_v: Table | None = None
    output_unit: str | None = None
    output_mode: str | None = None
    """The mode whose output `output_by_v` tells."""

    def __post_init__(self) -> None:
        super().__post_init__()
        names = [mode.name for mode in self.modes]
        for name in names:
            if names.count(name) > 1:
                raise ValueError(f"modes holds two modes named {name!r}")
        if self.output_by_v is not None:
            check_table("output_by_v", self.output_by_v, 0.0, 1e9)
        if self.output_mode is not None and self.output_mode not in names:
            raise ValueError(f"output_mode names {self.output_mode!r}, which is no mode of the device")


class RegulatedOutput(Value, frozen=True):
    """The converter built into a power bank, with its habit of switching off."""

    output_v: Number
    efficiency: Number | Table
    quiescent_w: Number = 0.0
    output_current_max_a: Number | None = None
    output_min_current_a: Number | None = None
    output_off_delay_s: Number | None = None
    takes_back_feed: bool = False
    """It stands current that comes back from a motor."""

    def __post_init__(self) -> None:
        super().__post_init__()
        if isinstance(self.efficiency, tuple):
            check_table("efficiency", self.efficiency, 0.01, 1.0)

    @property
    def sleeps_after_s(self) -> float:
        """How long it waits with less than its least current before it switches off: its own, or typical."""
        stated = maybe(self.output_off_delay_s)
        return SLEEPS_AFTER_S if stated is None else stated


class Profile(Value, frozen=True):
    """Volts that a port can be asked for, and the most it then gives."""

    output_v: Number
    output_current_max_a: Number | None = None


class Port(Value, frozen=True):
    """One port of a bank: what it offers, and when it falls asleep."""

    name: str
    kind: ConnectorKind
    profiles: tuple[Profile, ...]
    output_min_current_a: Number | None = None
    output_off_delay_s: Number | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.profiles:
            raise ValueError("profiles needs at least one entry")


class Source(Value, frozen=True):
    name: str
    chemistry: str
    cells_in_series: int
    capacity_ah: Number
    resistance_ohm: Number
    cutoff_v: Number
    cells_in_parallel: int | None = None
    stated_at_v: Number | None = None
    ocv: Table | None = None
    full_v: Number | None = None
    max_current_a: Number | None = None
    peak_current_a: Number | None = None
    low_voltage_cut_off: bool | None = None
    cell_size: CellSize | None = None
    """The size of its cells, where they are loose ones of a common size."""
    mixed_cells: bool = False
    """Its cells differ in make, age or charge."""
    state_of_health: Number | None = None
    initial_soc: Number | None = None
    reserve_soc: Number | None = None
    peukert: Number | None = None
    rated_hours: Number | None = None
    regulated_output: RegulatedOutput | None = None
    ports: tuple[Port, ...] = ()
    ports_power_max_w: Number | None = None
    outlet: Connector | None = None
    mass_g: Number | None = None
    price: Number | None = None
    recharge_h: Number | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.ocv is not None:
            check_table("ocv", self.ocv, 0.01, 100.0)
            if len(self.ocv) < 2:
                raise ValueError("ocv needs at least two rows")
            if self.ocv[0][0] < 0 or self.ocv[-1][0] > 1:
                raise ValueError("ocv must stay between charge 0 and 1")
            for (_, v0), (_, v1) in zip(self.ocv, self.ocv[1:], strict=False):
                if v1 < v0:
                    raise ValueError(f"ocv must not fall as charge rises ({v0:g} V, then {v1:g} V)")


class Segment(Value, frozen=True):
    mode: str
    seconds: Number


class Duty(Value, frozen=True):
    """What the device does, over and over; or `once`, as one programme. `start` is when it begins by the clock."""

    repeat: tuple[Segment, ...] = ()
    start: str | None = None
    once: bool = False

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.start is not None:
            try:
                since_midnight(self.start)
            except ValueError as error:
                raise ValueError(f"start {error}") from None

    @property
    def seconds(self) -> float:
        """How long the programme lasts once, seconds."""
        return sum(number(segment.seconds) for segment in self.repeat)


MOST_HOURS = 72.0


class Conditions(Value, frozen=True):
    temperature_c: Number = 20.0
    enclosure: Enclosure = "open"
    temperature_by_h: Table | None = None
    """Hours after the start and °C there; the run through it is told beside the one at `temperature_c`."""

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.temperature_by_h is not None:
            check_table("temperature_by_h", self.temperature_by_h, -60.0, 100.0)
            if self.temperature_by_h[0][0] < 0.0 or self.temperature_by_h[-1][0] > MOST_HOURS:
                raise ValueError(f"temperature_by_h counts hours from the start, 0 to {MOST_HOURS:g}")


class Choice(Value, frozen=True):
    """A finding that somebody accepts on purpose, with the reason and, if stated, who."""

    code: Code
    reason: str
    by: str | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.reason.strip():
            raise ValueError("reason must not be empty")


class Case(Value, frozen=True):
    """One conversion."""

    format: str
    title: str
    device: Device
    source: Source | None = None
    path: tuple[Stage, ...] = ()
    duty: Duty = Duty()
    conditions: Conditions = Conditions()
    accepted: tuple[Code, ...] = ()
    choices: tuple[Choice, ...] = ()
    plan_on: PlanOn = "duty"

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.path) > MOST_STAGES:
            raise ValueError(f"path has more than {MOST_STAGES} stages")
        held = self.source is None or self.source.regulated_output is not None
        for i, stage in enumerate(self.path):
            held = held or stage.HOLDS
            if stage.KEEPS_AWAKE and not held:
                raise ValueError(f"path[{i}].stage is a keep-alive load: it belongs behind a bank or a converter")
        names = {mode.name for mode in self.device.modes}
        for i, segment in enumerate(self.duty.repeat):
            if segment.mode not in names:
                have = ", ".join(sorted(names)) or "none"
                raise ValueError(
                    f"duty.repeat[{i}].mode names {segment.mode!r}, which is no mode of the device (it has: {have})"
                )

    def place(self, i: int) -> Place:
        """Where the stage at path index `i` stands."""
        first = not any(isinstance(one, type(self.path[i])) for one in self.path[:i])
        return Place(i, first, self.mains_at(i), self.mains_at(i + 1))

    def alternating_at(self, gap: int) -> bool:
        """Whether an inverter feeds path[gap] directly (the device, where `gap` is the path's length): mains volts."""
        held = [stage for stage in self.path[:gap] if stage.HOLDS]
        return bool(held) and held[-1].alternating

    def mains_at(self, gap: int) -> bool:
        """Whether mains volts stand, or may come, at path[gap] (the device, where `gap` is the path's length).

        Behind an inverter, before a mains inlet, behind a mains outlet: nothing there is probed, cut, made or given
        a plus and a minus.
        """
        held = [i for i, stage in enumerate(self.path) if stage.HOLDS]
        inlet, outlet = self.device.inlet, self.source.outlet if self.source else None
        first, last = not any(i < gap for i in held), not any(i >= gap for i in held)
        to_mains = last and inlet is not None and mains_like(inlet)
        from_mains = first and outlet is not None and mains_like(outlet)
        return self.alternating_at(gap) or to_mains or from_mains

    def duty_modes(self) -> tuple[Mode, ...]:
        """The modes that the duty uses, in the order of the device."""
        used = {segment.mode for segment in self.duty.repeat}
        return tuple(mode for mode in self.device.modes if mode.name in used)

    def other_modes(self) -> tuple[Mode, ...]:
        """The modes with a known draw that the device has, the duty does not use, and that may still come on."""
        used = {segment.mode for segment in self.duty.repeat}
        return tuple(m for m in self.device.modes if m.name not in used and not m.never_used and m.draw is not None)


def at_temperature(case: Case, celsius: float | None) -> Case:
    """The case at another temperature than it is planned for (°C): at the bench, say. None leaves it as planned."""
    if celsius is None or celsius == number(case.conditions.temperature_c):
        return case
    conditions = msgspec.structs.replace(case.conditions, temperature_c=celsius, temperature_by_h=None)
    return msgspec.structs.replace(case, conditions=conditions)


def rated_watts(mode: Mode, nominal_v: float) -> float:
    """Watts that a mode with a known draw takes at the rated volts."""
    draw = number(mode.draw or 0.0)
    if mode.kind == "resistance":
        return nominal_v * nominal_v / draw if draw else 0.0
    return draw if mode.kind == "power" else draw * nominal_v


def planned(case: Case) -> Case:
    """The case under what it is planned on: its duty, or its typical or its greatest draw all the time.

    Where no mode is marked, the typical one is the mode that the duty spends most time in, and the
    greatest the one with most watts at the rated volts, in the duty or not.
    """
    known = [mode for mode in case.device.modes if mode.draw is not None]
    if case.plan_on == "duty" or not known:
        return case
    chosen = next((mode for mode in known if mode.stands_for == case.plan_on), None)
    if chosen is None and case.plan_on == "maximum":
        rated = maybe(case.device.supply.nominal_v) or 1.0
        chosen = max(known, key=lambda mode: rated_watts(mode, rated))
    if chosen is None:
        spent = {mode.name: 0.0 for mode in known}
        for segment in case.duty.repeat:
            spent[segment.mode] = spent.get(segment.mode, 0.0) + number(segment.seconds)
        chosen = max(known, key=lambda mode: spent[mode.name])
    return msgspec.structs.replace(case, duty=Duty(repeat=(Segment(mode=chosen.name, seconds=3600.0),)))


class Question(msgspec.Struct, frozen=True):
    """Something a finished case must state and this one does not: where, and what to ask."""

    place: str
    ask: str


def questions(case: Case) -> Iterator[Question]:
    """Yield what is still open, from the device outwards; nothing for a finished case."""
    supply = case.device.supply
    asks = {
        "min_v": "At how many volts does it stop working?",
        "nominal_v": "What volts is it rated for?",
        "max_v": "What is the highest voltage it is known to stand?",
    }
    for name, ask in asks.items():
        if getattr(supply, name) is None:
            yield Question(f"device.supply.{name}", ask)
    if not case.device.modes:
        yield Question("device.modes", "What does it draw?")
    for i, mode in enumerate(case.device.modes):
        if mode.draw is None:
            yield Question(f"device.modes[{i}].{mode.OWN[mode.kind]}", f"What does it draw in “{mode.name}”?")
    if case.source is None:
        yield Question("source", "Which pack should feed it?")
    if not case.duty.repeat:
        yield Question("duty.repeat", "Which modes run, and for how long each?")
