"""Whether a part will fit: how its measures are known, held against the clearance it leaves."""

from __future__ import annotations

from hermotrope_core.make.dock import Dock
from hermotrope_core.make.measured import Read
from hermotrope_core.make.process import LEAST_CLEARANCE_MM
from hermotrope_core.make.shape import Remark
from hermotrope_core.make.sizes import SIZES, Asked
from hermotrope_core.values.figures import figure, fixed, stated

FITS: dict[str, tuple[str, ...]] = {
    "dummy": ("across_mm", "length_mm"),
    "box": ("board_l_mm", "board_w_mm", "tall_mm"),
    "dock": ("foot_w_mm", "rail_w_mm", "rail_t_mm", "foot_l_mm"),
    "plate": ("fixing_mm",),
    "template": (),
}
"""The measures that must meet something real, for each kind."""
IF_THERE: dict[str, tuple[str, ...]] = {
    "box": ("trimmer_x_mm", "trimmer_y_mm"),
    "dock": ("latch_x_mm", "latch_l_mm", "latch_w_mm"),
}
"""And those of what a part may lack: there where the first of them is above nought."""


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


def may_fit(kind: str) -> tuple[str, ...]:
    """Every measure of a kind that meets something real, in some part of it."""
    return FITS[kind] + IF_THERE.get(kind, ())


def fits(kind: str, asked: Asked) -> tuple[str, ...]:
    """Those of this part."""
    there = IF_THERE.get(kind, ())
    return may_fit(kind) if there and getattr(asked, there[0]) > 0 else FITS[kind]


def remarks(kind: str, asked: Asked, known: dict[str, Read], *, placed: bool) -> list[Remark]:
    """What to mind of a fit: measures that nobody took, and measures less sure than the clearance is wide.

    `placed` says that somebody told where a dock's contacts are.
    """
    met, play = fits(kind, asked), getattr(asked, "clearance_mm", LEAST_CLEARANCE_MM)
    guessed = [SIZES[name].term.lower() for name in met if name not in known or known[name].by == "usual"]
    loose = [name for name in met if name in known and known[name].by != "usual" and known[name].doubt_mm > play]
    if isinstance(asked, Dock) and asked.contacts and not placed:
        guessed.append("where its contacts are")
    elif "contacts" in known and known["contacts"].by == "usual":
        guessed.append("how thick its contacts are")
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
