"""New stages with sensible values: designed for the case where the core can, typical otherwise."""

from __future__ import annotations

from hermotrope.bench.feed import Feed
from hermotrope.entry.typed import EditError
from hermotrope_core.judge.cures import converter_for, fuse_for, keep_alive_change
from hermotrope_core.kinds.stages import (
    Converter,
    CutOff,
    Diode,
    Fuse,
    KeepAlive,
    Lead,
    Linear,
    Resistor,
    Stage,
    Switch,
)
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case, maybe, number

FALLBACK_V = 12.0
KEEP_ALIVE_A = 0.084
"""What usually keeps a bank awake (typical), where it does not say."""


def designed(case: Case, kind: str, at: int) -> Stage:
    """A stage of a kind for this case, to stand at path index `at`. Raises `EditError`."""
    situation = Feed(case).situation
    rated = maybe(case.device.supply.nominal_v) or FALLBACK_V
    match kind:
        case "fuse":
            return (situation and at == 0 and fuse_for(situation)) or Fuse(rating_a=5.0)
        case "switch":
            return Switch()
        case "cut-off":
            return CutOff(trips_v=_trip_volts(case))
        case "converter":
            board = converter_for(situation) if situation else None
            return board or Converter(topology="buck-boost", output_v=rated, efficiency=0.85, quiescent_w=0.1)
        case "linear":
            return Linear(output_v=rated, dropout_v=2.0, quiescent_a=0.005)
        case "diode":
            return Diode(forward_v=0.7, count=1)
        case "resistor":
            return Resistor(resistance_ohm=1.0, rating_w=5.0)
        case "keep-alive":
            change = keep_alive_change(case, 0.0)
            return KeepAlive(current_a=change[0]["value"]["current_a"] if change else KEEP_ALIVE_A)
        case "lead":
            return Lead(length_m=1.0, area_mm2=0.75)
    raise EditError("choose one of the stages")


def _trip_volts(case: Case) -> float:
    if case.source is None:
        return 10.0
    port = case.source.regulated_output
    if port is not None:
        return round(0.9 * number(port.output_v), 2)
    return round(case.source.cells_in_series * CHEMISTRIES[case.source.chemistry].cutoff_v, 2)
