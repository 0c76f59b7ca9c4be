"""What a part stands as a bar: the least it must stand, what it is rated, the most it may be rated; heat beside it."""

from __future__ import annotations

from math import isfinite, sqrt

import msgspec

from hermotrope_core.hours.heat import HAND_HOT_C, HAND_WARM_C

WIDE, ROOM = 240.0, 0.08
"""The bar's length, and the part of it that stays free beyond its greatest figure."""
GREATEST_W = 10.0
"""The heat that fills the bar of heat; more is drawn as full."""


class MarginBar(msgspec.Struct, frozen=True):
    """Places along a bar of `WIDE`: the band in which a rating fits, and where the rating lies."""

    left: float
    wide: float
    rated: float
    bad: bool


def margin_bar(least: float, rated: float, most: float) -> MarginBar:
    """The bar from nought to beyond the greatest of the three, in amperes; `most` may be infinite."""
    bounded = isfinite(most)
    top = max(least, rated, most if bounded else 0.0) * (1.0 + ROOM) or 1.0
    left = WIDE * least / top
    right = WIDE * most / top if bounded else WIDE
    return MarginBar(
        round(left, 1),
        round(max(right - left, 0.0), 1),
        round(WIDE * rated / top, 1),
        not least <= rated <= most,
    )


def heat_wide(watts: float) -> float:
    """How long the bar of a part's heat is, of `WIDE`: by the square root, so that half a watt is still seen."""
    return round(WIDE * sqrt(min(1.0, max(0.0, watts) / GREATEST_W)), 1)


def warmth(celsius: float) -> str:
    """Cool, warm or hot: what a hand would say of it."""
    return "hot" if celsius > HAND_HOT_C else "warm" if celsius > HAND_WARM_C else "cool"
