"""A part with measures: marked on a picture, read by caliper, or typed; kept on the shelf for every conversion.

Marks are pixels of the picture, so that a better reference, or a caliper, moves all of them. What follows from them is
worked out here: lengths with their doubt, and places in the part's own frame (x along its outline's first edge).
"""

from __future__ import annotations

from math import hypot
from typing import Any, Literal

import msgspec
import numpy as np

from hermotrope_core.make.sizes import SIZES, problem
from hermotrope_core.photo.doubt import BENT_SHARE, USUAL_DISTANCE_MM, bend, by_caliper, length_between, raised
from hermotrope_core.photo.plane import Points, Reference, plane_of, to_mm, to_px
from hermotrope_core.values.figures import fixed

Kind = Literal["foot", "board", "panel"]
By = Literal["caliper", "picture", "typed", "usual"]
Role = Literal["outline", "rail", "latch", "contact", "hole", "trimmer", "length", "edge"]
FORMAT = "hermotrope-measured/1"
MOST_MARKS = 80
CALIPER_MM = 0.1
"""90 % half-width of a length read by a caliper on a part that is not quite straight."""
BLADE_MM = 0.8
"""Thickness of a usual blade contact, where nobody measured it."""


class RoleOf(msgspec.Struct, frozen=True):
    """What a mark is: its words, how many points it takes, and what they are."""

    term: str
    points: int
    how: str
    of: tuple[Kind, ...] = ("foot", "board", "panel")


ROLES: dict[str, RoleOf] = {
    "outline": RoleOf("Outline", 3, "two corners of its long edge, then any point of the edge across"),
    "rail": RoleOf("Rail", 2, "across one rail, from its edge to the neck", ("foot",)),
    "latch": RoleOf("Latch", 2, "two opposite corners of the catch", ("foot",)),
    "contact": RoleOf("Contact", 2, "both ends of its slot, along the way in", ("foot",)),
    "hole": RoleOf("Hole", 2, "across it, through its middle", ("board", "panel")),
    "trimmer": RoleOf("Trimmer", 1, "the middle of its screw", ("board",)),
    "length": RoleOf("A length", 2, "from one end to the other; it is only told"),
    "edge": RoleOf("A straight edge", 3, "both ends and the middle; it shows whether the lens bends"),
}
"""In the order in which they are offered."""
TYPED: dict[str, tuple[str, ...]] = {
    "foot": ("foot_l_mm", "foot_w_mm", "rail_w_mm", "rail_t_mm"),
    "board": ("board_l_mm", "board_w_mm", "tall_mm", "thick_mm"),
    "panel": ("panel_l_mm", "panel_w_mm"),
}
"""What a caliper may say of each kind; the first two are its outline."""
MAKES: dict[str, str] = {"foot": "dock", "board": "box", "panel": "template"}
"""What is made of each kind."""


class Mark(msgspec.Struct, frozen=True):
    """Points of the picture (pixels) and what they are; a contact has its name, such as ``+``."""

    role: Role
    points: tuple[tuple[float, float], ...]
    name: str = ""

    def __post_init__(self) -> None:
        if len(self.points) != ROLES[self.role].points:
            raise ValueError(f"{ROLES[self.role].term}: mark {ROLES[self.role].how}")
        if not all(np.isfinite(one).all() and np.abs(one).max() < 1e5 for one in self.points):
            raise ValueError("a point lies outside any picture")
        if len(self.name) > 40:
            raise ValueError("a name has up to 40 letters")


