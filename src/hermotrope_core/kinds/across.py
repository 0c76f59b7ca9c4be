"""What loads across both conductors have in common: they draw beside what passes, and take nothing from the volts."""

from __future__ import annotations

from hermotrope_core.kinds.effects import Element
from hermotrope_core.kinds.stage import Place, StageKind, Tails
from hermotrope_core.values.known import Number, number


class Across(StageKind, frozen=True):
    """A load of `current_a` amperes from plus to minus, as long as it is connected."""

    DRAWS = True

    current_a: Number

    @property
    def shunt_a(self) -> float:
        return number(self.current_a)

    def element(self, i: int) -> Element:
        return Element(i, 0.0, 0.0)

    def tails(self, place: Place) -> Tails | None:
        return Tails("across plus and minus", 2, "+ and −")
