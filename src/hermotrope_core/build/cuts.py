"""The cut list: every conductor with its length, gauge, strip and mark; sleeves."""

from __future__ import annotations

import msgspec

from hermotrope_core.plan.case import (
    Case,
    Converter,
    CutOff,
    Diode,
    Fuse,
    KeepAlive,
    Lead,
    Linear,
    Resistor,
    Switch,
    number,
)

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


def cut_list(case: Case) -> tuple[Cut, ...]:
    """What to cut for the leads of the path and the tails of its parts. Colours are left to the maker: marks tell."""
    cuts: list[Cut] = []
    area = _area(case)
    for i, stage in enumerate(case.path):
        part = f"part {i + 1}"
        if case.mains_at(i) or getattr(stage, "built_in", False) or getattr(stage, "bought", False):
            continue  # nobody cuts what carries mains volts, nor what is bought as one piece
        match stage:
            case Lead():
                area = number(stage.area_mm2)
                length = 1000.0 * number(stage.length_m) + ALLOW_MM
                far = "−" if stage.swaps_polarity else "+"
                other = "+" if stage.swaps_polarity else "−"
                cuts.append(
                    Cut(f"{part}, plus conductor", 1, length, area, STRIP_MM, f"+ at the source, {far} at the device")
                )
                cuts.append(
                    Cut(
                        f"{part}, minus conductor", 1, length, area, STRIP_MM, f"− at the source, {other} at the device"
                    )
                )
            case Fuse():
                near = "within 20 cm of the pack’s plus" if not any(isinstance(s, Fuse) for s in case.path[:i]) else ""
                cuts.append(Cut(f"{part}, fuse holder’s tails", 2, TAIL_MM, area, STRIP_MM, f"+, {near}".rstrip(", ")))
            case Switch() | Resistor() | Diode():
                cuts.append(Cut(f"{part}, tails", 2, TAIL_MM, area, STRIP_MM, "+"))
            case Converter() if stage.topology == "inverter":
                cuts.append(Cut(f"{part}, in", 2, TAIL_MM, area, STRIP_MM, "+ and −"))
            case Converter() | Linear() | CutOff():
                count, mark = (2, "+ and −, IN") if case.mains_at(i + 1) else (4, "+ and −, IN and OUT")
                cuts.append(
                    Cut(f"{part}, in and out" if count == 4 else f"{part}, in", count, TAIL_MM, area, STRIP_MM, mark)
                )
            case KeepAlive():
                cuts.append(Cut(f"{part}, across plus and minus", 2, TAIL_MM, area, STRIP_MM, "+ and −"))
    return tuple(cuts)


def _area(case: Case) -> float:
    """The gauge of tails before the first lead: that of the thickest lead; without one the usual hook-up wire."""
    areas = [number(stage.area_mm2) for stage in case.path if isinstance(stage, Lead)]
    return max(areas, default=HOOK_UP_MM2)
