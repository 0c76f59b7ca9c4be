"""A run as instruments would log it: the same circuit stepped in time, for rehearsals and for testing what fits a log.

Deliberately another way to the same answer than `discharge`: small steps of time instead of closed forms.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import msgspec

from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.circuit.point import Draw, Point, draw_of, mode_demand, point
from hermotrope_core.kinds.effects import Cause, Demand
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import maybe, number

SHORTEST_S = 1e-9


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
        modes = case.duty_modes()
        order = {mode.name: i for i, mode in enumerate(modes)}
        self.draws: list[Draw] = [draw_of(self.circuit, mode_demand(mode), len(case.path)) for mode in modes]
        self.between = draw_of(self.circuit, Demand("power", 0.0), len(case.path))
        self.shares = [mode.share for mode in modes]
        self.segments = [(order[one.mode], number(one.seconds)) for one in case.duty.repeat]
        self.cycle_s = sum(lasts for _, lasts in self.segments)
        self.soc = self.circuit.start_soc
        self.seconds = 0.0
        self.low_since = 0.0
        self.cause: Cause | None = None

    def mode_at(self, seconds: float) -> int:
        """Index of the mode that the duty has at a moment."""
        return self._segment_at(seconds)[0]

    def _segment_at(self, seconds: float) -> tuple[int, float]:
        """The mode at a moment, and for how long it goes on."""
        left = seconds % self.cycle_s
        for mode, lasts in self.segments:
            if left < lasts:
                return mode, lasts - left
            left -= lasts
        return self.segments[0]

    def sample(self) -> Sample | None:
        """What instruments show now; None once the run has ended (then `cause` says why)."""
        if self.cause is None:
            self.cause = self._asleep()
        if self.cause is None and self.case.duty.once and self.seconds >= self.cycle_s - SHORTEST_S:
            self.cause = "programme over"
        if self.cause is not None:
            return None
        mode = self.mode_at(self.seconds)
        now = point(self.draws[mode], self.circuit.emf(self.soc))
        if now.breaches:
            self.cause = now.breaches[0].cause
            return None
        if self.soc <= self.circuit.reserve_soc:
            self.cause = "reserve" if self.circuit.reserve_soc > 0.0 else "empty"
            return None
        return Sample(self.seconds, *self.shown(now), self.soc, mode)

    def shown(self, now: Point) -> tuple[float, float, float, float]:
        """What instruments show at an operating point: volts and amperes at the pack and at the inlet.

        At the pack is at its terminals; a bank's cells are out of reach, so there it is at its port.
        """
        source = now.stations[0]
        if self.circuit.port is not None:
            return source.volts_out, source.amps_out, now.inlet_v, now.inlet_a
        return now.terminal_v, source.amps_in, now.inlet_v, now.inlet_a

    def step(self, seconds: float) -> None:
        """Let time pass, mode by mode; over whole cycles along their mean."""
        if seconds >= self.cycle_s:
            self._pass(seconds, self._mean_speed)
            self._stay_awake(max(draw.port_a for draw in self.draws))
            return
        left = seconds
        while left > SHORTEST_S:
            mode, lasts = self._segment_at(self.seconds)
            lasts = min(left, max(lasts, SHORTEST_S))
            self._pass(lasts, partial(self._speed, mode))
            self._stay_awake(self.draws[mode].port_a)
            left -= lasts

    def _pass(self, seconds: float, speed: Callable[[float], float]) -> None:
        """A midpoint step in the charge; an Euler step where it has collapsed by the middle."""
        now = speed(self.soc)
        self.soc = max(0.0, self.soc - seconds * (speed(self.soc - 0.5 * seconds * now) or now))
        self.seconds += seconds

    def _stay_awake(self, port_a: float) -> None:
        port = self.circuit.port
        least = maybe(port.output_min_current_a) if port else None
        if least is None or port_a >= least:
            self.low_since = self.seconds

    def _speed(self, mode: int, soc: float) -> float:
        """-d(soc)/dt, per second; of a mode that a controller switches, on average."""
        share = self.shares[mode]
        on = self._falls(self.draws[mode], soc)
        return on if share == 1.0 else share * on + (1.0 - share) * self._falls(self.between, soc)

    def _falls(self, draw: Draw, soc: float) -> float:
        circuit = self.circuit
        amps = point(draw, circuit.emf(max(soc, 0.0))).source_a
        q = circuit.peukert - 1.0
        fast = (amps / circuit.rated_a) ** q if q and amps > circuit.rated_a else 1.0
        return float(amps * fast / (3600.0 * circuit.charge_ah))

    def _mean_speed(self, soc: float) -> float:
        return sum(lasts * self._speed(mode, soc) for mode, lasts in self.segments) / self.cycle_s

    def _asleep(self) -> Cause | None:
        port = self.circuit.port
        if port is None or port.output_min_current_a is None:
            return None
        delay = port.sleeps_after_s
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
