"""Showing the working: a computed number as formula, values put in, result, and where each came from."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.pack import rated_wh
from hermotrope_core.circuit.path import Circuit
from hermotrope_core.circuit.point import Point, mode_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.sums import WORTH_TELLING
from hermotrope_core.kinds.converter import holding_step
from hermotrope_core.kinds.effects import Demand, Station
from hermotrope_core.kinds.stage import Step
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.spread import SPREAD, known_by
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import digits, duration, figure, stated
from hermotrope_core.values.interpolate import at
from hermotrope_core.values.known import Known, KnownBy, Number, Table, number


class Given(msgspec.Struct, frozen=True):
    """An input of the working: term, value as text, how it is known, the document's place, a note."""

    term: str
    value: str
    known_by: KnownBy
    place: str
    note: str = ""


class Working(msgspec.Struct, frozen=True):
    """The working of one number."""

    title: str
    result: str
    steps: tuple[Step, ...]
    givens: tuple[Given, ...]
    remarks: tuple[str, ...] = ()


def given(part: object, name: str, place: str) -> Given | None:
    """An input read from a part of the case; None where it is not stated."""
    x: Number | Table | None = getattr(part, name)
    field = FIELDS[name]
    if x is None:
        return None
    if isinstance(x, tuple):
        text = f"table of {len(x)}"
    else:
        text = figure(number(x), field.unit) if field.unit != "" else f"{number(x):g}"
    note = (x.note or "") if isinstance(x, Known) else ""
    return Given(field.term, text, known_by(x), place, note)


def _some(*given: Given | None) -> Iterator[Given]:
    yield from (one for one in given if one is not None)


def inlet_working(situation: Situation, soc: float, mode: str, demand: Demand) -> Working:
    """How the volts at the inlet follow from the charge left, station by station."""
    case, source = situation.case, situation.source
    emf = situation.circuit.emf(soc)
    now = situation.at_demand(demand, emf)
    cell = emf / source.cells_in_series
    steps = [
        Step(
            "open pack",
            "E = n × cell volts at this charge",
            f"{source.cells_in_series} × {figure(cell, 'V')} at {figure(soc, '%')}",
            figure(emf, "V"),
        )
    ]
    origin = "its own table" if source.ocv else f"typical table of {CHEMISTRIES[source.chemistry].label}"
    givens = [Given("Cell volts", origin, "datasheet" if source.ocv else "typical", "source.ocv")]
    givens += _some(given(source, "resistance_ohm", "source.resistance_ohm"))
    if not now.complete:
        remark = "The path collapses here: no current satisfies P = (E − I R) I, so no volts can be stated."
        return Working(f"Volts at the inlet, {mode}", "none", tuple(steps), tuple(givens), (remark,))
    steps += _source_steps(situation, now.stations[0])
    if source.regulated_output is not None:
        port = source.regulated_output
        givens += _some(
            given(port, "output_v", "source.regulated_output.output_v"),
            given(port, "efficiency", "source.regulated_output.efficiency"),
            given(port, "quiescent_w", "source.regulated_output.quiescent_w"),
        )
    for station in now.stations[1:-1]:
        steps.append(case.path[station.stage].working(station))
        givens += stage_givens(case, station.stage)
    last = now.stations[-1]
    return Working(
        f"Volts at the inlet, {mode}, {figure(soc, '%')} charge",
        figure(last.volts_in, "V"),
        tuple(steps),
        tuple(givens),
        _limits(case, now),
    )


def _source_steps(situation: Situation, station: Station) -> Iterator[Step]:
    source = situation.source
    ohm = situation.circuit.at_emf(station.volts_in).stretches[0].elements[0].resistance_ohm
    volts = station.volts_in - station.amps_in * ohm
    factor = at(situation.cell.resistance_factor_by_temperature_c, situation.temperature_c)
    warm = f" × {digits(factor, 3)} at {figure(situation.temperature_c, '°C')}" if factor != 1.0 else ""
    grown = ohm / (number(source.resistance_ohm) * factor) if number(source.resistance_ohm) else 1.0
    warm += f" × {digits(grown, 3)} at this charge" if abs(grown - 1.0) > 1e-9 else ""
    yield Step(
        "pack under load",
        "V = E − I R",
        f"{figure(station.volts_in, 'V')} − {figure(station.amps_in, 'A')} × "
        f"{figure(number(source.resistance_ohm), 'Ω')}{warm}",
        figure(volts, "V"),
    )
    port = source.regulated_output
    if port is not None:
        holder = situation.circuit.holders[0]
        yield holding_step(
            "the bank's own converter", holder.efficiency_at(station.amps_out), number(port.quiescent_w), station, volts
        )


def stage_givens(case: Case, i: int) -> Iterator[Given]:
    """The inputs of a stage that decide volts and amperes."""
    stage = case.path[i]
    for name in stage.SHOWN:
        yield from _some(given(stage, name, f"path[{i}].{name}"))


