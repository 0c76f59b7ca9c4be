"""Every measure that a maker asks for: its words and the range that makes sense. All in millimetres but where the unit
says otherwise; what is usual stands as the default of each maker's parameters.
"""

from __future__ import annotations

import msgspec

from hermotrope_core.values.figures import stated


class Size(msgspec.Struct, frozen=True):
    """One parameter of a made part."""

    term: str
    low: float
    high: float
    help: str
    unit: str = "mm"

    def problem(self, value: float) -> str:
        """Why a value makes no sense; empty where it does."""
        if self.low <= value <= self.high:
            return ""
        most = stated(self.high, self.unit) if self.unit else stated(self.high)
        return f"{self.term} must be from {stated(self.low)} to {most} (got {stated(value)})"


def _mm(term: str, low: float, high: float, help_: str) -> Size:
    return Size(term, low, high, help_)


SIZES: dict[str, Size] = {
    # any
    "wall_mm": _mm("Wall", 0.8, 10, "Three lines of the nozzle at least for what is screwed."),
    "clearance_mm": _mm("Clearance", 0.05, 2, "Air on each side where two parts meet; by your printer."),
    "screw_mm": _mm("Screw", 1.6, 8, "Its thread; holes to pass it and to cut its thread follow."),
    # dummy
    "across_mm": _mm("Across", 6, 80, "Of the real cell, over its sleeve, by caliper."),
    "deep_mm": _mm("Deep", 0, 80, "Nought for a round cell; else the other side of a block."),
    "length_mm": _mm("Long", 10, 200, "Over both contacts of the real cell."),
    "wire_mm": _mm("Wire, over its sleeve", 0.5, 6, "Over the insulation, by caliper."),
    # box
    "board_l_mm": _mm("Board long", 5, 250, "Its longer side, with what stands out beyond its edge."),
    "board_w_mm": _mm("Board wide", 5, 250, "Its shorter side."),
    "thick_mm": _mm("Board thick", 0.4, 5, "The bare board."),
    "tall_mm": _mm("Parts tall", 1, 80, "The tallest part above the board."),
    "under_mm": _mm("Under it", 1, 20, "Solder points and their air below the board."),
    "room_mm": _mm("Room at its ends", 1, 60, "For soldering, and for the leads to turn in."),
    "lead_in_mm": _mm("Lead in", 1, 15, "Over its sleeve; the plug is fitted afterwards."),
    "lead_out_mm": _mm("Lead out", 1, 15, "Over its sleeve; the plug is fitted afterwards."),
    "trimmer_x_mm": _mm("Trimmer from the left", 0, 250, "From the input end of the board; nought for no hole."),
    "trimmer_y_mm": _mm("Trimmer from below", 0, 250, "From the lower edge of the board."),
    "trimmer_mm": _mm("Hole over it", 2, 20, "Wide enough for the driver, too narrow for a finger."),
    "window_l_mm": _mm("Window long", 0, 150, "For a display, nought for none; it sits in the lid’s middle."),
    "window_w_mm": _mm("Window wide", 0, 150, "Its other side."),
    "label_l_mm": _mm("Label long", 0, 150, "A recess for the box label; nought for none."),
    "label_w_mm": _mm("Label wide", 0, 150, "Its other side."),
    "heat_w": Size("Heat to lose", 0, 200, "From the heaviest mode of the plan.", "W"),
    "rise_k": Size("Air inside may be warmer by", 5, 60, "Above the air around the box.", "K"),
    # dock
    "foot_l_mm": _mm("Foot long", 10, 200, "How far the pack slides in."),
    "foot_w_mm": _mm("Foot wide", 10, 150, "Over both rails."),
    "rail_w_mm": _mm("Rail juts out by", 0.8, 15, "On each side."),
    "rail_t_mm": _mm("Rail thick", 1, 20, "Its height where the dock’s lip grips over it."),
    "latch_x_mm": _mm("Latch from the entry", 0, 200, "Middle of the catch; nought for none."),
    "latch_l_mm": _mm("Latch long", 2, 60, "Along the way in."),
    "latch_w_mm": _mm("Latch wide", 2, 100, "Across it."),
    "base_mm": _mm("Base", 2, 20, "Under the pack; wires run in it from below."),
    "lip_mm": _mm("Lip over the rail", 1, 10, "What keeps the pack from falling out."),
    "holder_l_mm": _mm("Fuse holder long", 0, 80, "Its pocket beside the dock; nought for none."),
    "holder_w_mm": _mm("Fuse holder wide", 4, 40, "Its other side."),
    # plate
    "plate_l_mm": _mm("Plate long", 20, 400, "Along the strap’s way."),
    "plate_w_mm": _mm("Plate wide", 15, 300, "Its other side."),
    "plate_t_mm": _mm("Plate thick", 1.5, 20, "It bends under what hangs on it."),
    "circle_mm": _mm("Hole circle", 0, 200, "Across the middles of the fixing’s holes; nought for one screw."),
    "holes_n": Size("Holes on it", 1, 12, "Evenly around the circle.", ""),
    "fixing_x_mm": _mm("Fixing from the left", 0, 400, "Middle of the screw or of the hole circle."),
    "fixing_mm": _mm("Fixing screw", 2, 16, "Thread of the screw that passes, such as 6.35 for a tripod’s."),
    "strap_mm": _mm("Strap wide", 5, 60, "Slots for it are cut on both sides of the pack."),
    "pack_l_mm": _mm("Pack long", 10, 300, "Along the plate."),
    "pack_w_mm": _mm("Pack wide", 10, 250, "Across the plate, between the strap’s slots."),
    "pack_x_mm": _mm("Pack from the left", 0, 400, "Middle of the pack."),
    "pack_g": Size("What it carries", 1, 20_000, "Pack, dock and box together.", "g"),
    "holds_nm": Size("The fixing holds", 0, 100, "Before it tilts or turns; nought if nobody knows.", "N·m"),
    # template
    "panel_l_mm": _mm("Panel long", 10, 600, "Drawn around the cut-outs."),
    "panel_w_mm": _mm("Panel wide", 10, 400, "Its other side."),
}  # fmt: skip


def problem(name: str, value: float) -> str:
    """Why a value makes no sense; empty where it does.

    >>> problem("wall_mm", 0.1)
    'Wall must be from 0.8 to 10 mm (got 0.1)'
    """
    return SIZES[name].problem(value)


FARTHEST_MM = 600.0
MOST_LISTED = 40


def listed(term: str, rows: tuple[tuple[float, ...], ...], smallest: tuple[float, ...]) -> None:
    """Check a list of places and sizes: how many, and each number within its bounds. Raises ValueError."""
    if len(rows) > MOST_LISTED:
        raise ValueError(f"{term}: up to {MOST_LISTED} of them")
    for i, row in enumerate(rows, 1):
        if not all(low <= value <= FARTHEST_MM for low, value in zip(smallest, row, strict=True)):
            raise ValueError(f"{term}, entry {i}: {', '.join(stated(value) for value in row)} mm cannot be")


class Asked(msgspec.Struct, frozen=True):
    """What all makers' parameters have: every number is one of the table's, and lies in its range."""

    def __post_init__(self) -> None:
        for name in self.__struct_fields__:
            value = getattr(self, name)
            if isinstance(value, float | int) and name in SIZES and (why := problem(name, value)):
                raise ValueError(why)
