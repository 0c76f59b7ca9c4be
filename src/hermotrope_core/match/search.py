"""Every way to feed a device from a shelf: tried, the hopeless refused by one number, the rest judged and ranked."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import msgspec

from hermotrope_core.match.build import Way, held_way, plain_ways
from hermotrope_core.match.chain import Chain, Facts, Reason, Strategy, facts_of, screen
from hermotrope_core.match.judge import Judged, at_device, judge, kept_awake
from hermotrope_core.match.rank import Ranked, Weights, rank
from hermotrope_core.match.request import Request
from hermotrope_core.match.shelf import Kit, Pack
from hermotrope_core.match.spare import betters, costs_of, may_sleep
from hermotrope_core.match.strategies import (
    Target,
    middle_chains,
    ports,
    quiet_chains,
    single_chains,
    target_of,
    trigger_chains,
)
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case

MOST_TRIED, MOST_JUDGED = 200_000, 10_000
"""After so many ways, or so many judged in full, a search ends with what it has found: nobody reads more."""


class Limits(msgspec.Struct, frozen=True):
    """What the user asks of a way beyond its verdict."""

    hours: float = 0.0
    """It must run at least so long."""
    no_soldering: bool = False


class Refused(msgspec.Struct, frozen=True, gc=False):
    """A way that is refused by one number, not simulated: enough to build it again."""

    strategy: Strategy
    facts: Facts
    chain: Chain | None
    reason: Reason


class Spare(msgspec.Struct, frozen=True, gc=False):
    """A way that fits no better than another of the same pack, and is judged only when somebody asks."""

    facts: Facts
    chain: Chain
    better: Chain


class Dropped(msgspec.Struct, frozen=True, gc=False):
    """A way that was judged in full and is refused, with the finding or limit that did it."""

    judged: Judged
    reason: Reason


class Tried(msgspec.Struct, frozen=True, gc=False):
    """The ways of one pack: those that fit, and the others by how far they got."""

    fitting: tuple[Judged, ...]
    dropped: tuple[Dropped, ...]
    refused: tuple[Refused, ...]
    spares: tuple[Spare, ...]

    @property
    def judged(self) -> int:
        return len(self.fitting) + len(self.dropped)

    @property
    def count(self) -> int:
        return self.judged + len(self.refused) + len(self.spares)


class Matched(msgspec.Struct, frozen=True):
    """What a search found: the ways that fit; those refused; how many were tried, from how many of the packs."""

    case: Case
    kit: Kit
    target: Target | None
    fitting: tuple[Judged, ...]
    dropped: tuple[Dropped, ...]
    refused: tuple[Refused, ...]
    spares: tuple[Spare, ...]
    packs: int
    """So many packs were tried, of `of_packs`: fewer where the search was stopped or ended by itself."""
    of_packs: int
    hours: float = 0.0
    """What was asked for; 0 where nobody asked."""

    @property
    def complete(self) -> bool:
        return self.packs == self.of_packs

    @property
    def tried(self) -> int:
        return len(self.fitting) + len(self.dropped) + len(self.refused) + len(self.spares)

    def ranked(self, weights: Weights | None = None) -> tuple[Ranked, ...]:
        return rank(self.case, list(self.fitting), weights, self.hours)

    def judged_spares(self) -> Iterator[Judged]:
        """The ways that are no better than another, judged in full."""
        for spare in self.spares:
            assert self.target is not None
            yield judge(self.case, held_way(self.target, self.kit, spare.facts, spare.chain))

    def way_of(self, refused: Refused) -> Way | None:
        """A way refused by one number, built whole; None where the pack alone is refused."""
        if self.target is None or refused.chain is None:
            return None
        return held_way(self.target, self.kit, refused.facts, refused.chain)


def search(request: Request, limits: Limits | None = None) -> Matched:
    """Try every way. Deterministic; the time goes mostly into the ways that are not refused at once."""
    limits = limits or Limits()
    return gathered(request, limits, pack_by_pack(request, limits))


def pack_by_pack(request: Request, limits: Limits) -> Iterator[Tried]:
    """The ways of each pack of the shelf in turn, until there are `MOST_TRIED` of them or `MOST_JUDGED`."""
    case, kit = request.case, Kit(request.shelf)
    target = target_of(case)
    if target is None:
        return
    chains = _Chains(target, kit)
    count = judged = 0
    for pack in request.shelf.packs:
        if count >= MOST_TRIED or judged >= MOST_JUDGED:
            return
        tried = _tried(target, kit, chains, pack, limits)
        count += tried.count
        judged += tried.judged
        yield tried


def gathered(request: Request, limits: Limits, tried: Iterable[Tried]) -> Matched:
    """What the packs gave, together; of a search that was stopped, those that were tried until then."""
    all_ = list(tried)
    target = target_of(request.case)
    return Matched(
        request.case,
        Kit(request.shelf),
        target,
        tuple(one for pack in all_ for one in pack.fitting),
        tuple(one for pack in all_ for one in pack.dropped),
        tuple(one for pack in all_ for one in pack.refused),
        tuple(one for pack in all_ for one in pack.spares),
        len(all_),
        len(request.shelf.packs) if target is not None else 0,
        limits.hours,
    )


def _tried(target: Target, kit: Kit, chains: _Chains, pack: Pack, limits: Limits) -> Tried:
    fitting: list[Judged] = []
    dropped: list[Dropped] = []
    refused: list[Refused] = []
    spares: list[Spare] = []
    for found in _tries(target, kit, chains, pack):
        if isinstance(found, Refused):
            refused.append(found)
        elif isinstance(found, Spare):
            spares.append(found)
        else:
            for judged in _judged(target.case, found):
                reason = _reason(judged, limits)
                if reason is None:
                    fitting.append(judged)
                else:
                    dropped.append(Dropped(judged, reason))
    return Tried(tuple(fitting), tuple(dropped), tuple(refused), tuple(spares))


class _Chains:
    """The chains of a search, each worked out once."""

    def __init__(self, target: Target, kit: Kit) -> None:
        self.target, self.kit = target, kit
        singles = list(single_chains(target, kit))
        self.any_pack = [*singles, *quiet_chains(target, kit, singles)]
        costs = [costs_of(target.case, chain, target.at) for chain in self.any_pack]
        self.betters = betters(self.any_pack, costs)
        self._by_port: dict[tuple[float, float | None], list[Chain]] = {}

    def on_port(self, volts: float, most_a: float | None) -> list[Chain]:
        """Chains for a port that was asked for volts, of which it gives so many amperes."""
        key = volts, most_a
        if key not in self._by_port:
            self._by_port[key] = list(trigger_chains(self.target, self.kit, volts, most_a))
        return self._by_port[key]


def _tries(target: Target, kit: Kit, chains: _Chains, pack: Pack) -> Iterator[Way | Refused | Spare]:
    """Every way from one pack, by all its ports: whole where nothing refuses it at once."""
    for fed, negotiated in ports(pack):
        facts = facts_of(fed, target.case)
        if negotiated:
            port = fed.source.regulated_output
            assert port is not None and facts.port_v is not None
            mine = chains.on_port(facts.port_v, facts.most_a)
        else:
            mine = chains.any_pack
            for plain in plain_ways(target, kit, facts):
                if isinstance(plain, Way):
                    yield plain
                else:
                    yield Refused(plain[0], facts, None, plain[1])
        if CHEMISTRIES[fed.source.chemistry].endless:
            continue
        able: dict[int, None] = {}
        for i, chain in enumerate(mine):
            if chain.strategy == "inverter" and facts.port_v is not None:
                continue
            reason = chain.broken or screen(facts, chain)
            if reason is None:
                able[i] = None
            else:
                yield Refused(chain.strategy, facts, chain, reason)
        alike = not negotiated and not may_sleep(facts)
        for i in able:
            better = next((k for k in chains.betters[i] if k in able), None) if alike else None
            yield held_way(target, kit, facts, mine[i]) if better is None else Spare(facts, mine[i], mine[better])
        if not able and not negotiated:
            for chain in middle_chains(target, kit, facts.full_v):
                reason = chain.broken or screen(facts, chain)
                yield Refused("two stages", facts, chain, reason) if reason else held_way(target, kit, facts, chain)


def _judged(case: Case, way: Way) -> Iterator[Judged]:
    judged = judge(case, way)
    yield judged
    if judged.apart == "refused" and (awake := kept_awake(case, judged)) is not None:
        yield awake


def _reason(judged: Judged, limits: Limits) -> Reason | None:
    """The first thing that refuses a judged way, or None."""
    device = len(judged.way.parts)
    for finding in judged.findings:
        if finding.level in ("refuse", "stop") and not at_device(finding, device):
            return Reason(finding.code, finding.have or 0.0, finding.limit or 0.0, finding.unit)
    if judged.run is not None and judged.run.runtime_s <= 0.0:
        return Reason("does-not-start", 0.0, 0.0, "s")
    if judged.runtime_s < limits.hours * 3600.0:
        return Reason("too-short", judged.runtime_s / 3600.0, limits.hours, "h")
    if limits.no_soldering and judged.effort.soldered:
        return Reason("soldering", float(judged.effort.soldered), 0.0, "joints")
    return None
