"""Swap plan: how many packs a job takes, when to change them, when they are ready again."""

from __future__ import annotations

from collections.abc import Callable
from itertools import accumulate
from math import ceil, inf

import msgspec

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.hours.night import ahead
from hermotrope_core.parts.chemistry import Chemistry
from hermotrope_core.values.known import maybe, number

MARGIN = 0.1
"""A swap is planned this share of the cautious runtime before it would end."""
MOST_SWAPS = 500
TAPER = 0.95
"""What the slow end of a charge leaves of a charger’s watts on average (typical)."""


class Swap(msgspec.Struct, frozen=True):
    """One change of packs: seconds after the start, which pack comes out and which goes in (1, 2, ...)."""

    at_s: float
    out: int
    into: int
    ready: bool
    """False where the pack that goes in is not charged again by then."""


class Plan(msgspec.Struct, frozen=True):
    """The packs of a job: how long each runs in turn (seconds); `needed` without recharging, `own` are used in turn."""

    job_s: float
    lasts_s: tuple[float, ...]
    needed: int
    own: int
    swaps: tuple[Swap, ...]
    recharge_s: float
    gap: str


def swap_plan(job_s: float, lasts: Callable[[float], float], own: int, recharge_s: float, *, hot: bool) -> Plan:
    """Plan a job of so many seconds; `lasts(t)` is how long a full pack put in at second t surely runs.

    Packs go in turn, and each starts to recharge when it comes out. Raises ValueError where a pack does not run.
    """
    spans = in_turn(job_s, lasts)
    ends = list(accumulate(spans))
    at = ends[-1]
    needed = len(spans) if at >= job_s - 1e-6 else ceil(len(spans) * job_s / at)
    packs = max(1, min(own, needed))
    free = [0.0] * packs
    swaps: list[Swap] = []
    for i, moment in enumerate(ends[:-1] if ends and ends[-1] >= job_s - 1e-6 else ends):
        now, following = i % packs, (i + 1) % packs
        free[now] = moment + recharge_s if recharge_s < inf else inf
        swaps.append(Swap(moment, now + 1, following + 1, free[following] <= moment + 1e-6))
    gap = "hot: the new pack is connected before the old one comes off" if hot else "with a gap: the device restarts"
    return Plan(job_s, tuple(spans), needed, packs, tuple(swaps[:MOST_SWAPS]), recharge_s, gap)


def in_turn(job_s: float, lasts: Callable[[float], float]) -> list[float]:
    """Seconds of each full pack in its turn until the job is done; `lasts(t)` as in `swap_plan`.

    Raises ValueError for a job of no time, and where a pack does not run.
    """
    if job_s <= 0.0:
        raise ValueError("a job that does not last needs no plan")
    spans: list[float] = []
    at = 0.0
    while at < job_s - 1e-6 and len(spans) <= MOST_SWAPS:
        each = lasts(at)
        if each <= 0.0:
            raise ValueError(
                "a pack does not run at all" if not spans else "a pack does not run what the duty asks of it then"
            )
        at += each
        spans.append(each)
    return spans


def cautious_lasts(situation: Situation, cautious: float) -> Callable[[float], float]:
    """How long a full pack put in at a second of the duty runs at the pessimistic end, less a margin for the swap.

    `cautious` is the pessimistic end of the range over its middle. The duty goes on where it is then.
    """
    case = situation.case
    known: dict[float, float] = {}

    def lasts(at_s: float) -> float:
        into = at_s if case.duty.once else round(at_s % case.duty.seconds, 3)
        if into not in known:
            left = ahead(case.duty, into)
            duty = msgspec.structs.replace(case.duty, repeat=left, once=False)
            known[into] = run(msgspec.structs.replace(case, duty=duty)).runtime_s if left else inf
        return known[into] * cautious * (1.0 - MARGIN)

    return lasts


def charged_share(cell: Chemistry) -> float:
    """Share of a charger's watts that the cells hold in the end: efficiency, the slow end of a charge (typical)."""
    return TAPER * (cell.charge_efficiency or 1.0)


def recharge_seconds(situation: Situation, charger_w: float | None, hours_a_day: float | None = None) -> float:
    """Seconds to put back what a run takes: Wh / (W x efficiency), not faster than the pack allows; inf for primaries.

    A charger that works some hours of each day only (the sun, a car) takes as many days as it needs, the nights between
    them counted. The efficiency is that of the cells, with what the slow end of a charge leaves (typical).
    """
    run, source = situation.run, situation.source
    if not situation.cell.rechargeable or run is None:
        return inf
    own = maybe(source.recharge_h)
    if charger_w is None:
        seconds = 3600.0 * own if own else inf
    else:
        share = charged_share(situation.cell)
        used = situation.circuit.start_soc - run.final_soc
        seconds = max(3600.0 * run.energy_from_source_wh / (charger_w * share), 3600.0 * (own or 0.0) * used)
    if hours_a_day is None or hours_a_day >= 24.0 or seconds in (0.0, inf):
        return seconds
    nights = ceil(seconds / (3600.0 * hours_a_day) - 1e-9) - 1
    return seconds + nights * 3600.0 * (24.0 - hours_a_day)


class Handover(msgspec.Struct, frozen=True):
    """A bank first, then the device's own battery: seconds of each, and what happens at the seam."""

    outer_s: float
    inner_s: float
    seam: str


def handover(situation: Situation) -> Handover | None:
    """None without an internal battery. The inner one carries the mean power of the duty from its own energy."""
    inner, ended, device = situation.case.device.internal_battery, situation.run, situation.case.device
    if inner is None or ended is None or ended.runtime_s <= 0.0:
        return None
    sums = duty_sums(situation)
    watts = sums.mean_w if sums else 0.0
    energy = number(inner.energy_wh)
    if not inner.takes_over:
        words = "The inner battery does not take over: at the end of the feed the device stops."
        return Handover(ended.runtime_s, 0.0, words)
    fills = "Whether the feed fills it meanwhile is not known: if it does, that comes out of the pack first."
    seam = "It takes over without a gap when the feed falls away"
    if "writes-storage" in device.traits and device.ends in ("abrupt", "resets"):
        seam += "; when it is empty too, the device stops abruptly while it may be writing"
    return Handover(ended.runtime_s, 3600.0 * energy / watts if watts > 0.0 else inf, f"{seam}. {fills}")
