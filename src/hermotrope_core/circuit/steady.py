"""One mode all the time, from a charge down to another: the commonest run, in one pass over the EMF's table."""

from __future__ import annotations

from math import log, sqrt

import msgspec

from hermotrope_core.circuit.path import Circuit
from hermotrope_core.circuit.piece import FLAT, ModeLaw
from hermotrope_core.values.known import Table

SURELY = 1.0 - 1e-9
"""Nearer to a limit than this it is looked at in full."""


class Fall(msgspec.Struct, frozen=True, gc=False):
    """What passed while one mode ran on: seconds, joules from the terminals, joules into the device, coulombs."""

    seconds: float
    source_j: float
    device_j: float
    coulombs: float
    soc: float
    """The charge that is left then."""


def descend(law: ModeLaw, table: Table, start: float, bottom: float) -> Fall | None:
    """One mode from a charge down to another, along the EMF's table (charge, volts), knot by knot.

    The same sums as `Span` makes, but each knot counts once, with what the slopes on its two sides differ by. None
    where it takes more: a constant current, Peukert's law, an EMF that stays flat, charges outside the table.
    """
    if law.current is not None or law.q or law.lin <= 0.0 or not table[0][0] <= bottom < start <= table[-1][0]:
        return None
    lin, p, drop, load = law.lin, law.p, law.drop, law.load
    weights: list[float] = []
    """What the charge per volt changes by where pieces begin and end."""
    moments: list[float] = []
    """Volts behind the drops there."""
    above = 0.0
    soc1, emf1 = table[-1]
    for soc0, emf0 in reversed(table[:-1]):
        if soc0 < start:
            rise = emf1 - emf0
            if rise < FLAT * emf1:
                return None
            scale = (soc1 - soc0) / rise
            weights.append(scale - above)
            moments.append((emf1 if above else emf0 + (start - soc0) / scale) - drop)
            above = scale
            if soc0 <= bottom:
                weights.append(-scale)
                moments.append(emf0 + (bottom - soc0) / scale - drop)
                break
        soc1, emf1 = soc0, emf0
    four = 4.0 * law.ohm_total * p
    lowest = moments[-1]
    if lowest <= 0.0 or lowest * lowest < four or (load == p == 0.0):
        return None
    charges = squares = logs = lasts = 0.0
    for weight, volts in zip(weights, moments, strict=True):
        amps = volts / lin if load else 2.0 * p / (volts + sqrt(volts * volts - four))
        square = amps * amps
        charges += weight * (lin * amps + p / amps)
        squares += weight * square
        logs += weight * log(amps)
        lasts += weight / square
    times = law.q3600
    last, half = 0.5 * p * lasts, 0.5 * squares
    seconds, coulombs = times * (lin * logs + last), times * charges
    source_j = drop * coulombs + times * ((lin - law.ohm_source) * lin * half + p * (law.ohm_source * logs + last))
    inlet_j = p * seconds + load * lin * times * half + law.own_drop * coulombs
    inlet_j = inlet_j if law.device_w is None else law.device_w * seconds
    return Fall(seconds, source_j * law.share, inlet_j * law.share, coulombs * law.share, bottom)


def too_high(circuit: Circuit, law: ModeLaw) -> bool:
    """Whether the first part that holds its volts may get too many at the start."""
    most = circuit.holders[0].input_max_v if circuit.holders else None
    if most is None:
        return False
    emf = circuit.emf(circuit.start_soc)
    return emf - law.drop - law.amps(emf) * law.ohm_total >= most * SURELY
