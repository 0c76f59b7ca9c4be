"""A changeover between the pack and another supply: one of the two feeds what is behind it, by hand or by itself."""

from __future__ import annotations

from hermotrope_core.kinds.stage import Fed, Place, StageKind, Tails, Wanted, Work
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import Number, maybe, number


class Changeover(StageKind, frozen=True, tag="changeover"):
    """The plan runs from the pack; what the other supply gives is judged behind it as well. The minus is common."""

    TITLE = OFFERED = "Changeover"
    WORK_KEY = "changeover"
    ROWS = ("other_v", "other_a", "by_itself", "isolates", "gap_s", "resistance_ohm", "rating_a", "built_in")
    SHOWN = ("other_v",)

    other_v: Number
    """The most volts that the other supply gives."""
    other_a: Number | None = None
    by_itself: bool = False
    """A relay or diodes change over by themselves; otherwise a hand does."""
    isolates: bool = True
    """Whether the two supplies never meet in it: contacts that open one before they close the other, or diodes."""
    gap_s: Number | None = None
    """Seconds without feed while it changes over; None where nobody knows."""
    resistance_ohm: Number = 0.0
    rating_a: Number | None = None
    built_in: bool = False

    @classmethod
    def typical(cls, wanted: Wanted) -> Changeover:
        return cls(other_v=wanted.rated_v)

    @property
    def beside(self) -> tuple[float, float | None]:
        return number(self.other_v), maybe(self.other_a)

    @property
    def lets_meet(self) -> bool:
        return not self.isolates

    @property
    def feed_gap_s(self) -> float | None:
        return maybe(self.gap_s)

    @property
    def detail(self) -> str:
        return f"or {stated(number(self.other_v), 'V')}"

    def misfit(self, fed: Fed) -> str | None:
        return None

    @property
    def set_to(self) -> tuple[object, ...]:
        return (number(self.other_v), self.isolates)

    @property
    def part(self) -> tuple[str, str]:
        amps = self.stands_a
        stands = "rated for the direct current here" if amps is None else figure(amps, "A")
        sort = "by itself (relay or diodes)" if self.by_itself else "by hand, centre off or break before make"
        return self.TITLE, f"{sort}, {stands}"

    def mounted(self, place: Place) -> str:
        return (
            f"{self.title} to another supply of {stated(number(self.other_v), 'V')}: both minus wires meet, "
            "plus is changed over"
        )

    def tails(self, place: Place) -> Tails | None:
        return Tails("pack, other, out", 3, "+")

    def work(self, place: Place) -> Work:
        how = (
            "Plus of the pack to one side, plus of the other supply to the other, the middle goes on to the device; "
            "both minus wires are joined. Measure the other supply by itself first, volts and sign: the two never "
            "meet. A battery there has a fuse of its own at its plus."
        )
        return Work("the changeover", how, 25, "soldering")
