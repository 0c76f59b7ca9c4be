"""What somebody knows of a device, as it was learned: what it ran on, what is printed, what was read, how long it ran.

Window and draw are worked out from all of it together (`know.evidence`); nothing here is a figure of the device itself.
"""

from __future__ import annotations

from typing import Literal

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import Value
from hermotrope_core.values.moments import day_of

MOST_PIECES = 40
MOST_CELLS = 40
MOST_ADAPTER_V = 120.0


def _is_day(text: str) -> bool:
    try:
        return len(text) == 10 and bool(day_of(text))
    except ValueError:
        return False


class Learned(Value, frozen=True, kw_only=True, tag_field="from"):
    """One piece of evidence. A doubted one stays on record and counts for nothing."""

    on: str | None = None
    """The day, as 2026-05-17."""
    note: str | None = None
    doubted: bool = False

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.on is not None and not _is_day(self.on):
            raise ValueError("on must be a day such as 2026-05-17")


class OfCells(Learned, frozen=True, kw_only=True):
    """Cells in series that it ran on."""

    chemistry: str
    cells_in_series: int

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.chemistry not in CHEMISTRIES or CHEMISTRIES[self.chemistry].endless:
            raise ValueError(f"chemistry {self.chemistry!r} is not known")
        if self.cells_in_series > MOST_CELLS:
            raise ValueError(f"cells_in_series must be 1 to {MOST_CELLS}")


class RanOnCells(OfCells, frozen=True, kw_only=True, tag="cells"):
    """It ran on so many cells in series, fresh to flat."""


class RanOnAdapter(Learned, frozen=True, kw_only=True, tag="adapter"):
    """It ran on a wall adapter of direct current; the amperes are what the adapter gives at most."""

    nominal_v: float
    current_a: float | None = None
    regulated: bool = True
    unloaded_v: float | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.nominal_v > MOST_ADAPTER_V:
            raise ValueError(f"nominal_v of an adapter is at most {MOST_ADAPTER_V:g} V")
        if self.unloaded_v is not None and self.unloaded_v < 0.8 * self.nominal_v:
            raise ValueError(
                f"unloaded_v: an adapter labelled {self.nominal_v:g} V does not read {self.unloaded_v:g} V unloaded: "
                "measure again"
            )


class RanInCar(Learned, frozen=True, kw_only=True, tag="car"):
    """It ran on a car's socket; with the engine running its battery is on charge."""

    engine_running: bool = False


class Printed(Learned, frozen=True, kw_only=True, tag="printed"):
    """What its label or its data sheet states."""

    by: Literal["label", "datasheet"] = "label"
    min_v: float | None = None
    nominal_v: float | None = None
    max_v: float | None = None
    absolute_max_v: float | None = None
    power_w: float | None = None
    current_a: float | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        order = [v for v in (self.min_v, self.nominal_v, self.max_v, self.absolute_max_v) if v is not None]
        if order != sorted(order):
            raise ValueError("min_v, nominal_v, max_v and absolute_max_v must not fall in this order")
        if not order and self.power_w is None and self.current_a is None:
            raise ValueError("nothing is stated: one figure at least")


class MeterRead(Learned, frozen=True, kw_only=True, tag="reading"):
    """Amperes, or watts, read at its inlet while it did something, at so many volts."""

    mode: str
    at_v: float
    current_a: float | None = None
    power_w: float | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if (self.current_a is None) is (self.power_w is None):
            raise ValueError("give current_a or power_w, one of them")


class Lasted(OfCells, frozen=True, kw_only=True, tag="life"):
    """A full set of cells lasted so long in use, until it stopped."""

    mode: str
    lasted_s: float
    cells_in_parallel: int = 1
    capacity_ah: float | None = None
    """Of one cell; typical of its size where nobody knows it."""
    cell_size: str | None = None


class Tried(Learned, frozen=True, kw_only=True, tag="tried"):
    """It was tried at so many volts: it worked, or did not for too few or too many."""

    at_v: float
    went: Literal["worked", "too-few", "too-many"] = "worked"


class RanBefore(Learned, frozen=True, kw_only=True, tag="conversion"):
    """It ran so long in another conversion, on that pack and through that path, until it stopped."""

    title: str
    mode: str
    lasted_s: float
    source: Source
    path: tuple[Stage, ...] = ()
    temperature_c: float | None = None


Evidence = RanOnCells | RanOnAdapter | RanInCar | Printed | MeterRead | Lasted | Tried | RanBefore
