"""What a set of cells, or another conversion, that lasted so long says of the draw: the run, turned round."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import unloaded_volts
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.know.sold import SIZES
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case
from hermotrope_core.plan.device import Device, Mode, Supply
from hermotrope_core.plan.duty import Conditions, Duty, Segment
from hermotrope_core.plan.evidence import Lasted, RanBefore
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.spread import SPREAD, known_by, times
from hermotrope_core.values.known import Known, number

HALVINGS = 60
"""Of the span between least and most watts: the answer is exact to far more digits than anybody reads."""
LEAST_W = 1e-6


def cell_capacity_ah(life: Lasted) -> Known:
    """Ampere-hours of one of its cells: as stated, or typical of the size. Raises ValueError where neither is known."""
    if life.capacity_ah is not None:
        return Known(value=life.capacity_ah, known_by="label")
    size = SIZES.get(life.cell_size or "")
    if size is None or size[0] != life.chemistry:
        raise ValueError("capacity_ah: how many ampere-hours does one of these cells hold? It stands on the cell")
    return Known(value=size[1], known_by="typical", note=f"typical of a {life.cell_size} cell")


def watts_of(life: Lasted, stops_at_v: float | None = None) -> Known:
    """The steady watts at which such a set lasts exactly so long, and the doubt that its cells leave.

    stops_at_v: volts of the whole set at which the device stops; None where only the cells' own end counts.
    The half-width is that of the same sum with the cells as good and as weak as they may well be.
    Raises ValueError where no draw makes it last so long, or the cells' capacity is not known.
    """
    cell = cell_capacity_ah(life)
    half = SPREAD[cell.known_by]
    return _with_doubt(cell, half, lambda share: _feed_of(life, cell.value * share, stops_at_v), life.lasted_s)


def watts_before(ran: RanBefore, stops_at_v: float | None = None) -> Known:
    """The steady watts at the inlet at which another conversion lasts exactly so long, with the doubt of its pack.

    Arguments and errors as of `watts_of`.
    """
    warmth = Conditions() if ran.temperature_c is None else Conditions(temperature_c=ran.temperature_c)
    capacity = ran.source.capacity_ah
    how = known_by(capacity)
    half = capacity.spread if isinstance(capacity, Known) and capacity.spread is not None else SPREAD[how]

    def feed(share: float) -> Case:
        source = msgspec.structs.replace(ran.source, capacity_ah=times(capacity, share, "capacity_ah"))
        return _drawing(source, stops_at_v, path=ran.path, conditions=warmth)

    return _with_doubt(Known(value=number(capacity), known_by=how), half, feed, ran.lasted_s)


def inlet_volts_before(ran: RanBefore) -> float:
    """Volts at the inlet in another conversion, its pack full and nothing drawn: the most that it survived."""
    return unloaded_volts(circuit_of(_drawing(ran.source, None, path=ran.path)), full_volts(ran.source))[-1]


def _with_doubt(capacity: Known, half: float, feed: Callable[[float], Case], lasted_s: float) -> Known:
    """Watts from a feed with its capacity as it is, and as good and as weak as it may well be."""
    middle = _watts(feed(1.0), lasted_s)
    low, high = (_watts(feed(share), lasted_s) for share in (1.0 / (1.0 + half), 1.0 + half))
    spread = max(high / middle, middle / low) - 1.0
    return Known(value=float(f"{middle:.4g}"), known_by=capacity.known_by, spread=round(spread, 3))


def _feed_of(life: Lasted, cell_ah: float, stops_at_v: float | None) -> Case:
    """A device on nothing but such a set of cells."""
    data = CHEMISTRIES[life.chemistry]
    capacity = cell_ah * life.cells_in_parallel
    source = Source(
        name="the set that lasted",
        chemistry=life.chemistry,
        cells_in_series=life.cells_in_series,
        capacity_ah=capacity,
        resistance_ohm=life.cells_in_series * data.ohm_ah / capacity,
        cutoff_v=life.cells_in_series * data.cutoff_v,
    )
    return _drawing(source, stops_at_v)


def _drawing(
    source: Source, stops_at_v: float | None, path: tuple[Stage, ...] = (), conditions: Conditions | None = None
) -> Case:
    """A device in one mode on a source; what it draws is put in later."""
    device = Device(name="-", supply=Supply(min_v=stops_at_v), modes=(Mode(name="on", kind="power", power_w=1.0),))
    duty = Duty(repeat=(Segment(mode="on", seconds=3600.0),))
    made = Case(format=FORMAT, title="-", device=device, source=source, path=path, duty=duty)
    return made if conditions is None else msgspec.structs.replace(made, conditions=conditions)


def _watts(feed: Case, lasted_s: float) -> float:
    """Watts by halving: a run is the shorter, the more is drawn."""
    source = feed.source
    assert source is not None

    def lasts(watts: float) -> float:
        modes = (Mode(name="on", kind="power", power_w=watts),)
        return run(msgspec.structs.replace(feed, device=msgspec.structs.replace(feed.device, modes=modes))).runtime_s

    low, high = LEAST_W, 2.0 * full_volts(source) * number(source.capacity_ah) * 3600.0 / lasted_s
    if lasts(low) < lasted_s:
        raise ValueError("such a set does not last so long, whatever is drawn: check cells and hours")
    for _ in range(HALVINGS):
        watts = (low * high) ** 0.5
        low, high = (watts, high) if lasts(watts) >= lasted_s else (low, watts)
    return low