class Measured(msgspec.Struct, frozen=True):
    """A part with measures, as it is kept."""

    kind: Kind
    name: str
    format: str = FORMAT
    reference: Reference | None = None
    marks: tuple[Mark, ...] = ()
    caliper: dict[str, float] = {}
    """Lengths by caliper, in millimetres, by the names of the makers' table."""
    above_mm: float = 0.0
    """How far the marked face stands above the reference."""
    distance_mm: float = USUAL_DISTANCE_MM
    """How far the camera was held above the reference."""

    def __post_init__(self) -> None:
        if self.format != FORMAT:
            raise ValueError(f"format must be {FORMAT}")
        if not 0 < len(self.name.strip()) <= 120:
            raise ValueError("a part has a name, of up to 120 letters")
        if len(self.marks) > MOST_MARKS:
            raise ValueError(f"a part takes up to {MOST_MARKS} marks")
        if not (50.0 <= self.distance_mm <= 5000.0 and 0.0 <= self.above_mm < self.distance_mm / 2.0):
            raise ValueError("the camera is held from 50 mm to 5 m away, and the face lies well below it")
        for name, value in self.caliper.items():
            if name not in TYPED[self.kind]:
                raise ValueError(f"{name} is no measure of a {self.kind}")
            if why := problem(name, value):
                raise ValueError(why)


class Read(msgspec.Struct, frozen=True):
    """A measure with the half-width of its 90 % interval and how it is known."""

    mm: float
    doubt_mm: float
    by: By


class Found(msgspec.Struct):
    """Everything that follows from a part's marks and typed lengths."""

    reads: dict[str, Read] = {}
    holes: list[tuple[float, float, float]] = []
    contacts: list[tuple[float, float, float, float]] = []
    """As the dock has them, seen from above: the picture shows the foot from below, so y is turned over."""
    names: list[str] = []
    """Names of the contacts."""
    lengths: list[tuple[str, Read]] = []
    scale: float = 1.0
    """By what the picture was corrected by caliper."""
    remarks: list[str] = []


def found(part: Measured) -> Found:
    """What is known of a part. Marks without a reference, or outside an outline, are passed over and said."""
    made = Found()
    for name, mm in part.caliper.items():
        made.reads[name] = Read(mm, CALIPER_MM, "caliper")
    if part.reference is None:
        if part.marks:
            made.remarks.append("Mark something of known size first: without it a picture has no millimetres.")
        return made
    outline = next((mark for mark in part.marks if mark.role == "outline"), None)
    if outline is not None:
        _of_outline(part, outline, made)
    for mark in part.marks:
        if mark.role in ("length", "rail"):
            read = _length(part, mark.points[0], mark.points[1], made.scale)
            made.lengths.append((mark.name or ROLES[mark.role].term, read))
            if mark.role == "rail":
                made.reads.setdefault("rail_w_mm", read)
        elif mark.role == "edge":
            _of_edge(part, mark, made)
    if outline is None:
        if any(mark.role in ("latch", "contact", "hole", "trimmer") for mark in part.marks):
            made.remarks.append("Mark the outline: places count from its corner.")
        return made
    _of_places(part, outline, made)
    return made


def _of_outline(part: Measured, outline: Mark, made: Found) -> None:
    """Length and width; where a caliper read one of them too, it corrects the picture."""
    long_name, wide_name = TYPED[part.kind][:2]
    a, b, c = outline.points
    foot = _foot(part, a, b, c)
    pairs = ((long_name, a, b), (wide_name, foot, c))
    factors = []
    for name, first, last in pairs:
        if name in part.caliper and part.reference is not None:
            try:
                factors.append(
                    by_caliper(length_between(part.reference, first, last), part.caliper[name])[0] / _low(part)
                )
            except ValueError as error:
                made.remarks.append(f"{SIZES[name].term}: {error}")
    if factors:
        made.scale = sum(factors) / len(factors)
    for name, first, last in pairs:
        made.reads.setdefault(name, _length(part, first, last, made.scale))


def _low(part: Measured) -> float:
    """By what a length of the marked face is smaller than it reads."""
    return raised(1.0, part.above_mm, part.distance_mm)


def _length(part: Measured, a: tuple[float, float], b: tuple[float, float], scale: float) -> Read:
    assert part.reference is not None
    read = length_between(part.reference, a, b)
    factor = scale * _low(part)
    return Read(read.mm * factor, read.doubt_mm * factor, "picture")


