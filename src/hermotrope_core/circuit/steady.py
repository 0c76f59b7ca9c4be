"""One mode all the time, from a charge down to another: the commonest run, in one pass over the EMF's table."""

from __future__ import annotations

from math import log, sqrt

import msgspec

from hermotrope_core.circuit.piece import FLAT, ModeLaw
from hermotrope_core.values.known import Table


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

    The same sums as `Span` makes, without keeping any: a run of one mode is the commonest. None where it takes
    more: a constant current, Peukert's law, a stretch on which the EMF is flat, charges outside the table.
    """
    if law.current is not None or law.q or law.lin <= 0.0 or not table[0][0] <= bottom < start <= table[-1][0]:
        return None
    lin, p, drop, load, q3600 = law.lin, law.p, law.drop, law.load, law.q3600
    four, half, lost = 4.0 * law.ohm_total * p, (lin - law.ohm_source) * lin, p * law.ohm_source
    seconds = source_j = squares = coulombs = scale = 0.0
    time = charge = source = square = 0.0
    soc1, emf1 = table[-1]
    for soc0, emf0 in reversed(table[:-1]):
        if soc0 < start:
            rise, width = emf1 - emf0, soc1 - soc0
            if rise < FLAT * emf1:
                return None
            slope = rise / width
            scale = q3600 / slope
            for soc in (start, max(soc0, bottom)) if soc1 >= start else (max(soc0, bottom),):
                volts = emf0 + slope * (soc - soc0) - drop
                rest = volts * volts - four
                if volts <= 0.0 or rest < 0.0:
                    return None
                amps = volts / lin if load else 2.0 * p / (volts + sqrt(rest))
                if amps <= 0.0:
                    return None
                before_time, before_charge, before_source, before_square = time, charge, source, square
                square, of_log = 0.5 * amps * amps, log(amps)
                last = 0.25 * p / square
                time, charge = lin * of_log + last, lin * amps + p / amps
                source = drop * charge + half * square + lost * of_log + p * last
            seconds += scale * (before_time - time)
            source_j += scale * (before_source - source)
            squares += scale * (before_square - square)
            coulombs += scale * (before_charge - charge)
            if soc0 <= bottom:
                break
        soc1, emf1 = soc0, emf0
    inlet_j = p * seconds + load * lin * squares + law.own_drop * coulombs
    inlet_j = inlet_j if law.device_w is None else law.device_w * seconds
    return Fall(seconds, source_j * law.share, inlet_j * law.share, coulombs * law.share, bottom)
