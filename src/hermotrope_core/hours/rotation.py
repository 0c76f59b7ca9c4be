"""Packs in turn through an outing: when each goes in and comes out, from what it is charged again, whether in time.

Packs of one supply go in turn. One that comes out waits for a charger; chargers are there by the clock and fill one
pack at a time, in the order in which packs come out, each pack on the one that is done with it first.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby
from math import inf

import msgspec

from hermotrope_core.hours.night import ahead
from hermotrope_core.hours.swap import MARGIN, charged_share, in_turn
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Charger, Outing, Supply
from hermotrope_core.several.follow import SupplyRun, follow
from hermotrope_core.several.inner import fed
from hermotrope_core.several.ranges import night_range
from hermotrope_core.values.clock import DAY_S, since_midnight
from hermotrope_core.values.known import maybe, number

DRAWS = 200
MOST_CHANGES = 10_000
LOOK = 4.0
"""A pack that lasts so many times the outing is put in once and stays."""
LONGEST_DAYS = 30
MOST_IN_TURN = 60
"""Packs of one supply, by how long the first lasts; more are no plan."""
SAME_S = 1e-6


class Span(msgspec.Struct, frozen=True):
    """One pack of a supply (1, 2, …) in its place: from and until, seconds from the start, and what is taken of it."""

    pack: int
    from_s: float
    until_s: float
    taken_wh: float
    used_soc: float
    ready: bool = True
    """Whether it is full when it goes in."""


class Charge(msgspec.Struct, frozen=True):
    """One pack on one charger without a break."""

    supply: int
    pack: int
    by: str
    from_s: float
    until_s: float


class Rotation(msgspec.Struct, frozen=True):
    """The packs of one supply: how many go along, how many are in turn here, and each in its place.

    More than go along are in turn where those would not be full again in time.
    """

    supply: int
    taken: int
    needed: int
    spans: tuple[Span, ...]
    share: float | None
    """What is taken to the pessimistic end of the range over what is taken to its plain end.

    None where there were too many changes to draw it.
    """


class Packs(msgspec.Struct, frozen=True):
    """All packs of an outing: in their places, on chargers, and when the last is full again (None: not all are)."""

    rotations: tuple[Rotation, ...]
    charges: tuple[Charge, ...]
    full_s: tuple[tuple[int, int, float | None], ...]
    """Supply, pack, and when it is full again after its last time out; None for never."""


class _Out(msgspec.Struct, frozen=True):
    at_s: float
    rotation: int
    place: int
    span: Span


def packs_in_turn(outing: Outing) -> Packs:
    """Plan the packs of an outing whose hours are set; chargers count only where its start is set too.

    Raises ValueError without hours, and for a supply whose pack does not run.
    """
    if outing.hours is None:
        raise ValueError("say for how many hours it is meant")
    hours = number(outing.hours)
    rotations = [
        rotation(supply, i, outing.conditions, hours)
        for i, supply in enumerate(outing.supplies)
        if supply.branches and not CHEMISTRIES[supply.source.chemistry].endless
    ]
    sources = _by_name(outing.chargers, outing.start)
    while True:
        packs = _charged(outing, rotations, sources)
        short = [any(not span.ready for span in one.spans) for one in packs.rotations]
        if not any(late and one.needed < len(one.spans) for late, one in zip(short, rotations, strict=True)):
            return packs
        rotations = [
            _dealt(one, min(one.needed + late, len(one.spans))) for late, one in zip(short, rotations, strict=True)
        ]


def _dealt(one: Rotation, packs: int) -> Rotation:
    """The same times with so many packs in turn."""
    spans = tuple(msgspec.structs.replace(span, pack=k % packs + 1) for k, span in enumerate(one.spans))
    return msgspec.structs.replace(one, needed=packs, spans=spans)


def _charged(outing: Outing, rotations: list[Rotation], sources: dict[str, list[Window]]) -> Packs:
    """Every pack on a charger when it comes out, and whether it is full when it goes in again."""
    outs = [_Out(span.until_s, r, k, span) for r, one in enumerate(rotations) for k, span in enumerate(one.spans)]
    free = dict.fromkeys(sources, 0.0)
    full: dict[tuple[int, int], float] = {}
    late: set[tuple[int, int]] = set()
    charges: list[Charge] = []
    for out in sorted(outs, key=lambda one: (one.at_s, one.rotation)):
        made = rotations[out.rotation]
        again = next((k for k in range(out.place + 1, len(made.spans)) if made.spans[k].pack == out.span.pack), None)
        back = inf if again is None else made.spans[again].from_s
        pieces = _earliest(outing.supplies[made.supply], out.span, sources, free)
        never = inf if out.span.taken_wh > 0.0 else out.at_s
        done = pieces[-1][2] if pieces else never
        if again is not None and done > back + SAME_S:
            late.add((out.rotation, again))
        for by, start, end in pieces:
            if start < back:
                charges.append(Charge(made.supply, out.span.pack, by, start, min(end, back)))
                free[by] = min(end, back)
        full[(made.supply, out.span.pack)] = done
    finished = tuple(
        msgspec.structs.replace(one, spans=tuple(
            msgspec.structs.replace(span, ready=(r, k) not in late) for k, span in enumerate(one.spans)
        ))
        for r, one in enumerate(rotations)
    )  # fmt: skip
    ends = tuple((supply, pack, None if at == inf else at) for (supply, pack), at in sorted(full.items()))
    return Packs(finished, tuple(charges), ends)


def rotation(supply: Supply, index: int, conditions: Conditions, hours: float) -> Rotation:
    """The packs of one supply through so many hours, each taken out before the first device would stop on it.

    A pack is counted as one of less charge: that which goes to the pessimistic end of its range, less a margin.
    """
    loaded = fed(supply, conditions, hours)
    job_s = 3600.0 * hours
    first = _trouble(follow(loaded, conditions, LOOK * hours, most=MOST_CHANGES), LOOK * job_s)
    share = 1.0 if first is None else _share(loaded, conditions, first)
    sure = (1.0 if share is None else share) * (1.0 - MARGIN)

    def lasts(at_s: float) -> float:
        left = job_s - at_s
        rest = _ahead(loaded, at_s)
        if not rest.branches:
            return left
        less = msgspec.structs.replace(rest.source, capacity_ah=sure * number(rest.source.capacity_ah))
        rest = msgspec.structs.replace(rest, source=less)
        stops = _trouble(follow(rest, conditions, left / 3600.0, most=MOST_CHANGES), left)
        return left if stops is None else stops

    if first is not None and job_s > MOST_IN_TURN * lasts(0.0) > 0.0:
        raise ValueError(f"{supply.called} would take more than {MOST_IN_TURN} packs in turn: plan fewer hours")
    each = [job_s] if first is None else in_turn(job_s, lasts)
    spans = []
    at = 0.0
    for seconds in each:
        until = min(job_s, at + seconds)
        rest = _ahead(loaded, at)
        used = _used(rest, conditions, until - at)
        spans.append(Span(1, at, until, *used))
        at = until
    return _dealt(Rotation(index, 1 + supply.spares, 1, tuple(spans), share), min(1 + supply.spares, len(spans)))


def _used(rest: Supply, conditions: Conditions, seconds: float) -> tuple[float, float]:
    """Watt-hours and share of the charge that so many seconds take of a full pack."""
    if not rest.branches or seconds <= 0.0:
        return 0.0, 0.0
    run = follow(rest, conditions, seconds / 3600.0, most=MOST_CHANGES)
    start = maybe(rest.source.initial_soc)
    return run.energy_from_source_wh, (1.0 if start is None else start) - run.final_soc


def _ahead(supply: Supply, at_s: float) -> Supply:
    """The supply for somebody who puts a full pack in after so many seconds: every programme is where it is then."""
    branches = []
    for branch in supply.branches:
        if left := ahead(branch.duty, at_s):
            duty = msgspec.structs.replace(branch.duty, repeat=left)
            branches.append(msgspec.structs.replace(branch, duty=duty))
    return msgspec.structs.replace(supply, branches=tuple(branches))


def _trouble(run: SupplyRun, look_s: float) -> float | None:
    """When the first device stops before its programme is over; None where all go on for so many seconds."""
    early = [one.runtime_s for one in run.branches if one.end_cause != "programme over"]
    return min(early) if early and min(early) < look_s - SAME_S else None


def _share(supply: Supply, conditions: Conditions, first_s: float) -> float | None:
    """The charge taken until the first device stops in the pessimistic draws, over that in the plain run.

    None where that is too much to draw.
    """
    try:
        made = night_range(supply, conditions, first_s / 3600.0, DRAWS)
    except ValueError:
        return None
    early = min(one.p5 for one in made.branches)
    taken, plain = (_used(supply, conditions, seconds)[1] for seconds in (early, first_s))
    return min(1.0, taken / plain) if plain > 0.0 else 1.0


Window = tuple[float, float, float]
"""From and until, seconds after the start of the outing, and watts."""


def _by_name(chargers: tuple[Charger, ...], start: str | None) -> dict[str, list[Window]]:
    """What there is to charge from by its name, each with its windows as seconds after the start of the outing."""
    if start is None:
        return {}
    found: dict[str, list[Window]] = {}
    for name, rows in groupby(sorted(chargers, key=lambda one: one.name), key=lambda one: one.name):
        found[name] = []
        for row in rows:
            opens = (since_midnight(row.opens) - since_midnight(start)) % DAY_S
            lasts = (since_midnight(row.closes) - since_midnight(row.opens)) % DAY_S or DAY_S
            found[name].append((opens, opens + lasts, number(row.power_w)))
        found[name].sort()
    return found


def windows(rows: list[Window], from_s: float) -> Iterator[Window]:
    """The windows of a charger day after day from a moment on; where two overlap the first counts until its end."""
    ended = from_s
    for day in range(int(from_s // DAY_S) - 1, int(from_s // DAY_S) + LONGEST_DAYS):
        for opens, closes, watts in rows:
            begins, ends = max(opens + day * DAY_S, ended), closes + day * DAY_S
            if ends > begins:
                yield begins, ends, watts
                ended = ends


def _earliest(
    supply: Supply, span: Span, sources: dict[str, list[Window]], free: dict[str, float]
) -> list[tuple[str, float, float]]:
    """The pieces in which the charger that is done first fills a pack; empty where none ever does."""
    found = [
        [(name, start, end) for start, end in _fills(supply, span, rows, max(span.until_s, free[name]))]
        for name, rows in sources.items()
    ]
    done = [one for one in found if one]
    return min(done, key=lambda one: one[-1][2]) if done else []


def _fills(supply: Supply, span: Span, rows: list[Window], from_s: float) -> list[tuple[float, float]]:
    """The pieces in which a charger puts back what was taken; empty where it never does.

    Not faster than the pack's own time from empty to full allows.
    """
    cell, own = CHEMISTRIES[supply.source.chemistry], maybe(supply.source.recharge_h)
    left = 3600.0 * span.taken_wh / charged_share(cell)
    if not cell.rechargeable or left <= 0.0:
        return []
    most = left / (3600.0 * own * span.used_soc) if own and span.used_soc > 0.0 else inf
    pieces = []
    for begins, ends, watts in windows(rows, from_s):
        power = min(watts, most)
        lasts = min(ends - begins, left / power)
        pieces.append((begins, begins + lasts))
        left -= power * lasts
        if left <= SAME_S:
            return pieces
    return []
