"""A load across the output before it, so that this does not fall asleep."""

from __future__ import annotations

from hermotrope_core.kinds.across import Across
from hermotrope_core.kinds.effects import Station
from hermotrope_core.kinds.stage import Fed, Place, Step, Wanted, Work
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import number

USUAL_A = 0.084
"""What usually keeps a bank awake (typical), where it does not say."""


class KeepAlive(Across, frozen=True, tag="keep-alive"):
    """A load across the output before it (a bank's port, a converter), so that it does not fall asleep."""

    TITLE = OFFERED = "Keep-alive load"
    WORK_KEY = "keep-alive"
    ROWS = SHOWN = ("current_a",)
    KEEPS_AWAKE = True

    @classmethod
    def typical(cls, wanted: Wanted) -> KeepAlive:
        return cls(current_a=USUAL_A)

    @property
    def detail(self) -> str:
        return f"draws {figure(number(self.current_a), 'A')}"

    def working(self, at: Station) -> Step:
        drawn = figure(number(self.current_a), "A")
        return Step("keep-alive load", "draws beside the device", drawn, figure(at.volts_out, "V"))

    def misfit(self, fed: Fed) -> str | None:
        return None if fed.held or fed.bank else "there is nothing before it that falls asleep"

    @property
    def part(self) -> tuple[str, str]:
        return self.TITLE, f"draws {figure(number(self.current_a), 'A', 2)}"

    def mounted(self, place: Place) -> str:
        return f"{self.whole}: across plus and minus"

    def work(self, place: Place) -> Work:
        drawn = figure(number(self.current_a), "A", 2)
        how = f"Across plus and minus; it draws {drawn} as long as the source is on."
        return Work("the keep-alive load", how, 10, "soldering")
