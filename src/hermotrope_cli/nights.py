"""The command `outing`, in a module of its own so that the others start without what only it needs."""

from __future__ import annotations

from typing import Any

from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several.follow import follow
from hermotrope_core.tell.readout import supply_tree


def answer(data: bytes) -> dict[str, Any]:
    """The JSON object for an outing document. Raises `CaseError` and `NeverEnds`."""
    outing = read_outing(data)
    return {"supplies": [supply_tree(follow(one, outing.conditions, outing.hours)) for one in outing.supplies]}
