"""A box for a board: room with clearance, standoffs, holes for the leads with their ties, vents, lid and label."""

from __future__ import annotations

from math import ceil
from typing import Literal

import msgspec
from manifold3d import Manifold, OpType

from hermotrope_core.make.air import through_walls_w, vents_mm2
from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Dim, Piece, Remark, Shape, block, bore, rod, rounded, slab
from hermotrope_core.make.sizes import Asked, listed
from hermotrope_core.values.figures import digits, figure, fixed, stated

LIP_MM = 3.0
"""How far the lid's lip reaches in; the room above the board begins below it."""
LIP_WALL_MM = 1.2
RIDGE_MM = 0.4
"""How far a lid that snaps bulges into the wall's groove."""
BOSS_MM = 8.0
PILOT = 0.85
HOLE_PLAY_MM = 0.4
COLLAR_MM = 1.5
SLOT_MM = 2.0
"""Width of a vent: too narrow for a finger."""
BAR_MM = 2.0
TIE_MM = (2.0, 4.5)
"""Slots for a cable tie: what it takes to pass one of 3.6 mm."""
TONGUE_MM = 12.0
BENDS = 3.0
"""A lead turns in no less than three times its diameter (flexible cords, fixed)."""
AIR_ABOVE_MM = 1.0
LEDGE_MM = 1.5
"""How far a board without holes rests on a ledge."""


class Box(Asked, frozen=True):
    """A box's measures; the board lies along x, its input at the left."""

    board_l_mm: float = 44.0
    board_w_mm: float = 22.0
    thick_mm: float = 1.6
    tall_mm: float = 14.0
    under_mm: float = 3.0
    room_mm: float = 10.0
    clearance_mm: float = 0.4
    wall_mm: float = 2.0
    lead_in_mm: float = 4.0
    lead_out_mm: float = 4.0
    trimmer_x_mm: float = 0.0
    trimmer_y_mm: float = 0.0
    trimmer_mm: float = 4.0
    window_l_mm: float = 0.0
    window_w_mm: float = 0.0
    label_l_mm: float = 0.0
    label_w_mm: float = 0.0
    heat_w: float = 0.0
    rise_k: float = 20.0
    screw_mm: float = 3.0
    lid: Literal["screws", "snaps"] = "screws"
    holes: tuple[tuple[float, float, float], ...] = ()
    """Holes of the board: x and y from its lower left corner, and across, in millimetres."""

    def __post_init__(self) -> None:
        super().__post_init__()
        listed("Holes", self.holes, (0.0, 0.0, 0.5))


class Inside(msgspec.Struct, frozen=True):
    """The room of a box in millimetres."""

    long: float
    wide: float
    high: float


def inside(asked: Box) -> Inside:
    """The board with its clearance, the room at its ends, and the air under the lid's lip."""
    return Inside(
        asked.board_l_mm + 2.0 * asked.room_mm,
        asked.board_w_mm + 2.0 * asked.clearance_mm,
        asked.under_mm + asked.thick_mm + asked.tall_mm + AIR_ABOVE_MM + LIP_MM,
    )


def shape(asked: Box, process: Process) -> Shape:
    """Body and lid as they are printed; the section runs along the board's middle."""
    room, wall = inside(asked), asked.wall_mm
    outer = Inside(room.long + 2 * wall, room.wide + 2 * wall, room.high + wall)
    vents = _vents(asked, room)
    body = _body(asked, room, outer, vents)
    lid = _lid(asked, room, outer, vents, process)
    remarks = _remarks(asked, room, vents, process)
    top = Piece("lid", lid, (0.0, outer.wide, outer.high + wall), turned=True)
    dims = (
        Dim("section", (wall, wall), (wall + room.long, wall), "inside, long"),
        Dim("section", (wall + room.long, wall), (wall + room.long, wall + room.high), "inside, high"),
        Dim("plan", (wall, wall), (wall, wall + room.wide), "inside, wide"),
        Dim("plan", (0.0, 0.0), (outer.long, 0.0), "outside, long"),
    )
    return Shape(
        (Piece("box", body), top),
        dims=dims,
        remarks=tuple(remarks),
        holds=_holds(asked, outer),
        cut=("y", outer.wide / 2.0),
    )


