"""The operating point of a path: volts, amps and heat at every station, for one charge and mode.

The path is cut at its *holders* (converters, linear regulators, a bank's own output): each holds
its output, so whatever is behind it is independent of the charge in the pack. Between two holders
lies a *stretch* of plain resistances and drops. Working back from the device, each holder becomes
a constant-power (or constant-current) demand on the stretch before it.
"""

from __future__ import annotations

from math import sqrt

import msgspec

from hermotrope_core.kinds.effects import CAUSES, Cause, Demand, Element, Holder, Station, efficiency_of
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.source import RegulatedOutput, Source
from hermotrope_core.values.interpolate import at
from hermotrope_core.values.known import Table, maybe, number


class Stretch(msgspec.Struct, frozen=True, gc=False):
    """Plain stages in series, in order, between the source or a holder and the next holder."""

    elements: tuple[Element, ...]
    resistance_ohm: float
    drop_v: float
    shunt_a: float = 0.0
    """Drawn at its very beginning by loads across it, beside what passes through it. In the first, what that takes
    from the volts on its way is among its drops."""


class Circuit(msgspec.Struct, frozen=True, gc=False):
    """A path ready for computing: pack at its temperature and age, stretches and holders."""

    emf_by_soc: Table
    """Pack EMF in volts over state of charge 0..1, ascending."""
    charge_ah: float
    """Usable charge at temperature and state of health."""
    rated_a: float
    peukert: float
    cutoff_v: float
    start_soc: float
    reserve_soc: float
    stretches: tuple[Stretch, ...]
    holders: tuple[Holder, ...]
    """`holders[k]` ends `stretches[k]` and feeds `stretches[k + 1]`."""
    device_min_v: float
    port: RegulatedOutput | None
    falls_to: Circuit | None = None
    """The same path once its first board that passes on its falling input does so; None where none does."""

    def emf(self, soc: float) -> float:
        """Open-circuit volts of the pack at a state of charge 0..1."""
        return at(self.emf_by_soc, soc)


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
    return above / (resistance_ohm + demand.value) if above > 0.0 and volts > 0.0 else None


def mode_demand(mode: Mode) -> Demand:
    """The mode's typical draw. Raises ValueError while it is unknown.

    Light-emitting diodes, and motors whose load grows with their speed, are a resistance behind volts (`Mode.line`).
    """
    if mode.draw is None:
        raise ValueError(f"mode {mode.name!r} has no draw yet")
    if mode.line is not None:
        return Demand("resistance", *mode.line)
    if number(mode.draw) and (mode.kind == "led" or mode.torque == "with-speed"):
        raise ValueError(f"mode {mode.name!r} does not tell its volts yet")
    return Demand(mode.asks, number(mode.draw))


def peak_demand(mode: Mode) -> Demand | None:
    """The mode's peak (start, stall, transmit), or None where none is stated."""
    if mode.peak_w is not None:
        return Demand("power", number(mode.peak_w))
    if mode.peak_a is not None:
        return Demand("current", number(mode.peak_a))
    if mode.stall_a is not None and mode.at_v is not None:  # held fast, a motor is its own resistance
        return Demand("resistance", number(mode.at_v) / number(mode.stall_a))
    return None


def circuit_of(case: Case) -> Circuit:
    """Prepare the path of a case whose source is chosen. Raises ValueError without a source."""
    boards = [i for i, stage in enumerate(case.path) if stage.passes_on]
    made = _circuit_of(case, boards, None)
    for count in range(len(boards) - 1, -1, -1):
        made = _circuit_of(case, boards[:count], made, boards[count])
    return made


def _circuit_of(case: Case, passing: list[int], falls_to: Circuit | None, falling: int | None = None) -> Circuit:
    """The path while the boards of `passing` pass their input on; `falling` is the next that may."""
    source = case.source
    if source is None:
        raise ValueError("no source is chosen")
    cell = CHEMISTRIES[source.chemistry]
    warmth = number(case.conditions.temperature_c)
    capacity = number(source.capacity_ah)
    ohm = number(source.resistance_ohm) * at(cell.resistance_factor_by_temperature_c, warmth)
    health = maybe(source.state_of_health)
    start, reserve = maybe(source.initial_soc), maybe(source.reserve_soc)
    peukert, hours = maybe(source.peukert), maybe(source.rated_hours)
    stretches, holders = _cut(source, ohm, case.path, passing)
    cells = source.cells_in_series
    table = tuple([(soc, volts * cells) for soc, volts in source.ocv or cell.ocv_by_soc])
    return Circuit(
        emf_by_soc=table,
        charge_ah=capacity * at(cell.capacity_factor_by_temperature_c, warmth) * (1.0 if health is None else health),
        rated_a=capacity / (cell.rated_hours if hours is None else hours),
        peukert=cell.peukert if peukert is None else peukert,
        cutoff_v=number(source.cutoff_v),
        start_soc=1.0 if start is None else start,
        reserve_soc=0.0 if reserve is None else reserve,
        stretches=stretches,
        holders=tuple(_falling(h, case.path[h.stage]) if h.stage == falling else h for h in holders),
        device_min_v=maybe(case.device.supply.min_v) or 0.0,
        port=source.regulated_output,
        falls_to=falls_to,
    )


