"""A lead of two conductors: copper there and back."""

from __future__ import annotations

from collections.abc import Iterable

from hermotrope_core.kinds.effects import Station
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.stage import Place, StageKind, Step, Tails, Wanted, Work
from hermotrope_core.parts.thermal import BOXED_TIMES, LEAD_K_M_PER_W
from hermotrope_core.parts.wire import safe_amps
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import Number, number

COPPER_OHM_M = 1.724e-8
"""Resistivity of annealed copper at 20 °C (IEC 60028), ohm metre."""


def lead_ohm(length_m: float, area_mm2: float) -> float:
    """Resistance of a two-conductor copper lead, out and back: 2 L rho / A, in ohms."""
    return 2.0 * length_m * COPPER_OHM_M / (area_mm2 * 1e-6)


class Lead(StageKind, frozen=True, tag="lead"):
    """Two conductors of one gauge; its length is one way."""

    TITLE = OFFERED = "Lead"
    WORK_KEY = "lead"
    ROWS = ("length_m", "area_mm2", "swaps_polarity", "bought")
    SHOWN = ("length_m", "area_mm2")

    length_m: Number
    area_mm2: Number
    swaps_polarity: bool = False
    source_end: Connector | None = None
    device_end: Connector | None = None
    """What it ends in: towards the source and towards the device; a bare wire where nothing is stated."""
    bought: bool = False
    """Ready made: its copper and its ends are as they are."""

    @classmethod
    def typical(cls, wanted: Wanted) -> Lead:
        return cls(length_m=1.0, area_mm2=0.75)

    @property
    def detail(self) -> str:
        swap = ", swaps ±" if self.swaps_polarity else ""
        return f"{stated(number(self.length_m), 'm')}, {stated(number(self.area_mm2), 'mm²', 3)}{swap}"

    @property
    def ohms(self) -> float:
        return lead_ohm(number(self.length_m), number(self.area_mm2))

    @property
    def plus_ohms(self) -> float:
        return self.ohms / 2.0

    @property
    def turns(self) -> bool:
        return self.swaps_polarity

    def warms(self, watts: float, *, closed: bool) -> float | None:
        """Its watts are spread over both conductors of its length."""
        rise = LEAD_K_M_PER_W * watts / max(2.0 * number(self.length_m), 0.05)
        return rise * BOXED_TIMES if closed else rise

    def working(self, at: Station) -> Step:
        length, area = figure(number(self.length_m), "m"), figure(number(self.area_mm2), "mm²")
        values = f"{figure(at.volts_in, 'V')} − {figure(at.amps_in, 'A')} × {figure(self.ohms, 'Ω')}"
        return Step(
            "lead", "V − I × 2 L ρ / A", f"{values} ({length} there and back, {area})", figure(at.volts_out, "V")
        )

    @property
    def set_to(self) -> tuple[object, ...]:
        return number(self.area_mm2), self.swaps_polarity

    @property
    def part(self) -> tuple[str, str]:
        swap = ", plus and minus exchanged" if self.swaps_polarity else ""
        return "Twin lead", f"{stated(number(self.length_m), 'm')}, 2 × {stated(number(self.area_mm2), 'mm²', 3)}{swap}"

    def mounted(self, place: Place) -> str:
        safe = figure(safe_amps(number(self.area_mm2)), "A", 2)
        swap = "; PLUS AND MINUS SWAP HERE, mark both ends" if self.swaps_polarity else ""
        return f"{self.whole}: two conductors, safe for {safe}{swap}"

    def tails(self, place: Place) -> Tails | None:
        return None

    def work(self, place: Place) -> Work:
        if self.bought:
            how = "As bought: plug it in, and tape or tie each joint so that it cannot come apart."
            return Work("the lead", how, 5, "none")
        how = "Join it with solder and sleeve, crimp or lever connectors; twisted alone does not count."
        if self.swaps_polarity:
            how += " Plus and minus exchange here: mark both ends and say so on the label."
        return Work("the lead", how, 15, "soldering")


def as_lead(stage: object) -> Lead | None:
    """The stage, where it is a lead."""
    return stage if isinstance(stage, Lead) else None


def leads_of(path: Iterable[StageKind]) -> tuple[tuple[int, Lead], ...]:
    """The leads of a path with their indices."""
    return tuple((i, stage) for i, stage in enumerate(path) if isinstance(stage, Lead))
