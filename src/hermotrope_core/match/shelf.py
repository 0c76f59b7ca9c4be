"""What may be used for a way: packs, and parts sorted by what they are for."""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from pkgutil import get_data
from typing import TypeVar

import msgspec

from hermotrope_core.kinds.stages import CutOff, Diode, Fuse, Lead, Linear, Resistor, Stage
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import maybe, number


class Pack(msgspec.Struct, frozen=True, gc=False):
    """A source of the shelf; `have` is false for one that would have to be bought."""

    source: Source
    have: bool = True
    key: str = ""
    port: str = ""
    """Which port at which volts, where a bank has several."""


class Part(msgspec.Struct, frozen=True, gc=False):
    """A stage of the shelf, with what the shelf knows about it beyond the document."""

    stage: Stage
    name: str = ""
    have: bool = True
    price: float | None = None
    mass_g: float | None = None


class Shelf(msgspec.Struct, frozen=True):
    packs: tuple[Pack, ...]
    parts: tuple[Part, ...]
    alike: int = 0
    """So many more are like one of these in everything but their name."""

    def once(self) -> Shelf:
        """Each pack and part once: of those that are alike the one at hand, then the cheapest. Packs at hand first."""
        packs = _once(self.packs, _rank_of_pack, _facts_of_pack)
        parts = _once(self.parts, _rank_of_part, _facts_of_part)
        alike = len(self.packs) + len(self.parts) - len(packs) - len(parts)
        return Shelf(tuple(sorted(packs, key=lambda pack: not pack.have)), parts, alike)


Thing = TypeVar("Thing", Pack, Part)


def _once(
    these: tuple[Thing, ...], rank: Callable[[Thing], tuple[bool, float]], facts: Callable[[Thing], bytes]
) -> tuple[Thing, ...]:
    """Of those with the same facts the first by rank, in the place of the first."""
    best: dict[bytes, Thing] = {}
    for one in these:
        said = facts(one)
        if said not in best or rank(one) < rank(best[said]):
            best[said] = one
    return tuple(best.values())


def _rank_of_pack(pack: Pack) -> tuple[bool, float]:
    price = maybe(pack.source.price)
    return not pack.have, inf if price is None else price


def _rank_of_part(part: Part) -> tuple[bool, float]:
    return not part.have, inf if part.price is None else part.price


def _facts_of_pack(pack: Pack) -> bytes:
    return msgspec.json.encode((msgspec.structs.replace(pack.source, name="", price=None), pack.port))


def _facts_of_part(part: Part) -> bytes:
    return msgspec.json.encode((part.stage, part.mass_g))


class Labour(msgspec.Struct, frozen=True):
    """What a stage costs to put in: joints, how many are soldered, minutes, price, grams."""

    joints: int
    soldered: int
    minutes: float
    price: float
    mass_g: float


class Work(msgspec.Struct, frozen=True):
    """Typical figures of ``data/work.json``: labour by stage, and parts that are designed, not picked."""

    stages: dict[str, Labour]
    box_minutes: float
    own_adapter: dict[str, float]
    trigger: dict[str, float]
    linear: dict[str, float]
    resistor_ratings_w: tuple[float, ...]
    lead_m: float


WORK: Work = msgspec.json.decode(get_data("hermotrope_core.parts", "data/work.json") or b"", type=Work)

OWN_ADAPTER = "the device's own adapter"


def labour_kind(part: Part) -> str:
    """The key of ``work.json`` under which a part's labour stands."""
    stage = part.stage
    if part.name == OWN_ADAPTER:
        return "own-adapter"
    return stage.called if stage.SWITCHES and not stage.set_by_hand else stage.kind


class Kit:
    """The parts of a shelf by use; those that one has come first, else in the shelf's order."""

    def __init__(self, shelf: Shelf) -> None:
        parts = sorted(shelf.parts, key=lambda part: not part.have)
        self.boards = [p for p in shelf.parts if p.stage.set_by_hand]
        self.triggers = [p for p in parts if p.stage.called == "trigger"]
        self.inverters = [p for p in parts if p.stage.alternating]
        self.linears = [p for p in parts if isinstance(p.stage, Linear)]
        self._fuses: dict[float, Part] = {}
        self._leads: dict[tuple[float, bool], Part] = {}
        self.fuses = [p for p in parts if isinstance(p.stage, Fuse)]
        self.leads = [p for p in parts if isinstance(p.stage, Lead)]
        self.cut_offs = [p for p in parts if isinstance(p.stage, CutOff)]
        self.diodes = [p for p in parts if isinstance(p.stage, Diode)]
        self.resistors = [p for p in parts if isinstance(p.stage, Resistor)]

    def fuse(self, rating_a: float) -> Part:
        """The shelf's fuse of a rating, or one to buy."""
        if rating_a not in self._fuses:
            found = next((p for p in self.fuses if _same(p, "rating_a", rating_a)), None)
            self._fuses[rating_a] = found or to_buy(Fuse(rating_a=rating_a))
        return self._fuses[rating_a]

    def lead(self, area_mm2: float, swaps: bool) -> Part:
        """The shelf's lead of about the designed length that is thick enough, or one to make."""
        if (area_mm2, swaps) not in self._leads:
            self._leads[area_mm2, swaps] = self._lead(area_mm2, swaps)
        return self._leads[area_mm2, swaps]

    def _lead(self, area_mm2: float, swaps: bool) -> Part:
        for part in self.leads:
            stage = part.stage
            if (
                isinstance(stage, Lead)
                and stage.source_end is None
                and stage.device_end is None
                and part.have
                and stage.swaps_polarity == swaps
                and number(stage.area_mm2) >= area_mm2
                and WORK.lead_m / 2 <= number(stage.length_m) <= WORK.lead_m
            ):
                return part
        return to_buy(Lead(length_m=WORK.lead_m, area_mm2=area_mm2, swaps_polarity=swaps))

    def cut_off(self, least_v: float, wanted_v: float) -> Part:
        """The shelf's cut-off that opens between the least and the wanted volts, or one to buy."""
        for part in self.cut_offs:
            stage = part.stage
            if isinstance(stage, CutOff) and least_v <= number(stage.trips_v) <= wanted_v * 1.03:
                return part
        return to_buy(CutOff(trips_v=round(wanted_v, 2)))


def to_buy(stage: Stage, name: str = "") -> Part:
    """A generic part that is on no shelf."""
    return Part(stage, name, have=False)


def _same(part: Part, name: str, value: float) -> bool:
    have = maybe(getattr(part.stage, name))
    return have is not None and abs(have - value) < 1e-9
