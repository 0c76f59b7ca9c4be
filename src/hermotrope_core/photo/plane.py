"""From the pixels of a picture to millimetres on one flat plane.

Two points and their distance give a scale, right where the camera looked straight down. The four corners of a known
rectangle give true perspective (a homography, Hartley and Zisserman, Multiple View Geometry, 2nd ed., section 2.3).
Millimetres run to the right and upwards; pixels run to the right and downwards.
"""

from __future__ import annotations

from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
"""Shape (n, 2)."""
Matrix = NDArray[np.float64]
"""Shape (3, 3): homogeneous pixels to homogeneous millimetres."""
LEAST_PX = 20.0
"""A reference shorter than this in the picture measures nothing."""
FLATTEST = 0.02
"""Of a quadrilateral's spread squared, the least area that can be a rectangle seen from above."""

SHEETS = {
    "bank card": (85.6, 54.0),
    "A4 sheet": (297.0, 210.0),
    "A5 sheet": (210.0, 148.0),
    "Letter sheet": (279.4, 215.9),
}
"""Things of known size that are at hand: long and wide in mm (ISO/IEC 7810 ID-1, ISO 216, ANSI Y14.1)."""
USUAL_SHEET = "bank card"
REFERENCE_DOUBT_MM = 0.3
"""What is usually known of its length."""


class Reference(msgspec.Struct, frozen=True):
    """Something of known size in the picture.

    ``points`` are two pixels with ``length_mm`` between them, or the four corners of a rectangle in turn: the first
    two along ``length_mm``, the next two along ``width_mm``. ``doubt_mm`` is the 90 % half-width of what is known of
    its length.
    """

    kind: Literal["length", "sheet"]
    points: tuple[tuple[float, float], ...]
    length_mm: float
    width_mm: float = 0.0
    doubt_mm: float = REFERENCE_DOUBT_MM

    def __post_init__(self) -> None:
        wanted = 2 if self.kind == "length" else 4
        if len(self.points) != wanted:
            raise ValueError(f"mark {wanted} points of the reference (there are {len(self.points)})")
        if not all(np.isfinite(one).all() and np.abs(one).max() < 1e5 for one in self.points):
            raise ValueError("a point lies outside any picture")
        if not 1.0 <= self.length_mm <= 10_000.0 or (self.kind == "sheet" and not 1.0 <= self.width_mm <= 10_000.0):
            raise ValueError("a reference is from 1 mm to 10 m long")
        if not 0.0 <= self.doubt_mm <= 0.2 * self.length_mm:
            raise ValueError("the reference must be known to a fifth of its length at least")
        problem = _crossed(np.asarray(self.points, float)) if self.kind == "sheet" else _short(self.points)
        if problem:
            raise ValueError(problem)


def _short(points: tuple[tuple[float, float], ...]) -> str:
    far = float(np.hypot(*np.subtract(points[0], points[1])))
    return "" if far >= LEAST_PX else "the two points lie too close: choose something longer"


def _crossed(corners: Points) -> str:
    ahead = np.roll(corners, -1, axis=0) - corners
    after = np.roll(ahead, -1, axis=0)
    turns = ahead[:, 0] * after[:, 1] - ahead[:, 1] * after[:, 0]
    if not ((turns > 0).all() or (turns < 0).all()):
        return "mark the four corners in turn, around the sheet"
    area = (
        abs(float(np.sum(corners[:, 0] * np.roll(corners[:, 1], -1) - np.roll(corners[:, 0], -1) * corners[:, 1]))) / 2
    )
    if area < max(FLATTEST * float(np.ptp(corners, axis=0).max()) ** 2, LEAST_PX**2):
        return "the sheet is seen too flat: hold the camera above it"
    return ""


def plane_of(reference: Reference) -> Matrix:
    """The matrix from pixels to millimetres; the first marked point is the origin.

    >>> plane = plane_of(Reference("length", ((100.0, 100.0), (300.0, 100.0)), 50.0))
    >>> [round(float(v), 3) for v in to_mm(plane, np.array([[300.0, 60.0]]))[0]]
    [50.0, 10.0]
    """
    points = np.asarray(reference.points, float)
    if reference.kind == "length":
        scale = reference.length_mm / float(np.hypot(*(points[1] - points[0])))
        x, y = points[0]
        return np.array([[scale, 0.0, -scale * x], [0.0, -scale, scale * y], [0.0, 0.0, 1.0]])
    long, wide = reference.length_mm, reference.width_mm
    up = 1.0 if _turns_left(points) else -1.0
    corners = np.array([[0.0, 0.0], [long, 0.0], [long, up * wide], [0.0, up * wide]])
    return _homography(points, corners)


def _turns_left(corners: Points) -> bool:
    """Whether the corners run counter-clockwise as one sees them (pixels run downwards)."""
    first, second = corners[1] - corners[0], corners[2] - corners[1]
    return bool(first[0] * second[1] - first[1] * second[0] < 0.0)


def _homography(pixels: Points, plane: Points) -> Matrix:
    """The eight numbers that lead four points onto four others; pixels are scaled first, for a well posed sum."""
    middle, size = pixels.mean(axis=0), max(float(np.ptp(pixels)), 1e-9)
    near = (pixels - middle) / size
    rows, right = [], []
    for (u, v), (x, y) in zip(near, plane, strict=True):
        rows += [[u, v, 1, 0, 0, 0, -u * x, -v * x], [0, 0, 0, u, v, 1, -u * y, -v * y]]
        right += [x, y]
    found = np.append(np.linalg.solve(np.array(rows), np.array(right)), 1.0).reshape(3, 3)
    shift = np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]])
    return np.asarray(found @ shift)


def to_mm(plane: Matrix, pixels: Points) -> Points:
    """Millimetres of pixels, shape (n, 2); infinite beyond the horizon of a tilted plane."""
    whole = np.column_stack([pixels, np.ones(len(pixels))]) @ plane.T
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.where(np.abs(whole[:, 2:]) > 1e-12, whole[:, :2] / whole[:, 2:], np.inf))


def to_px(plane: Matrix, millimetres: Points) -> Points:
    """Pixels of millimetres, the way back."""
    return to_mm(np.asarray(np.linalg.inv(plane)), millimetres)
