"""A supply with its branches as a SPICE netlist: run to the end of the pack, each device's end by its own `.meas`.

The model of `follow` in another language: branches hang on one node at once and a solver finds its volts; a branch
whose junction falls to its least lets go for good, which a capacitor of one farad remembers. What a branch draws by
itself (`pull`) is taken over; how they meet is not.
"""

from __future__ import annotations

from math import inf, sqrt

from hermotrope_core.circuit.netlist import PathWriter
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand
from hermotrope_core.circuit.spice import EDGE_S, LEAST_V, START_S, num, words
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.plan.outing_document import branch_case
from hermotrope_core.several.follow import follow
from hermotrope_core.several.inner import goes_first
from hermotrope_core.several.pull import Pull, pulls
from hermotrope_core.several.trunk import trunk_case, trunk_circuit
from hermotrope_core.values.known import number

STEPS = 4_000
MOST_CHANGES = 20_000
LEAST_OHM = 1e-6
LETS_GO = 0.01
"""Seconds in which a branch fades once its volts are too low."""


class NotWritten(ValueError):
    """A supply of a form that this netlist does not know."""


def not_written(supply: Supply) -> str:
    """Why a supply is not written as a netlist yet; nothing where it is."""
    held = supply.source.regulated_output is not None or any(stage.HOLDS for stage in supply.trunk)
    for branch in supply.branches:
        name = f"{branch.device.name} is not written as a netlist yet"
        if any(stage.passes_on for stage in branch.path):
            return f"{name}: its board passes its input on"
        if held and any(mode.share < 1.0 for mode in branch.device.modes):
            return f"{name}: a controller switches it behind volts that are held"
        if goes_first(branch):
            return f"{name}: it begins on its own battery"
    return ""


def supply_netlist(supply: Supply, conditions: Conditions, hours: float | None = None) -> str:
    """The netlist of a supply; `.meas` prints `runtime_s` and `ends_0`, `ends_1`, … in seconds.

    Raises `NotWritten` for branches of a form that it does not know; and what `follow` raises.
    """
    if why := not_written(supply):
        raise NotWritten(why)
    run = follow(supply, conditions, hours, most=MOST_CHANGES)
    writer = PathWriter(trunk_case(supply, conditions), trunk_circuit(supply, conditions))
    first = writer.circuit.stretches[0]
    end = writer.path()
    if writer.circuit.holders:  # a constant power collapses where the pack keeps half of its volts for itself
        entering = f"v(emf)-{num(first.drop_v)}-i(Vpack)*{num(first.resistance_ohm)}"
        writer.margins.append(f"{entering}-i(Vpack)*{num(first.resistance_ohm)}")
    lines: list[str] = []
    less: list[str] = []
    shortest = run.runtime_s
    measures = []
    for i, branch in enumerate(supply.branches):
        case = branch_case(branch)
        circuit = circuit_of(case)
        drawn, lets = [], []
        first = circuit.stretches[0]
        way, node = _series(f"way{i}", "junction", first.resistance_ohm / branch.count, first.drop_v)
        for k, mode in enumerate(case.duty_modes()):
            demand = draw_of(circuit, mode_demand(mode), len(case.path))
            made = pulls(demand, mode, branch.count)
            drawn.append(f"v(m{i}_{k})*{_amps(made[0], node)}")
            if made[0].share < 1.0:
                rest = "0" if made[0].between is None else _amps(made[0].between, node)
                share = num(branch.count * (1.0 - made[0].share))
                less.append(f"-v(run{i})*v(m{i}_{k})*{share}*({drawn[-1]}-{rest})")
            if -inf < made[0].stop_v < inf:
                lets.append(f"v(m{i}_{k})*max(0,{num(made[0].stop_v)}-v(junction))")
        lines += _clock(i, branch.duty.turns(), [mode.name for mode in case.duty_modes()])
        if len(branch.duty.turns()) > 1:
            shortest = min(shortest, *(lasts for _, lasts in branch.duty.turns()))
        lines += [
            f"Crun{i} run{i} 0 1 ic=1",
            f"Brun{i} run{i} 0 I = time > {num(START_S)} && ({'+'.join(lets) or '0'}) > 0 ? v(run{i})/{LETS_GO} : 0",
            *way,
            f"Bdraw{i} {node} 0 I = v(run{i}) > 0.5 ? {branch.count}*({'+'.join(drawn)}) : 0",
            f"Ikeep{i} junction 0 {num(branch.count * first.shunt_a)}",
        ]
        measures.append(f".meas tran ends_{i} WHEN v(run{i})=0.5 FALL=1")
    stop = 1.02 * run.runtime_s + 10.0
    step = min(stop / STEPS, shortest / 6.0)
    whole = [f"* {words(supply.called)}", *writer.pack("".join(less)), *writer.lines, f"Vjoin {end} junction 0"]
    return "\n".join([
        *whole,
        *lines,
        *writer.margin(),
        ".options reltol=1e-6 abstol=1e-10 vntol=1e-8 itl4=200",
        f".tran {num(step)} {num(stop)} 0 {num(step)} uic",
        ".meas tran runtime_s WHEN v(margin)=0 FALL=1",
        *measures,
        ".end",
    ]) + "\n"  # fmt: skip


def _series(name: str, begins: str, ohm: float, drop: float) -> tuple[list[str], str]:
    """A resistance and a drop from a node on, as far as there are any; the node behind them."""
    lines = []
    node = begins
    if ohm > 0.0:
        lines.append(f"R{name} {node} {name}r {num(ohm)}")
        node = f"{name}r"
    if drop > 0.0:
        lines.append(f"V{name} {node} {name}d {num(drop)}")
        node = f"{name}d"
    return lines, node


def _amps(pull: Pull, node: str) -> str:
    """Amperes of one device at the end of its way; a power is not followed below the volts at which it collapsed."""
    own = pull.drop - pull.wire_drop
    if pull.kind == "power":
        floor = max(LEAST_V, 0.9 * sqrt(pull.ohm * pull.value))
        if -inf < pull.stop_v < inf:
            floor = max(floor, 0.4 * (pull.stop_v - pull.drop))
        return f"{num(pull.value)}/max(v({node}),{num(floor)})"
    if pull.kind == "current":
        return num(pull.value)
    return f"max(0,v({node})-{num(own)})/{num(pull.value)}"


def _clock(i: int, turns: tuple[tuple[str, float], ...], names: list[str]) -> list[str]:
    """A source for each mode of a branch, 1 V while it is on, over and over."""
    lines: list[str] = []
    cycle = sum(lasts for _, lasts in turns)
    for k, name in enumerate(names):
        if len(turns) == 1:
            return [f"Vm{i}_{k} m{i}_{k} 0 1"]
        starts = []
        at = 0.0
        for mode, lasts in turns:
            if mode == name:
                starts.append((at, lasts))
            at += number(lasts)
        for j, (start, lasts) in enumerate(starts):
            below = f"m{i}_{k}_{j - 1}" if j else "0"
            top = f"m{i}_{k}" if j == len(starts) - 1 else f"m{i}_{k}_{j}"
            width = max(lasts - EDGE_S, EDGE_S)
            edges = f"{num(start)} {num(EDGE_S)} {num(EDGE_S)} {num(width)} {num(cycle)}"
            lines.append(f"Vm{i}_{k}_{j} {top} {below} PULSE(0 1 {edges})")
    return lines
