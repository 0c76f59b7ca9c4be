"""Diodes in series in the plus conductor."""

from __future__ import annotations

from hermotrope_core.kinds.effects import Element, Station
from hermotrope_core.kinds.stage import BEHIND_HOLDER, Fed, Place, StageKind, Step, Wanted, Work
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import Number, number


class Diode(StageKind, frozen=True, tag="diode"):
    """So many diodes, each with its drop at the current that flows."""

    TITLE, OFFERED = "Diode", "Diodes in series"
    WORK_KEY = "diode"
    ROWS = ("forward_v", "count")
    SHOWN = ("forward_v",)
    ONE_WAY = True

    forward_v: Number
    count: int = 1

    @classmethod
    def typical(cls, wanted: Wanted) -> Diode:
        return cls(forward_v=0.7)

    @property
    def detail(self) -> str:
        return f"{self.count} × {stated(number(self.forward_v), 'V')}"

    @property
    def drop_v(self) -> float:
        return number(self.forward_v) * self.count

    def element(self, i: int) -> Element:
        return Element(i, 0.0, self.drop_v)

    def working(self, at: Station) -> Step:
        values = f"{figure(at.volts_in, 'V')} − {self.count} × {figure(number(self.forward_v), 'V')}"
        return Step("diode", "V − n × V_f", values, figure(at.volts_out, "V"))

    def misfit(self, fed: Fed) -> str | None:
        return BEHIND_HOLDER if fed.held else None

    @property
    def set_to(self) -> tuple[object, ...]:
        return number(self.forward_v), self.count

    @property
    def part(self) -> tuple[str, str]:
        return "Diode", f"{self.count} in series, {stated(number(self.forward_v), 'V')} each"

    def work(self, place: Place) -> Work:
        name = f"{self.count} diode{'s' * (self.count > 1)}"
        return Work(name, "The ring points to the device. Sleeve each one.", 10, "soldering")
