"""What a run that was timed says: held against the prediction, and what it implies for draw or capacity."""

from __future__ import annotations

from typing import Literal

import msgspec

from hermotrope_core.circuit.estimate import Range
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.figures import duration, figure, span
from hermotrope_core.values.known import Known, number

FAR = 3.0
"""A run that differs by more than this factor tells of a fault rather than of a figure."""
SPREAD = 0.05
"""Half-width of what follows from one timed run: the charge that was left and the day's warmth enter it (typical)."""


class Ran(msgspec.Struct, frozen=True):
    """A timed run against the plan: in words; the capacity and the draw of the only mode that it implies."""

    word: Literal["as predicted", "longer", "shorter"]
    says: str
    capacity_ah: float | None
    draw: float | None
    """In the unit of the duty's only mode; None where the duty has several."""


def judged_run(situation: Situation, range_: Range, measured_s: float) -> Ran:
    """Hold a measured runtime (seconds) against the range of the predicted one."""
    ran, expected = duration(measured_s), span(range_.p5, range_.p95)
    if range_.p5 <= measured_s <= range_.p95:
        return Ran("as predicted", f"It ran {ran}, within the {expected} that were predicted.", None, None)
    word: Literal["longer", "shorter"] = "longer" if measured_s > range_.p95 else "shorter"
    factor = measured_s / range_.p50
    says = f"It ran {ran}, {word} than the {expected} that were predicted."
    if not 1.0 / FAR <= factor <= FAR or situation.case.duty.once:
        return Ran(word, f"{says} That is too far off for one figure: look for what else was different.", None, None)
    capacity = number(situation.source.capacity_ah) * factor
    sums, modes = duty_sums(situation), situation.modes
    watts = f"a mean of {figure(sums.mean_w / factor, 'W')} instead of {figure(sums.mean_w, 'W')}" if sums else ""
    holds = f"{figure(capacity, 'Ah')} in the pack instead of {figure(number(situation.source.capacity_ah), 'Ah')}"
    draw = _draw(modes[0], factor) if len(modes) == 1 else None
    return Ran(
        word, f"{says} Either it draws {watts}, or there are {holds}; a run with a meter tells which.", capacity, draw
    )


def _draw(mode: Mode, factor: float) -> float:
    """The draw that makes a run `factor` times as long: fewer watts or amperes, more ohms."""
    now = number(mode.draw or 0.0)
    return now * factor if mode.kind == "resistance" else now / factor


def taken(case: Case, ran: Ran, measured_s: float, as_: Literal["capacity", "draw"]) -> Case:
    """The case with what a timed run implies, as measured. Raises ValueError where it implies no such figure."""
    note = f"from a run of {duration(measured_s)}"
    if as_ == "capacity" and ran.capacity_ah is not None and case.source is not None:
        value = Known(value=float(f"{ran.capacity_ah:.4g}"), known_by="measured", spread=SPREAD, note=note)
        return msgspec.structs.replace(case, source=msgspec.structs.replace(case.source, capacity_ah=value))
    modes = case.duty_modes()
    if as_ == "draw" and ran.draw is not None and len(modes) == 1:
        value = Known(value=float(f"{ran.draw:.4g}"), known_by="measured", spread=SPREAD, note=note)
        made = msgspec.structs.replace(modes[0], **{Mode.OWN[modes[0].kind]: value})
        changed = tuple(made if mode == modes[0] else mode for mode in case.device.modes)
        return msgspec.structs.replace(case, device=msgspec.structs.replace(case.device, modes=changed))
    raise ValueError("this run tells no such figure")
