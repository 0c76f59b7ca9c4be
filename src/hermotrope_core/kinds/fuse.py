"""A fuse in the plus conductor."""

from __future__ import annotations

from hermotrope_core.kinds.stage import Fed, Place, StageKind, Tails, Wanted, Work
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import Number, number


class Fuse(StageKind, frozen=True, tag="fuse"):
    """A fuse link in its holder."""

    TITLE = OFFERED = "Fuse"
    WORK_KEY = "fuse"
    ROWS = ("rating_a", "rating_v", "resistance_ohm", "built_in")
    SHOWN = ("resistance_ohm",)
    IN_THE_WIRE = True

    rating_a: Number
    resistance_ohm: Number = 0.0
    rating_v: Number | None = None
    built_in: bool = False
    """Inside the part or lead beside it: nothing to buy or join by itself; so for the other stages."""

    @classmethod
    def typical(cls, wanted: Wanted) -> Fuse:
        return cls(rating_a=5.0)

    @property
    def opens_above_a(self) -> float | None:
        return number(self.rating_a)

    @property
    def detail(self) -> str:
        return stated(number(self.rating_a), "A")

    def misfit(self, fed: Fed) -> str | None:
        if fed.held:
            return "behind a converter it protects nothing at the pack: within 20 cm of the pack's positive"
        if not fed.bank and any(not isinstance(one, Fuse) for one in fed.before):
            return "what is before it is unprotected: within 20 cm of the pack's positive"
        return None

    @property
    def set_to(self) -> tuple[object, ...]:
        return (number(self.rating_a),)

    @property
    def part(self) -> tuple[str, str]:
        return "Fuse link", self.detail

    def mounted(self, place: Place) -> str:
        words = "within 20 cm of the pack's plus" if place.first else "protects the wires behind it"
        return f"{self.whole}: {words}"

    def tails(self, place: Place) -> Tails | None:
        return Tails("fuse holder’s tails", 2, "+, within 20 cm of the pack’s plus" if place.first else "+")

    def work(self, place: Place) -> Work:
        where = "Within 20 cm of the pack’s plus. " if place.first else "In the plus conductor. "
        how = f"{where}Solder and sleeve both tails; leave the {self.detail} link out until you prove."
        return Work("the fuse holder", how, 15, "soldering", "The pack stays away until every joint is sleeved.")
