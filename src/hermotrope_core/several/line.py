"""The shared line from a pack to its fork, in its usual form: a fuse at the pack, then one lead."""

from __future__ import annotations

import msgspec

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.outing import Supply
from hermotrope_core.values.known import maybe

FIELDS = {"rating_a": "fuse", "length_m": "lead", "area_mm2": "lead"}
"""The figures of the line, with the kind of stage in which each stands."""


def shared(supply: Supply) -> dict[str, float | None]:
    """The figures of the line in amperes, metres and square millimetres; None for those it has not."""
    found = {}
    for name, kind in FIELDS.items():
        stage = next((one for one in supply.trunk if one.kind == kind), None)
        found[name] = maybe(getattr(stage, name, None))
    return found


def with_line(supply: Supply, figures: dict[str, float | None]) -> Supply:
    """The supply with another fuse and lead, what else stands in its trunk kept behind them.

    Raises ValueError for a lead without its length or its copper.
    """
    if (figures["length_m"] is None) != (figures["area_mm2"] is None):
        raise ValueError("a lead needs its length and its copper")
    made = []
    for kind in dict.fromkeys(FIELDS.values()):
        told = {name: figures[name] for name, of in FIELDS.items() if of == kind and figures[name] is not None}
        if told:
            made.append(msgspec.convert({"stage": kind, **told}, Stage))
    rest = [stage for stage in supply.trunk if stage.kind not in FIELDS.values()]
    return msgspec.structs.replace(supply, trunk=(*made, *rest))
