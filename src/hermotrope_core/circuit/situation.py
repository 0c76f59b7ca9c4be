"""Everything the findings look at, worked out once for a case: points, extremes, the run."""

from __future__ import annotations

from functools import cached_property

import msgspec

from hermotrope_core.circuit.discharge import NeverEnds, Run, run
from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.circuit.point import (
    Draw,
    Point,
    draw_of,
    mode_demand,
    passes_on,
    peak_demand,
    point,
    unloaded_volts,
)
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.kinds.stages import Stage, front
from hermotrope_core.parts.chemistry import CHEMISTRIES, Chemistry
from hermotrope_core.parts.wire import safe_amps, warm_share
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode, rated_watts
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import Number, maybe, number

LOW_SOC = 0.2
"""Charge at which limits are judged beside full: nearly empty, when currents are highest."""
STILL_RUNS = 1e-4
"""So much charge above its collapse a demand is judged where it collapses before `LOW_SOC`."""
HALF_SOC = 0.5


class Look(msgspec.Struct, frozen=True, gc=False):
    """One mode of the device, or its peak, at one charge: what limits are held against."""

    mode: Mode
    peak: bool
    soc: float
    at: Point
    in_duty: bool

    @property
    def words(self) -> str:
        """The mode as a sentence names it."""
        name = f"the peak of “{self.mode.name}”" if self.peak else f"“{self.mode.name}”"
        return name if self.in_duty else f"{name}, which is not in the duty,"

    @property
    def when(self) -> str:
        """The charge in words."""
        if self.soc >= 1.0:
            return "on a full pack"
        return "nearly empty" if self.soc <= LOW_SOC else f"at {100 * self.soc:.0f} % charge"


