"""One fit of a logged run: which columns there are decides what is looked for, and what is said to be out of reach."""

from __future__ import annotations

import msgspec
import numpy as np

from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.fit.load import efficiency_found, load_found
from hermotrope_core.fit.pack import fit_pack, gap_doubt, pack_found, starts_full, table_doubt
from hermotrope_core.fit.result import Fit, Found, Parting
from hermotrope_core.fit.runlog import Array, RunLog
from hermotrope_core.fit.sides import Sides, sides_of
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import duration, figure, fixed
from hermotrope_core.values.known import number

PLAUSIBLE = (0.25, 1.6)
"""A pack's capacity outside this range of its plan is not that pack."""
MOST_GAPS = 0.1
GONE_TAUS = 3.0
"""After so many time constants 95 % of what fades has faded."""


def fit(case: Case, log: RunLog) -> Fit:
    """Fit a finished case to a log. Raises ValueError where the log holds nothing to fit."""
    if len(log) < 20 or not log.columns:
        raise ValueError("a fit takes at least twenty rows of volts or amperes")
    if case.source is not None and CHEMISTRIES[case.source.chemistry].endless:
        raise ValueError("a wall adapter does not run down: there is no pack to fit")
    sides = sides_of(case, log)
    problems: list[str] = []
    share = log.gaps() / max(log.lasts_s, 1e-9)
    if share > MOST_GAPS:
        problems.append(f"{100 * share:.0f} % of the time nothing was logged")
    if float(np.std(_any(sides))) == 0.0:
        problems.append("the readings never change, as if the logger had hung")
    made = fit_pack(case, sides)
    parting: tuple[Parting, ...] = ()
    aside: list[str] = []
    found: list[Found] = []
    if made is None:
        found += _pack_unsaid(case, sides)
    else:
        capacity, resistance = pack_found(
            case, made, gap_doubt(sides, log.gaps()), table_doubt(case, sides, made.capacity)
        )
        parting = made.parting
        for one in made.parting:
            word = "above" if one.volts > 0 else "below"
            problems.append(
                f"from {duration(one.start_s)} to {duration(one.stop_s)} the pack's volts stay "
                f"{fixed(abs(one.volts), 2, 'V')} {word} what any capacity and resistance explain"
            )
        if not PLAUSIBLE[0] <= made.capacity <= PLAUSIBLE[1]:
            problems.append(f"it would take {made.capacity:.2f} times the planned capacity: is this another pack?")
        if not starts_full(case, made, sides):
            problems.append("the run did not begin at the charge that the plan begins with (full, unless stated)")
        if made.surface is not None:
            aside.append(
                f"{fixed(made.surface.volts, 2, 'V')} of surface charge at the start, gone after about "
                f"{duration(GONE_TAUS * made.surface.tau_s)}: it says nothing of the capacity"
            )
        found += [capacity, resistance]
    found += load_found(case, sides)
    efficiency = efficiency_found(case, sides)
    if efficiency is not None:
        found.append(efficiency)
    return Fit(
        tuple(found),
        tuple(problems),
        tuple(aside),
        parting,
        _wh(sides, sides.pack_v, sides.pack_a),
        _wh(sides, sides.inlet_v, sides.inlet_a),
    )


def _any(sides: Sides) -> Array:
    for column in (sides.pack_v, sides.pack_a, sides.inlet_a, sides.inlet_v):
        if column is not None:
            return column
    raise ValueError(
        "a bank's cells are out of reach, and a converter stands between its port and the load: log the plug"
    )


def _wh(sides: Sides, volts: Array | None, amps: Array | None) -> float | None:
    if volts is None or amps is None:
        return None
    return float(np.trapezoid(volts * amps, sides.seconds)) / 3600.0


def _pack_unsaid(case: Case, sides: Sides) -> list[Found]:
    """Why the pack cannot be told, for each way in which columns are missing."""
    source = case.source
    assert source is not None
    held = bool(circuit_of(case).holders)
    if source.regulated_output is not None:
        wh = _wh(sides, sides.inlet_v, sides.inlet_a)
        gave = f"; {figure(wh, 'Wh')} reached the device" if wh is not None else ""
        why = f"cannot tell: the cells are out of reach inside the bank, capacity and efficiency trade off{gave}"
    elif held and sides.pack_v is None and sides.pack_a is None:
        why = "cannot tell: behind the converter, capacity and efficiency trade off; log the pack's side"
    elif sides.pack_a is None:
        why = "cannot tell: without amperes, capacity and load trade off (only their ratio shows)"
    else:
        why = "cannot tell: without the pack's volts, capacity and resistance trade off"
    capacity = Found(
        "capacity", "source.capacity_ah", "Capacity of the pack", "Ah", number(source.capacity_ah), None, 0.0, why
    )
    return [
        capacity,
        msgspec.structs.replace(
            capacity,
            what="resistance",
            place="source.resistance_ohm",
            term="Resistance of the pack",
            unit="Ω",
            was=number(source.resistance_ohm),
        ),
    ]
