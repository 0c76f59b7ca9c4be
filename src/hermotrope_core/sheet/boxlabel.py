"""The label for the box: what may go in, what comes out, polarity, fuse, most load, watt-hours."""

from __future__ import annotations

import msgspec

from hermotrope_core.case import Case, Converter, Fuse, Linear, maybe, number
from hermotrope_core.chemistry import CHEMISTRIES
from hermotrope_core.design import CLOSED_BOX_DERATING
from hermotrope_core.figures import digits, figure
from hermotrope_core.situation import Situation
from hermotrope_core.wiring import FUSE_MARGIN


class BoxLabel(msgspec.Struct, frozen=True):
    """Lines as (term, value); `centre` is the sign of the plug's centre ("+", "−", or "" where it has none)."""

    title: str
    rows: tuple[tuple[str, str], ...]
    centre: str


def box_label(situation: Situation) -> BoxLabel:
    """The label of a finished case."""
    case, source = situation.case, situation.source
    inlet = case.device.inlet
    centre = {"centre-positive": "+", "centre-negative": "−"}.get(inlet.polarity if inlet else "", "")
    fuses = [f"{number(stage.rating_a):g} A" for stage in case.path if isinstance(stage, Fuse)]
    rows = [
        ("IN", _span(*_input(situation))),
        ("OUT", _output(situation)),
        ("LOAD", f"{figure(_most_amps(situation), 'A', 2)} at most"),
        ("FUSE", ", ".join(fuses) or "none"),
        ("PACK", f"{_watt_hours(case):.0f} Wh {source.chemistry}"),
    ]
    return BoxLabel(f"{case.device.name} only", tuple(rows), centre)


def _input(situation: Situation) -> tuple[float, float]:
    """Volts that may go in: what the first holder or the device takes, within what this pack gives."""
    case, circuit = situation.case, situation.circuit
    if circuit.port is not None:
        volts = number(circuit.port.output_v)
        return volts, volts
    low, high = circuit.cutoff_v, situation.full_emf
    for stage in case.path:
        if isinstance(stage, Converter | Linear):
            least, most = maybe(getattr(stage, "input_min_v", None)), maybe(getattr(stage, "input_max_v", None))
            return max(low, least or 0.0), min(high, most or high)
    return low, high


def _span(low: float, high: float) -> str:
    return f"{digits(low, 3)} V DC" if high - low < 0.01 else f"{digits(low, 3)}–{digits(high, 3)} V DC"


def _output(situation: Situation) -> str:
    if situation.circuit.holders:
        held = situation.circuit.holders[-1]
        stage = situation.case.path[held.stage] if held.stage >= 0 else None
        kind = "AC" if isinstance(stage, Converter) and stage.topology == "inverter" else "DC"
        return f"{held.output_v:g} V {kind}"
    return f"{_span(situation.circuit.cutoff_v, situation.unloaded[-1])} (as the pack)"


def _most_amps(situation: Situation) -> float:
    """The heaviest load that nothing in the path forbids for long: converter (derated in a closed box), fuse, pack.

    What limits the pack's side is carried over with the least volts there: I_out = I_in V_in eta / V_out.
    """
    circuit, case = situation.circuit, situation.case
    before = [number(s.rating_a) / FUSE_MARGIN for s in case.path if isinstance(s, Fuse)]
    most = maybe(situation.source.max_current_a)
    before += [] if most is None else [most]
    if not circuit.holders:
        now = situation.at(situation.heaviest, 1.0)
        return min(before) if before else (now.inlet_a if now.complete else 0.0)
    held = circuit.holders[-1]
    derated = CLOSED_BOX_DERATING if situation.closed and held.stage >= 0 else 1.0
    limits = [] if held.output_current_max_a is None else [derated * held.output_current_max_a]
    if circuit.port is None and before and not held.linear:
        low = max(circuit.cutoff_v, circuit.holders[0].input_min_v)
        limits.append(min(before) * low * held.efficiency_at(limits[0] if limits else 1.0) / held.output_v)
    now = situation.at(situation.heaviest, 1.0)
    return min(limits) if limits else (now.inlet_a if now.complete else 0.0)


def _watt_hours(case: Case) -> float:
    source = case.source
    assert source is not None
    return number(source.capacity_ah) * CHEMISTRIES[source.chemistry].nominal_v * source.cells_in_series
