"""A dock: a channel with lips over a pack's rails, a stop, a latch's recess, slots for the contacts, room for wires."""

from __future__ import annotations

from collections.abc import Iterator

from manifold3d import Manifold, OpType

from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Dim, Label, Piece, Remark, Shape, block, bore, plus_and_minus, rounded, slab
from hermotrope_core.make.sizes import FARTHEST_MM, Asked, listed
from hermotrope_core.values.figures import stated

STOP_MM = 4.0
CHANNEL_MM = 5.0
CHANNEL_DEEP_MM = 3.0
FLANGE_MM = 10.0
SCREW_PLAY_MM = 0.4
LATCH_DEEP_MM = 3.0
MOST_CONTACTS = 12
SIGNS = {"+": "+", "-": "-", "−": "-"}
SIGN_MM, SIGN_DEEP_MM = 5.0, 0.6
BETWEEN_MM = 2.0
"""The least wall between two contacts: less bends, and a wire finds its neighbour."""


class Dock(Asked, frozen=True):
    """A dock's measures, of the pack's foot: x along the way in from the entry, y across it from its middle."""

    foot_l_mm: float = 62.0
    foot_w_mm: float = 48.0
    rail_w_mm: float = 3.0
    rail_t_mm: float = 4.0
    latch_x_mm: float = 0.0
    latch_l_mm: float = 10.0
    latch_w_mm: float = 16.0
    clearance_mm: float = 0.25
    wall_mm: float = 3.0
    lip_mm: float = 3.0
    base_mm: float = 5.0
    screw_mm: float = 4.0
    holder_l_mm: float = 30.0
    holder_w_mm: float = 12.0
    contacts: tuple[tuple[float, float, float, float], ...] = ((50.0, -12.0, 8.0, 0.8), (50.0, 12.0, 8.0, 0.8))
    """Slots for blades: x, y of the middle, long (along x) and thick (along y)."""
    names: tuple[str, ...] = ()
    """What each contact is, as somebody measured it at the pack; plus and minus are cut in beside their slots."""

    def __post_init__(self) -> None:
        super().__post_init__()
        listed("Contacts", self.contacts, (0.0, -FARTHEST_MM, 0.5, 0.2))
        if len(self.contacts) > MOST_CONTACTS or len(self.names) > MOST_CONTACTS:
            raise ValueError(f"a dock has up to {MOST_CONTACTS} contacts")
        if self.names and len(self.names) != len(self.contacts):
            raise ValueError(
                f"name every contact in the order of its place, or none: {len(self.contacts)} contacts, {len(self.names)} names"
            )

    @property
    def named(self) -> Iterator[tuple[tuple[float, float, float, float], str]]:
        """Every contact that was named, with its name."""
        return ((place, name) for place, name in zip(self.contacts, self.names, strict=False) if name)


def shape(asked: Dock, process: Process) -> Shape:
    """The dock on its base, the entry at the left; the section runs across it, through the rails' middle."""
    play, wall, base = asked.clearance_mm, asked.wall_mm, asked.base_mm
    wide, high = asked.foot_w_mm + 2 * play, asked.rail_t_mm + 2 * play
    long = asked.foot_l_mm + play
    half = wide / 2.0 + wall
    gap = wide / 2.0 - asked.rail_w_mm
    top = base + high + asked.lip_mm
    adds = [slab(rounded((0.0, -half - FLANGE_MM), (long + STOP_MM, half + FLANGE_MM), 3.0), 0.0, base)]
    for side in (-1.0, 1.0):
        low, up = sorted((side * wide / 2.0, side * half))
        adds.append(block((0.0, low, 0.0), (long + STOP_MM, up, top)))
        low, up = sorted((side * gap, side * half))
        adds.append(block((0.0, low, base + high), (long + STOP_MM, up, top)))
    adds.append(block((long, -half, 0.0), (long + STOP_MM, half, base + high)))
    if asked.holder_l_mm > 0:
        adds.append(block((0.0, half, 0.0), (asked.holder_l_mm + 4.0, half + asked.holder_w_mm + 4.0, base + 6.0)))
    solid = Manifold.batch_boolean(
        [Manifold.batch_boolean(adds, OpType.Add), *_cuts(asked, half, long)], OpType.Subtract
    )
    dims = (
        Dim("section", (-wide / 2.0, base), (wide / 2.0, base), "between the walls"),
        Dim("section", (gap, base), (gap, base + high), "under the lips"),
        Dim("plan", (0.0, -half), (long, -half), "way in, to the stop"),
        Dim("plan", (long, -gap), (long, gap), "between the lips"),
    )
    body = block(
        (0.0, -asked.foot_w_mm / 2.0, base + play),
        (asked.foot_l_mm, asked.foot_w_mm / 2.0, base + play + asked.rail_t_mm),
    )
    neck = asked.foot_w_mm / 2.0 - asked.rail_w_mm
    body += block((0.0, -neck, base + play), (asked.foot_l_mm, neck, top + 10.0))
    labels = [Label((x, y), name) for (x, y, _, _), name in asked.named]
    return Shape(
        (Piece("dock", solid),), dims=dims, labels=tuple(labels), remarks=tuple(_remarks(asked, process)), holds=(body,),
        cut=("x", asked.foot_l_mm / 2.0),
    )  # fmt: skip


