"""Where a stage makes no sense, and why: asked while it is dragged along the line, before it is put in.

The order is that of the work: fuse at the pack, switch before whatever draws by itself, cut-off before the
first holder, trigger board at its port, lead anywhere. `None` means that nothing speaks against a place.
"""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stage import Fed
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.case import MOST_STAGES, Case
from hermotrope_core.values.known import number


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
    return stage.misfit(fed_at(case, at))


def fed_at(case: Case, at: int) -> Fed:
    """What comes to a path index."""
    source, before = case.source, case.path[:at]
    port = source.regulated_output if source else None
    port_v = number(port.output_v) if port else None
    full = full_volts(source) if source else None
    held = next((one.held_v for one in reversed(before) if isinstance(one, Holding)), port_v)
    low, high = (held, held) if held is not None else (number(source.cutoff_v) if source else None, full)
    return Fed(before, port is not None, port_v, low, high, full)
