"""The command `outing`, in a module of its own so that the others start without what only it needs."""

from __future__ import annotations

from typing import Any

from hermotrope_core.hours.rotation import packs_in_turn
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several.follow import follow, follow_hourly
from hermotrope_core.tell.nights import inner_tree, packs_tree, supply_tree


def answer(data: bytes) -> dict[str, Any]:
    """Every supply of an outing followed, what own batteries do, and its packs in turn where they are planned.

    Raises `CaseError`, `NeverEnds`.
    """
    outing = read_outing(data)
    runs = [follow(one, outing.conditions, outing.hours) for one in outing.supplies]
    told: dict[str, Any] = {"supplies": [supply_tree(run) for run in runs]}
    for supply, run, tree in zip(outing.supplies, runs, told["supplies"], strict=True):
        for branch, one, shown in zip(supply.branches, run.branches, tree["branches"], strict=True):
            shown.update(inner_tree(branch, outing.conditions, outing.hours, one))
    if outing.hours is not None and (outing.chargers or any(one.spares for one in outing.supplies)):
        told["packs"] = packs_tree(packs_in_turn(outing))
    if outing.conditions.temperature_by_h is not None:
        through = [follow_hourly(one, outing.conditions, outing.hours) for one in outing.supplies]
        told["by_the_hour"] = [supply_tree(run) for run in through]
    return told