def _body(asked: Box, room: Inside, outer: Inside, vents: tuple[int, float]) -> Manifold:
    wall = asked.wall_mm
    body = slab(rounded((0, 0), (outer.long, outer.wide), 2.0), 0.0, outer.high)
    adds, cuts = [], [block((wall, wall, wall), (wall + room.long, wall + room.wide, outer.high + 1.0))]
    middle = outer.wide / 2.0
    for x, way, lead in ((0.0, -1.0, asked.lead_in_mm), (outer.long, 1.0, asked.lead_out_mm)):
        across, height = lead + HOLE_PLAY_MM, lead_height(asked, lead)
        start = x - 1.0 if way < 0 else x - wall - 1.0
        cuts.append(bore((start, middle, height), across, wall + 2.0, "x"))
        half = across / 2.0 + TIE_MM[0] + 2.0
        low, high = sorted((x, x + way * TONGUE_MM))
        adds.append(block((low, middle - half, 0.0), (high, middle + half, wall)))
        at = sorted((x + way * 4.0, x + way * (4.0 + TIE_MM[1])))
        for side in (-1.0, 1.0):
            low_y, high_y = sorted((middle + side * (across / 2.0), middle + side * (across / 2.0 + TIE_MM[0])))
            cuts.append(block((at[0], low_y, -1.0), (at[1], high_y, wall + 1.0)))
    if asked.lid == "screws":
        for x, y in _bosses(outer):
            adds.append(rod((x, y, 0.0), BOSS_MM, outer.high))
            cuts.append(bore((x, y, outer.high - 12.0), PILOT * asked.screw_mm, 13.0))
    else:
        groove = block(
            (wall - RIDGE_MM - 0.1, wall - RIDGE_MM - 0.1, outer.high - LIP_MM + 0.6),
            (wall + room.long + RIDGE_MM + 0.1, wall + room.wide + RIDGE_MM + 0.1, outer.high - LIP_MM + 1.8),
        )
        cuts.append(groove)
    count, long = vents
    for k in range(count):
        x = wall + room.long / 2.0 - long / 2.0
        z = _lowest_slot(asked) + k * (SLOT_MM + BAR_MM)
        cuts.append(block((x, -1.0, z), (x + long, outer.wide + 1.0, z + SLOT_MM)))
    shell = Manifold.batch_boolean([Manifold.batch_boolean([body, *adds], OpType.Add), *cuts], OpType.Subtract)
    return Manifold.batch_boolean([shell, *_rests(asked, room)], OpType.Add)


def lead_height(asked: Box, lead: float) -> float:
    """How high a lead's middle comes in: over the board, and within the wall under the lip."""
    return asked.wall_mm + asked.under_mm + asked.thick_mm + lead / 2.0 + HOLE_PLAY_MM


def _rests(asked: Box, room: Inside) -> list[Manifold]:
    """Standoffs under the board's holes, or ledges along its sides."""
    wall = asked.wall_mm
    x0, y0 = wall + asked.room_mm, wall + asked.clearance_mm
    top = wall + asked.under_mm
    if not asked.holes:
        return [
            block((x0, y, wall), (x0 + asked.board_l_mm, y + asked.clearance_mm + LEDGE_MM, top))
            for y in (wall, wall + room.wide - asked.clearance_mm - LEDGE_MM)
        ]
    posts = []
    for x, y, across in asked.holes:
        post = rod((x0 + x, y0 + y, wall), across + 3.0, asked.under_mm)
        posts.append(post - bore((x0 + x, y0 + y, wall + 0.6), PILOT * across, asked.under_mm + 1.0))
    inner = block((wall, wall, 0.0), (wall + room.long, wall + room.wide, top))
    return [post ^ inner for post in posts]


def _bosses(outer: Inside) -> list[tuple[float, float]]:
    """Middles of the lid's screws, outside the room, at its four corners."""
    out = BOSS_MM / 2.0 - 0.5
    return [(x, y) for x in (0.5, outer.long - 0.5) for y in (-out, outer.wide + out)]


