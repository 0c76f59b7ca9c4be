"""A way made whole: fuse, cut-off, droppers and lead designed for one pack and one chain."""

from __future__ import annotations

from collections.abc import Iterator
from copy import copy
from math import ceil, inf

import msgspec
from msgspec.structs import force_setattr

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import fuse_at, fuse_for
from hermotrope_core.judge.findings.joining import CENTRE
from hermotrope_core.kinds.stages import Diode, Resistor, Stage
from hermotrope_core.match.asked import asked, lead_area, least_and_most_amps, steady
from hermotrope_core.match.chain import Chain, Facts, Reason, Strategy
from hermotrope_core.match.shelf import WORK, Kit, Pack, Part, to_buy
from hermotrope_core.match.strategies import Target
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import OVER, UNDER
from hermotrope_core.parts.wire import PARTS
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import stated
from hermotrope_core.values.interpolate import at as look_up
from hermotrope_core.values.known import maybe, number

MOST_DIODES = 6
DIODE_MOST_A = 1.0
"""What a usual diode stands, and about what a chain of them may sensibly waste (typical)."""
RESISTOR_MARGIN = 2.0
"""A dropper is rated at least this many times its heat."""
NEARLY_STEADY = 1.1
"""A load that varies by less than this factor counts as steady."""


class Way(msgspec.Struct, frozen=True, gc=False):
    """One source with one path: what Match judges and ranks."""

    strategy: Strategy
    pack: Pack
    parts: tuple[Part, ...]
    kept_awake: bool = False

    @property
    def path(self) -> tuple[Stage, ...]:
        return tuple(part.stage for part in self.parts)

    def case(self, case: Case) -> Case:
        """The request's case with this source and path."""
        made = copy(
            case
        )  # each part was checked when it was made; checking the whole again costs more than the way is worth
        force_setattr(made, "source", self.pack.source)
        force_setattr(made, "path", self.path)
        return made


def swaps(case: Case, pack: Pack) -> bool:
    """True where the lead must exchange plus and minus: the two centres differ."""
    inlet, outlet = case.device.inlet, pack.source.outlet
    return inlet is not None and outlet is not None and {inlet.polarity, outlet.polarity} == set(CENTRE)


def guards(case: Case, pack: Pack, kit: Kit) -> tuple[Part, ...]:
    """A cut-off where the pack is rechargeable and is known to have none of its own."""
    source, cell = pack.source, CHEMISTRIES[pack.source.chemistry]
    if not cell.rechargeable or source.low_voltage_cut_off is not False:
        return ()
    n = source.cells_in_series
    return (kit.cut_off(n * cell.damage_below_v, n * cell.cutoff_v),)


def held_way(target: Target, kit: Kit, facts: Facts, chain: Chain) -> Way:
    """A pack behind a chain of holding parts: fuse, cut-off, the chain, and a lead unless it has its own."""
    case, pack = target.case, facts.pack
    lead = (kit.lead(chain.area_mm2, swaps(case, pack)),) if chain.area_mm2 else ()
    parts = (*guards(case, pack, kit), *chain.parts, *lead)
    way = Way(chain.strategy, pack, parts)
    if pack.source.regulated_output is not None:
        return way
    rating = fuse_at(Situation(way.case(case)), 0, inf)
    return way if rating is None else msgspec.structs.replace(way, parts=(kit.fuse(rating), *parts))


def plain_ways(target: Target, kit: Kit, facts: Facts) -> Iterator[Way | tuple[Strategy, Reason]]:
    """Ways without a holding part: direct, diodes, a resistor; or why there is none, for certain."""
    case, source = target.case, facts.pack.source
    wall = CHEMISTRIES[source.chemistry].endless
    name: Strategy = "wall adapter" if wall else "direct"
    reason = _direct_reason(target, facts)
    if reason is not None:
        yield name, reason
    else:
        yield plain_way(target, kit, facts, name, ())
    over = facts.full_v - target.high_v
    if over <= 0.0 or facts.volts_when_low <= target.low_v:
        return
    yield from _diode_ways(target, kit, facts, over)
    middle = (facts.volts_at_full + facts.volts_when_low) / 2.0
    least, most = least_and_most_amps(case, target.at.volts)
    if not steady(case) and most > NEARLY_STEADY * least:
        yield "series resistor", Reason("varying-load", most, NEARLY_STEADY * least, "A")
        return
    made = dropper(middle, facts, target)
    if made is not None:
        yield plain_way(target, kit, facts, "series resistor", (made,))


