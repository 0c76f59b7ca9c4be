"""What a set of cells that lasted so long says of the draw: the run, turned round."""

from __future__ import annotations

from hermotrope_core.circuit.discharge import run
from hermotrope_core.know.sold import SIZES
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case
from hermotrope_core.plan.device import Device, Mode, Supply
from hermotrope_core.plan.duty import Duty, Segment
from hermotrope_core.plan.evidence import Lasted
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.spread import SPREAD
from hermotrope_core.values.known import Known

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
    middle = _watts(life, cell.value, stops_at_v)
    low, high = (_watts(life, cell.value * times, stops_at_v) for times in (1.0 / (1.0 + half), 1.0 + half))
    spread = max(high / middle, middle / low) - 1.0
    return Known(value=float(f"{middle:.4g}"), known_by=cell.known_by, spread=round(spread, 3))


def _watts(life: Lasted, cell_ah: float, stops_at_v: float | None) -> float:
    """Watts by halving: a run is the shorter, the more is drawn."""
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
    duty = Duty(repeat=(Segment(mode="on", seconds=3600.0),))

    def lasts(watts: float) -> float:
        modes = (Mode(name="on", kind="power", power_w=watts),)
        device = Device(name="-", supply=Supply(min_v=stops_at_v), modes=modes)
        return run(Case(format=FORMAT, title="-", device=device, source=source, duty=duty)).runtime_s

    full_w = life.cells_in_series * data.full_v * capacity * 3600.0 / life.lasted_s
    low, high = LEAST_W, 2.0 * full_w
    if lasts(low) < life.lasted_s:
        raise ValueError("such a set does not last so long, whatever is drawn: check cells and hours")
    for _ in range(HALVINGS):
        watts = (low * high) ** 0.5
        low, high = (watts, high) if lasts(watts) >= life.lasted_s else (low, watts)
    return low