def _lid(asked: Box, room: Inside, outer: Inside, vents: tuple[int, float], process: Process) -> Manifold:
    """The lid on its outer face: plate, lip, holes; in the assembly it is turned about its long side."""
    wall, play = asked.wall_mm, process.clearance_mm
    plate = slab(rounded((0, 0), (outer.long, outer.wide), 2.0), 0.0, wall)
    lip = _ring(wall + play, room, play, LIP_WALL_MM).translate((0.0, 0.0, wall))
    adds, cuts = [lip], []
    if asked.lid == "screws":
        for x, y in _bosses(outer):
            adds.append(rod((x, y, 0.0), BOSS_MM, wall))
            cuts.append(bore((x, y, -1.0), asked.screw_mm + HOLE_PLAY_MM, wall + 2.0))
    else:
        ridge = _ring(wall + play - RIDGE_MM, room, play - RIDGE_MM, LIP_WALL_MM, high=0.8)
        adds.append(ridge.translate((0.0, 0.0, wall + LIP_MM - 1.6)))
    if asked.window_l_mm > 0 and asked.window_w_mm > 0:
        cuts.append(_middle(outer, asked.window_l_mm, asked.window_w_mm, -1.0, wall + 1.0))
    elif asked.label_l_mm > 0 and asked.label_w_mm > 0:
        cuts.append(_middle(outer, asked.label_l_mm, asked.label_w_mm, -1.0, 0.4))
    slotted = Manifold.batch_boolean([plate, *_lid_slots(asked, outer, vents, process)], OpType.Subtract)
    if asked.trimmer_x_mm > 0:  # a hole of its own, also where a slot would run through it
        x, y = wall + asked.room_mm + asked.trimmer_x_mm, wall + asked.clearance_mm + asked.trimmer_y_mm
        centre = (x, outer.wide - y)  # the lid lies on its face: what is low in the box is high here
        adds.append(rod((*centre, 0.0), asked.trimmer_mm + 2 * COLLAR_MM, wall) ^ plate)
        cuts.append(bore((*centre, -1.0), asked.trimmer_mm, wall + 2.0))
    whole = Manifold.batch_boolean([slotted, *adds], OpType.Add)
    return Manifold.batch_boolean([whole, *cuts], OpType.Subtract)


def _lid_slots(asked: Box, outer: Inside, vents: tuple[int, float], process: Process) -> list[Manifold]:
    """Vents along both long sides of the lid, inside its lip."""
    wall, (count, long) = asked.wall_mm, vents
    made = []
    for k in range(count):
        y = wall + 2.5 + process.clearance_mm + LIP_WALL_MM + k * (SLOT_MM + BAR_MM)
        x = outer.long / 2.0 - long / 2.0
        for low in sorted({y, outer.wide - y - SLOT_MM}):
            if wall + LIP_WALL_MM < low < outer.wide - wall - LIP_WALL_MM - SLOT_MM:
                made.append(block((x, low, -1.0), (x + long, low + SLOT_MM, wall + 1.0)))
    return made


def _ring(low: float, room: Inside, play: float, thin: float, high: float = LIP_MM) -> Manifold:
    outer = (low + room.long - 2 * play, low + room.wide - 2 * play)
    outside = block((low, low, 0.0), (*outer, high))
    return outside - block((low + thin, low + thin, -1.0), (outer[0] - thin, outer[1] - thin, high + 1.0))


def _middle(outer: Inside, long: float, wide: float, low: float, high: float) -> Manifold:
    x, y = outer.long / 2.0 - long / 2.0, outer.wide / 2.0 - wide / 2.0
    return block((x, y, low), (x + long, y + wide, high))


def _lowest_slot(asked: Box) -> float:
    """Just above the floor; above the board where ledges along the walls would close it."""
    return asked.wall_mm + 0.6 + (0.0 if asked.holes else asked.under_mm + asked.thick_mm)


def surface_mm2(room: Inside) -> float:
    """The walls that lose heat: all but the floor."""
    return room.long * room.wide + 2.0 * room.high * (room.long + room.wide)


def _vents(asked: Box, room: Inside) -> tuple[int, float]:
    """How many slots on each side, low and high, and how long; none where the walls lose the heat."""
    need = vents_mm2(asked.heat_w, asked.rise_k, surface_mm2(room), room.high)
    if need == 0.0:
        return 0, 0.0
    long = min(60.0, 0.6 * room.long)
    return min(ceil(need / 2.0 / (SLOT_MM * long)), _most_slots(room)), long


def _most_slots(room: Inside) -> int:
    """As many as leave wall above them: to half the height, and to a third of the lid on each side."""
    return max(1, int(min(room.high / 2.0, room.wide / 3.0) / (SLOT_MM + BAR_MM)))


