"""The load of each mode, and a converter's losses, from volts and amperes on either side of it."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import msgspec
import numpy as np
import scipy

from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand, point
from hermotrope_core.fit.result import Found, judged
from hermotrope_core.fit.runlog import Array
from hermotrope_core.fit.sides import Sides
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.spread import MEASURED_SPREAD, SPREAD, spread_of
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import figure, fixed
from hermotrope_core.values.known import number

APART = 1.25
"""Two modes are told apart where their watts differ at least by this factor."""
ROUNDS = 30
LEAST_ROWS = 8
MIDDLE_SOC = 0.5


def planned_watts(case: Case, circuit: Circuit, mode: Mode, factor: float, *, at_pack: bool) -> float | None:
    """Watts of a mode at the pack's terminals or at the inlet, half way down, its draw scaled; None if it collapses."""
    demand = mode_demand(mode)
    scaled = Demand(demand.kind, demand.value * factor)
    now = point(draw_of(circuit, scaled, len(case.path)), circuit.emf(MIDDLE_SOC))
    if not now.complete:
        return None
    if not at_pack:
        return now.inlet_v * now.inlet_a
    return now.terminal_v * now.source_a


def sorted_by_mode(watts: Array, planned: list[float]) -> np.ndarray | None:
    """Index of the mode that each row belongs to, by its watts; None where modes lie too close together.

    Lloyd's algorithm in one dimension on the logarithm, started at the planned watts.
    """
    order = sorted(planned)
    if any(b < APART * max(a, 1e-12) for a, b in pairwise(order)):
        return None
    floor = 1e-3 * max(order)
    rows = np.log(np.maximum(watts, floor))
    centres = np.log(np.maximum(np.array(planned), floor))
    nearest = np.zeros(len(rows), dtype=int)
    for _ in range(ROUNDS):
        nearest = np.argmin(np.abs(rows[:, None] - centres[None, :]), axis=1)
        moved = np.array(
            [rows[nearest == k].mean() if (nearest == k).any() else centres[k] for k in range(len(centres))]
        )
        if np.allclose(moved, centres, atol=1e-9):
            break
        centres = moved
    return nearest


def load_found(case: Case, sides: Sides) -> list[Found]:
    """The draw of every mode of the duty, as far as the columns tell it."""
    circuit = circuit_of(case)
    modes = case.duty_modes()
    held = bool(circuit.holders)
    direct = sides.inlet_v is not None and sides.inlet_a is not None
    if not direct and held and sides.inlet_a is None and sides.pack_v is not None and sides.pack_a is not None:
        return _through_holder(case, circuit, sides)
    if not direct:
        return [
            _unsaid(case, mode, "cannot tell: it takes volts and amperes, of the inlet or of the pack")
            for mode in modes
        ]
    assert sides.inlet_v is not None and sides.inlet_a is not None
    watts = sides.inlet_v * sides.inlet_a
    volts, amps = sides.inlet_v, sides.inlet_a

    def told(mode: Mode, rows: Array) -> Found:
        own = {"power": watts[rows], "current": amps[rows]}.get(mode.kind)
        if own is None:  # a resistance: the ratio of the means, which noise does not bend
            now = float(np.sum(volts[rows] * amps[rows]) / np.sum(amps[rows] ** 2))
            own = volts[rows] / np.maximum(amps[rows], 1e-12)
        else:
            now = float(np.mean(own))
        return judged(*_blank_known(case, mode), _deviation(own, now), now, f"mean of {rows.sum()} rows at the inlet")

    return _by_mode(case, watts, _assign(case, circuit, watts, at_pack=False), told)


def _deviation(rows: Array, mean: float) -> float:
    """The relative standard deviation of a mean."""
    return float(np.std(rows) / max(mean, 1e-12) / np.sqrt(len(rows)))


def _by_mode(case: Case, watts: Array, nearest: Array | None, told: Callable[[Mode, Array], Found]) -> list[Found]:
    """Each mode with the rows that are its own; where modes lie too close together, only their mean is told."""
    modes = case.duty_modes()
    if nearest is None:
        mean = figure(float(np.mean(watts)), "W")
        says = f"cannot tell apart: the modes draw nearly the same; together {mean} on average"
        return [_unsaid(case, mode, says) for mode in modes]
    found = []
    for k, mode in enumerate(modes):
        rows = nearest == k
        seen = int(rows.sum()) >= LEAST_ROWS
        found.append(
            told(mode, rows) if seen else _unsaid(case, mode, f"cannot tell: the run never shows “{mode.name}”")
        )
    return found


def _assign(case: Case, circuit: Circuit, watts: Array, *, at_pack: bool) -> np.ndarray | None:
    modes = case.duty_modes()
    if len(modes) == 1:
        return np.zeros(len(watts), dtype=int)
    planned = [planned_watts(case, circuit, mode, 1.0, at_pack=at_pack) for mode in modes]
    known = [one for one in planned if one is not None]
    return sorted_by_mode(watts, known) if len(known) == len(modes) else None


