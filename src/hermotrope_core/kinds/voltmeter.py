"""A small voltmeter or low-voltage alarm across the line: it shows the pack's volts, warns, and draws by itself."""

from __future__ import annotations

from hermotrope_core.kinds.across import Across
from hermotrope_core.kinds.effects import Station
from hermotrope_core.kinds.stage import Fed, Place, Step, Wanted, Work, misplaced_guard
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import Known, Number, maybe, number

USUAL_A = 0.015
"""What a small panel voltmeter with light-emitting digits draws (typical; 4 to 25 mA are met)."""
ABOVE_FLAT = 1.06
"""A new alarm warns at so many times the volts at which its source counts as flat: some charge is left there."""


class Voltmeter(Across, frozen=True, tag="voltmeter"):
    """Across plus and minus; what it draws drains the pack as long as it is connected. It opens nothing."""

    TITLE, OFFERED = "Voltmeter", "Voltmeter or alarm"
    WORK_KEY = "voltmeter"
    ROWS = ("current_a", "warns_v", "rating_v", "built_in")
    SHOWN = ("current_a",)
    SHOWS = True

    warns_v: Number | None = None
    rating_v: Number | None = None
    """The most volts that it stands."""
    built_in: bool = False

    @classmethod
    def typical(cls, wanted: Wanted) -> Voltmeter:
        return cls(current_a=Known(value=USUAL_A), warns_v=round(ABOVE_FLAT * wanted.flat_v, 1))

    @property
    def warns_below_v(self) -> float | None:
        return maybe(self.warns_v)

    @property
    def title(self) -> str:
        return self.TITLE if self.warns_v is None else "Alarm"

    @property
    def called(self) -> str:
        return self.title.lower()

    @property
    def detail(self) -> str:
        draws = f"draws {figure(number(self.current_a), 'A', 2)}"
        return draws if self.warns_v is None else f"warns at {stated(number(self.warns_v), 'V')}"

    def working(self, at: Station) -> Step:
        return Step(
            self.called, "draws beside the device", figure(number(self.current_a), "A"), figure(at.volts_out, "V")
        )

    def misfit(self, fed: Fed) -> str | None:
        return misplaced_guard(fed, self.warns_below_v, self.detail)

    @property
    def set_to(self) -> tuple[object, ...]:
        return (maybe(self.warns_v), False)

    @property
    def part(self) -> tuple[str, str]:
        return (
            self.title,
            f"{self.detail}, draws {figure(number(self.current_a), 'A', 2)}" if self.warns_v else self.detail,
        )

    def mounted(self, place: Place) -> str:
        return f"{self.whole}: across plus and minus, where it can be seen or heard"

    def work(self, place: Place) -> Work:
        drawn = figure(number(self.current_a), "A", 2)
        how = f"Across plus and minus, behind the fuse: a slip with its thin wires must open that; it draws {drawn}."
        set_ = "" if self.warns_v is None else f" Set it to warn at {stated(number(self.warns_v), 'V')} with a supply."
        return Work(f"the {self.called}", how + set_, 15, "soldering")
