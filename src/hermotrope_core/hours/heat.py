"""Heat of each part over the run, in the open and in a closed box, at the temperature of the outing."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.parts.thermal import CLOSED_BOX_DERATING
from hermotrope_core.values.known import number

SOCS = (1.0, 0.75, 0.5, 0.25, 0.05)
"""Charges at which the heaviest mode is looked at, with the end of the run."""
HAND_WARM_C, HAND_HOT_C = 45.0, 60.0
"""Above the first a part is warm to the hand; above the second it burns fingers and softens insulation (typical)."""


class PartHeat(msgspec.Struct, frozen=True):
    """One part: its heat over the charge, the warmest it gets open and closed, in °C, and what derating leaves."""

    stage: int
    watts: tuple[tuple[float, float], ...]
    """(charge, watts) while it runs."""
    warmest_open_c: float
    warmest_closed_c: float
    at_soc: float
    rated_a: float | None
    """What its output may give in the open, amperes."""
    derated_a: float | None
    """The same in a closed box."""
    carries_a: float | None


def part_heats(situation: Situation) -> tuple[PartHeat, ...]:
    """Every part that turns power into heat, in path order; empty where the heaviest mode never runs."""
    end = situation.run.final_soc if situation.run else 0.0
    socs = sorted({*(soc for soc in SOCS if soc >= end), max(end, 0.0)}, reverse=True)
    points = [(soc, now) for soc in socs if (now := situation.at(situation.heaviest, soc)).complete]
    found = []
    for i, stage in enumerate(situation.case.path):
        if not points or stage.warms(1.0, closed=False) is None:
            continue
        watts = tuple((soc, now.at_stage(i).heat_w) for soc, now in points)
        at, most = max(watts, key=lambda pair: (pair[1], pair[0]))
        open_k, closed_k = (stage.warms(most, closed=closed) or 0.0 for closed in (False, True))
        rated = getattr(stage, "output_current_max_a", None)
        found.append(
            PartHeat(
                stage=i,
                watts=watts,
                warmest_open_c=situation.temperature_c + open_k,
                warmest_closed_c=situation.temperature_c + closed_k,
                at_soc=at,
                rated_a=None if rated is None else number(rated),
                derated_a=None if rated is None else CLOSED_BOX_DERATING * number(rated),
                carries_a=None if rated is None else max(now.at_stage(i).amps_out for _, now in points),
            )
        )
    return tuple(found)
