"""New stages: designed for the case where the core can, with their kind's typical values otherwise."""

from __future__ import annotations

from typing import cast

import msgspec

from hermotrope.bench.feed import feed_of
from hermotrope.entry.typed import EditError
from hermotrope_core.circuit.pack import rated_volts
from hermotrope_core.judge.cures import alarm_change, converter_for, fuse_for, keep_alive_change
from hermotrope_core.kinds.stage import Wanted
from hermotrope_core.kinds.stages import Stage, kind_named
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import maybe, number

FALLBACK_V, FALLBACK_FLAT_V = 12.0, 10.0


def designed(case: Case, kind: str, at: int) -> Stage:
    """A stage of a kind for this case, to stand at path index `at`. Raises `EditError`."""
    try:
        of_kind = kind_named(kind)
    except LookupError:
        raise EditError("choose one of the stages") from None
    return _fitting(case, kind, at) or cast(Stage, of_kind.typical(_wanted(case)))


def _fitting(case: Case, kind: str, at: int) -> Stage | None:
    """What the case asks for, where that can be worked out."""
    if kind == "keep-alive":
        change = keep_alive_change(case, 0.0)
        return msgspec.convert(change[0]["value"], Stage) if change else None
    situation = feed_of(case).situation
    if situation is None:
        return None
    if kind == "fuse" and at == 0:
        return fuse_for(situation)
    if kind == "changeover" and any(stage.HOLDS for stage in case.path[at:]):
        return cast(Stage, kind_named(kind).typical(Wanted(rated_volts(situation.source), _flat_volts(case))))
    if kind == "voltmeter":
        change = alarm_change(situation)
        return msgspec.convert(change[0]["value"], Stage) if change else None
    return converter_for(situation) if kind == "converter" else None


def _wanted(case: Case) -> Wanted:
    return Wanted(maybe(case.device.supply.nominal_v) or FALLBACK_V, _flat_volts(case))


def _flat_volts(case: Case) -> float:
    if case.source is None:
        return FALLBACK_FLAT_V
    port = case.source.regulated_output
    if port is not None:
        return round(0.9 * number(port.output_v), 2)
    return round(case.source.cells_in_series * CHEMISTRIES[case.source.chemistry].cutoff_v, 2)
