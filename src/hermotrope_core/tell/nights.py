"""Nights as plain JSON objects: supplies with their devices, own batteries, packs in turn."""

from __future__ import annotations

from math import inf
from typing import Any

from hermotrope_core.hours.rotation import Packs
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Branch
from hermotrope_core.several.follow import BranchRun, SupplyRun
from hermotrope_core.several.inner import carried, stops_s
from hermotrope_core.values.known import Number


def supply_tree(run: SupplyRun) -> dict[str, Any]:
    """A supply's night as the command `outing` prints it, with each of its devices."""
    return {
        "name": run.name,
        "runtime_s": round(run.runtime_s, 6),
        "end_cause": run.end_cause,
        "final_soc": round(run.final_soc, 9),
        "energy_from_source_wh": round(run.energy_from_source_wh, 6),
        "branches": [
            {
                "device": one.device,
                "runtime_s": round(one.runtime_s, 6),
                "end_cause": one.end_cause,
                "energy_to_device_wh": round(one.energy_to_device_wh, 6),
            }
            for one in run.branches
        ],
    }


def inner_tree(branch: Branch, conditions: Conditions, hours: Number | None, one: BranchRun) -> dict[str, Any]:
    """What a device's own battery does in a night; empty where it does nothing."""
    found = carried(branch, conditions, hours, one.runtime_s, over=one.end_cause == "programme over")
    if found is None:
        return {}
    stops = stops_s(branch, conditions, hours, one.runtime_s, over=one.end_cause == "programme over")
    return {
        "own_battery": {
            "from_s": round(found.from_s, 6),
            "until_s": None if found.until_s == inf else round(found.until_s, 6),
            "energy_wh": round(found.energy_wh, 6),
            "filled_s": None if found.filled_s is None else round(found.filled_s, 6),
            "device_stops_s": None if stops == inf else round(stops, 6),
        }
    }


def packs_tree(packs: Packs) -> dict[str, Any]:
    """The packs of an outing in turn, on chargers, and when each is full again."""
    return {
        "supplies": [
            {
                "supply": one.supply,
                "along": one.taken,
                "wanted": one.needed,
                "in_place": [
                    {"pack": span.pack, "from_s": round(span.from_s, 3), "until_s": round(span.until_s, 3),
                     "taken_wh": round(span.taken_wh, 6), "full": span.ready}
                    for span in one.spans
                ],
            }
            for one in packs.rotations
        ],
        "charges": [
            {"supply": one.supply, "pack": one.pack, "from": one.by, "from_s": round(one.from_s, 3),
             "until_s": round(one.until_s, 3)}
            for one in packs.charges
        ],
        "full_again": [
            {"supply": supply, "pack": pack, "at_s": None if at is None else round(at, 3)}
            for supply, pack, at in packs.full_s
        ],
    }  # fmt: skip
