"""Old against new: runtime, energy, mass, recharge, and when a conversion has paid for itself."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.pack import rated_wh
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.values.known import maybe


class Side(msgspec.Struct, frozen=True):
    """One way to run the device: hours, Wh in the cells, grams, recharge hours, price now, price of each fill."""

    name: str
    hours: float | None
    wh: float | None
    mass_g: float | None
    recharge_h: float | None
    price: float | None
    fill_price: float | None
    """What one set of cells costs where they are thrown away; None where the pack is charged, or nobody knows."""
    charged: bool = False
    """It is charged again: running it costs next to nothing."""

    @property
    def per_hour(self) -> float | None:
        """Money per hour of running, what is bought once left aside; None where that is not known."""
        if self.charged:
            return 0.0
        return self.fill_price / self.hours if self.fill_price is not None and self.hours else None

    @property
    def minutes_per_money(self) -> float | None:
        """Minutes of one run for each unit of its price."""
        price = self.price if self.price else self.fill_price
        return 60.0 * self.hours / price if self.hours and price else None


class Payback(msgspec.Struct, frozen=True):
    """When the new has paid for itself: running hours, runs, and days at so many hours a week."""

    hours: float
    runs: float
    days: float


def side_of(situation: Situation, name: str, work_price: float = 0.0) -> Side:
    """The conversion as it stands; `work_price` is what its path costs beside the pack."""
    source, run = situation.source, situation.run
    cell = CHEMISTRIES[source.chemistry]
    hours = run.runtime_s / 3600.0 if run and run.runtime_s > 0.0 else None
    wh = rated_wh(source)
    price = maybe(source.price)
    lasts = cell.rechargeable or cell.endless
    once = None if lasts and price is None else (price or 0.0) * (1.0 if lasts else 0.0) + work_price
    fill = None if lasts else price
    return Side(name, hours, wh, maybe(source.mass_g), maybe(source.recharge_h), once, fill, lasts)


def payback(old: Side, new: Side, hours_a_week: float) -> Payback | None:
    """None where the old costs nothing to run, the new costs as much, or a price that it takes is not known.

    Running hours h at which price_new + h c_new = price_old + h c_old, c being the money per hour.
    """
    if old.per_hour is None or new.per_hour is None or new.price is None:
        return None
    saved = old.per_hour - new.per_hour
    if saved <= 0.0:
        return None
    hours = max(0.0, new.price - (old.price or 0.0)) / saved
    runs = hours / new.hours if new.hours else 0.0
    days = 7.0 * hours / hours_a_week if hours_a_week > 0.0 else float("inf")
    return Payback(hours, runs, days)
