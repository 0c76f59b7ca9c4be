"""Boards that are in nothing better than another: with the same pack they need no judgement of their own.

For one pack, a board that asks for more power in every mode, needs higher volts, and is neither
cheaper, lighter, quicker to fit nor cooler than another gives a way that no wish can prefer: every
current is higher, every volt lower, the run shorter. This holds only where a smaller draw does no
harm; a bank that falls asleep under a light load is left out.
"""

from __future__ import annotations

from itertools import islice
from operator import ge

from hermotrope_core.match.asked import Asked
from hermotrope_core.match.chain import Chain, Facts
from hermotrope_core.match.shelf import WORK, labour_kind
from hermotrope_core.parts.craft import HOT_CARE_K
from hermotrope_core.parts.thermal import CLOSED_BOX_DERATING
from hermotrope_core.plan.case import Case

Costs = tuple[float, ...]


def costs_of(case: Case, chain: Chain, at: Asked) -> Costs | None:
    """What counts against a chain of one board, each smaller the better; None for other chains."""
    if len(chain.parts) != 1 or chain.broken is not None:
        return None
    part = chain.parts[0]
    stage = part.stage
    holder = stage.holder(0)
    if holder is None or not stage.set_by_hand:
        return None
    labour = WORK.stages[labour_kind(part)]
    heavy = at.volts * at.heavy_a
    rise = (chain.demands[chain.heaviest].value - heavy) * stage.k_per_w(closed=case.conditions.enclosure == "closed")
    top = max((amps for amps, _ in at.peaks), default=0.0)
    rated = holder.output_current_max_a
    derating = CLOSED_BOX_DERATING if case.conditions.enclosure == "closed" else 1.0
    return (
        *(demand.value for demand in chain.demands),
        chain.input_min_v,
        0.0 if part.have else labour.price if part.price is None else part.price,
        labour.mass_g if part.mass_g is None else part.mass_g,
        float(rise > HOT_CARE_K),
        float(rated is not None and top > rated * derating),
    )


MOST_BETTERS = 40
"""So many are noted of those that are better; where none of them can take the pack, the chain is judged for itself."""


def betters(chains: list[Chain], costs: list[Costs | None]) -> list[tuple[int, ...]]:
    """For each chain the indices of those of its kind that are in everything as good or better, best first.

    In the order of their costs, so that the first of them that can take a pack has no better one itself; ties by place.
    """
    found: list[tuple[int, ...]] = [()] * len(chains)
    before: dict[str, list[tuple[Costs, int]]] = {}
    for mine, i in sorted((one, i) for i, one in enumerate(costs) if one is not None):
        known = before.setdefault(chains[i].strategy, [])
        found[i] = tuple(islice((k for other, k in known if all(map(ge, mine, other))), MOST_BETTERS))
        known.append((mine, i))
    return found


def may_sleep(facts: Facts) -> bool:
    """True for a bank that a lighter load could put to sleep."""
    port = facts.pack.source.regulated_output
    return port is not None and port.output_min_current_a is not None
