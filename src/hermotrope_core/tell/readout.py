"""Results as plain JSON objects: what the commands print and the pages are delivered."""

from __future__ import annotations

from typing import Any

import msgspec

from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.point import Point, mode_demand, peak_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cautions import cautions
from hermotrope_core.judge.evidence import sources_of
from hermotrope_core.judge.findings import Finding, verdict_of
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode


def run_tree(run: Run) -> dict[str, Any]:
    """A run as the command `solve` prints it: seconds, cause, charge 0..1, watt-hours."""
    return {
        "runtime_s": round(run.runtime_s, 6),
        "end_cause": run.end_cause,
        "final_soc": round(run.final_soc, 9),
        "energy_from_source_wh": round(run.energy_from_source_wh, 6),
        "energy_to_device_wh": round(run.energy_to_device_wh, 6),
    }


def findings_tree(situation: Situation, found: tuple[Finding, ...]) -> dict[str, Any]:
    """Verdict and findings as the command `check` prints them, with where both numbers come from, and the cautions."""
    said = [
        {"caution": one.key, "level": one.level, "place": one.place, "says": one.says, "ask": one.ask}
        for one in cautions(situation.case)
    ]
    trees = [finding_tree(situation, finding) for finding in found]
    return {"verdict": verdict_of(found), "findings": trees, "cautions": said}


def finding_tree(situation: Situation, finding: Finding) -> dict[str, Any]:
    """A finding as a plain object; `have_from` and `limit_from` name the places its numbers rest on."""
    have_from, limit_from = sources_of(situation, finding)
    tree: dict[str, Any] = msgspec.to_builtins(finding)
    return {**tree, "have_from": have_from, "limit_from": limit_from}


def stage_label(case: Case, stage: int) -> str:
    """The kind of a station: source, device, or the stage's own name."""
    if stage == -1:
        return "source"
    return "device" if stage == len(case.path) else case.path[stage].kind


def point_tree(case: Case, at: Point) -> dict[str, Any]:
    """An operating point: every station's volts and amperes on both sides, and its heat in watts."""
    return {
        "runs": at.complete and not at.breaches,
        "stopped_by": [
            {"cause": breach.cause, "station": stage_label(case, breach.stage), "stage": breach.stage}
            for breach in at.breaches
        ],
        "stations": [
            {
                "station": stage_label(case, s.stage),
                "stage": s.stage,
                "volts_in": s.volts_in,
                "volts_out": s.volts_out,
                "amps_in": s.amps_in,
                "amps_out": s.amps_out,
                "heat_w": s.heat_w,
            }
            for s in at.stations
        ],
    }


def demands(modes: tuple[Mode, ...]) -> list[tuple[str, Demand]]:
    """Every mode with a known draw, and after it its peak if one is stated: (name, demand)."""
    found: list[tuple[str, Demand]] = []
    for mode in modes:
        if mode.draw is None:
            continue
        found.append((mode.name, mode_demand(mode)))
        if (peak := peak_demand(mode)) is not None:
            found.append((f"{mode.name}, peak", peak))
    return found


def demand_named(situation: Situation, name: str) -> Demand:
    """The demand of a mode by name. Raises LookupError naming what there is."""
    known = dict(demands(situation.case.device.modes))
    if name not in known:
        raise LookupError(f"{name!r} is no mode of this device (it has: {', '.join(known)})")
    return known[name]
