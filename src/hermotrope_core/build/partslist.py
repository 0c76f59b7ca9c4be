"""Everything a conversion is made of, with what belongs to it: holders, sleeves, plugs, dummies."""

from __future__ import annotations

import msgspec

from hermotrope_core.kinds.inlets import CellBay
from hermotrope_core.kinds.lead import as_lead, leads_of
from hermotrope_core.kinds.stages import (
    Stage,
)
from hermotrope_core.know.bay import BayError, dummy_size, plan_of
from hermotrope_core.know.connectors import connector_words
from hermotrope_core.know.joints import gaps, lead_to_make
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import maybe, number

BARE_ENDS = ("terminals", "leads")
MAINS_CORD = ("Mains cord", "as bought, with a mark of approval: nobody makes one")


class PartLine(msgspec.Struct, frozen=True):
    """One line: a lasting key, what it is, its figures, how many; the part itself where the shelf may hold it."""

    key: str
    name: str
    detail: str
    count: int
    part: Stage | None = None
    price: float | None = None
    """Of one, where the case states it."""
    is_source: bool = False


def parts_list(case: Case) -> tuple[PartLine, ...]:
    """The parts of a case with a source, in path order; small parts last."""
    return (*large_parts(case), *small_parts(case, 0, len(case.path))) if case.source is not None else ()


def large_parts(case: Case) -> tuple[PartLine, ...]:
    """The source, the parts of the path, what it ends in; empty without a source."""
    source = case.source
    if source is None:
        return ()
    lines = [PartLine("source", source.name, _pack(case), 1, price=maybe(source.price), is_source=True)]
    lines += [
        PartLine(f"stage-{i}", *(MAINS_CORD if _is_cord(case, i) else stage.part), 1, stage)
        for i, stage in enumerate(case.path)
        if not stage.inside
    ]
    lines += _ends(case)
    lines += _dummies(case)
    return tuple(lines)


def small_parts(case: Case, start: int, stop: int) -> tuple[PartLine, ...]:
    """What the parts of path[start:stop] want beside themselves: holders, sleeves, a box."""
    own = range(start, stop)
    lines = []
    joints = 2 * len(soldered(case, start, stop))
    fuses = sum(case.path[i].opens_above_a is not None and not case.path[i].inside for i in own)
    if fuses:
        lines.append(PartLine("fuse-holder", "Fuse holder", "in line, with a cap", fuses))
        lines.append(PartLine("fuse-spare", "Spare fuse links", "of each rating, in the box", fuses))
    if joints:
        lines.append(PartLine("sleeve", "Heat-shrink sleeve", "20 mm each, two sizes over the wire", joints))
    if any(boxed(case, i) for i in own):
        how = "vented or larger where it gets warm; strain relief at both ends"
        lines.append(PartLine("box", "Box for the converter", how, 1))
    return tuple(lines)


def _pack(case: Case) -> str:
    source = case.source
    assert source is not None
    charge, flat = stated(number(source.capacity_ah), "Ah"), number(source.cutoff_v)
    return f"{source.cells_in_series} in series, {charge}, cut-off {stated(flat, 'V')}"


def _ends(case: Case) -> list[PartLine]:
    """The connectors that a lead to make still needs at its two ends."""
    lines = []
    leads = [lead for _, lead in leads_of(case.path)]
    fitted = {lead.bought for lead in leads[:1]}, {lead.bought for lead in leads[-1:]}
    for gap in gaps(case):
        made = lead_to_make(gap.near, gap.far)
        if gap.start == 0 and made.source_end.kind not in BARE_ENDS and True not in fitted[0]:
            lines.append(PartLine("end-source", "Connector at the source", connector_words(made.source_end), 1))
        if (
            gap.stop == len(case.path)
            and made.device_end.kind not in (*BARE_ENDS, "cell-bay")
            and True not in fitted[1]
        ):
            lines.append(PartLine("end-device", "Connector at the device", connector_words(made.device_end), 1))
    return lines


def fed_bay(case: Case) -> CellBay | None:
    """The cell bay, where the device is fed through it."""
    inlet = case.device.inlet
    return case.device.bay if inlet is None or inlet.kind == "cell-bay" else None


def _dummies(case: Case) -> list[PartLine]:
    bay = fed_bay(case)
    if bay is None:
        return []
    try:
        plan = plan_of(bay)
    except BayError:
        return []
    size = dummy_size(bay)
    body = (
        f"⌀ {stated(size.across_mm)} × {stated(size.length_mm, 'mm')}"
        if size.round
        else f"{stated(size.across_mm)} × {stated(size.deep_mm)} × {stated(size.length_mm, 'mm')}"
    )
    words = {
        "fed": "with a screw or disc contact and a wire",
        "through": "a rod from end to end",
        "insulating": "wood or plastic",
    }
    lines = []
    for kind, how in words.items():
        count = sum(dummy.kind == kind for dummy in plan.dummies)
        if count:
            lines.append(PartLine(f"dummy-{kind}", f"Dummy cell, {kind}", f"{body}, {how}", count))
    return lines


def soldered(case: Case, start: int, stop: int) -> list[Stage]:
    """Parts of path[start:stop] whose wires are joined by hand (both conductors each)."""
    own = [(i, case.path[i]) for i in range(start, stop)]
    return [stage for i, stage in own if not as_lead(stage) and not stage.inside and not case.mains_at(i)]


def boxed(case: Case, i: int) -> bool:
    """Whether path[i] is a bare board that wants a box: no inverter, trigger or adapter, which come in one."""
    stage = case.path[i]
    return stage.bare_board and not stage.inside and not case.mains_at(i)


def _is_cord(case: Case, i: int) -> bool:
    return as_lead(case.path[i]) is not None and case.mains_at(i)
