"""The cut list: every conductor with its length, gauge, strip and mark; sleeves."""

from __future__ import annotations

import msgspec

from hermotrope_core.kinds.lead import as_lead, leads_of
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import number

ALLOW_MM = 20.0
"""Added to each conductor for its two joints."""
STRIP_MM = 7.0
TAIL_MM = 150.0
"""Length of the short wires to a fuse holder, switch or board."""
HOOK_UP_MM2 = 0.75


class Cut(msgspec.Struct, frozen=True):
    """So many wires of a length and gauge; `mark` says what to write on them."""

    what: str
    count: int
    length_mm: float
    area_mm2: float
    strip_mm: float
    mark: str
    part: int = 0
    """Of which part of the way, counted from 1 at the source."""


def cut_list(case: Case) -> tuple[Cut, ...]:
    """What to cut for the leads of the path and the tails of its parts. Colours are left to the maker: marks tell."""
    cuts: list[Cut] = []
    area = _area(case)
    for i, stage in enumerate(case.path):
        part = f"part {i + 1}"
        if case.mains_at(i) or stage.inside or getattr(stage, "bought", False):
            continue  # nobody cuts what carries mains volts, nor what is bought as one piece
        tails = stage.tails(case.place(i))
        if tails is not None:
            cuts.append(Cut(f"{part}, {tails.what}", tails.count, TAIL_MM, area, STRIP_MM, tails.mark, i + 1))
        if lead := as_lead(stage):
            area = number(lead.area_mm2)
            length = 1000.0 * number(lead.length_m) + ALLOW_MM
            far = "−" if lead.turns else "+"
            other = "+" if lead.turns else "−"
            cuts.append(
                Cut(
                    f"{part}, plus conductor", 1, length, area, STRIP_MM, f"+ at the source, {far} at the device", i + 1
                )
            )
            cuts.append(
                Cut(
                    f"{part}, minus conductor",
                    1,
                    length,
                    area,
                    STRIP_MM,
                    f"− at the source, {other} at the device",
                    i + 1,
                )
            )
    return tuple(cuts)


def _area(case: Case) -> float:
    """The gauge of tails before the first lead: that of the thickest lead; without one the usual hook-up wire."""
    areas = [number(lead.area_mm2) for _, lead in leads_of(case.path)]
    return max(areas, default=HOOK_UP_MM2)