def _direct_reason(target: Target, facts: Facts) -> Reason | None:
    """What refuses the pack by itself for certain."""
    never = maybe(target.case.device.supply.absolute_max_v)
    if never is not None and facts.full_v > never * OVER:
        return Reason("over-absolute-max", facts.full_v, never, "V")
    if facts.volts_at_full < target.low_v * UNDER:
        return Reason("under-min-at-full", facts.volts_at_full, target.low_v, "V")
    return None


def plain_way(target: Target, kit: Kit, facts: Facts, name: Strategy, droppers: tuple[Part, ...]) -> Way:
    """A pack with droppers, or with nothing but guards and a lead."""
    case, pack = target.case, facts.pack
    volts = min(max(facts.volts_when_low, target.low_v), target.high_v)
    at = asked(case, volts) or target.at
    area = lead_area(case, volts, at.heavy_a)
    own_cord = name == "wall adapter" and not swaps(case, pack)
    parts = (*guards(case, pack, kit), *droppers)
    if own_cord:
        return Way(name, pack, parts)
    if pack.source.regulated_output is not None:
        return Way(name, pack, (*parts, kit.lead(area, swaps(case, pack))))
    for wire, _ in PARTS.wire_safe_current_a_by_area_mm2:
        if wire < area:
            continue
        bare = Way(name, pack, (*parts, kit.lead(wire, swaps(case, pack))))
        fuse = fuse_for(Situation(bare.case(case)))
        if fuse is not None:
            return msgspec.structs.replace(bare, parts=(kit.fuse(number(fuse.rating_a)), *bare.parts))
    return Way(name, pack, (*parts, kit.lead(area, swaps(case, pack))))


def _diode_ways(target: Target, kit: Kit, facts: Facts, over: float) -> Iterator[Way]:
    """The shelf's diodes, or usual ones, as many as bring a full pack into the window, if it then still runs."""
    if target.at.heavy_a > DIODE_MOST_A:
        return
    kinds = {number(p.stage.forward_v): p for p in kit.diodes if isinstance(p.stage, Diode) and p.stage.count == 1}
    if not kinds:
        table = PARTS.diode_forward_v_by_a["silicon"]
        drop = round(look_up(table, target.at.heavy_a), 2)
        kinds = {drop: to_buy(Diode(forward_v=drop), "silicon diode")}
    for drop, part in sorted(kinds.items()):
        count = max(1, ceil(over / drop - 1e-9)) if drop > 0.0 else MOST_DIODES + 1
        if count <= MOST_DIODES and facts.volts_when_low - count * drop > target.low_v:
            stage = msgspec.structs.replace(part.stage, count=count)
            yield plain_way(target, kit, facts, "series diodes", (msgspec.structs.replace(part, stage=stage),))


def dropper(middle_v: float, facts: Facts, target: Target) -> Part | None:
    """A resistor from the E12 row, single or two alike in parallel, for a steady load; None where none suits.

    R = (V_source - V_device) / I with the pack half empty, rounded so that the full pack stays inside the
    window; rated at twice its heat on the full pack (P = I² R).
    """
    amps = target.at.heavy_a
    if amps <= 0.0 or middle_v <= target.at.volts:
        return None
    wanted = (middle_v - target.at.volts) / amps
    least = max(0.0, (facts.full_v - target.high_v) / amps)
    offers = [(ohm, f"{stated(ohm, 'Ω')}, E12") for ohm in _e12(wanted)]
    offers += [(ohm / 2.0, f"two of {stated(ohm, 'Ω')} in parallel, E12") for ohm in _e12(2.0 * wanted)]
    able = [offer for offer in offers if offer[0] >= least] or offers
    ohm, name = min(able, key=lambda offer: (abs(offer[0] - wanted), offer[1]))
    heat = amps * amps * ohm * max(1.0, (facts.full_v - target.at.volts) / (middle_v - target.at.volts))
    rating = next((w for w in WORK.resistor_ratings_w if w >= RESISTOR_MARGIN * heat), None)
    if rating is None:
        return None
    return to_buy(Resistor(resistance_ohm=ohm, rating_w=rating), name)


def _e12(near: float) -> list[float]:
    """The values of the E12 row just below and just above, in ohms."""
    rows = [digit * 10.0**power for power in range(-2, 5) for digit in PARTS.resistor_e12]
    below, above = [v for v in rows if v <= near], [v for v in rows if v >= near]
    return [*below[-1:], *above[:1]]