def _foot(
    part: Measured, a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]
) -> tuple[float, float]:
    """The pixel on the long edge right across from a point of the other edge."""
    assert part.reference is not None
    plane = plane_of(part.reference)
    first, last, far = to_mm(plane, np.array([a, b, c], float))
    along = (last - first) / np.hypot(*(last - first))
    at = first + along * float((far - first) @ along)
    whole = np.linalg.inv(plane) @ np.append(at, 1.0)
    return float(whole[0] / whole[2]), float(whole[1] / whole[2])


def _of_edge(part: Measured, mark: Mark, made: Found) -> None:
    assert part.reference is not None
    try:
        bent = bend(to_mm(plane_of(part.reference), np.array(mark.points, float)))
    except ValueError as error:
        made.remarks.append(str(error))
        return
    if bent > BENT_SHARE:
        made.remarks.append(
            f"A straight edge bends by {fixed(100 * bent, 1)} %: the lens is not straight, go farther away and zoom."
        )


def _of_places(part: Measured, outline: Mark, made: Found) -> None:
    """Holes, contacts, latch and trimmer in the frame of the outline."""
    assert part.reference is not None
    plane, factor = plane_of(part.reference), made.scale * _low(part)
    a, b, c = to_mm(plane, np.array(outline.points, float)) * factor
    along = (b - a) / np.hypot(*(b - a))
    across = np.array([-along[1], along[0]])
    if float((c - a) @ across) < 0:
        across = -across

    def place(points: tuple[tuple[float, float], ...]) -> Points:
        off = to_mm(plane, np.array(points, float)) * factor - a
        return np.asarray(np.column_stack([off @ along, off @ across]))

    half = made.reads[TYPED[part.kind][1]].mm / 2.0
    for mark in part.marks:
        if mark.role not in ("hole", "contact", "latch", "trimmer"):
            continue
        at = place(mark.points)
        x, y = (round(float(v), 2) for v in at.mean(axis=0))
        if mark.role == "hole":
            made.holes.append((x, y, round(float(hypot(*(at[1] - at[0]))), 2)))
        elif mark.role == "contact":
            made.contacts.append((x, round(half - y, 2), round(float(hypot(*(at[1] - at[0]))), 2), BLADE_MM))
            made.names.append(mark.name)
        elif mark.role == "trimmer":
            doubt = _length(part, outline.points[0], mark.points[0], made.scale).doubt_mm
            made.reads["trimmer_x_mm"], made.reads["trimmer_y_mm"] = (
                Read(x, doubt, "picture"),
                Read(y, doubt, "picture"),
            )
        else:
            size = np.abs(at[1] - at[0])
            doubt = _length(part, mark.points[0], mark.points[1], made.scale).doubt_mm
            for name, mm in (("latch_x_mm", x), ("latch_l_mm", float(size[0])), ("latch_w_mm", float(size[1]))):
                made.reads[name] = Read(round(mm, 2), doubt, "picture")


def outline_px(part: Measured) -> tuple[tuple[float, float], ...]:
    """The four corners of the outline in pixels; empty without an outline or a reference."""
    outline = next((mark for mark in part.marks if mark.role == "outline"), None)
    if outline is None or part.reference is None:
        return ()
    a, b, c = outline.points
    plane = plane_of(part.reference)
    first, last, foot, far = to_mm(plane, np.array([a, b, _foot(part, a, b, c), c], float))
    across = far - foot
    ring = to_px(plane, np.array([first, last, last + across, first + across]))
    return tuple((round(float(x), 1), round(float(y), 1)) for x, y in ring)


def values_for(part: Measured) -> dict[str, Any]:
    """What a maker takes over from a part: its measures by name, its holes or contacts."""
    known = found(part)
    values: dict[str, Any] = {
        name: round(read.mm, 2) for name, read in known.reads.items() if not problem(name, read.mm)
    }
    if part.kind == "board" and known.holes:
        values["holes"] = known.holes
    if part.kind == "foot" and known.contacts:
        values |= {"contacts": known.contacts, "names": known.names}
    if part.kind == "panel" and known.holes:
        values["cuts"] = [{"part": "", "x": x, "y": y, "across_mm": across} for x, y, across in known.holes]
    return values
