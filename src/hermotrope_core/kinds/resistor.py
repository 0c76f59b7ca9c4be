"""A resistor in the plus conductor."""

from __future__ import annotations

from hermotrope_core.kinds.stage import BEHIND_HOLDER, Fed, Place, StageKind, Wanted, Work
from hermotrope_core.parts.thermal import BOXED_TIMES, RESISTOR_RISE_K
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import Number, number


class Resistor(StageKind, frozen=True, tag="resistor"):
    """It takes volts in proportion to the amperes, and turns them into heat."""

    TITLE = OFFERED = "Resistor"
    WORK_KEY = "resistor"
    ROWS = ("resistance_ohm", "rating_w")
    SHOWN = ("resistance_ohm",)
    NEEDS_CURRENT = True

    resistance_ohm: Number
    rating_w: Number | None = None

    @classmethod
    def typical(cls, wanted: Wanted) -> Resistor:
        return cls(resistance_ohm=1.0, rating_w=5.0)

    @property
    def most_rise_k(self) -> float:
        return RESISTOR_RISE_K

    @property
    def detail(self) -> str:
        return stated(number(self.resistance_ohm), "Ω")

    def warms(self, watts: float, *, closed: bool) -> float | None:
        """In proportion to its rating; one that states none is taken to be chosen for twice its heat."""
        rated = number(self.rating_w) if self.rating_w is not None else max(2.0 * watts, 0.25)
        rise = RESISTOR_RISE_K * watts / rated
        return rise * BOXED_TIMES if closed else rise

    def misfit(self, fed: Fed) -> str | None:
        return BEHIND_HOLDER if fed.held else None

    @property
    def set_to(self) -> tuple[object, ...]:
        return (number(self.resistance_ohm),)

    @property
    def part(self) -> tuple[str, str]:
        watts = f", {stated(number(self.rating_w), 'W')}" if self.rating_w is not None else ""
        return "Resistor", f"{self.detail}{watts}"

    def work(self, place: Place) -> Work:
        how = "In the plus conductor, free in the air: it is meant to get warm."
        return Work("the resistor", how, 10, "soldering", "Nothing that melts or burns within a finger’s width.")
