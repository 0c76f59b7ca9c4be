"""What a pack must be for what hangs on it: the least of each chemistry that lasts, cold and depth counted."""

from __future__ import annotations

from math import ceil, floor, log10

import msgspec

from hermotrope_core.circuit.pack import rated_volts
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.plan.source import Source
from hermotrope_core.several.follow import follow
from hermotrope_core.several.remarks import against, who_stops, windows
from hermotrope_core.values.known import maybe, number

LEAST_AH, MOST_AH = 0.01, 10_000.0
STRIDE = 2.0
MOST_CHANGES = 2_000
"""Changes of mode in a night for which sizes are tried; a programme with more has no answer here."""
CLOSE = 1.005
"""The capacity is found to half a per cent."""


class Need(msgspec.Struct, frozen=True):
    """The least pack of a chemistry that lasts: cells in series, ampere-hours at the cells, watt-hours on its label."""

    chemistry: str
    label: str
    cells: int
    capacity_ah: float
    energy_wh: float


def needs(supply: Supply, conditions: Conditions, hours: float) -> tuple[Need, ...]:
    """One for each rechargeable chemistry whose cells come near the pack's volts and last; least energy first."""
    found = []
    for name, cell in CHEMISTRIES.items():
        if not cell.rechargeable or cell.endless:
            continue
        cells = round(rated_volts(supply.source) / cell.nominal_v)
        if cells < 1 or abs(cells * cell.nominal_v / rated_volts(supply.source) - 1.0) > 0.15:
            continue
        amperes = _least(supply, conditions, hours, name, cells)
        if amperes is not None:
            found.append(Need(name, cell.label, cells, amperes, amperes * cells * cell.nominal_v))
    return tuple(sorted(found, key=lambda need: need.energy_wh))


def lasts(supply: Supply, conditions: Conditions, hours: float) -> bool:
    """Whether every device runs to the programme's end, and none gets too many volts from the full pack."""
    if any(True for _ in windows(supply, conditions)):
        return False
    try:
        run = follow(supply, conditions, hours, most=MOST_CHANGES)
    except ValueError:
        return False
    return not who_stops(supply, conditions, run, hours)


def carries(supply: Supply, conditions: Conditions, hours: float) -> bool:
    """Whether a pack lasts and nothing is refused of it: its amperes, its port, the volts that it gives."""
    try:
        run = follow(supply, conditions, hours, most=MOST_CHANGES)
        return not against(supply, conditions, run, hours)
    except ValueError:
        return False


def _least(supply: Supply, conditions: Conditions, hours: float, chemistry: str, cells: int) -> float | None:
    """Ampere-hours by halving on a scale of factors; None where no size lasts (the volts do not suit)."""

    def enough(amperes: float) -> bool:
        made = msgspec.structs.replace(supply, source=_like(supply.source, chemistry, cells, amperes))
        return lasts(made, conditions, hours)

    high = number(supply.source.capacity_ah)
    if enough(high):
        low = high / STRIDE
        while low > LEAST_AH and enough(low):
            low, high = low / STRIDE, low
    else:
        low, high = high, high * STRIDE
        while not enough(high):
            low, high = high, high * STRIDE
            if high > MOST_AH:
                return None
    while high > low * CLOSE:
        middle = (low * high) ** 0.5
        low, high = (low, middle) if enough(middle) else (middle, high)
    return _up(high)


def _up(value: float) -> float:
    """Rounded up to three significant digits: the least that lasts must not be told as less."""
    unit = 10.0 ** (floor(log10(value)) - 2)
    return float(f"{ceil(value / unit - 1e-9) * unit:.12g}")


def _like(source: Source, chemistry: str, cells: int, amperes: float) -> Source:
    """A pack of another chemistry and size in the place of this one: more ampere-hours, less resistance."""
    cell = CHEMISTRIES[chemistry]
    same = chemistry == source.chemistry
    return Source(
        name=source.name,
        chemistry=chemistry,
        cells_in_series=cells,
        capacity_ah=amperes,
        resistance_ohm=number(source.resistance_ohm) * number(source.capacity_ah) / amperes,
        cutoff_v=number(source.cutoff_v) if same and cells == source.cells_in_series else cells * cell.cutoff_v,
        state_of_health=maybe(source.state_of_health),
        reserve_soc=max(1.0 - cell.usable_depth, maybe(source.reserve_soc) or 0.0),
        regulated_output=source.regulated_output,
    )