def _through_holder(case: Case, circuit: Circuit, sides: Sides) -> list[Found]:
    """The load seen through a converter: told only where its efficiency is known as if measured."""
    assert sides.pack_v is not None and sides.pack_a is not None
    watts = sides.pack_v * sides.pack_a
    modes = case.duty_modes()
    if not _losses_known(case):
        says = (
            "cannot tell: load and the converter's losses trade off; together they take "
            f"{figure(float(np.mean(watts)), 'W')} from the pack. Log the inlet too, or measure the efficiency"
        )
        return [_unsaid(case, mode, says) for mode in modes]

    def told(mode: Mode, rows: Array) -> Found:
        mean = float(np.mean(watts[rows]))
        factor = _factor(case, circuit, mode, mean)
        if factor is None:
            return _unsaid(case, mode, "cannot tell: no load behind this converter takes what was logged")
        now = number(mode.draw or 0.0) * factor
        off = _deviation(watts[rows], mean)
        return judged(*_blank_known(case, mode), off, now, "the pack's watts less the losses behind")

    return _by_mode(case, watts, _assign(case, circuit, watts, at_pack=True), told)


def _factor(case: Case, circuit: Circuit, mode: Mode, watts: float) -> float | None:
    """The factor on a mode's draw with which the pack gives so many watts."""

    def miss(of_log: float) -> float:
        now = planned_watts(case, circuit, mode, float(np.exp(of_log)), at_pack=True)
        return (1e9 if now is None else now) - watts

    sign = -1.0 if mode.kind == "resistance" else 1.0
    low, high = -2.0 * sign, 2.0 * sign
    if miss(low) > 0.0 or miss(high) < 0.0:
        return None
    return float(np.exp(scipy.optimize.brentq(miss, min(low, high), max(low, high), xtol=1e-9)))


def _losses_known(case: Case) -> bool:
    """Whether every converter's efficiency is known as well as a measurement."""
    parts = [stage for stage in case.path if hasattr(stage, "efficiency")]
    if case.source is not None and case.source.regulated_output is not None:
        parts.append(case.source.regulated_output)  # type: ignore[arg-type]  # both carry an efficiency
    return all(spread_of(part.efficiency) <= MEASURED_SPREAD for part in parts)


def _blank(case: Case, mode: Mode) -> Found:
    index = case.device.modes.index(mode)
    own = Mode.OWN[mode.kind]
    place = f"device.modes[{index}].{own}"
    return Found(
        "load", place, f"{FIELDS[own].term} of “{mode.name}”", FIELDS[own].unit, number(mode.draw or 0.0), None, 0.0, ""
    )


def _blank_known(case: Case, mode: Mode) -> tuple[Found, float]:
    """A mode's draw before the fit, and the half-width to which the plan knows it."""
    return _blank(case, mode), spread_of(mode.draw) if mode.draw is not None else SPREAD["typical"]


def _unsaid(case: Case, mode: Mode, says: str) -> Found:
    return msgspec.structs.replace(_blank(case, mode), says=says)


def efficiency_found(case: Case, sides: Sides) -> Found | None:
    """A converter's efficiency from what goes in and what comes out; None where there is not exactly one to look at.

    With the loss ratio λ = 1/η - 1 as planned and k its factor, P_in - quiescent = P_out (1 + k λ), so
    k = (Σ (P_in - quiescent) - Σ P_out) / Σ P_out λ.
    """
    circuit = circuit_of(case)
    if len(circuit.holders) != 1 or circuit.holders[0].linear or circuit.port or circuit.falls_to:
        return None
    holder = circuit.holders[0]
    place = f"path[{holder.stage}].efficiency"
    stage = case.path[holder.stage]
    planned = getattr(stage, "efficiency", 1.0)
    was = max(y for _, y in planned) if isinstance(planned, tuple) else number(planned)
    blank = Found("efficiency", place, "Efficiency of the converter", "%", was, None, 0.0, "")
    columns = (sides.pack_v, sides.pack_a, sides.inlet_v, sides.inlet_a)
    if any(column is None for column in columns):
        return msgspec.structs.replace(blank, says="cannot tell: it takes the watts on both of its sides")
    pack_v, pack_a, inlet_v, inlet_a = (np.asarray(column) for column in columns)
    first, last = circuit.stretches[0], circuit.stretches[1]
    outside = first.resistance_ohm - first.elements[0].resistance_ohm
    into = (pack_v - pack_a * outside - first.drop_v) * pack_a - holder.quiescent
    out = (inlet_v + inlet_a * last.resistance_ohm + last.drop_v) * (inlet_a + last.shunt_a)
    etas = np.array([holder.efficiency_at(a) for a in (inlet_a + last.shunt_a)[:: max(1, len(inlet_a) // 500)]])
    loss = float(np.mean(1.0 / etas - 1.0))
    if loss <= 0.0:
        return msgspec.structs.replace(blank, says="cannot tell: it is planned without losses")
    ratio = float(np.sum(into) / np.sum(out))
    if ratio <= 1.0:
        return msgspec.structs.replace(blank, says="cannot tell: more came out than went in, so a meter is off")
    now = 1.0 / ratio
    sigma = float(np.std(into - ratio * out) / np.mean(into) / np.sqrt(len(into)))
    if isinstance(planned, tuple):
        return msgspec.structs.replace(
            blank, says=f"cannot tell its rows apart: {fixed(100 * now, 1, '%')} on average", sigma=sigma
        )
    return judged(blank, spread_of(planned), sigma, now, "watts behind it over watts before it, its own draw taken off")
