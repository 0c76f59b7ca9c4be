"""The operating point of a path: volts, amps and heat at every station, for one charge and mode.

Working back from the device along a `Circuit`, each holder becomes a constant-power (or constant-current) demand on the
stretch before it.
"""

from __future__ import annotations

from math import sqrt

import msgspec

from hermotrope_core.circuit.path import Circuit, Stretch
from hermotrope_core.kinds.effects import CAUSES, Cause, Demand, Element, Holder, Station
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.known import number


class Breach(msgspec.Struct, frozen=True, gc=False):
    """A condition that ends a run, and the place where it happens (`stage`; len(path) is the device)."""

    cause: Cause
    stage: int


class Draw(msgspec.Struct, frozen=True, gc=False):
    """One mode worked back to the pack: what does not depend on the charge left."""

    circuit: Circuit
    device: int
    """len(path), to name places."""
    demand: Demand | None
    """Seen by the first stretch; None if a later stretch collapses."""
    amps: tuple[float, ...]
    """Current in each stretch after the first."""
    given: tuple[float, ...]
    """Output current of each holder: that of the stretch behind it and of a keep-alive load."""
    inlet_v: float | None
    """Volts at the inlet if a holder fixes them, else None."""
    breaches: tuple[Breach, ...]
    """Conditions that this mode violates at any charge."""
    falls_to: Draw | None = None
    """The same demand in the circuit it falls to, where the first holder passes its input on below some volts."""
    weaker: Draw | None = None
    """The same demand on the pack's next band of charge."""

    @property
    def port_a(self) -> float:
        """Output current of the first holder (a bank's port), amperes."""
        return self.given[0] if self.given else 0.0


class Point(msgspec.Struct, frozen=True, gc=False):
    """An operating point: the stations that carry current, and what is breached."""

    stations: tuple[Station, ...]
    breaches: tuple[Breach, ...]
    """Empty if the device runs. Otherwise the volts are what would stand there if nothing opened."""
    complete: bool
    """False if the path collapses: then no current can be stated and only the source is listed."""
    terminal_v: float
    """Volts at the terminals of the pack's cells, V = E - I R; the EMF where it collapses."""

    @property
    def source_a(self) -> float:
        """Current drawn from the pack's cells, amperes."""
        return self.stations[0].amps_in

    @property
    def inlet_v(self) -> float:
        return self.stations[-1].volts_in

    @property
    def inlet_a(self) -> float:
        return self.stations[-1].amps_in

    def at_stage(self, stage: int) -> Station:
        """The station of a path index (-1 the source). Raises LookupError beyond a collapse."""
        for station in self.stations:
            if station.stage == stage:
                return station
        raise LookupError(stage)


def section_amps(volts: float, resistance_ohm: float, demand: Demand) -> float | None:
    """Current that `volts` behind `resistance_ohm` drives into `demand`; None where it collapses.

    Power: the upper root of P = (V - I R) I in the form that does not cancel; it has none when
    V² < 4 R P.
    """
    if demand.kind == "power":
        if demand.value == 0.0:
            return 0.0
        rest = volts * volts - 4.0 * resistance_ohm * demand.value
        if volts <= 0.0 or rest < 0.0:
            return None
        return 2.0 * demand.value / (volts + sqrt(rest))
    if demand.kind == "current":
        return demand.value if volts - demand.value * resistance_ohm > 0.0 else None
    above = volts - demand.drop_v
    return above / (resistance_ohm + demand.value) if volts > demand.dark_v else None


def mode_demand(mode: Mode) -> Demand:
    """The mode's typical draw. Raises ValueError while it is unknown.

    Light-emitting diodes, and motors whose load grows with their speed, are a resistance behind volts (`Mode.line`).
    """
    draw, line = mode.draw, mode.line
    if draw is None:
        raise ValueError(f"mode {mode.name!r} has no draw yet")
    if line is not None:
        return Demand("resistance", *line)
    if number(draw) and (mode.kind == "led" or mode.torque == "with-speed"):
        raise ValueError(f"mode {mode.name!r} does not tell its volts yet")
    return Demand(mode.asks, number(draw))


def peak_demand(mode: Mode) -> Demand | None:
    """The mode's peak (start, stall, transmit), or None where none is stated."""
    if mode.peak_w is not None:
        return Demand("power", number(mode.peak_w))
    if mode.peak_a is not None:
        return Demand("current", number(mode.peak_a))
    if mode.stall_a is not None and mode.at_v is not None:  # held fast, a motor is its own resistance
        return Demand("resistance", number(mode.at_v) / number(mode.stall_a))
    return None


def draw_of(circuit: Circuit, demand: Demand, device: int) -> Draw:
    """Work a demand at the inlet back to the first stretch; `device` is len(path), to name places."""
    if circuit.weaker is None:
        return _draw_of(circuit, demand, device, None)
    return _draw_of(circuit, demand, device, {})


