"""What a made part begins with, from the plan: the bay's cells, a board's heat, a lead's thickness, a pack's mass."""

from __future__ import annotations

from math import pi, sqrt
from typing import Any

from hermotrope.bench.feed import feed_of
from hermotrope.bench.models import Conversion
from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.hours.heat import part_heats
from hermotrope_core.kinds.lead import as_lead
from hermotrope_core.know.bay import cell_size, dummy_size
from hermotrope_core.make.made import MAKERS
from hermotrope_core.make.process import Process
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import maybe, number

PANEL_OF = {"fuse": "fuse", "switch": "toggle", "voltmeter": "meter"}
"""What of a line sits in a panel."""
SLEEVE_MM = 1.0
"""What a wire's sleeve adds to its copper, across (flexible wire of 0.5 to 1.5 mm², usual)."""
USUAL_MM = 0.5
"""90 % half-width of a measure that is usual, and nobody took."""


def starting(conversion: Conversion, kind: str, process: Process) -> tuple[dict[str, Any], dict[str, Any]]:
    """Values by name, and how those are known that come of the plan; everything else is the maker's usual."""
    case = conversion.case
    values: dict[str, Any] = {}
    fields = MAKERS[kind].asked.__struct_fields__
    if "clearance_mm" in fields:
        values["clearance_mm"] = process.clearance_mm
    if kind == "dummy":
        values |= _cell(case)
    elif kind == "box":
        values |= _board(conversion)
    elif kind == "plate" and case.source is not None and (mass := maybe(case.source.mass_g)):
        values["pack_g"] = round(mass, 1)
    elif kind == "template":
        values["cuts"] = _cuts(case)
    known = {
        name: {"mm": value, "doubt_mm": USUAL_MM, "by": "usual"}
        for name, value in values.items()
        if name in ("across_mm", "length_mm", "deep_mm")
    }
    return values, known


def wire_across_mm(area_mm2: float) -> float:
    """A flexible wire over its sleeve, about.

    >>> round(wire_across_mm(0.75), 1)
    2.1
    """
    return 1.1 * 2.0 * sqrt(area_mm2 / pi) + SLEEVE_MM


def _cell(case: Case) -> dict[str, Any]:
    bay = case.device.bay
    if bay is None:
        return {}
    across, deep, long = cell_size(bay)
    leads = [lead for stage in case.path if (lead := as_lead(stage)) is not None]
    wire = {"wire_mm": round(wire_across_mm(number(leads[-1].area_mm2)), 1)} if leads else {}
    return {"across_mm": across, "length_mm": long, "deep_mm": 0.0 if dummy_size(bay).round else deep} | wire


def _board(conversion: Conversion) -> dict[str, Any]:
    """The heat of the hottest converter, and whether it has a trimmer; its leads as two wires in one sleeve."""
    case, feed = conversion.case, feed_of(conversion.case)
    heats = (
        {}
        if feed.situation is None
        else {one.stage: max(w for _, w in one.watts) for one in part_heats(feed.situation)}
    )
    boards = [i for i, stage in enumerate(case.path) if stage.HOLDS and i in heats]
    values: dict[str, Any] = {}
    if boards:
        hottest = max(boards, key=lambda i: heats.get(i, 0.0))
        values["heat_w"] = round(heats.get(hottest, 0.0), 2)
        if getattr(case.path[hottest], "adjusts_from_v", None) is not None:
            values |= {"trimmer_x_mm": 10.0, "trimmer_y_mm": 6.0}
    areas = [number(lead.area_mm2) for stage in case.path if (lead := as_lead(stage)) is not None]
    if areas:
        cord = round(2.0 * wire_across_mm(areas[0]), 1)
        values |= {
            "lead_in_mm": cord,
            "lead_out_mm": round(2.0 * wire_across_mm(areas[-1]), 1),
            "room_mm": round(3 * cord, 1),
        }
    return values | {"label_l_mm": 40.0, "label_w_mm": 16.0}


def _cuts(case: Case) -> list[dict[str, Any]]:
    """The parts of the line that sit in a panel, side by side, and the jack."""
    names = ["jack", *(PANEL_OF[tag] for stage in case.path if (tag := str(stage.__struct_config__.tag)) in PANEL_OF)]
    return [{"part": name, "x": 20.0 + 32.0 * i, "y": 30.0} for i, name in enumerate(names)]


def volts_of(case: Case) -> tuple[float, bool]:
    """The most volts of direct current in the line, and whether mains volts run in it."""
    mains = any(case.mains_at(gap) for gap in range(len(case.path) + 1))
    pack = 0.0 if case.source is None else full_volts(case.source)
    held = [getattr(stage, "held_v", 0.0) for stage in case.path if stage.HOLDS]
    return max([pack, *held]), mains
