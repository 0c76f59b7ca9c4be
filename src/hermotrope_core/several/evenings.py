"""Evenings on one charge: the same outing once a day until a device stops early, and what stands still meanwhile."""

from __future__ import annotations

from math import inf

import msgspec

from hermotrope_core.circuit.situation import HALF_SOC
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.several.follow import follow
from hermotrope_core.several.load import Load, heaviest, pull_of
from hermotrope_core.several.remarks import who_stops
from hermotrope_core.values.clock import DAY_S
from hermotrope_core.values.known import maybe

MOST_EVENINGS = 200
MOST_CHANGES = 5_000
MONTH_DAYS = 30.0
LEAST_SOC = 1e-6


class Evenings(msgspec.Struct, frozen=True):
    """How many evenings, one a day, a full pack lasts in full, left connected between them and taken off."""

    connected: int
    taken_off: int
    idle_a: float
    """From the cells with every device off and all left connected: boards, displays, and what a port takes."""
    flat_s: float | None
    """Seconds until it is flat with nothing ever on, self-discharge counted; None where nothing flows and it keeps."""
    sleeps: bool
    """Whether a bank switches itself off between the evenings, so that it must be woken."""


def evenings(supply: Supply, conditions: Conditions, hours: float) -> Evenings:
    """Count the evenings of a supply with its devices, each of `hours` and with the same programme.

    Raises ValueError for a supply that does not run empty, and what `follow` raises.
    """
    if CHEMISTRIES[supply.source.chemistry].endless:
        raise ValueError("it does not run empty")
    amps, sleeps = _idle(supply, conditions)
    load = Load(supply, conditions, [])
    leak = CHEMISTRIES[supply.source.chemistry].self_discharge_per_month / MONTH_DAYS / DAY_S
    drain = amps / (3600.0 * load.trunk.charge_ah)
    full = load.trunk.start_soc - load.trunk.reserve_soc
    lost = drain + leak
    return Evenings(
        connected=_count(supply, conditions, hours, lost),
        taken_off=_count(supply, conditions, hours, leak),
        idle_a=amps,
        flat_s=full / lost if lost > 0.0 else None,
        sleeps=sleeps,
    )


def _idle(supply: Supply, conditions: Conditions) -> tuple[float, bool]:
    """Amperes from the cells with every device off, and whether a bank's port falls asleep over so little."""
    nothing = Demand("current", 0.0)
    off = [(i, pull_of(one, heaviest(one), nothing)) for i, one in enumerate(supply.branches)]
    load = Load(supply, conditions, off)
    flow = None if load.setting.dead else load.setting.flow(load.trunk.emf(HALF_SOC))
    port = supply.source.regulated_output
    least = maybe(port.output_min_current_a) if port else None
    if port is not None and least is not None and load.setting.port_a < least and port.sleeps_after_s < inf:
        return 0.0, True
    return (0.0 if flow is None else flow.mean_a), False


def _count(supply: Supply, conditions: Conditions, hours: float, per_s: float) -> int:
    """Evenings that are whole, with so much of the charge lost per second between two of them."""
    soc, between = maybe(supply.source.initial_soc), max(0.0, DAY_S - 3600.0 * hours)
    for count in range(MOST_EVENINGS):
        source = supply.source if soc is None else msgspec.structs.replace(supply.source, initial_soc=soc)
        run = follow(msgspec.structs.replace(supply, source=source), conditions, hours, most=MOST_CHANGES)
        if who_stops(supply, conditions, run, hours):
            return count
        soc = run.final_soc - per_s * between
        if soc <= max(LEAST_SOC, maybe(supply.source.reserve_soc) or 0.0):
            return count + 1
    return MOST_EVENINGS
