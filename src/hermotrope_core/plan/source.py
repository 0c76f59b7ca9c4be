"""What feeds it: cells and their figures, a power bank with its ports, a wall adapter."""

from __future__ import annotations

from hermotrope_core.kinds.inlets import CellSize, Connector, ConnectorKind
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import SLEEPS_AFTER_S
from hermotrope_core.values.known import Number, Table, Value, check_table, maybe


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


MOST_BANDS = 40
"""Rows of resistance over charge: each makes the run change its law once more."""


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
    resistance_by_soc: Table | None = None
    """How many times its resistance it has at a charge; constant where nothing is stated."""
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
        if self.resistance_by_soc is not None:
            check_table("resistance_by_soc", self.resistance_by_soc, 0.1, 100.0)
            if len(self.resistance_by_soc) > MOST_BANDS:
                raise ValueError(f"resistance_by_soc has more than {MOST_BANDS} rows")
            if self.resistance_by_soc[0][0] < 0 or self.resistance_by_soc[-1][0] > 1:
                raise ValueError("resistance_by_soc must stay between charge 0 and 1")
        if self.ocv is not None:
            check_table("ocv", self.ocv, 0.01, 100.0)
            if len(self.ocv) < 2:
                raise ValueError("ocv needs at least two rows")
            if self.ocv[0][0] < 0 or self.ocv[-1][0] > 1:
                raise ValueError("ocv must stay between charge 0 and 1")
            for (_, v0), (_, v1) in zip(self.ocv, self.ocv[1:], strict=False):
                if v1 < v0:
                    raise ValueError(f"ocv must not fall as charge rises ({v0:g} V, then {v1:g} V)")

    @property
    def holds(self) -> bool:
        """Whether it gives the same volts however much is drawn: a bank with its own converter, an adapter."""
        cell = CHEMISTRIES.get(self.chemistry)
        return self.regulated_output is not None or (cell is not None and cell.endless)