def _falling(holder: Holder, stage: Stage) -> Holder:
    """A board that passes its input on where it can no longer hold; its own least input stays its end."""
    own = maybe(getattr(stage, "input_min_v", None)) or 0.0
    return msgspec.structs.replace(holder, input_min_v=own, passes_below_v=holder.input_min_v)


def _cut(
    source: Source, ohm: float, path: tuple[Stage, ...], passing: list[int]
) -> tuple[tuple[Stretch, ...], tuple[Holder, ...]]:
    stretches: list[Stretch] = []
    holders: list[Holder] = []
    elements = [Element(-1, ohm, 0.0)]
    shunts = 0.0

    def close() -> None:
        nonlocal shunts
        if shunts and not stretches:
            elements[:] = _carrying(elements, path)
        ohms = drops = 0.0
        for element in elements:  # a plain loop: half the time of two sums
            ohms += element.resistance_ohm
            drops += element.drop_v
        stretches.append(Stretch(tuple(elements), ohms, drops, shunts))
        elements.clear()
        shunts = 0.0

    if source.regulated_output is not None:
        close()
        holders.append(_bank_holder(source.regulated_output))
    for i, stage in enumerate(path):
        holder = None if i in passing else stage.holder(i)
        if holder is None:
            elements.append(stage.element(i))
            shunts += stage.shunt_a
        else:
            close()
            holders.append(holder)
    close()
    return tuple(stretches), tuple(holders)


def _carrying(elements: list[Element], path: tuple[Stage, ...]) -> list[Element]:
    """The elements of the first stretch with what loads across it, further on, draw through them: constant drops."""
    found, beside = [], 0.0
    for one in reversed(elements):
        drop = one.drop_v + beside * one.resistance_ohm
        found.append(msgspec.structs.replace(one, drop_v=drop, beside_a=beside))
        beside += path[one.stage].shunt_a if one.stage >= 0 else 0.0
    return found[::-1]


def _bank_holder(port: RegulatedOutput) -> Holder:
    return Holder(
        stage=-1,
        linear=False,
        output_v=number(port.output_v),
        efficiency=efficiency_of(port.efficiency),
        quiescent=number(port.quiescent_w),
        input_min_v=0.0,
        input_max_v=None,
        output_current_max_a=maybe(port.output_current_max_a),
    )


def draw_of(circuit: Circuit, demand: Demand, device: int) -> Draw:
    """Work a demand at the inlet back to the first stretch; `device` is len(path), to name places."""
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
            return draw_of(circuit.falls_to, demand, device)
        else:
            breaches.extend(_input_breaches(circuit.holders[k], volts))
        total = current + stretch.shunt_a
        if holder.output_current_max_a is not None and total > holder.output_current_max_a:
            breaches.append(Breach("converter overload", holder.stage))
        amps.insert(0, current)
        given.insert(0, total)
        seen = holder.demand(total)
    later = circuit.falls_to if circuit.holders and circuit.holders[0].passes_below_v is not None else None
    falls_to = None if later is None else draw_of(later, demand, device)
    return Draw(circuit, device, seen, tuple(amps), tuple(given), inlet_v, tuple(breaches), falls_to)


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
    first = circuit.stretches[0]
    current = None if draw.demand is None else section_amps(emf - first.drop_v, first.resistance_ohm, draw.demand)
    entering = 0.5 * (emf - first.drop_v) if current is None else emf - first.drop_v - current * first.resistance_ohm
    if draw.falls_to is not None and passes_on(circuit.holders[0], entering):
        return point(draw.falls_to, emf)
    if current is None:
        breaches = draw.breaches or (Breach("collapse", _end_of(circuit, 0, device)),)
        return Point((Station(-1, emf, emf, 0.0, 0.0, 0.0),), breaches, complete=False)
    found = list(draw.breaches)
    stations: list[Station] = []
    volts = emf
    for k, stretch in enumerate(circuit.stretches):
        for element in stretch.elements:
            lost = element.drop_v + current * element.resistance_ohm
            if k == 0:
                found.extend(_element_breaches(element, volts, current))
            amps = current + element.beside_a
            stations.append(Station(element.stage, volts, volts - lost, amps, amps, lost * amps))
            volts -= lost
            if element.stage == -1 and volts <= circuit.cutoff_v:
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
    return Point(tuple(stations), tuple(found), complete=True)


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
