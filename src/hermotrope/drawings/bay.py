"""A cell bay from above, in millimetres: slots, contacts, links, what goes into each slot, and a ruler."""

from __future__ import annotations

from itertools import groupby

import msgspec

from hermotrope_core.kinds.inlets import CellBay
from hermotrope_core.know.bay import LOOK_ALIKES, BayError, BayPlan, DummySize, cell_size, dummy_size, plan_of

GAP_MM, EDGE_MM, ROW_GAP_MM = 5.0, 15.0, 12.0
REACH_MM, STEP_MM = 3.0, 1.8
RULER_MM = 50
NAME_MM = 25.0
"""Room for the name of a wire."""


class Spot(msgspec.Struct, frozen=True):
    """A contact: its name, place, and the direction that leads out of the slot (-1 up, 1 down)."""

    name: str
    x: float
    y: float
    out: int
    fed: bool
    label_x: float
    label_y: float


class Slot(msgspec.Struct, frozen=True):
    """A slot with what goes into it: fed, through, insulating, or an empty word while that is open."""

    number: int
    x: float
    y: float
    width: float
    height: float
    mid_x: float
    mid_y: float
    plus_up: bool
    dummy: str
    word: str
    core: str
    """Path of the conductor inside the dummy."""
    tail: str
    """Path of the wire that leaves a fed dummy."""


class BayView(msgspec.Struct, frozen=True):
    """Everything that is drawn, in mm, and the plan it follows or why there is none."""

    width: float
    height: float
    slots: tuple[Slot, ...]
    spots: tuple[Spot, ...]
    links: tuple[str, ...]
    leads: tuple[str, ...]
    lead_names: tuple[tuple[float, float], ...]
    """Where "into the device" is written: once for wires that end beside each other."""
    plan: BayPlan | None
    problem: str
    dummy: DummySize
    words: tuple[str, ...]
    ruler: str


