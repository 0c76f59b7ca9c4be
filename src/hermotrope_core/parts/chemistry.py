"""Typical behaviour of one cell of each chemistry, from ``data/chemistry.json``.

Every value is a starting point, stated at low drain and 20 °C; a user's datasheet or measurement
replaces it. Temperatures outside a table are held at its ends, and `discharge_temperature_c` says
where the table is meant to hold.
"""

from __future__ import annotations

from pkgutil import get_data
from typing import Literal

import msgspec

Table = tuple[tuple[float, float], ...]


class Chemistry(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Data of one cell: volts per cell, charge as a fraction, temperatures in °C."""

    label: str
    family: Literal["lithium", "lithium metal", "nickel", "lead", "zinc", "mains"]
    """What its cautions go by."""
    rechargeable: bool
    nominal_v: float
    full_v: float
    cutoff_v: float
    damage_below_v: float
    rated_hours: float
    peukert: float
    usable_depth: float
    kind_to_life_depth: float
    ocv_by_soc: Table
    capacity_factor_by_temperature_c: Table
    resistance_factor_by_temperature_c: Table
    charge_temperature_c: tuple[float, float] | None
    discharge_temperature_c: tuple[float, float]
    self_discharge_per_month: float
    cycles: int
    resistance_factor_by_soc: Table | None = None
    """How many times its fresh resistance a cell has at a charge (typical of data sheets); None where it stays."""
    label_words: str = ""
    """A pattern that finds it on a label; the longest find of all chemistries counts."""
    ohm_ah: float = 0.0
    """Resistance of one cell times its capacity, ohm ampere-hours (typical): bigger cells are stronger."""
    most_wh_per_kg: float | None = None
    """Watt-hours that a kilogram of the best cells holds (typical of data sheets); a claim above it is no claim."""
    charge_efficiency: float | None = None
    """Share of the watt-hours put in on charge that it holds (typical); None for what is never charged."""
    endless: bool = False
    """True for a wall adapter, which is fed by the mains and never empty."""


class _Book(msgspec.Struct, frozen=True):
    chemistries: dict[str, Chemistry]


CHEMISTRIES: dict[str, Chemistry] = msgspec.json.decode(
    get_data("hermotrope_core.parts", "data/chemistry.json") or b"", type=_Book
).chemistries
