"""A run as instruments would log it: the same circuit stepped in time, for rehearsals and for testing what fits a log.

Deliberately another way to the same answer than `discharge`: small steps of time instead of closed forms.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from hermotrope_core.case import Case, maybe, number
from hermotrope_core.circuit import (
    DEFAULT_OFF_DELAY_S,
    Cause,
    Circuit,
    Draw,
    circuit_of,
    draw_of,
    mode_demand,
    point,
)


class Sample(msgspec.Struct, frozen=True, gc=False):
    """One moment: seconds since the start, volts and amperes at the pack's terminals and at the inlet, charge 0..1."""

    seconds: float
    pack_v: float
    pack_a: float
    inlet_v: float
    inlet_a: float
    soc: float
    mode: int


class Simulation:
    """Steps a finished case from its starting charge; `cause` is set once it has ended."""

    def __init__(self, case: Case) -> None:
        self.case = case
        self.circuit: Circuit = circuit_of(case)
        self.device = len(case.path)
        modes = case.duty_modes()
        order = {mode.name: i for i, mode in enumerate(modes)}
        self.draws: list[Draw] = [draw_of(self.circuit, mode_demand(mode), self.device) for mode in modes]
        self.segments = [(order[one.mode], number(one.seconds)) for one in case.duty.repeat]
        self.cycle_s = sum(lasts for _, lasts in self.segments)
        self.soc = self.circuit.start_soc
        self.seconds = 0.0
        self.low_since = 0.0
        self.cause: Cause | None = None

    def mode_at(self, seconds: float) -> int:
        """Index of the mode that the duty has at a moment."""
        left = seconds % self.cycle_s
        for mode, lasts in self.segments:
            if left < lasts:
                return mode
            left -= lasts
        return self.segments[-1][0]

    def sample(self) -> Sample | None:
        """What instruments show now; None once the run has ended (then `cause` says why)."""
        if self.cause is None:
            self.cause = self._asleep()
        if self.cause is not None:
            return None
        mode = self.mode_at(self.seconds)
        now = point(self.circuit, self.draws[mode], self.circuit.emf(self.soc), self.device)
        if now.breaches:
            self.cause = now.breaches[0].cause
            return None
        if self.soc <= self.circuit.reserve_soc:
            self.cause = "reserve" if self.circuit.reserve_soc > 0.0 else "empty"
            return None
        source = now.stations[0]
        volts = source.volts_in - source.amps_in * self.circuit.stretches[0].elements[0].resistance_ohm
        return Sample(self.seconds, volts, source.amps_in, now.inlet_v, now.inlet_a, self.soc, mode)

    def step(self, seconds: float) -> None:
        """Let time pass under the mode of the middle of the step (a midpoint step in the charge)."""
        mode = self.mode_at(self.seconds + 0.5 * seconds)
        half = self.soc - 0.5 * seconds * self._speed(mode, self.soc)
        self.soc = max(0.0, self.soc - seconds * self._speed(mode, half))
        self.seconds += seconds
        port = self.circuit.port
        least = maybe(port.output_min_current_a) if port else None
        if least is None or self.draws[mode].port_a >= least:
            self.low_since = self.seconds

    def _speed(self, mode: int, soc: float) -> float:
        draw, circuit = self.draws[mode], self.circuit
        amps = point(circuit, draw, circuit.emf(max(soc, 0.0)), self.device).source_a
        q = circuit.peukert - 1.0
        fast = (amps / circuit.rated_a) ** q if q and amps > circuit.rated_a else 1.0
        return float(amps * fast / (3600.0 * circuit.charge_ah))

    def _asleep(self) -> Cause | None:
        port = self.circuit.port
        if port is None or port.output_min_current_a is None:
            return None
        given = maybe(port.output_off_delay_s)
        delay = DEFAULT_OFF_DELAY_S if given is None else given
        return "auto-off" if self.seconds - self.low_since > delay else None


def samples(case: Case, every_s: float = 1.0, most_s: float = 1e6) -> Iterator[Sample]:
    """The run at a steady rate, from the start to its end or for `most_s` seconds."""
    simulation = Simulation(case)
    while simulation.seconds <= most_s:
        one = simulation.sample()
        if one is None:
            return
        yield one
        simulation.step(every_s)