def _draw_of(circuit: Circuit, demand: Demand, device: int, known: dict[int, Draw] | None) -> Draw:
    """`known` are the draws of circuits that are reached in two ways: by passing on and by growing weaker."""
    if known is not None and (found := known.get(id(circuit))) is not None:
        return found
    amps: list[float] = []
    given: list[float] = []
    breaches: list[Breach] = []
    inlet_v: float | None = None
    seen: Demand | None = demand
    for k in range(len(circuit.holders), 0, -1):
        holder, stretch = circuit.holders[k - 1], circuit.stretches[k]
        assert seen is not None
        current = section_amps(holder.output_v - stretch.drop_v, stretch.resistance_ohm, seen)
        if current is None:
            breaches.append(Breach("collapse", _end_of(circuit, k, device)))
            seen = None
            break
        volts, opened = _along(stretch, holder.output_v, current)
        breaches.extend(opened)
        if k == len(circuit.holders):
            inlet_v = volts
            if volts < circuit.device_min_v:
                breaches.append(Breach("device minimum", device))
        elif circuit.falls_to is not None and passes_on(circuit.holders[k], volts):
            return _draw_of(circuit.falls_to, demand, device, known)
        else:
            breaches.extend(_input_breaches(circuit.holders[k], volts))
        total = current + stretch.shunt_a
        if holder.output_current_max_a is not None and total > holder.output_current_max_a:
            breaches.append(Breach("converter overload", holder.stage))
        amps.insert(0, current)
        given.insert(0, total)
        seen = holder.demand(total)
    later = circuit.falls_to if circuit.holders and circuit.holders[0].passes_below_v is not None else None
    falls_to = None if later is None else _draw_of(later, demand, device, known)
    weaker = None if circuit.weaker is None else _draw_of(circuit.weaker, demand, device, known)
    made = Draw(circuit, device, seen, tuple(amps), tuple(given), inlet_v, tuple(breaches), falls_to, weaker)
    if known is not None:
        known[id(circuit)] = made
    return made


def passes_on(holder: Holder, volts: float) -> bool:
    """Whether it passes its input on at these volts instead of holding its output."""
    return holder.passes_below_v is not None and volts < holder.passes_below_v


def _along(stretch: Stretch, volts: float, amps: float) -> tuple[float, list[Breach]]:
    """Volts at the end of a stretch that begins at `volts`, and what opens or is overloaded in it."""
    found = []
    for element in stretch.elements:
        found.extend(_element_breaches(element, volts, amps))
        volts -= element.drop_v + amps * element.resistance_ohm
    return volts, found


def _element_breaches(element: Element, volts: float, amps: float) -> list[Breach]:
    if element.trips_v is not None and volts <= element.trips_v:
        return [Breach(element.trips, element.stage)]
    if element.most_a is not None and amps > element.most_a:
        return [Breach("converter overload", element.stage)]
    return []


def _end_of(circuit: Circuit, k: int, device: int) -> int:
    return circuit.holders[k].stage if k < len(circuit.holders) else device


def _input_breaches(holder: Holder, volts: float) -> list[Breach]:
    if volts < holder.input_min_v:
        return [Breach(holder.low_cause, holder.stage)]
    if holder.input_max_v is not None and volts > holder.input_max_v:
        return [Breach("converter input too high", holder.stage)]
    return []


def point(draw: Draw, emf: float) -> Point:
    """The operating point at an EMF (volts): every station from the source to the device.

    Limits do not change the currents: a breached station still states what would flow, so that a
    finding can compare; `breaches` says, in the order of `CAUSES`, why the device would not run.
    """
    circuit, device = draw.circuit, draw.device
    if draw.weaker is not None and emf < circuit.weaker_emf:
        return point(draw.weaker, emf)
    first = circuit.stretches[0]
    current = None if draw.demand is None else section_amps(emf - first.drop_v, first.resistance_ohm, draw.demand)
    entering = 0.5 * (emf - first.drop_v) if current is None else emf - first.drop_v - current * first.resistance_ohm
    if draw.falls_to is not None and passes_on(circuit.holders[0], entering):
        return point(draw.falls_to, emf)
    if current is None:
        breaches = draw.breaches or (Breach("collapse", _end_of(circuit, 0, device)),)
        return Point((Station(-1, emf, emf, 0.0, 0.0, 0.0),), breaches, complete=False, terminal_v=emf)
    found = list(draw.breaches)
    stations: list[Station] = []
    volts = terminal_v = emf
    for k, stretch in enumerate(circuit.stretches):
        for element in stretch.elements:
            lost = element.drop_v + current * element.resistance_ohm
            if k == 0:
                found.extend(_element_breaches(element, volts, current))
            amps = current + element.beside_a
            stations.append(Station(element.stage, volts, volts - lost, amps, amps, lost * amps))
            volts -= lost
            if element.stage == -1:
                terminal_v = volts
                if volts <= circuit.cutoff_v:
                    found.append(Breach("pack cut-off", -1))
        if k < len(circuit.holders):
            holder = circuit.holders[k]
            if k == 0:
                found.extend(_input_breaches(holder, volts))
            _add_holder(stations, holder, volts, current, draw.given[k])
            volts, current = holder.output_v, draw.amps[k]
    if not circuit.holders and volts < circuit.device_min_v:
        found.append(Breach("device minimum", device))
    stations.append(Station(device, volts, volts, current, current, 0.0))
    found.sort(key=lambda breach: CAUSES.index(breach.cause))
    return Point(tuple(stations), tuple(found), complete=True, terminal_v=terminal_v)


def _add_holder(stations: list[Station], holder: Holder, volts: float, amps_in: float, amps_out: float) -> None:
    heat = volts * amps_in - holder.output_v * amps_out
    if holder.stage == -1:  # a bank: its own converter belongs to the source's station
        source = stations.pop()
        stations.append(Station(-1, source.volts_in, holder.output_v, source.amps_in, amps_out, source.heat_w + heat))
    else:
        stations.append(Station(holder.stage, volts, holder.output_v, amps_in, amps_out, heat))


def unloaded_volts(circuit: Circuit, emf: float) -> tuple[float, ...]:
    """Volts entering each holder, then at the inlet, with no current: only drops and holders count."""
    entering = []
    volts = emf
    for k, stretch in enumerate(circuit.stretches):
        volts -= stretch.drop_v
        entering.append(volts)
        if k < len(circuit.holders):
            volts = circuit.holders[k].output_v
    return tuple(entering)
