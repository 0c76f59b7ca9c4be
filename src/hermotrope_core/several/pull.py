"""What a branch draws from its junction, as a function of the junction's volts.

A branch in one mode, worked back to the junction, is a constant power, a constant current or a resistance behind its
own ohms and drops; where a board passes its falling input on, one after the other.
"""

from __future__ import annotations

from math import inf, sqrt

import msgspec

from hermotrope_core.circuit.discharge import NOTHING, device_watts
from hermotrope_core.circuit.point import Draw, draw_of, mode_demand
from hermotrope_core.circuit.thresholds import falls_at, last_emf
from hermotrope_core.kinds.effects import Cause
from hermotrope_core.plan.device import Mode

RUNS_AT: tuple[Cause, ...] = ("device minimum", "converter input too low", "dropout")
"""What still runs at the very volts below which it does not; a cut-off has opened there."""
HAIR_V = 1e-9
"""So much below them it ends: a junction that is held at just these volts feeds it."""


class Pull(msgspec.Struct, frozen=True, gc=False):
    """One mode of one branch (its equal ones together): volts at the junction, amperes there, watts into the device."""

    kind: str
    value: float
    ohm: float
    drop: float
    """Volts that the way and the device hold back."""
    wire_drop: float
    """Those of the way alone."""
    shunt_a: float
    device_w: float | None
    """Watts into the device where a holder fixes its volts."""
    count: int
    stop_v: float
    """Volts at the junction at or below which it stops; inf where it never runs."""
    cause: Cause
    passes_v: float
    """Volts at the junction at or below which the next pull takes over; -inf where none does."""
    share: float
    """Share of its time for which it draws."""
    between: Pull | None
    """What its way draws in the rest of its time."""
    most_v: float
    """Volts at its first board above which that is overfed; inf without such a limit."""

    @property
    def dark_v(self) -> float:
        """Volts at the junction at or below which there is no answer: it collapses by itself."""
        if self.kind == "power" and self.value > 0.0:
            return self.drop + 2.0 * sqrt(self.ohm * self.value)
        return -inf

    def amps(self, volts: float) -> tuple[float, float] | None:
        """Amperes at the junction and d(amperes)/d(volts); None where it collapses."""
        over = volts - self.drop
        count = self.count
        if self.kind == "power":
            if self.value == 0.0:
                return count * self.shunt_a, 0.0
            rest = over * over - 4.0 * self.ohm * self.value
            if over <= 0.0 or rest <= 0.0:
                return None
            root = sqrt(rest)
            one = 2.0 * self.value / (over + root)
            return count * (one + self.shunt_a), -count * one / root
        if self.kind == "current":
            return count * (self.value + self.shunt_a), 0.0
        if over <= 0.0:
            return count * self.shunt_a, 0.0
        slope = 1.0 / (self.ohm + self.value)
        return count * (over * slope + self.shunt_a), count * slope

    def mean_amps(self, volts: float) -> float:
        """Amperes at the junction on average; what is drawn between counts at the volts that stand while all draw."""
        found = self.amps(volts)
        on = 0.0 if found is None else found[0]
        if self.between is None:
            return self.share * on
        rest = self.between.amps(volts)
        return self.share * on + (1.0 - self.share) * (rest[0] if rest else 0.0)

    def watts(self, volts: float, amps: float) -> float:
        """Watts into its devices on average, where `amps` come from the junction while it draws."""
        if self.device_w is not None:
            return self.share * self.count * self.device_w
        one = amps / self.count - self.shunt_a
        return self.share * self.count * one * (volts - self.wire_drop - one * self.ohm)

    def overfed(self, volts: float, amps: float) -> bool:
        """Whether its first board gets more volts than it stands."""
        one = amps / self.count - self.shunt_a
        return volts - self.wire_drop - one * self.ohm > self.most_v


def pulls(draw: Draw, mode: Mode, count: int) -> tuple[Pull, ...]:
    """The pulls of a mode, the one at high volts first, that of a board which passes its input on after it."""
    first = draw.circuit.stretches[0]
    holders = draw.circuit.holders
    most = holders[0].input_max_v if holders else None
    demand = draw.demand
    stop, cause = last_emf(draw)
    here = Pull(
        kind="power" if demand is None else demand.kind,
        value=0.0 if demand is None else demand.value,
        ohm=first.resistance_ohm,
        drop=first.drop_v + (0.0 if demand is None else demand.drop_v),
        wire_drop=first.drop_v,
        shunt_a=first.shunt_a,
        device_w=None if demand is None else device_watts(draw, mode_demand(mode)),
        count=count,
        stop_v=stop - HAIR_V if cause in RUNS_AT else stop,
        cause=cause,
        passes_v=falls_at(draw),
        share=mode.share,
        between=_between(draw, mode, count),
        most_v=inf if most is None else most,
    )
    return (here, *(pulls(draw.falls_to, mode, count) if draw.falls_to else ()))


def _between(draw: Draw, mode: Mode, count: int) -> Pull | None:
    """The pull of a way whose device draws nothing; None where that is never looked at."""
    if mode.share == 1.0:
        return None
    nothing = Mode(name=mode.name, kind="power", power_w=0.0)
    return pulls(draw_of(draw.circuit, NOTHING, draw.device), nothing, count)[0]
