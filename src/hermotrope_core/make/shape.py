"""What a maker hands over: solids by name, flat outlines, the measures that matter, and what is to be minded."""

from __future__ import annotations

from collections.abc import Iterable
from math import cos, pi
from typing import Literal, get_args

import msgspec
from manifold3d import CrossSection, Error, Manifold

from hermotrope_core.make.process import Process
from hermotrope_core.values.figures import fixed, stated

Vector = tuple[float, float, float]
SEGMENTS = 32
"""Sides of a round hole; its flats lie outside the circle, so that what is asked for goes in."""
Level = Literal["stop", "care", "note"]
TOUCHES_MM3 = 1e-6


class Remark(msgspec.Struct, frozen=True):
    """Something to mind before it is printed; a stop must be changed first."""

    level: Level
    says: str


def gravest_first(remarks: Iterable[Remark]) -> list[Remark]:
    """Stops, then cares, then notes; within each as they come."""
    return sorted(remarks, key=lambda one: get_args(Level).index(one.level))


class Dim(msgspec.Struct, frozen=True):
    """A measure to draw: from one point to another, in a view, with its name."""

    view: Literal["plan", "section"]
    a: tuple[float, float]
    b: tuple[float, float]
    name: str


class Label(msgspec.Struct, frozen=True):
    """A word at a place of the view from above."""

    at: tuple[float, float]
    words: str


class Flat(msgspec.Struct, frozen=True):
    """A line of a flat part or a template, in millimetres: a circle, or a closed ring of points."""

    ring: tuple[tuple[float, float], ...] = ()
    centre: tuple[float, float] = (0.0, 0.0)
    across_mm: float = 0.0
    cut: bool = True
    """Cut through; else a mark to drill or to align by."""


class Piece(msgspec.Struct, frozen=True):
    """One solid, as it lies on the printer's bed."""

    name: str
    solid: Manifold
    moved: Vector = (0.0, 0.0, 0.0)
    """Where it belongs in the assembly, for drawings and collisions."""
    turned: bool = False
    """Whether it stands on its head there (a lid is printed on its outer face)."""

    @property
    def placed(self) -> Manifold:
        """The solid where it belongs."""
        there = self.solid.rotate((180.0, 0.0, 0.0)) if self.turned else self.solid
        return there.translate(self.moved)


class Shape(msgspec.Struct, frozen=True):
    """Everything of one made part."""

    pieces: tuple[Piece, ...] = ()
    flats: tuple[Flat, ...] = ()
    dims: tuple[Dim, ...] = ()
    labels: tuple[Label, ...] = ()
    remarks: tuple[Remark, ...] = ()
    holds: tuple[Manifold, ...] = ()
    """What goes in (board, leads, pack), as bodies; none of them may touch a piece."""
    cut: tuple[Literal["x", "y"], float] = ("y", 0.0)
    """The plane of the section: the axis it stands across, and where."""


def block(low: Vector, high: Vector) -> Manifold:
    """An upright block between two corners in millimetres."""
    size = tuple(b - a for a, b in zip(low, high, strict=True))
    return Manifold.cube(size).translate(low)


def rod(centre: Vector, across: float, long: float, along: Literal["x", "y", "z"] = "z") -> Manifold:
    """A round bar of material from `centre` on along an axis; its corners lie on the circle."""
    return _laid(Manifold.cylinder(long, across / 2.0, across / 2.0, SEGMENTS), centre, along)


def bore(centre: Vector, across: float, long: float, along: Literal["x", "y", "z"] = "z") -> Manifold:
    """A round hole: a bar whose flats touch the circle from outside, so that nothing narrower than asked is left.

    Four of the flats stand across the axes.
    """
    radius = across / 2.0 / cos(pi / SEGMENTS)
    return _laid(Manifold.cylinder(long, radius, radius, SEGMENTS).rotate((0.0, 0.0, 180.0 / SEGMENTS)), centre, along)


def _laid(upright: Manifold, centre: Vector, along: str) -> Manifold:
    """An upright bar laid along an axis, from a point on."""
    turns = {"x": (0.0, 90.0, 0.0), "y": (-90.0, 0.0, 0.0), "z": (0.0, 0.0, 0.0)}
    return upright.rotate(turns[along]).translate(centre)


def rounded(low: tuple[float, float], high: tuple[float, float], radius: float) -> CrossSection:
    """A rectangle with round corners."""
    size = (high[0] - low[0], high[1] - low[1])
    radius = min(radius, size[0] / 2.0 - 0.01, size[1] / 2.0 - 0.01)
    if radius <= 0:
        return CrossSection.square(size).translate(low)
    inner = CrossSection.square((size[0] - 2 * radius, size[1] - 2 * radius)).translate(
        (low[0] + radius, low[1] + radius)
    )
    corner = CrossSection.circle(radius, SEGMENTS)
    ends = [
        corner.translate((x, y))
        for x in (low[0] + radius, high[0] - radius)
        for y in (low[1] + radius, high[1] - radius)
    ]
    return CrossSection.batch_hull([inner, *ends])


def slab(outline: CrossSection, low: float, high: float) -> Manifold:
    """An outline drawn up from one height to another."""
    return Manifold.extrude(outline, high - low).translate((0.0, 0.0, low))


def plus_and_minus(sign: str, at: Vector, size: float, deep: float) -> Manifold:
    """A plus or a minus to be cut `deep` into a face that looks upwards."""
    x, y, z = at
    half, thin = size / 2.0, size / 10.0
    bar = block((x - half, y - thin, z - deep), (x + half, y + thin, z + 1.0))
    return bar + block((x - thin, y - half, z - deep), (x + thin, y + half, z + 1.0)) if sign == "+" else bar


def checked(shape: Shape, process: Process) -> tuple[Remark, ...]:
    """What is wrong with the solids themselves: open, empty, in two, too large for the bed, or in the way of a part."""
    made: list[Remark] = []
    for piece in shape.pieces:
        solid = piece.solid
        if solid.status() != Error.NoError or solid.is_empty() or solid.volume() <= 0:
            made.append(Remark("stop", f"The {piece.name} does not come out as a body: change its measures."))
            continue
        if len(solid.decompose()) > 1:
            made.append(
                Remark("stop", f"The {piece.name} falls into {len(solid.decompose())} pieces: thicken its walls.")
            )
        x0, y0, _, x1, y1, _ = solid.bounding_box()
        if max(x1 - x0, y1 - y0) > process.bed_mm:
            made.append(
                Remark(
                    "stop",
                    f"The {piece.name} is {fixed(max(x1 - x0, y1 - y0), 0, 'mm')} long, the bed {stated(process.bed_mm, 'mm')}.",
                )
            )
    if clashes(shape):
        made.append(Remark("stop", "Something that goes in does not fit beside the walls: see the section."))
    return tuple(made)


def clashes(shape: Shape) -> float:
    """Volume in mm³ that pieces and what they hold would share; 0 where everything goes in."""
    pieces = [one.placed for one in shape.pieces]
    shared = [(a ^ b).volume() for i, a in enumerate(pieces) for b in (*pieces[i + 1 :], *shape.holds)]
    total = float(sum(one for one in shared if one > TOUCHES_MM3))
    return total


def reach(flats: tuple[Flat, ...]) -> tuple[float, float, float, float]:
    """Left, bottom, right and top of all lines."""
    points = [point for flat in flats for point in flat.ring]
    for flat in flats:
        if flat.across_mm:
            (x, y), r = flat.centre, flat.across_mm / 2.0
            points += [(x - r, y - r), (x + r, y + r)]
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return min(xs), min(ys), max(xs), max(ys)
