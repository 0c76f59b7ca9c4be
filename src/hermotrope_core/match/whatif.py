"""What if: the same device colder, drawing more, or with a little overvoltage accepted."""

from __future__ import annotations

import msgspec

from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.known import Known, Number, number


def what_if(case: Case, *, temperature_c: float | None = None, times: float = 1.0, over_max: bool = False) -> Case:
    """The case at another temperature in °C, with every draw `times` as large, or with over-max accepted."""
    if temperature_c is not None:
        conditions = msgspec.structs.replace(case.conditions, temperature_c=temperature_c, temperature_by_h=None)
        case = msgspec.structs.replace(case, conditions=conditions)
    if times != 1.0:
        modes = tuple(_drawing(mode, times) for mode in case.device.modes)
        case = msgspec.structs.replace(case, device=msgspec.structs.replace(case.device, modes=modes))
    if over_max and "over-max" not in case.accepted:
        case = msgspec.structs.replace(case, accepted=(*case.accepted, "over-max"))
    return case


def _drawing(mode: Mode, times: float) -> Mode:
    return msgspec.structs.replace(
        mode,
        power_w=_scaled(mode.power_w, times),
        current_a=_scaled(mode.current_a, times),
        resistance_ohm=_scaled(mode.resistance_ohm, 1.0 / times),
        stall_a=_scaled(mode.stall_a, times),
        peak_a=_scaled(mode.peak_a, times),
        peak_w=_scaled(mode.peak_w, times),
    )


def _scaled(x: Number | None, times: float) -> Number | None:
    if x is None:
        return None
    return msgspec.structs.replace(x, value=x.value * times) if isinstance(x, Known) else number(x) * times
