"""What a reading of amperes says of the plan: the draw of a mode, or its peak, in the unit that the plan has it in."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.spread import MEASURED_SPREAD, known_by
from hermotrope_core.prove.device_gates import STARTS
from hermotrope_core.prove.gate import Ask
from hermotrope_core.values.known import Number, number

SAME_SHARE = 0.02
"""A figure that was measured already is told anew only where the reading differs by more."""


class Told(msgspec.Struct, frozen=True):
    """A field of a mode of the device (by index), its value in W, A or Ω, and the half-width of its 90 % interval."""

    mode: int
    field: str
    value: float
    spread: float


def told_by(situation: Situation, ask: Ask, amps: float) -> Told | None:
    """The draw behind a reading of the device's current; None for other asks, and where the plan has it already.

    Watts and ohms follow with the volts that the path gives at that current: P = V I, R = V / I. Where no part holds
    them, they are unsure by the surface charge that the pack may still have.
    """
    amps = abs(amps)
    if ask.unit != "A" or ask.setup.mode is None or amps == 0.0:
        return None
    modes = situation.case.device.modes
    index = next(i for i, mode in enumerate(modes) if mode.name == ask.setup.mode)
    now = situation.at_demand(Demand("current", amps), situation.circuit.emf(STARTS))
    if not now.complete:
        return None
    field = _field(modes[index], peak=ask.setup.peak)
    watts, ohms = amps * now.inlet_v, now.inlet_v / amps
    value = {"power_w": watts, "peak_w": watts, "resistance_ohm": ohms}.get(field, amps)
    if modes[index].kind == "led" and field == "current_a":
        try:
            value = modes[index].led_amps(amps, now.inlet_v)
        except ValueError:
            return None
    planned: Number = getattr(modes[index], field)
    if known_by(planned) == "measured" and abs(value - number(planned)) <= SAME_SHARE * value:
        return None
    spread = MEASURED_SPREAD
    if field not in ("current_a", "peak_a") and not situation.circuit.holders:
        spread += situation.full_emf / situation.settled(situation.full_emf) - 1.0
    return Told(index, field, value, spread)


def _field(mode: Mode, *, peak: bool) -> str:
    if peak:
        return "peak_w" if mode.peak_w is not None else "peak_a"
    return Mode.OWN[mode.kind]
