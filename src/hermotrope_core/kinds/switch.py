"""A switch in the plus conductor."""

from __future__ import annotations

from hermotrope_core.kinds.stage import Fed, Place, StageKind, Wanted, Work
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Number, number


class Switch(StageKind, frozen=True, tag="switch"):
    """A switch: what is behind it draws nothing while it is off."""

    TITLE = OFFERED = "Switch"
    WORK_KEY = "switch"
    ROWS = ("rating_a", "rating_v", "resistance_ohm", "built_in")
    SHOWN = ("resistance_ohm",)
    BY_HAND = IN_THE_WIRE = True

    resistance_ohm: Number = 0.0
    rating_v: Number | None = None
    rating_a: Number | None = None
    built_in: bool = False

    @property
    def detail(self) -> str:
        amps, volts = self.stands_a, self.breaks_v
        stands = [] if amps is None else [figure(amps, "A")]
        return ", ".join(stands if volts is None else [*stands, figure(volts, "V")])

    @classmethod
    def typical(cls, wanted: Wanted) -> Switch:
        return cls()

    def misfit(self, fed: Fed) -> str | None:
        if any(one.SWITCHES for one in fed.before):
            return "behind a converter it leaves the converter's own draw running: put it before"
        return None

    @property
    def set_to(self) -> tuple[object, ...]:
        return (number(self.resistance_ohm),)

    @property
    def part(self) -> tuple[str, str]:
        return "Switch", f"single pole, {self.detail or 'rated for the direct current and volts here'}"

    def mounted(self, place: Place) -> str:
        return f"{self.whole}: in the plus conductor"

    def work(self, place: Place) -> Work:
        how = "In the plus conductor; mark ON and OFF. Its rating is for direct current."
        return Work("the switch", how, 15, "soldering")