class Situation:
    """A finished case with what follows from it. Volts, amperes, watts throughout."""

    def __init__(
        self, case: Case, circuit: Circuit | None = None, *, marks: bool = False, known: Run | None = None
    ) -> None:
        """`circuit` and the `known` run may be given where they are; they must be the case's. The run keeps `marks`."""
        self.case = case
        self._known = known
        self._marks = marks
        self._circuit = circuit
        self._points: dict[tuple[str, float, float, float], Point] = {}
        self._draws: dict[tuple[str, float, float], Draw] = {}
        self._at: dict[tuple[str, float], Point] = {}

    @cached_property
    def circuit(self) -> Circuit:
        return circuit_of(self.case) if self._circuit is None else self._circuit

    @property
    def source(self) -> Source:
        if self.case.source is None:
            raise ValueError("no source is chosen")
        return self.case.source

    @property
    def cell(self) -> Chemistry:
        return CHEMISTRIES[self.source.chemistry]

    @property
    def device_stage(self) -> int:
        return len(self.case.path)

    @property
    def seeing(self) -> tuple[tuple[int, Stage], ...]:
        """The stages that see the pack run down, with their path indices: before the first that holds its volts."""
        return () if self.circuit.port is not None else front(self.case.path)

    @cached_property
    def full_emf(self) -> float:
        """Volts of the pack fresh off the charger: the most that is stated, tabled or usual for its chemistry."""
        return full_volts(self.source)

    def settled(self, open_v: float) -> float:
        """What stays of the pack's open volts once its surface charge is gone: at most the EMF at full charge."""
        return min(open_v, self.circuit.emf(1.0))

    @cached_property
    def modes(self) -> tuple[Mode, ...]:
        return self.case.duty_modes()

    @cached_property
    def all_modes(self) -> tuple[Mode, ...]:
        """Every mode that may come on: those of the duty, and the others unless they are never used here."""
        others = self.case.other_modes()
        return tuple(mode for mode in self.case.device.modes if mode in self.modes or mode in others)

    def in_duty(self, mode: Mode) -> bool:
        return mode in self.modes

    def low_soc(self, demand: Demand) -> float | None:
        """`LOW_SOC`; where the demand collapses there, the lowest charge at which it still runs; None if never."""
        if self.at_demand(demand, self.circuit.emf(LOW_SOC)).complete:
            return LOW_SOC
        low, high = LOW_SOC, 1.0
        if not self.at_demand(demand, self.circuit.emf(high)).complete:
            return None
        while high - low > STILL_RUNS:
            middle = 0.5 * (low + high)
            low, high = (low, middle) if self._runs_at(demand, middle) else (middle, high)
        return high

    def _runs_at(self, demand: Demand, soc: float) -> bool:
        return self.at_demand(demand, self.circuit.emf(soc)).complete

    def _looks(self, demands: list[tuple[Mode, Demand]], *, peak: bool) -> tuple[Look, ...]:
        found = []
        for mode, demand in demands:
            low = self.low_soc(demand)
            for soc in (1.0, low):
                if low is not None and soc is not None:
                    at = self.at_demand(demand, self.circuit.emf(soc))
                    found.append(Look(mode, peak, soc, at, self.in_duty(mode)))
        return tuple(found)

    @cached_property
    def looks(self) -> tuple[Look, ...]:
        """Every mode full and nearly empty, as far as it runs."""
        return self._looks([(mode, mode_demand(mode)) for mode in self.all_modes], peak=False)

    @cached_property
    def peak_looks(self) -> tuple[Look, ...]:
        """Every peak full and nearly empty, as far as it runs."""
        return self._looks(self.all_peaks, peak=True)

    @cached_property
    def all_peaks(self) -> list[tuple[Mode, Demand]]:
        """Every mode that states a peak, with it."""
        found = [(mode, peak_demand(mode)) for mode in self.all_modes]
        return [(mode, demand) for mode, demand in found if demand is not None]

    @cached_property
    def _by_power(self) -> list[Mode]:
        return sorted(self.modes, key=self.inlet_watts)

    @cached_property
    def heaviest(self) -> Mode:
        return self._by_power[-1]

    @cached_property
    def lightest(self) -> Mode:
        return self._by_power[0]

    def inlet_watts(self, mode: Mode) -> float:
        """Watts the mode draws at the inlet when the pack is full (at rated volts if it cannot run)."""
        full = self.at(mode, 1.0)
        if full.complete:
            return full.inlet_v * full.inlet_a
        demand, rated = mode_demand(mode), maybe(self.case.device.supply.nominal_v) or 0.0
        if demand.kind == "power":
            return demand.value
        return demand.value * rated if demand.kind == "current" else rated_watts(mode, rated)

    def at(self, mode: Mode, soc: float) -> Point:
        """Operating point of a mode at a state of charge 0..1."""
        found = self._at.get((mode.name, soc))
        if found is None:
            found = self._at[mode.name, soc] = self.at_demand(mode_demand(mode), self.circuit.emf(soc))
        return found

    def pack_v(self, mode: Mode, soc: float) -> float | None:
        """Volts at the pack's terminals in a mode; None where it cannot run."""
        now = self.at(mode, soc)
        return now.terminal_v if now.complete else None

    def at_demand(self, demand: Demand, emf: float) -> Point:
        """Operating point of any demand at an EMF in volts."""
        key = demand.kind, demand.value, demand.drop_v, emf
        found = self._points.get(key)
        if found is None:
            found = self._points[key] = point(self.draw(demand), emf)
        return found

    def draw(self, demand: Demand) -> Draw:
        """A demand at the inlet worked back to the first stretch."""
        key = demand.kind, demand.value, demand.drop_v
        found = self._draws.get(key)
        if found is None:
            found = self._draws[key] = draw_of(self.circuit, demand, self.device_stage)
        return found

    @cached_property
    def _peaks(self) -> list[tuple[Mode, Demand]]:
        found = [(mode, peak_demand(mode)) for mode in self.modes]
        return [(mode, demand) for mode, demand in found if demand is not None]

    def peaks(self) -> list[tuple[Mode, Demand]]:
        """The duty's modes that state a peak, with it."""
        return self._peaks

    @cached_property
    def unloaded(self) -> tuple[float, ...]:
        """With the pack full and no current: volts entering each holder, then at the inlet."""
        return unloaded_volts(self.circuit, self.full_emf)

    @cached_property
    def run(self) -> Run | None:
        """The run to its end, or None if the duty draws nothing."""
        if self._known is not None:
            return self._known
        try:
            return run(
                self.case,
                marks=self._marks,
                circuit=self.circuit,
                draws=[self.draw(mode_demand(m)) for m in self.modes],
            )
        except NeverEnds:
            return None

    @cached_property
    def temperature_c(self) -> float:
        return number(self.case.conditions.temperature_c)

    @cached_property
    def temperatures_c(self) -> tuple[float, float]:
        """The coldest and the warmest that the conditions know, °C."""
        known = [self.temperature_c, *(celsius for _, celsius in self.case.conditions.temperature_by_h or ())]
        return min(known), max(known)

    def safe_amps(self, area_mm2: Number) -> float:
        """Safe current of copper of an area in mm² at the warmest that it gets, amperes."""
        return safe_amps(number(area_mm2)) * warm_share(self.temperatures_c[1])

    @property
    def alternating(self) -> bool:
        """Whether mains volts stand at the device's inlet: alternating current, nothing to probe, no polarity."""
        return self.case.mains_at(self.device_stage)

    @property
    def closed(self) -> bool:
        return self.case.conditions.enclosure == "closed"

    def stage_name(self, stage: int) -> str:
        """The name of a station for a sentence."""
        if stage == -1:
            return self.source.name
        if stage == self.device_stage:
            return self.case.device.name
        return self.case.path[stage].called

    def at_demand_full(self, mode: Mode) -> Point:
        """Operating point of a mode on the pack fresh off the charger."""
        return self.at_demand(mode_demand(mode), self.full_emf)

    def volts_into(self, stage: int, mode: Mode, soc: float) -> float | None:
        """Volts that enter a stage in a mode at a charge; None where the mode cannot run."""
        now = self.at(mode, soc)
        return now.at_stage(stage).volts_in if now.complete else None

    def trip_volts(self, stage: int) -> float:
        """Volts at which the pack (-1) or a cut-off stage opens."""
        return self.circuit.cutoff_v if stage == -1 else number(getattr(self.case.path[stage], "trips_v", 0.0))

    def most_watts(self, soc: float) -> float:
        """The most the path can give a constant-power device: V² / 4R of its weakest stretch, watts.

        A stretch behind a converter is fed from its set voltage; what a stretch can give is carried
        to the device through the efficiencies behind it (at their best).
        """
        emf = self.circuit.emf(soc)
        circuit = self.circuit.at_emf(emf)
        while circuit.falls_to is not None and passes_on(circuit.holders[0], 0.5 * emf):
            circuit = circuit.falls_to
        best = float("inf")
        for k, stretch in enumerate(circuit.stretches):
            volts = (emf if k == 0 else circuit.holders[k - 1].output_v) - stretch.drop_v
            share = 1.0
            for holder in circuit.holders[k:]:
                table = holder.efficiency
                share *= table if isinstance(table, float) else max(y for _, y in table)
            if stretch.resistance_ohm > 0.0:
                best = min(best, share * max(volts, 0.0) ** 2 / (4.0 * stretch.resistance_ohm))
        return best
