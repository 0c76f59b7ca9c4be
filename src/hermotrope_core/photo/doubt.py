"""How sure a length from a picture is: of the marks, of the reference, of what stands above the plane, of the lens."""

from __future__ import annotations

from collections.abc import Callable
from math import hypot, sqrt
from statistics import NormalDist

import msgspec
import numpy as np

from hermotrope_core.photo.plane import Points, Reference, plane_of, to_mm
from hermotrope_core.values.figures import fixed

Z90 = NormalDist().inv_cdf(0.95)
"""Half-width of a 90 % interval in standard deviations."""
HAND_PX = 0.8
"""Standard deviation of a mark set by hand, in each direction: two thirds lie within a pixel of what was meant."""
NUDGE_PX = 0.25
"""Step by which a derivative is taken; a homography is smooth over far more."""
USUAL_DISTANCE_MM = 400.0
"""How far a phone is held above what it pictures, where nobody says."""
BENT_SHARE = 0.003
"""A straight edge that bends by more of its length betrays a lens that is not straight."""


class Length(msgspec.Struct, frozen=True):
    """A length in millimetres with the half-width of its 90 % interval."""

    mm: float
    doubt_mm: float

    @property
    def share(self) -> float:
        """The doubt as a share of the length."""
        return self.doubt_mm / self.mm if self.mm > 0 else float("inf")


def length_between(
    reference: Reference, a: tuple[float, float], b: tuple[float, float], hand_px: float = HAND_PX
) -> Length:
    """The distance of two marks in millimetres.

    The doubt adds up (in squares) what each marked pixel moves it by, reference included, and how well the reference's
    own length is known. First-order propagation (JCGM 100:2008, 5.1.2).
    """

    def distance(pixels: Points) -> float:
        known = msgspec.structs.replace(reference, points=tuple(map(tuple, pixels[2:])))
        first, last = to_mm(plane_of(known), pixels[:2])
        return float(np.hypot(*(last - first)))

    pixels = np.array([a, b, *reference.points], float)
    mm = distance(pixels)
    by_hand = hand_px * sqrt(sum(slope * slope for slope in _slopes(distance, pixels)))
    by_reference = mm * reference.doubt_mm / reference.length_mm / Z90
    return Length(mm, Z90 * hypot(by_hand, by_reference))


def _slopes(distance: Callable[[Points], float], pixels: Points) -> list[float]:
    """By how much the distance changes for each coordinate, in mm for each pixel."""
    made = []
    for at in np.ndindex(pixels.shape):
        ends = []
        for way in (NUDGE_PX, -NUDGE_PX):
            moved = pixels.copy()
            moved[at] += way
            ends.append(distance(moved))
        made.append((ends[0] - ends[1]) / (2.0 * NUDGE_PX))
    return made


def raised(mm: float, height_mm: float, distance_mm: float = USUAL_DISTANCE_MM) -> float:
    """What a length on a face so high above the reference's plane truly is: what is nearer looks larger.

    Pinhole camera, straight down: true = read x (distance - height) / distance. Raises ValueError for a face at or
    above the camera.

    >>> round(raised(60.0, 10.0), 2)
    58.5
    """
    if not height_mm < distance_mm:
        raise ValueError("the face must lie below the camera")
    return mm * (distance_mm - height_mm) / distance_mm


def growth_per_mm(distance_mm: float = USUAL_DISTANCE_MM) -> float:
    """By what share a length reads too large for each millimetre above the plane."""
    return 1.0 / distance_mm


def bend(points: Points) -> float:
    """How far marks along a straight edge leave the chord of the first and the last, as a share of it.

    >>> bend(np.array([[0.0, 0.0], [50.0, 1.0], [100.0, 0.0]]))
    0.01

    Raises ValueError for fewer than three marks, or where the first and the last are one.
    """
    if len(points) < 3:
        raise ValueError("mark three points of one straight edge at least")
    along = points[-1] - points[0]
    long = float(np.hypot(*along))
    if long < 1e-9:
        raise ValueError("the first and the last mark of the edge are the same")
    off = points - points[0]
    return float(np.max(np.abs(off[:, 0] * along[1] - off[:, 1] * along[0]))) / long**2


def by_caliper(read: Length, caliper_mm: float, caliper_doubt_mm: float = 0.1) -> tuple[float, float]:
    """The factor by which a picture's scale is corrected by one length of a caliper, and its own 90 % half-width.

    Raises ValueError where the two differ by more than a tenth: then another thing was measured.
    """
    if read.mm <= 0 or not 0.9 <= caliper_mm / read.mm <= 1.1:
        raise ValueError(
            f"the picture says {fixed(read.mm, 1)} mm: that is more than a tenth apart, was the same thing measured?"
        )
    factor = caliper_mm / read.mm
    return factor, factor * hypot(caliper_doubt_mm / caliper_mm, read.share)
