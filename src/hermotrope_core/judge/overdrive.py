"""What a deliberate overvoltage does to a motor: speed, stall current, heat, energy, life.

For a motor fed with V instead of V0 (permanent magnets, brushes): the no-load speed and the stall
current rise with V / V0, the heat at stall and the kinetic energy with its square. The winding's
rise follows the heat, and each `HALVING_K` more halve the life of its insulation (Arrhenius, the
usual rule of thumb), so a life is an order of magnitude and not a promise.
"""

from __future__ import annotations

import msgspec

WINDING_RISE_K = 40.0
"""Rise of a small motor's winding at its rated volts and load (typical, 30 to 60 K)."""
HALVING_K = 10.0
"""So many kelvin more halve the life of the insulation (typical, 8 to 12 K)."""


class Overdrive(msgspec.Struct, frozen=True):
    """Each as a multiple of what it is at the rated volts."""

    volts: float
    speed: float
    stall_current: float
    stall_heat: float
    energy: float
    life: float


def overdrive(volts: float, rated_v: float) -> Overdrive:
    """A motor made for `rated_v` on `volts`. Raises ValueError unless both are above 0.

    >>> overdrive(14.4, 12.0).stall_heat
    1.44
    """
    if volts <= 0.0 or rated_v <= 0.0:
        raise ValueError("both voltages must be above 0 V")
    times = volts / rated_v
    square = round(times * times, 9)
    return Overdrive(times, times, times, square, square, 2.0 ** (-WINDING_RISE_K * (square - 1.0) / HALVING_K))
