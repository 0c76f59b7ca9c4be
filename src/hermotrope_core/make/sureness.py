"""Whether a part will fit: how its measures are known, held against the clearance it leaves."""

from __future__ import annotations

from typing import Any

from hermotrope_core.make.measured import Read
from hermotrope_core.make.shape import Remark
from hermotrope_core.make.sizes import SIZES

FITS: dict[str, tuple[str, ...]] = {
    "dummy": ("across_mm", "length_mm"),
    "box": ("board_l_mm", "board_w_mm", "tall_mm"),
    "dock": ("foot_w_mm", "rail_w_mm", "rail_t_mm", "foot_l_mm"),
    "plate": ("fixing_mm",),
    "template": (),
}
"""The measures that must meet something real, for each kind."""


def remarks(kind: str, values: dict[str, Any], known: dict[str, Read]) -> list[Remark]:
    """What to mind of a fit: measures that nobody took, and measures less sure than the clearance is wide."""
    play = float(values.get("clearance_mm", 0.25))
    guessed = [SIZES[name].term.lower() for name in FITS[kind] if name not in known or known[name].by == "usual"]
    loose = [name for name in FITS[kind] if name in known and known[name].doubt_mm > play]
    made = []
    if guessed:
        made.append(
            Remark("care", f"Nobody measured {_listed(guessed)}: take a caliper, and print the test slice first.")
        )
    if loose:
        told = [f"{SIZES[name].term.lower()} (± {known[name].doubt_mm:.2f} mm)" for name in loose]
        made.append(
            Remark("care", f"Less sure than the clearance of {play:g} mm: {_listed(told)}. Print the test slice first.")
        )
    return made


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
