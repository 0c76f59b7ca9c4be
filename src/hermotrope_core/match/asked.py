"""What the device asks of a part that holds its volts: worked out once for every pack and board."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.point import mode_demand, peak_demand, section_amps
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.kinds.lead import lead_ohm
from hermotrope_core.match.shelf import WORK
from hermotrope_core.parts.wire import FUSE_MARGIN, PARTS
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import maybe

DROP_SHARE = 0.025
"""A designed lead loses at most this share of the volts entering it (3 % would be a finding)."""


class Asked(msgspec.Struct, frozen=True, gc=False):
    """The device behind a lead at held volts; amperes at the holder's output, in the order of the duty's modes."""

    volts: float
    area_mm2: float
    amps: tuple[float, ...]
    peaks: tuple[tuple[float, float | None], ...]
    """(amperes, seconds) of the peaks that can be carried at all."""
    heaviest: int

    @property
    def heavy_a(self) -> float:
        return self.amps[self.heaviest]


def lead_area(case: Case, volts: float, amps: float) -> float:
    """Copper in mm² for a designed lead: safe for the current with the fuse's margin, and little lost."""
    for area, safe in PARTS.wire_safe_current_a_by_area_mm2:
        if area >= 0.25 and safe >= FUSE_MARGIN * amps and amps * lead_ohm(WORK.lead_m, area) <= DROP_SHARE * volts:
            return area
    return PARTS.wire_safe_current_a_by_area_mm2[-1][0]


def asked(case: Case, volts: float) -> Asked | None:
    """What the duty's modes draw from a holder set to `volts`; None where a lead of any size collapses."""
    modes = case.duty_modes()
    rough = [_amps(volts, 0.0, mode_demand(mode)) for mode in modes]
    if any(amps is None for amps in rough):
        return None
    others = [_amps(volts, 0.0, mode_demand(mode)) for mode in case.other_modes()]
    area = lead_area(case, volts, max(amps for amps in (*rough, *others) if amps is not None))
    ohm = lead_ohm(WORK.lead_m, area)
    drawn = [_amps(volts, ohm, mode_demand(mode)) for mode in modes]
    if any(amps is None for amps in drawn):
        return None
    amps = tuple(a for a in drawn if a is not None)
    watts = [a * (volts - a * ohm) for a in amps]
    peaks = []
    for mode in modes:
        demand = peak_demand(mode)
        top = None if demand is None else _amps(volts, ohm, demand)
        if top is not None:
            peaks.append((top, maybe(mode.peak_s)))
    return Asked(volts, area, amps, tuple(peaks), watts.index(max(watts)))


def _amps(volts: float, ohm: float, demand: Demand) -> float | None:
    return section_amps(volts, ohm, demand)


def steady(case: Case) -> bool:
    """True where a series resistor may be used: one draw at all times, and no peak."""
    modes = case.duty_modes()
    return len(modes) == 1 and peak_demand(modes[0]) is None


def least_and_most_amps(case: Case, volts: float) -> tuple[float, float]:
    """Smallest and largest typical draw of the duty at given volts, amperes."""
    amps = [_amps(volts, 0.0, mode_demand(mode)) or 0.0 for mode in case.duty_modes()]
    peaks = [_amps(volts, 0.0, peak) or 0.0 for mode in case.duty_modes() if (peak := peak_demand(mode)) is not None]
    return min(amps), max([*amps, *peaks])
