"""The label for the box: what may go in, what comes out, polarity, fuse, most load, watt-hours."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.pack import rated_wh
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.inlets import Connector, fixed_by_standard, knows_sign
from hermotrope_core.know.pins import nets_of
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.thermal import CLOSED_BOX_DERATING
from hermotrope_core.parts.wire import FUSE_MARGIN
from hermotrope_core.plan.source import Source
from hermotrope_core.values.figures import digits, figure, stated
from hermotrope_core.values.known import maybe, number


class BoxLabel(msgspec.Struct, frozen=True):
    """Lines as (term, value); `centre` is the sign of the plug's centre ("+", "−", or "" where it has none)."""

    title: str
    rows: tuple[tuple[str, str], ...]
    centre: str


def box_label(situation: Situation) -> BoxLabel:
    """The label of a finished case."""
    case, source = situation.case, situation.source
    inlet = case.device.inlet
    barrel = inlet is not None and inlet.kind == "barrel"
    centre = {"centre-positive": "+", "centre-negative": "−"}.get(inlet.polarity, "") if inlet and barrel else ""
    fuses = [stated(amps, "A") for stage in case.path if (amps := stage.opens_above_a) is not None]
    rows = [
        ("IN", _span(*_input(situation))),
        ("OUT", _output(situation)),
        ("LOAD", f"{figure(_most_amps(situation), 'A', 2)} at most"),
        ("FUSE", ", ".join(fuses) or "none"),
        ("PACK", _pack(source)),
    ]
    if not centre and not situation.alternating:
        rows.insert(2, ("POLARITY", _polarity(inlet)))
    return BoxLabel(f"{case.device.name} only", tuple(rows), centre)


def _polarity(inlet: Connector | None) -> str:
    """Plus and minus in words, where no barrel's symbol can say them."""
    if inlet is not None and inlet.kind == "pins":
        nets = nets_of(inlet)
        if nets.settled:
            return f"+ pin {_listed(nets.plus)}, − pin {_listed(nets.minus)}, mating face"
    if inlet is not None and inlet.kind == "cell-bay" and knows_sign(inlet):
        return "+ and − as the bay’s map shows"
    if inlet is not None and fixed_by_standard(inlet):
        return "as the USB plug has it"
    return "+ and − as marked on both ends" if knows_sign(inlet) else "NOT KNOWN: measure first"


def _listed(pins: tuple[int, ...]) -> str:
    return ", ".join(str(pin) for pin in pins)


def _input(situation: Situation) -> tuple[float, float]:
    """Volts that may go in: what the first holder or the device takes, within what this pack gives."""
    case, circuit = situation.case, situation.circuit
    if circuit.port is not None:
        volts = number(circuit.port.output_v)
        return volts, volts
    low, high = circuit.cutoff_v, situation.full_emf
    for stage in case.path:
        if isinstance(stage, Holding):
            least, most = maybe(getattr(stage, "input_min_v", None)), maybe(getattr(stage, "input_max_v", None))
            return max(low, least or 0.0), min(high, most or high)
    return low, high


def _span(low: float, high: float) -> str:
    return f"{digits(low, 3)} V DC" if high - low < 0.01 else f"{digits(low, 3)}–{digits(high, 3)} V DC"


def _output(situation: Situation) -> str:
    if situation.circuit.holders:
        held = situation.circuit.holders[-1]
        stage = situation.case.path[held.stage] if held.stage >= 0 else None
        kind = "AC" if stage is not None and stage.alternating else "DC"
        return f"{stated(held.output_v, 'V')} {kind}"
    return f"{_span(situation.circuit.cutoff_v, situation.unloaded[-1])} (as the pack)"


def _most_amps(situation: Situation) -> float:
    """The heaviest load that nothing in the path forbids for long: converter (derated in a closed box), fuse, pack.

    What limits the pack's side is carried over with the least volts there: I_out = I_in V_in eta / V_out.
    """
    circuit, case = situation.circuit, situation.case
    before = [amps / FUSE_MARGIN for s in case.path if (amps := s.opens_above_a) is not None]
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


def _pack(source: Source) -> str:
    """Watt-hours as rated, and the chemistry without what stands in brackets."""
    cell = CHEMISTRIES[source.chemistry]
    name = cell.label.split(" (")[0]
    return name if cell.endless else f"{figure(rated_wh(source), 'Wh')}, {name}"