def _limits(case: Case, now: Point) -> tuple[str, ...]:
    supply = case.device.supply
    words = [
        f"{FIELDS[name].term.lower()} {figure(number(x), 'V')} ({known_by(x)})"
        for name in ("min_v", "nominal_v", "max_v", "absolute_max_v")
        if (x := getattr(supply, name)) is not None
    ]
    remarks = [f"The device's window: {', '.join(words)}."]
    if now.breaches:
        remarks.append(f"At this point it would not run: {now.breaches[0].cause}.")
    return tuple(remarks)


def runtime_working(situation: Situation) -> Working | None:
    """How the runtime follows from the charge and the duty; None if the duty draws nothing."""
    run, case, circuit, source = situation.run, situation.case, situation.circuit, situation.source
    if run is None:
        return None
    steps = [_charge_step(situation), *(_mode_step(situation, mode) for mode in situation.modes)]
    steps.append(
        Step(
            "the end",
            f"first limit reached, in “{run.end_mode}”",
            f"charge left {figure(run.final_soc, '%', 2)}",
            run.end_cause,
        )
    )
    steps += _used_steps(circuit, run)
    givens = _some(
        given(source, "capacity_ah", "source.capacity_ah"),
        given(source, "resistance_ohm", "source.resistance_ohm"),
        given(source, "state_of_health", "source.state_of_health"),
        given(source, "cutoff_v", "source.cutoff_v"),
        given(source, "reserve_soc", "source.reserve_soc"),
        *(
            given(mode, mode.OWN[mode.kind], f"device.modes[{i}].{mode.OWN[mode.kind]}")
            for i, mode in enumerate(case.device.modes)
            if mode in situation.modes
        ),
        *(g for i in range(len(case.path)) for g in stage_givens(case, i)),
    )
    return Working("Runtime", duration(run.runtime_s), tuple(steps), tuple(givens), _simple_sums(situation))


def _mode_step(situation: Situation, mode: Mode) -> Step:
    amps = [_amps(situation, mode_demand(mode), soc) for soc in (1.0, 0.5, 0.1)]
    duty = situation.case.duty
    share = sum(number(s.seconds) for s in duty.repeat if s.mode == mode.name)
    return Step(
        f"“{mode.name}”",
        "pack amperes at 100, 50, 10 % charge",
        f"{figure(mode.share * share / duty.seconds, '%', 2)} of the time",
        ", ".join("collapses" if a is None else figure(a, "A") for a in amps),
    )


def _used_steps(circuit: Circuit, run: Run) -> Iterator[Step]:
    """The charge that was used, what Peukert's law took of it, and the runtime; nothing for a run that never began."""
    if run.runtime_s <= 0:
        return
    used = circuit.start_soc - run.final_soc
    charge = circuit.charge_ah * used
    yield Step(
        "charge used",
        "Q × (charge at start − left)",
        f"{figure(circuit.charge_ah, 'Ah')} × {figure(used, '%')}",
        figure(charge, "Ah"),
    )
    loss = charge - run.charge_ah
    if loss > WORTH_TELLING * run.charge_ah:
        yield Step(
            "lost to drawing fast",
            "Peukert: × (I / I_rated)^(p − 1) above the rated current",
            f"p = {stated(circuit.peukert, significant=3)}, I_rated = {figure(circuit.rated_a, 'A')}",
            figure(loss, "Ah", 2),
        )
    yield Step(
        "runtime",
        "t = ∫ 3600 Q d(charge) / (I × Peukert), each mode in its turn",
        f"{figure(run.charge_ah, 'Ah')} at {figure(run.charge_ah / (run.runtime_s / 3600.0), 'A')} on average",
        duration(run.runtime_s),
    )


def _amps(situation: Situation, demand: Demand, soc: float) -> float | None:
    now = situation.at_demand(demand, situation.circuit.emf(soc))
    return now.source_a if now.complete else None


def _charge_step(situation: Situation) -> Step:
    source, circuit = situation.source, situation.circuit
    factor = at(situation.cell.capacity_factor_by_temperature_c, situation.temperature_c)
    health = f" × {figure(number(source.state_of_health), '%')}" if source.state_of_health is not None else ""
    return Step(
        "usable charge",
        "Q = capacity × warmth × health",
        f"{figure(number(source.capacity_ah), 'Ah')} × {digits(factor, 3)} "
        f"at {figure(situation.temperature_c, '°C')}{health}",
        figure(circuit.charge_ah, "Ah"),
    )


def _simple_sums(situation: Situation) -> tuple[str, ...]:
    """The sum on the back of an envelope beside ours, so that one sees how far it is off."""
    run, source = situation.run, situation.source
    if run is None or run.runtime_s <= 0:
        return ()
    label = rated_wh(source)
    watts = run.energy_to_device_wh / (run.runtime_s / 3600.0)
    if watts <= 0:
        return ()
    simple = label / watts * 3600.0
    off = simple / run.runtime_s - 1.0
    word = "longer" if off > 0 else "shorter"
    spreads = ", ".join(f"{name} ±{figure(h, '%', 2)}" for name, h in SPREAD.items())
    return (
        "Label watt-hours over mean watts would say "
        f"{duration(simple)} ({figure(label, 'Wh')} / {figure(watts, 'W')}): "
        f"{figure(abs(off), '%', 2)} {word}.",
        f"The range carries how each input is known ({spreads}): draws of all of them, each a whole discharge.",
    )