def _cuts(asked: Dock, half: float, long: float) -> list[Manifold]:
    """Slots with their wire channels, the latch's recess, screw holes, the fuse holder's pocket."""
    play, base = asked.clearance_mm, asked.base_mm
    made = []
    for x, y, blade, thick in asked.contacts:
        made.append(
            block(
                (x - blade / 2 - play, y - thick / 2 - play, -1.0),
                (x + blade / 2 + play, y + thick / 2 + play, base + 1.0),
            )
        )
        made.append(
            block(
                (x - blade / 2, y - CHANNEL_MM / 2, -1.0), (long + STOP_MM + 1.0, y + CHANNEL_MM / 2, CHANNEL_DEEP_MM)
            )
        )
    for (x, y, blade, _), name in asked.named:
        if name in SIGNS:
            made.append(plus_and_minus(SIGNS[name], (x - blade / 2 - SIGN_MM, y, base), SIGN_MM, SIGN_DEEP_MM))
    if asked.latch_x_mm > 0:
        x, long_, wide = asked.latch_x_mm, asked.latch_l_mm / 2 + play, asked.latch_w_mm / 2 + play
        made.append(block((x - long_, -wide, base - LATCH_DEEP_MM), (x + long_, wide, base + 1.0)))
    for x in (8.0, long + STOP_MM - 8.0):
        for y in (-half - FLANGE_MM / 2.0, half + FLANGE_MM / 2.0):
            if not (y > 0 and x < asked.holder_l_mm + 10.0 and asked.holder_l_mm > 0):
                made.append(bore((x, y, -1.0), asked.screw_mm + SCREW_PLAY_MM, base + 20.0))
    if asked.holder_l_mm > 0:
        made.append(
            block((2.0, half + 2.0, 2.0), (2.0 + asked.holder_l_mm, half + 2.0 + asked.holder_w_mm, base + 7.0))
        )
    return made


def _remarks(asked: Dock, process: Process) -> list[Remark]:
    made = []
    if asked.rail_w_mm * 2 >= asked.foot_w_mm - 4.0:
        made.append(Remark("stop", "The rails are wider than the foot: check their measures."))
    if min(asked.wall_mm, asked.lip_mm) < process.least_wall_mm:
        made.append(
            Remark(
                "stop",
                f"Walls thinner than two lines of a {stated(process.nozzle_mm, 'mm')} nozzle come out with gaps.",
            )
        )
    if asked.lip_mm < 2.0 or asked.wall_mm < 2.4:
        made.append(Remark("care", "Lip and wall carry the pack: 2.4 mm and more hold a heavy one."))
    if asked.latch_x_mm > 0 and not asked.latch_l_mm / 2 < asked.latch_x_mm < asked.foot_l_mm - asked.latch_l_mm / 2:
        made.append(Remark("stop", "The latch lies outside the foot: check its measures."))
    if asked.latch_x_mm <= 0:
        made.append(Remark("care", "Without a latch the pack can slide out: a strap or a screw must hold it."))
    if asked.base_mm < CHANNEL_DEEP_MM + 1.0:
        made.append(
            Remark("stop", f"The base must be {stated(CHANNEL_DEEP_MM + 1.0, 'mm')} thick over its wire channels.")
        )
    if asked.latch_x_mm > 0 and asked.base_mm < LATCH_DEEP_MM + 1.0:
        made.append(Remark("stop", "The latch’s recess goes through the base: thicken it."))
    made += _of_contacts(asked)
    made.append(
        Remark(
            "care",
            "Measure plus and minus at the pack’s own contacts before you solder: no print tells them.",
        )
    )
    made.append(
        Remark(
            "note",
            "Keep its lips free to the front: the pack must come out without a tool. Lithium packs are not built in.",
        )
    )
    made.append(
        Remark(
            "note", "Print it standing on its stop, so that no lip hangs in the air and the layers run along the rails."
        )
    )
    return made


def _over_latch(asked: Dock, x: float, y: float, blade: float) -> bool:
    if asked.latch_x_mm <= 0:
        return False
    along = abs(x - asked.latch_x_mm) < (asked.latch_l_mm + blade) / 2 + BETWEEN_MM
    return along and abs(y) < asked.latch_w_mm / 2 + BETWEEN_MM


def _of_contacts(asked: Dock) -> list[Remark]:
    made = []
    if not asked.contacts:
        made.append(Remark("stop", "No contact is marked: a dock without contacts only holds."))
    elif not {SIGNS.get(name) for name in asked.names} >= {"+", "-"}:
        made.append(Remark("care", "Which contact is plus and which is minus is not said: measure it, and name them."))
    if any(_over_latch(asked, x, y, blade) for x, y, blade, _ in asked.contacts):
        made.append(Remark("stop", "A contact lies in the latch’s recess: check their measures."))
    for i, (x, y, blade, thick) in enumerate(asked.contacts):
        if not (blade / 2 < x < asked.foot_l_mm and abs(y) + thick / 2 < asked.foot_w_mm / 2 - asked.rail_w_mm):
            made.append(Remark("stop", f"Contact {i + 1} lies outside the foot: check its measures."))
        if any(abs(y - other[1]) < CHANNEL_MM + BETWEEN_MM for other in asked.contacts[i + 1 :]):
            close = "Two contacts lie so close that their wire channels meet, and a loose strand shorts the pack."
            made.append(Remark("stop", f"{close} This dock is not made for them."))
    return made
