"""A plate that carries pack and box: the fixing of the device, straps, and what its weight does to it."""

from __future__ import annotations

from math import cos, pi, sin

from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Dim, Flat, Piece, Remark, Shape, block, bore, rounded, slab
from hermotrope_core.make.sizes import Asked
from hermotrope_core.values.figures import digits, figure, fixed, stated

GRAVITY = 9.81
PLAY_MM = 0.4
STRAP_THICK_MM = 3.0
EDGE_MM = 3.0


class Plate(Asked, frozen=True):
    """A plate's measures; x along it from the left, y from its lower edge."""

    plate_l_mm: float = 140.0
    plate_w_mm: float = 80.0
    plate_t_mm: float = 5.0
    fixing_mm: float = 6.0
    fixing_x_mm: float = 30.0
    circle_mm: float = 0.0
    holes_n: float = 4.0
    pack_l_mm: float = 70.0
    pack_w_mm: float = 50.0
    pack_x_mm: float = 95.0
    strap_mm: float = 20.0
    pack_g: float = 640.0
    holds_nm: float = 0.0


def torque_nm(asked: Plate) -> float:
    """What the pack's weight turns the fixing with, the plate being level: m g x."""
    return asked.pack_g / 1000.0 * GRAVITY * abs(asked.pack_x_mm - asked.fixing_x_mm) / 1000.0


def stress_mpa(asked: Plate) -> float:
    """Bending stress beside the fixing: 6 M / (b t²), b being what the holes leave of the plate's width."""
    left = asked.plate_w_mm - asked.circle_mm - asked.fixing_mm
    return 6.0 * torque_nm(asked) * 1000.0 / (max(left, 1.0) * asked.plate_t_mm**2)


def shape(asked: Plate, process: Process) -> Shape:
    """The plate flat on the bed, with its outline for cutting from sheet."""
    long, wide, thick = asked.plate_l_mm, asked.plate_w_mm, asked.plate_t_mm
    holes, slots = _holes(asked), _slots(asked)
    solid = slab(rounded((0.0, 0.0), (long, wide), 4.0), 0.0, thick)
    for x, y in holes:
        solid -= bore((x, y, -1.0), asked.fixing_mm + PLAY_MM, thick + 2.0)
    for low, high in slots:
        solid -= block((*low, -1.0), (*high, thick + 1.0))
    ring = rounded((0.0, 0.0), (long, wide), 4.0).to_polygons()[0]
    flats = [Flat(tuple((float(x), float(y)) for x, y in ring))]
    flats += [Flat(centre=hole, across_mm=asked.fixing_mm + PLAY_MM) for hole in holes]
    flats += [Flat(((a[0], a[1]), (b[0], a[1]), (b[0], b[1]), (a[0], b[1]))) for a, b in slots]
    dims = (
        Dim("plan", (0.0, 0.0), (long, 0.0), "long"),
        Dim("plan", (0.0, 0.0), (0.0, wide), "wide"),
        Dim("plan", (asked.fixing_x_mm, wide), (asked.pack_x_mm, wide), "from the fixing to the pack’s middle"),
        Dim("section", (0.0, 0.0), (0.0, thick), "thick"),
    )
    return Shape(
        (Piece("plate", solid),), tuple(flats), dims, remarks=tuple(_remarks(asked, process)), cut=("y", wide / 2.0)
    )


def _holes(asked: Plate) -> list[tuple[float, float]]:
    x, y, radius = asked.fixing_x_mm, asked.plate_w_mm / 2.0, asked.circle_mm / 2.0
    if radius == 0.0:
        return [(x, y)]
    turns = [2.0 * pi * k / round(asked.holes_n) for k in range(round(asked.holes_n))]
    return [(x + radius * cos(turn), y + radius * sin(turn)) for turn in turns]


def _slots(asked: Plate) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    """Two pairs of slots beside the pack, one strap at each third of it."""
    made = []
    middle, half = asked.plate_w_mm / 2.0, asked.pack_w_mm / 2.0
    for share in (-1.0, 1.0):
        x = asked.pack_x_mm + share * asked.pack_l_mm / 4.0 - asked.strap_mm / 2.0
        for low in (middle - half - STRAP_THICK_MM, middle + half):
            made.append(((x, low), (x + asked.strap_mm, low + STRAP_THICK_MM)))
    return made


def _remarks(asked: Plate, process: Process) -> list[Remark]:
    made = []
    torque, stress = torque_nm(asked), stress_mpa(asked)
    away = abs(asked.pack_x_mm - asked.fixing_x_mm)
    words = f"{figure(asked.pack_g, 'g')} hang {fixed(away, 0, 'mm')} from the fixing: {digits(torque, 2)} N·m."
    if asked.holds_nm == 0.0:
        made.append(
            Remark(
                "care",
                f"{words} What the fixing holds is not known: try it with the weight before anything hangs high.",
            )
        )
    elif torque > asked.holds_nm:
        made.append(
            Remark(
                "stop",
                f"{words} That is more than the {stated(asked.holds_nm)} N·m the fixing holds: bring the pack nearer.",
            )
        )
    else:
        made.append(Remark("note", f"{words} The fixing holds {stated(asked.holds_nm)}."))
    if stress > process.of.holds_mpa:
        made.append(
            Remark(
                "stop",
                f"The plate bends with {stress:.0f} MPa beside its fixing; {process.of.name} holds "
                f"{stated(process.of.holds_mpa)} for years: thicken it.",
            )
        )
    for (x0, y0), (x1, y1) in _slots(asked):
        if x0 < EDGE_MM or y0 < EDGE_MM or x1 > asked.plate_l_mm - EDGE_MM or y1 > asked.plate_w_mm - EDGE_MM:
            made.append(
                Remark("stop", "A strap’s slot runs out of the plate: make it wider or longer, or move the pack.")
            )
            break
    reach = asked.circle_mm / 2.0 + asked.fixing_mm / 2.0 + EDGE_MM
    if not (reach <= asked.fixing_x_mm <= asked.plate_l_mm - reach and reach <= asked.plate_w_mm / 2.0):
        made.append(Remark("stop", "The fixing’s holes run out of the plate."))
    if any(
        x0 - EDGE_MM < x < x1 + EDGE_MM and y0 - EDGE_MM < y < y1 + EDGE_MM
        for x, y in _holes(asked)
        for (x0, y0), (x1, y1) in _slots(asked)
    ):
        made.append(Remark("stop", "A strap’s slot meets a hole of the fixing: move one of them."))
    made.append(
        Remark("note", "The strap must open without a tool: a lithium pack that warms up is taken away at once.")
    )
    return made
