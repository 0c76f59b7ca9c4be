"""Heat of each part over the run, in the open and in a closed box, at the temperature of the outing."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.stages import Converter, Diode, Lead, Linear, Resistor
from hermotrope_core.parts.thermal import BOXED_TIMES, CLOSED_BOX_DERATING, CLOSED_K_PER_W, OPEN_K_PER_W
from hermotrope_core.plan.case import number

SOCS = (1.0, 0.75, 0.5, 0.25, 0.05)
"""Charges at which the heaviest mode is looked at, with the end of the run."""
RESISTOR_RISE_K = 150.0
"""Rise of a resistor at its rated heat in the open (typical); in proportion below."""
LEAD_K_M_PER_W = 8.0
"""Rise of an insulated wire for each watt per metre in free air (typical, thin hook-up wire)."""
HAND_HOT_C = 60.0
"""Above this a part burns fingers and softens its insulation (typical)."""


def kelvin_per_watt(stage: Converter | Linear | Diode, *, closed: bool) -> float:
    """How much a part warms in an open or a closed box, kelvin per watt.

    A stated figure holds for the enclosure it was stated for (the open board, where nothing is said); in the other
    it is more or less by as much as the typical ones differ.
    """
    stated = None if isinstance(stage, Diode) else stage.thermal_k_per_w
    if isinstance(stage, Diode) or stated is None:
        return CLOSED_K_PER_W if closed else OPEN_K_PER_W
    if (stage.thermal_enclosure == "closed") == closed:
        return number(stated)
    return number(stated) * (BOXED_TIMES if closed else 1.0 / BOXED_TIMES)


class PartHeat(msgspec.Struct, frozen=True):
    """One part: its heat over the charge, the warmest it gets open and closed, in °C, and what derating leaves."""

    stage: int
    watts: tuple[tuple[float, float], ...]
    """(charge, watts) while it runs."""
    warmest_open_c: float
    warmest_closed_c: float
    at_soc: float
    derated_a: float | None
    """What its output may give in a closed box, amperes."""
    carries_a: float | None


def part_heats(situation: Situation) -> tuple[PartHeat, ...]:
    """Every part that turns power into heat, in path order; empty where the heaviest mode never runs."""
    end = situation.run.final_soc if situation.run else 0.0
    socs = sorted({*(soc for soc in SOCS if soc >= end), max(end, 0.0)}, reverse=True)
    points = [(soc, now) for soc in socs if (now := situation.at(situation.heaviest, soc)).complete]
    found = []
    for i, stage in enumerate(situation.case.path):
        if not points or not isinstance(stage, Converter | Linear | Resistor | Lead):
            continue
        watts = tuple((soc, now.at_stage(i).heat_w) for soc, now in points)
        at, most = max(watts, key=lambda pair: (pair[1], pair[0]))
        open_k, closed_k = _rises(stage, most)
        rated = getattr(stage, "output_current_max_a", None)
        found.append(
            PartHeat(
                stage=i,
                watts=watts,
                warmest_open_c=situation.temperature_c + open_k,
                warmest_closed_c=situation.temperature_c + closed_k,
                at_soc=at,
                derated_a=None if rated is None else CLOSED_BOX_DERATING * number(rated),
                carries_a=None if rated is None else max(now.at_stage(i).amps_out for _, now in points),
            )
        )
    return tuple(found)


def _rises(stage: Converter | Linear | Resistor | Lead, watts: float) -> tuple[float, float]:
    """Rise in kelvin in the open and in a closed box.

    A lead's watts are spread over both conductors of its length, `LEAD_K_M_PER_W` for each metre of wire.
    """
    worse = BOXED_TIMES
    if isinstance(stage, Lead):
        rise = LEAD_K_M_PER_W * watts / max(2.0 * number(stage.length_m), 0.05)
        return rise, rise * worse
    if isinstance(stage, Resistor):
        rated = number(stage.rating_w) if stage.rating_w is not None else max(2.0 * watts, 0.25)
        rise = RESISTOR_RISE_K * watts / rated
        return rise, rise * worse
    return watts * kelvin_per_watt(stage, closed=False), watts * kelvin_per_watt(stage, closed=True)