def _holds(asked: Box, outer: Inside) -> tuple[Manifold, ...]:
    """The board with the room of its parts, and the two leads on their way in."""
    wall = asked.wall_mm
    x0, y0, z0 = wall + asked.room_mm, wall + asked.clearance_mm, wall + asked.under_mm
    board = block((x0, y0, z0), (x0 + asked.board_l_mm, y0 + asked.board_w_mm, z0 + asked.thick_mm + asked.tall_mm))
    middle = outer.wide / 2.0
    ways = ((-TONGUE_MM, x0, asked.lead_in_mm), (x0 + asked.board_l_mm, outer.long + TONGUE_MM, asked.lead_out_mm))
    leads = [rod((a, middle, lead_height(asked, lead)), lead, b - a, "x") for a, b, lead in ways]
    return (board, *leads)


def _remarks(asked: Box, room: Inside, vents: tuple[int, float], process: Process) -> list[Remark]:
    made = []
    if asked.wall_mm < process.least_wall_mm:
        made.append(
            Remark(
                "stop",
                f"Walls of {stated(asked.wall_mm, 'mm')} are thinner than two lines of a {stated(process.nozzle_mm, 'mm')} nozzle.",
            )
        )
    lead = max(asked.lead_in_mm, asked.lead_out_mm)
    if asked.room_mm < BENDS * lead:
        made.append(
            Remark(
                "care",
                f"A {stated(lead, 'mm')} lead turns in {fixed(BENDS * lead, 0, 'mm')}; the board’s ends leave {stated(asked.room_mm, 'mm')}.",
            )
        )
    if lead_height(asked, lead) + lead / 2.0 + HOLE_PLAY_MM > asked.wall_mm + room.high - LIP_MM:
        made.append(
            Remark("stop", f"A lead of {stated(lead, 'mm')} comes in where the lid’s lip is: the box must be taller.")
        )
    if asked.lead_in_mm + HOLE_PLAY_MM > room.wide or asked.lead_out_mm + HOLE_PLAY_MM > room.wide:
        made.append(Remark("stop", "A lead is wider than the box."))
    if asked.holes and any(not (0 < x < asked.board_l_mm and 0 < y < asked.board_w_mm) for x, y, _ in asked.holes):
        made.append(Remark("stop", "A hole lies beside the board: check its measures."))
    if asked.trimmer_x_mm > asked.board_l_mm or asked.trimmer_y_mm > asked.board_w_mm:
        made.append(Remark("stop", "The trimmer lies beside the board: check its measures."))
    if asked.window_l_mm > room.long - 8.0 or asked.window_w_mm > room.wide - 8.0 or asked.label_l_mm > room.long:
        made.append(Remark("stop", "The window or the label is larger than the lid."))
    if asked.trimmer_x_mm > 0:
        made.append(
            Remark(
                "care", "Set the trimmer before anything hangs on it, with an insulated driver: live parts lie below."
            )
        )
    made += _of_heat(asked, room, vents, process)
    return made


def _of_heat(asked: Box, room: Inside, vents: tuple[int, float], process: Process) -> list[Remark]:
    if asked.heat_w <= 0.0:
        return [Remark("note", "No heat is stated, so there are no vents.")]
    walls = through_walls_w(surface_mm2(room), asked.rise_k)
    count, long = vents
    if count == 0:
        told = [
            Remark(
                "note",
                f"{digits(asked.heat_w, 2)} W leave through the walls at {stated(asked.rise_k, 'K')}; no vents (estimate).",
            )
        ]
    else:
        need = vents_mm2(asked.heat_w, asked.rise_k, surface_mm2(room), room.high)
        have = 2.0 * count * SLOT_MM * long
        words = (
            f"{figure(asked.heat_w, 'W', 2)}, of which the walls lose {figure(walls, 'W', 1)}: {fixed(need, 0, 'mm²')} of slots low "
            "and as many high (estimate)."
        )
        told = [Remark("note", words)]
        if have < 0.95 * need:
            rest = f"Only {fixed(have, 0, 'mm²')} have room: a larger box, more rise, or the board in the open air."
            told.append(Remark("care", f"No air for the heat. {rest}"))
    if asked.rise_k + 35.0 > process.of.softens_c:
        told.append(
            Remark(
                "care",
                f"On a hot day the air inside passes {fixed(process.of.softens_c, 0, '°C')}, where {process.of.name} goes soft.",
            )
        )
    return told
