"""A device that is converted once more: what an earlier conversion of it taught goes along."""

from __future__ import annotations

import msgspec

from hermotrope_core.know.evidence import worked_out
from hermotrope_core.know.intake import RANK
from hermotrope_core.know.refit import refitted
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.evidence import MOST_PIECES, RanBefore
from hermotrope_core.plan.spread import known_by
from hermotrope_core.values.known import number


def converted_again(case: Case, title: str, ran: RanBefore | None) -> Case:
    """The device of an earlier conversion with its duty, to be fed anew.

    How long it ran there becomes a piece of evidence, and a draw that was known no better follows from it.
    """
    made = Case(format=FORMAT, title=title, device=case.device, duty=case.duty)
    if ran is None or len(case.device.evidence) >= MOST_PIECES:
        return made
    worked = next((one for one in worked_out([ran]).modes if one.name == ran.mode), None)
    if worked is None:  # such a run implies no draw: too far off, or kept by its reserve
        return made
    modes = tuple(_open(mode) if _better(worked, mode) else mode for mode in case.device.modes)
    made = msgspec.structs.replace(made, device=msgspec.structs.replace(case.device, modes=modes))
    return refitted(made, (*case.device.evidence, ran)).case


def ran_before(case: Case, measured_s: float | None) -> RanBefore | None:
    """A run of a conversion as evidence about its device; None where it tells nothing of one draw."""
    source, modes = case.source, case.duty_modes()
    if source is None or not measured_s or len(modes) != 1 or case.duty.once or CHEMISTRIES[source.chemistry].endless:
        return None
    return RanBefore(
        title=case.title,
        mode=modes[0].name,
        lasted_s=measured_s,
        source=source,
        path=case.path,
        temperature_c=number(case.conditions.temperature_c),
    )


def _better(worked: Mode, mode: Mode) -> bool:
    """Whether the run knows the draw of a mode better than it is known now."""
    return (
        mode.name == worked.name
        and mode.kind == "power"
        and mode.share == 1.0
        and (mode.draw is None or RANK[known_by(worked.draw)] < RANK[known_by(mode.draw)])
    )


def _open(mode: Mode) -> Mode:
    return msgspec.structs.replace(mode, power_w=None, stands_for=None)
