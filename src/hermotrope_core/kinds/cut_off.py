"""A low-voltage cut-off: it opens when the volts entering it fall to its trip."""

from __future__ import annotations

from hermotrope_core.kinds.effects import Element, Station
from hermotrope_core.kinds.stage import Fed, Place, StageKind, Step, Tails, Wanted, Work, misplaced_guard
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import Number, number


class CutOff(StageKind, frozen=True, tag="cut-off"):
    """It keeps a pack from being drained below what it stands."""

    TITLE, OFFERED = "Cut-off", "Low-voltage cut-off"
    WORK_KEY = "cut-off"
    ROWS = ("trips_v", "rating_a", "built_in")
    SHOWN = ("trips_v",)
    READ_THROUGH = False
    FOUR_POLES = True

    trips_v: Number
    rating_a: Number | None = None
    built_in: bool = False

    @classmethod
    def typical(cls, wanted: Wanted) -> CutOff:
        return cls(trips_v=wanted.flat_v)

    @property
    def opens_below_v(self) -> float | None:
        return number(self.trips_v)

    @property
    def detail(self) -> str:
        return f"opens at {stated(number(self.trips_v), 'V')}"

    def element(self, i: int) -> Element:
        return Element(i, 0.0, 0.0, number(self.trips_v))

    def working(self, at: Station) -> Step:
        values = f"{figure(at.volts_in, 'V')} > {figure(number(self.trips_v), 'V')}"
        return Step("cut-off", "closed while V > trip", values, figure(at.volts_out, "V"))

    def misfit(self, fed: Fed) -> str | None:
        return misplaced_guard(fed, self.opens_below_v, self.detail)

    @property
    def set_to(self) -> tuple[object, ...]:
        return (number(self.trips_v),)

    @property
    def part(self) -> tuple[str, str]:
        return self.OFFERED, self.detail

    def mounted(self, place: Place) -> str:
        return f"{self.whole}: its minus goes to both sides"

    def tails(self, place: Place) -> Tails | None:
        return in_and_out(place)

    def work(self, place: Place) -> Work:
        set_ = f"Set it to {stated(number(self.trips_v), 'V')} with a supply before it is joined."
        return Work("the low-voltage cut-off", f"Its minus goes through to both sides. {set_}", 20, "soldering")


def in_and_out(place: Place) -> Tails:
    """The wires of a part with four poles; behind one that feeds mains volts nothing is cut."""
    if place.mains_behind:
        return Tails("in", 2, "+ and −, IN")
    return Tails("in and out", 4, "+ and −, IN and OUT")
