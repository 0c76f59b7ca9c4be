"""A dummy cell: the body of a cell with a contact's seat, a groove for the wire, and its poles cut into it."""

from __future__ import annotations

from typing import Literal

from manifold3d import Manifold, OpType

from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Dim, Piece, Remark, Shape, block, bore, plus_and_minus, rod, rounded, slab
from hermotrope_core.make.sizes import Asked
from hermotrope_core.values.figures import fixed

SEAT_DEEP = 10.0
"""How deep a screw that is the contact sits."""
CORE = 0.85
"""Of a screw's thread, the hole in which it cuts its own."""
GROOVE_PLAY = 0.4
SIGN_DEEP = 0.6


class Dummy(Asked, frozen=True):
    """A dummy's measures: of the real cell, of the wire and of the screw that is its contact."""

    across_mm: float = 14.5
    length_mm: float = 50.5
    deep_mm: float = 0.0
    wire_mm: float = 1.8
    screw_mm: float = 3.0
    clearance_mm: float = 0.25
    role: Literal["fed", "through", "insulating"] = "fed"
    """Fed by a wire, connected from end to end, or nothing but a filler."""


def shape(asked: Dummy, process: Process) -> Shape:
    """The dummy lying as it stands in its bay, plus upwards; the section runs along its axis."""
    across = asked.across_mm - 2.0 * asked.clearance_mm
    deep = (asked.deep_mm or asked.across_mm) - 2.0 * asked.clearance_mm
    long = asked.length_mm
    round_ = asked.deep_mm == 0.0
    if round_:
        body = rod((0.0, 0.0, 0.0), across, long)
    else:
        body = slab(rounded((-across / 2, -deep / 2), (across / 2, deep / 2), 1.5), 0.0, long)
    cuts: list[Manifold] = []
    groove = asked.wire_mm + GROOVE_PLAY
    if asked.role == "fed":
        cuts.append(block((-groove / 2, deep / 2 - groove, -1.0), (groove / 2, deep, long + 1.0)))
        cuts += [bore((0.0, 0.0, end), CORE * asked.screw_mm, SEAT_DEEP) for end in (0.0, long - SEAT_DEEP)]
        slot = block((-groove / 2, 0.0, long - groove), (groove / 2, deep, long + 1.0))
        cuts += [slot, block((-groove / 2, 0.0, -1.0), (groove / 2, deep, groove))]
    elif asked.role == "through":
        cuts.append(bore((0.0, 0.0, -1.0), asked.screw_mm, long + 2.0))
    size = min(across, deep) / 5.0
    mark = -0.3 * deep
    if asked.role != "insulating":
        cuts.append(plus_and_minus("+", (0.0, mark, long), size, SIGN_DEEP))
        minus = plus_and_minus("-", (0.0, mark, 0.0), size, SIGN_DEEP)
        cuts.append(minus.mirror((0.0, 0.0, 1.0)))
    solid = Manifold.batch_boolean([body, *cuts], OpType.Subtract) if cuts else body
    dims = [
        Dim("section", (-across / 2, 0.0), (-across / 2, long), "long over its contacts"),
        Dim("plan", (-across / 2, -deep / 2), (across / 2, -deep / 2), "across, its play taken off"),
    ]
    return Shape((Piece("dummy cell", solid),), dims=tuple(dims), remarks=tuple(_remarks(asked, deep, groove)))


def _remarks(asked: Dummy, deep: float, groove: float) -> list[Remark]:
    made = []
    left = deep / 2.0 - groove - CORE * asked.screw_mm / 2.0
    if asked.role == "fed" and left < 1.2:
        made.append(
            Remark(
                "stop",
                f"Between the wire’s groove and the screw only {fixed(left, 1, 'mm')} are left: a thinner wire or screw.",
            )
        )
    if asked.length_mm < 2 * SEAT_DEEP + 2.0 and asked.role == "fed":
        made.append(Remark("stop", "Too short for two screws: make it of two contacts joined by a rod, or of wood."))
    if asked.role == "fed":
        made.append(
            Remark(
                "care",
                "Wire only the end that the bay’s map names as fed; the other screw stays bare.",
            )
        )
    if asked.role == "through":
        joins = "Its rod joins both ends: only where the bay’s map says through-connected."
        made.append(Remark("care", f"{joins} In a slot that is fed it shorts the supply."))
    if asked.role == "insulating":
        made.append(Remark("note", "It only fills its place; nothing is connected to it."))
    made.append(Remark("note", "The bay’s springs press on it: print it lying, so that layers run along it."))
    return made
