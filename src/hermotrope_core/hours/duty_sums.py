"""What a duty takes: sums of the duty itself, whatever pack feeds it and however long that lasts."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.situation import HALF_SOC, Situation
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode, rated_watts
from hermotrope_core.values.known import maybe, number


class DutySums(msgspec.Struct, frozen=True):
    """Once around the duty: seconds; at the inlet mean and greatest watts, Wh and Ah; from the pack Wh and Ah.

    What flows from the pack is that of the chosen path at half charge; None where a mode does not run there.
    """

    seconds: float
    mean_w: float
    heaviest_w: float
    inlet_wh: float
    inlet_ah: float
    pack_wh: float | None
    pack_ah: float | None

    @property
    def lost_wh(self) -> float | None:
        """What the path loses of one time around, watt-hours."""
        return None if self.pack_wh is None else self.pack_wh - self.inlet_wh


def inlet_volts(situation: Situation) -> float:
    """The volts at which a duty is summed: those that a part holds at the inlet, else the device's rated ones."""
    holders = situation.circuit.holders
    rated = maybe(situation.case.device.supply.nominal_v)
    if holders:
        return holders[-1].output_v
    return rated if rated is not None else situation.circuit.emf(HALF_SOC)


def mode_amps(mode: Mode, volts: float) -> float:
    """Amperes that a mode takes at an inlet voltage."""
    return rated_watts(mode, volts) / volts if volts else 0.0


def spans(case: Case) -> list[tuple[Mode, float]]:
    """Each mode of the duty with all its seconds in one time around."""
    seconds = {mode.name: 0.0 for mode in case.duty_modes()}
    for segment in case.duty.repeat:
        seconds[segment.mode] += number(segment.seconds)
    return [(mode, seconds[mode.name]) for mode in case.duty_modes()]


def duty_sums(situation: Situation) -> DutySums | None:
    """The sums of a finished case's duty; None where it lasts no time at all."""
    parts = spans(situation.case)
    total = sum(lasts for _, lasts in parts)
    if total <= 0.0:
        return None
    parts = [(mode, lasts * mode.share) for mode, lasts in parts]
    volts = inlet_volts(situation)
    watts = [(rated_watts(mode, volts), lasts) for mode, lasts in parts]
    wh = sum(w * lasts for w, lasts in watts) / 3600.0
    ah = sum(mode_amps(mode, volts) * lasts for mode, lasts in parts) / 3600.0
    looks = [(situation.at(mode, HALF_SOC), lasts) for mode, lasts in parts]
    pack_wh = pack_ah = None
    if all(at.complete for at, _ in looks):
        pack_ah = sum(at.source_a * lasts for at, lasts in looks) / 3600.0
        pack_wh = sum(at.terminal_v * at.source_a * lasts for at, lasts in looks) / 3600.0
    return DutySums(total, 3600.0 * wh / total, max(w for w, _ in watts), wh, ah, pack_wh, pack_ah)
