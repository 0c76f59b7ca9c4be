"""Whether a part will fit: how its measures are known, held against the clearance it leaves."""

from __future__ import annotations

from typing import Any

from hermotrope_core.make.measured import Read
from hermotrope_core.make.shape import Remark
from hermotrope_core.make.sizes import SIZES
from hermotrope_core.values.figures import figure, fixed, stated

FITS: dict[str, tuple[str, ...]] = {
    "dummy": ("across_mm", "length_mm"),
    "box": ("board_l_mm", "board_w_mm", "tall_mm"),
    "dock": ("foot_w_mm", "rail_w_mm", "rail_t_mm", "foot_l_mm"),
    "plate": ("fixing_mm",),
    "template": (),
}
"""The measures that must meet something real, for each kind."""


PRINTED_MOST_V = 50.0
"""Above this no printed part may be the only insulation (IEC 61140: extra-low voltage ends at 50 V alternating)."""
HOLDS_LIVE = ("dummy", "box", "dock")
"""What lies against a contact or a board."""


def of_volts(kind: str, most_v: float, *, mains: bool) -> list[Remark]:
    """What volts in the line forbid of a printed part."""
    if kind not in HOLDS_LIVE:
        return []
    if mains:
        return [
            Remark(
                "stop",
                "Mains volts run in this line: nothing printed holds them. Take a bought enclosure that is made for it.",
            )
        ]
    if most_v > PRINTED_MOST_V:
        return [
            Remark("care", f"{figure(most_v, 'V')} run here: nothing printed may be the only insulation of a contact.")
        ]
    return []


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
        told = [f"{SIZES[name].term.lower()} (± {fixed(known[name].doubt_mm, 2)} mm)" for name in loose]
        made.append(
            Remark(
                "care",
                f"Less sure than the clearance of {stated(play)} mm: {_listed(told)}. Print the test slice first.",
            )
        )
    return made


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
