"""What a source holds and gives by itself, before any path: volts flat, rated and full, watt-hours."""

from __future__ import annotations

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import maybe, number


def rated_volts(source: Source) -> float:
    """The volts at which the pack's ampere-hours are meant: as stated, else its cells' nominal volts together."""
    return maybe(source.stated_at_v) or source.cells_in_series * CHEMISTRIES[source.chemistry].nominal_v


def rated_wh(source: Source) -> float:
    """Watt-hours as on the label: rated ampere-hours times the volts at which they are meant."""
    return number(source.capacity_ah) * rated_volts(source)


def full_volts(source: Source) -> float:
    """EMF fresh off the charger, volts: the greatest of what is stated, its own table's and its chemistry's."""
    n = source.cells_in_series
    known = [n * CHEMISTRIES[source.chemistry].full_v, maybe(source.full_v) or 0.0]
    return max(*known, n * source.ocv[-1][1] if source.ocv else 0.0)


def flat_volts(source: Source) -> float:
    """Volts at which it is flat: its cut-off's; of an adapter, which is never flat, those at its rated current."""
    endless = CHEMISTRIES[source.chemistry].endless
    return rated_volts(source) if endless and source.regulated_output is None else number(source.cutoff_v)