def bay_view(bay: CellBay | None) -> BayView | None:
    """The drawing of a bay; None where there is none."""
    if bay is None:
        return None
    plan, problem = None, ""
    try:
        plan = plan_of(bay)
    except BayError as error:
        problem = str(error)
    columns = min(int(bay.columns or len(bay.slots)), len(bay.slots))
    width, _, length = cell_size(bay)
    slots = tuple(_slot(bay, i, plan, columns) for i in range(len(bay.slots)))
    spots = {spot.name: spot for i in range(len(bay.slots)) for spot in _spots(bay, slots[i], plan)}
    rows = -(-len(bay.slots) // columns)
    wide = round(2 * EDGE_MM + columns * width + (columns - 1) * GAP_MM, 1)
    ends = [spots[name] for name in dict.fromkeys(bay.leads)]
    return BayView(
        width=wide,
        height=round(2 * EDGE_MM + rows * length + (rows - 1) * ROW_GAP_MM, 1),
        slots=slots,
        spots=tuple(spots.values()),
        links=tuple(_link(spots[a], spots[b], i) for i, (a, b) in enumerate(bay.links)),
        leads=tuple(f"M{spot.x:g} {spot.y:g}V{_lead_end(spot):g}" for spot in ends),
        lead_names=_lead_names(ends, wide),
        plan=plan,
        problem=problem,
        dummy=dummy_size(bay),
        words=tuple(_words(bay, plan)),
        ruler=_ruler(),
    )


def _slot(bay: CellBay, i: int, plan: BayPlan | None, columns: int) -> Slot:
    width, _, length = cell_size(bay)
    x = EDGE_MM + (i % columns) * (width + GAP_MM)
    y = EDGE_MM + (i // columns) * (length + ROW_GAP_MM)
    dummy = next((d for d in plan.dummies if d.slot == i + 1), None) if plan else None
    kind = dummy.kind if dummy else ""
    plus_up = bay.slots[i] == "up"
    mid = x + width / 2
    core = tail = ""
    if kind == "through":
        core = f"M{mid:g} {y + 1.5:g}V{y + length - 1.5:g}"
    elif dummy and kind == "fed":
        ends = [(contact[-1] == "+") == plus_up for contact in dummy.wires]  # True: the wired end is up
        half = y + length / 2
        core = "".join(f"M{mid:g} {y + 1.5 if up else y + length - 1.5:g}V{half + (-3 if up else 3):g}" for up in ends)
        tail = "".join(f"M{mid:g} {half + (-3 if up else 3):g}H{x + width - 1:g}" for up in ends)
    return Slot(
        i + 1,
        round(x, 2),
        round(y, 2),
        width,
        length,
        round(mid, 2),
        round(y + length / 2, 2),
        plus_up,
        kind,
        kind,
        core,
        tail,
    )


def _spots(bay: CellBay, slot: Slot, plan: BayPlan | None) -> list[Spot]:
    fed = {contact for dummy in plan.dummies for contact in dummy.wires} if plan else set()
    made = []
    for sign in "+-":
        up = (sign == "+") == slot.plus_up
        y = slot.y if up else slot.y + slot.height
        name = f"{slot.number}{sign}"
        out = -1 if up else 1
        spot = Spot(name, slot.mid_x, round(y, 2), out, name in fed, round(slot.x + 1.2, 2), round(y - out * 5.0, 2))
        made.append(spot)
    return made


def _link(a: Spot, b: Spot, order: int) -> str:
    """A conductor outside the slots: out of one contact, across, into the other."""
    reach = REACH_MM + STEP_MM * (order % 3)
    ya, yb = a.y + a.out * reach, b.y + b.out * reach
    if a.out == b.out and a.y == b.y:
        return f"M{a.x:g} {a.y:g}V{ya:g}H{b.x:g}V{b.y:g}"
    if a.x == b.x:
        return f"M{a.x:g} {a.y:g}V{b.y:g}"
    channel = max(a.x, b.x) - (abs(a.x - b.x) / 2 if abs(a.x - b.x) < 60 else GAP_MM)
    return f"M{a.x:g} {a.y:g}V{ya:g}H{channel:g}V{yb:g}H{b.x:g}V{b.y:g}"


def _lead_end(spot: Spot) -> float:
    return spot.y + spot.out * (EDGE_MM - 5.0)


def _lead_names(spots: list[Spot], wide: float) -> tuple[tuple[float, float], ...]:
    """Middle and height of each name, inside the drawing and none over another."""
    names: list[tuple[float, float]] = []
    for y, group in groupby(sorted(spots, key=lambda one: (_lead_end(one), one.x)), key=_lead_end):
        ends = list(group)
        height = round(y + (-1.2 if ends[0].out < 0 else 4.2), 2)
        near: list[float] = []
        for spot in [*ends, None]:
            if near and (spot is None or spot.x - near[-1] > NAME_MM):
                middle = (near[0] + near[-1]) / 2
                names.append((round(min(max(middle, NAME_MM / 2), wide - NAME_MM / 2), 2), height))
                near = []
            near += [] if spot is None else [spot.x]
    return tuple(names)


def _words(bay: CellBay, plan: BayPlan | None) -> list[str]:
    words = []
    if bay.size in LOOK_ALIKES:
        words.append(
            f"A {bay.size} is a 3.7 V cell that looks like an {LOOK_ALIKES[bay.size]} of 1.5 V: never mix them."
        )
    if plan is None:
        return words
    count = len(plan.strings)
    times = f", {count} strings side by side" if count > 1 else ""
    order = " · ".join(" → ".join(str(slot) for slot in string) for string in plan.strings[:4])
    words.append(f"{plan.cells_in_series} in series{times}, from minus to plus: {order}.")
    if plan.unused:
        words.append(f"Slots that take no part: {', '.join(str(slot) for slot in plan.unused)}.")
    return words


def _ruler() -> str:
    return (
        "M0 0V-3.5"
        + "".join(f"M{mm} 0V{-3.5 if mm % 10 == 0 else -2}" for mm in range(5, RULER_MM + 1, 5))
        + (f"M0 0H{RULER_MM}")
    )
