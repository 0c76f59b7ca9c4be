"""What holds its output volts: what converters and linear regulators have in common."""

from __future__ import annotations

from typing import Literal

from hermotrope_core.kinds.cut_off import in_and_out
from hermotrope_core.kinds.effects import Holder
from hermotrope_core.kinds.stage import Place, StageKind, Tails, Work
from hermotrope_core.parts.thermal import BOXED_TIMES
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import maybe

Enclosure = Literal["open", "closed"]


class Holding(StageKind, frozen=True):
    """A part with four poles that gives one voltage, whatever the pack gives."""

    HOLDS = DRAWS = True
    WORK_KEY = "converter"
    READ_THROUGH = False
    FOUR_POLES = True

    @property
    def held_v(self) -> float:
        """The volts that it holds."""
        raise NotImplementedError(self.kind)

    @property
    def assumed_headroom_v(self) -> float | None:
        """The headroom that it is taken to have where it states none and needs one; else None."""
        return None

    def holder(self, i: int) -> Holder:
        raise NotImplementedError(self.kind)

    @property
    def detail(self) -> str:
        return f"set to {stated(self.held_v, 'V')}"

    def k_per_w(self, *, closed: bool) -> float:
        """A stated figure holds for the enclosure it was stated for (the open board, where nothing is said).

        In the other it is more or less by as much as the typical ones differ.
        """
        stated = maybe(getattr(self, "thermal_k_per_w", None))
        if stated is None:
            return super().k_per_w(closed=closed)
        if (getattr(self, "thermal_enclosure", "open") == "closed") == closed:
            return stated
        return stated * (BOXED_TIMES if closed else 1.0 / BOXED_TIMES)

    def warms(self, watts: float, *, closed: bool) -> float | None:
        return watts * self.k_per_w(closed=closed)

    def tails(self, place: Place) -> Tails | None:
        return in_and_out(place)

    def work(self, place: Place) -> Work:
        if place.mains:
            how = "As bought; its own plug goes into the inverter’s outlet, last of all."
            caution = "Mains volts stand at its plug: closed, dry, and never opened."
            return Work(f"the adapter, {stated(self.held_v, 'V')}", how, 5, "none", caution)
        return self.joined("converter", "Do not connect the device yet: it is set unloaded when you prove.")

    def joined(self, name: str, set_: str) -> Work:
        """How a board is put in, with how it comes to its volts."""
        how = f"Mind IN and OUT, + and −. Into its box, with air and strain relief at both ends. {set_}"
        caution = "Fed the wrong way round it dies at once, and may take the device along."
        return Work(f"the {name}, {stated(self.held_v, 'V')}", how, 25, "soldering", caution)
