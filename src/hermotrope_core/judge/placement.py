"""Where a stage makes no sense, and why: asked while it is dragged along the line, before it is put in.

The order is that of the work: fuse at the pack, switch before whatever draws by itself, cut-off before the
first holder, trigger board at its port, lead anywhere. `None` means that nothing speaks against a place.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from hermotrope_core.circuit.point import full_volts
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stages import Converter, CutOff, Diode, Fuse, KeepAlive, Linear, Resistor, Stage, Switch
from hermotrope_core.plan.case import MOST_STAGES, Case, maybe, number
from hermotrope_core.values.figures import figure

SAME_V = 0.05


class Spot(msgspec.Struct, frozen=True):
    """A place for a stage: path index, and what speaks against it."""

    at: int
    problem: str | None


def spots(case: Case, stage: Stage) -> tuple[Spot, ...]:
    """Every place for a stage, from the pack to the device."""
    return tuple(Spot(at, problem(case, stage, at)) for at in range(len(case.path) + 1))


def problem(case: Case, stage: Stage, at: int) -> str | None:
    """Why a stage makes no sense at a path index, or None."""
    if len(case.path) >= MOST_STAGES:
        return f"the path is full ({MOST_STAGES} stages)"
    before = case.path[:at]
    held = [one for one in before if isinstance(one, Holding)]
    bank = case.source is not None and case.source.regulated_output is not None
    match stage:
        case Fuse():
            return _fuse(case, before, bool(held), bank)
        case Switch():
            if any(isinstance(one, Converter) for one in before):
                return "behind a converter it leaves the converter's own draw running: put it before"
        case CutOff():
            return _cut_off(case, stage, held, bank)
        case KeepAlive():
            if not held and not bank:
                return "there is nothing before it that falls asleep"
        case Holding():
            return _holder(case, stage, _volts_at(case, at))
        case Diode() | Resistor():
            if held:
                return "behind a part that holds the volts it only takes some of them away again"
    return None


def _fuse(case: Case, before: tuple[Stage, ...], held: bool, bank: bool) -> str | None:
    if held:
        return "behind a converter it protects nothing at the pack: within 20 cm of the pack's positive"
    if any(not isinstance(one, Fuse) for one in before) and not bank:
        return "what is before it is unprotected: within 20 cm of the pack's positive"
    return None


def _cut_off(case: Case, stage: CutOff, held: Sequence[Stage], bank: bool) -> str | None:
    if held or bank:
        return "behind a part that holds its volts it never sees the pack run down"
    if case.source is None:
        return None
    full = full_volts(case.source)
    if number(stage.trips_v) >= full:
        return f"it opens at {number(stage.trips_v):g} V, above the full pack's {figure(full, 'V')}"
    return None


def _volts_at(case: Case, at: int) -> tuple[float, float] | None:
    """Lowest and highest volts that arrive at a path index, drops and resistances aside."""
    for one in reversed(case.path[:at]):
        if isinstance(one, Holding):
            return number(one.output_v), number(one.output_v)
    source = case.source
    if source is None:
        return None
    if source.regulated_output is not None:
        held = number(source.regulated_output.output_v)
        return held, held
    full = full_volts(source)
    return number(source.cutoff_v), full


def _holder(case: Case, stage: Converter | Linear, volts: tuple[float, float] | None) -> str | None:
    if volts is None:
        return None
    low, high = volts
    out = number(stage.output_v)
    if isinstance(stage, Linear):
        need = out + number(stage.dropout_v)
        return None if high >= need else f"it needs {figure(need, 'V')} and gets {figure(high, 'V')} at most"
    least, most = maybe(stage.input_min_v) or 0.0, maybe(stage.input_max_v)
    if most is not None and high > most:
        return f"it takes in {most:g} V at most and would get {figure(high, 'V')}"
    if high < least:
        return f"it needs {least:g} V and gets {figure(high, 'V')} at most"
    if stage.topology == "buck" and high < out:
        return f"a buck steps down: it cannot make {out:g} V of {figure(high, 'V')}"
    if stage.topology == "boost" and high > out:
        return f"a boost steps up: it cannot hold {out:g} V from {figure(high, 'V')}"
    if stage.topology == "trigger":
        port = case.source.regulated_output if case.source else None
        if port is None or abs(number(port.output_v) - out) > SAME_V or abs(low - out) > SAME_V:
            return f"a trigger board asks a negotiated port for {out:g} V; here there is none that gives them"
    return None
