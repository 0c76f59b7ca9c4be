"""Swap plan: how many packs a job takes, when to change them, when they are ready again; and the field's warnings."""

from __future__ import annotations

from math import ceil, inf

import msgspec

from hermotrope_core.case import maybe, number
from hermotrope_core.situation import Situation

MARGIN = 0.1
"""A swap is planned this share of the cautious runtime before it would end."""
MOST_SWAPS = 500
TAKEN_BACK, TAKEN_BACK_NICKEL = 0.9, 0.75
"""Share of a charger's energy that the cells give back (typical): lithium and lead, nickel."""
WARN_AT = (0.2, 0.1)


class Swap(msgspec.Struct, frozen=True):
    """One change of packs: seconds after the start, which pack comes out and which goes in (1, 2, ...)."""

    at_s: float
    out: int
    into: int
    ready: bool
    """False where the pack that goes in is not charged again by then."""


class Plan(msgspec.Struct, frozen=True):
    """The packs of a job: each runs `each_s`; `needed` without recharging, `own` are used in turn."""

    job_s: float
    each_s: float
    needed: int
    own: int
    swaps: tuple[Swap, ...]
    recharge_s: float
    gap: str


def swap_plan(job_s: float, cautious_s: float, own: int, recharge_s: float, *, hot: bool) -> Plan:
    """Plan a job of so many seconds with packs that run for `cautious_s` at the pessimistic end of their range.

    Packs go in turn, and each starts to recharge when it comes out. Raises ValueError where a pack does not run.
    """
    each = cautious_s * (1.0 - MARGIN)
    if each <= 0.0 or job_s <= 0.0:
        raise ValueError("a pack that does not run, or a job that does not last, needs no plan")
    needed = ceil(job_s / each - 1e-9)
    packs = max(1, min(own, needed))
    free = [0.0] * packs
    swaps: list[Swap] = []
    at, now = 0.0, 0
    while at + each < job_s - 1e-6 and len(swaps) < MOST_SWAPS:
        at += each
        free[now] = at + recharge_s if recharge_s < inf else inf
        following = (now + 1) % packs
        swaps.append(Swap(at, now + 1, following + 1, free[following] <= at + 1e-6))
        now = following
    gap = "hot: the new pack is connected before the old one comes off" if hot else "with a gap: the device restarts"
    return Plan(job_s, each, needed, packs, tuple(swaps), recharge_s, gap)


def recharge_seconds(situation: Situation, charger_w: float | None, hours_a_day: float | None = None) -> float:
    """Seconds to put back what a run takes: Wh / (W x efficiency), not faster than the pack allows; inf for primaries.

    A charger that works some hours of each day only (the sun, a car) takes as many days as it needs, the nights between
    them counted. Lithium and lead take back about 0.9 of what the charger gives, nickel 0.75 (typical).
    """
    run, source = situation.run, situation.source
    if not situation.cell.rechargeable or run is None:
        return inf
    own = maybe(source.recharge_h)
    if charger_w is None:
        seconds = 3600.0 * own if own else inf
    else:
        share = TAKEN_BACK_NICKEL if source.chemistry in ("nimh", "nicd") else TAKEN_BACK
        used = situation.circuit.start_soc - run.final_soc
        seconds = max(3600.0 * run.energy_from_source_wh / (charger_w * share), 3600.0 * (own or 0.0) * used)
    if hours_a_day is None or hours_a_day >= 24.0 or seconds in (0.0, inf):
        return seconds
    nights = ceil(seconds / (3600.0 * hours_a_day) - 1e-9) - 1
    return seconds + nights * 3600.0 * (24.0 - hours_a_day)


class FieldWarning(msgspec.Struct, frozen=True):
    """What a meter at the pack shows at a charge: with the lightest and with the heaviest mode drawing, and at rest."""

    soc: float
    rest_v: float
    light_v: float | None
    heavy_v: float | None


def field_warnings(situation: Situation) -> tuple[FieldWarning, ...]:
    """Volts at the pack's terminals at 20 % and 10 % of the charge, for a sticker and an alarm's set-point."""
    light, heavy = situation.lightest, situation.heaviest
    return tuple(
        FieldWarning(soc, situation.circuit.emf(soc), situation.pack_v(light, soc), situation.pack_v(heavy, soc))
        for soc in WARN_AT
    )


class Handover(msgspec.Struct, frozen=True):
    """A bank first, then the device's own battery: seconds of each, and what happens at the seam."""

    outer_s: float
    inner_s: float
    seam: str


def handover(situation: Situation) -> Handover | None:
    """None without an internal battery. The inner one carries the mean power of the duty from its own energy."""
    inner, run, device = situation.case.device.internal_battery, situation.run, situation.case.device
    if inner is None or run is None or run.runtime_s <= 0.0:
        return None
    watts = run.energy_to_device_wh / (run.runtime_s / 3600.0)
    energy = number(inner.energy_wh)
    if not inner.takes_over:
        words = "The inner battery does not take over: at the end of the feed the device stops."
        return Handover(run.runtime_s, 0.0, words)
    fills = "Whether the feed fills it meanwhile is not known: if it does, that comes out of the pack first."
    seam = "It takes over without a gap when the feed falls away"
    if "writes-storage" in device.traits and device.ends in ("abrupt", "resets"):
        seam += "; when it is empty too, the device stops abruptly while it may be writing"
    return Handover(run.runtime_s, 3600.0 * energy / watts if watts > 0.0 else inf, f"{seam}. {fills}")
