"""Ranking by a wish: each way's share of the best in every term, and their weighted geometric mean."""

from __future__ import annotations

from math import exp, inf, log

import msgspec

from hermotrope_core.match.judge import Judged
from hermotrope_core.match.request import WISHES, Wish
from hermotrope_core.plan.case import Case

Weights = dict[Wish, float]

PRICE_FLOOR, MINUTES_FLOOR, MASS_FLOOR_G = 5.0, 10.0, 50.0
"""Differences far below these do not matter to a maker; they keep nothing from being infinitely better."""
USUAL: Weights = {"longest": 2.0, "lightest": 1.0, "cheapest": 1.0, "least-work": 1.0, "reversible": 1.0}
"""What counts where nobody wishes for anything: people convert for the runtime first."""
CARE_FACTOR = 0.8
"""Without a wish, each care of a way's own leaves it this much of its score."""
NOISE_FACTOR = 0.75
"""Likewise for a receiver, where a switching part is the last before it."""
ENOUGH_TIMES, LONG_ROUND_S = 2.0, 4 * 3600.0
"""A run is long enough at so many times what was asked; a duty of at least so many seconds is what is asked."""
LEAST_SHARE = 1e-6
ORDER = {"fits": 0, "fits with care": 1, "refused": 2}


class Term(msgspec.Struct, frozen=True):
    """How one wish counted for a way: its share of the best (0 to 1) and the weight of the wish."""

    wish: Wish
    share: float
    weight: float


class Ranked(msgspec.Struct, frozen=True):
    """A way in its place: `score` from 0 to 1, and what made it."""

    judged: Judged
    score: float
    terms: tuple[Term, ...]


def enough_s(case: Case, hours: float = 0.0) -> float:
    """Seconds beyond which a longer run is worth no more: twice what was asked for, or what the duty once takes.

    Infinite where nobody asked for hours and the duty is a short round that goes on and on.
    """
    duty = case.duty.seconds
    asked = 3600.0 * hours or (duty if case.duty.once or duty >= LONG_ROUND_S else 0.0)
    return ENOUGH_TIMES * asked if asked > 0.0 else inf


def rank(case: Case, fitting: list[Judged], weights: Weights | None = None, hours: float = 0.0) -> tuple[Ranked, ...]:
    """Best first; ties are broken by verdict, fewer stages, then by name, so the order is always the same.

    The share of a term is best / own (own / best for the runtime), each with a floor below which a
    difference means nothing. The score is the weighted geometric mean of the shares, so that nothing
    makes up for a way that is hopeless in one. Without a wish the terms count as in `USUAL`, and each care
    that is the way's own costs a little, and for a receiver so does a switching part close to it.
    Runtime beyond what is enough (`enough_s`, of the hours asked for) is worth no more: it is carried for nothing.
    """
    if not fitting:
        return ()
    wished = weights if weights and any(weights.values()) else None
    used = wished or USUAL
    total = sum(used.values())
    enough, quiet = enough_s(case, hours), "receiver" in case.device.traits
    best = _best(fitting, enough)
    made = []
    for judged in fitting:
        terms = tuple(Term(wish, _share(wish, judged, best, enough), used.get(wish, 0.0)) for wish in WISHES)
        score = exp(sum(term.weight * log(max(term.share, LEAST_SHARE)) for term in terms) / total)
        if wished is None:
            score *= CARE_FACTOR**judged.cares * (NOISE_FACTOR if quiet and noisy(judged) else 1.0)
        made.append(Ranked(judged, score, terms))
    return tuple(sorted(made, key=_place))


def noisy(judged: Judged) -> bool:
    """Whether the last part that holds the volts switches: a linear regulator, cells and diodes make no noise."""
    held = [stage for stage in judged.way.path if stage.HOLDS]
    if held:
        return held[-1].SWITCHES
    return judged.way.pack.source.regulated_output is not None


def _place(ranked: Ranked) -> tuple[object, ...]:
    judged = ranked.judged
    way = judged.way
    linear = any(stage.HOLDS and not stage.SWITCHES for stage in way.path)
    score = -round(ranked.score, 9)
    return (score, ORDER[judged.apart], len(way.parts), linear, judged.effort.price, way.pack.source.name, way.strategy)


def _best(fitting: list[Judged], enough: float) -> dict[Wish, float]:
    finite = [min(j.runtime_s, enough) for j in fitting if j.runtime_s < inf]
    return {
        "longest": max(finite, default=0.0),
        "lightest": min(j.effort.mass_g for j in fitting) + MASS_FLOOR_G,
        "cheapest": min(j.effort.price for j in fitting) + PRICE_FLOOR,
        "least-work": min(j.effort.minutes for j in fitting) + MINUTES_FLOOR,
        "reversible": 1.0 + min(j.effort.undo for j in fitting),
    }


def _share(wish: Wish, judged: Judged, best: dict[Wish, float], enough: float) -> float:
    effort = judged.effort
    if wish == "longest":
        runs = min(judged.runtime_s, enough)
        return 1.0 if runs >= best[wish] else runs / best[wish]
    own = {
        "lightest": effort.mass_g + MASS_FLOOR_G,
        "cheapest": effort.price + PRICE_FLOOR,
        "least-work": effort.minutes + MINUTES_FLOOR,
        "reversible": 1.0 + effort.undo,
    }[wish]
    return best[wish] / own
