"""What the page of an outing reckons of one supply, kept between requests.

A change concerns one supply or two of an outing, and what was weighed while a device was dragged is dropped next: the
others, and what was weighed, are not reckoned again. Keyed by the content, so that nothing of before can be told.
"""

from __future__ import annotations

from functools import lru_cache

import msgspec
from django.template.loader import render_to_string
from django.utils.safestring import SafeString

from hermotrope.drawings.night import night, points
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.several.follow import SupplyRun, follow, follow_hourly
from hermotrope_core.several.inner import Inner, carried
from hermotrope_core.several.remarks import Remark, remarks
from hermotrope_core.values.liking import Liking, liked

KEPT_RUNS = 64
KEPT_PICTURES = 24
"""A picture takes some 100 kB at most: what is too thin runs together, however often modes change."""
LONGEST_S = 14 * 86400.0
"""An outing without hours is drawn no longer than this."""


class Asked(msgspec.Struct, frozen=True):
    """One supply and what it goes through: for how many hours, and how many changes of mode are followed at most."""

    supply: Supply
    conditions: Conditions
    hours: float | None
    most: int


@lru_cache(maxsize=KEPT_RUNS)
def followed(asked: Asked) -> SupplyRun | str:
    """A supply's run through the outing; why it cannot be followed, in words."""
    try:
        return follow(asked.supply, asked.conditions, asked.hours, keep=True, most=asked.most)
    except ValueError as error:
        return str(error)


@lru_cache(maxsize=KEPT_RUNS)
def followed_hourly(asked: Asked) -> SupplyRun:
    """The same through the temperatures by the hour.

    Raises ValueError where it cannot be followed.
    """
    return follow_hourly(asked.supply, asked.conditions, asked.hours, most=asked.most)


def told(asked: Asked) -> tuple[Remark, ...]:
    """What is to be told of a supply that was followed."""
    return _told(asked, liked())


@lru_cache(maxsize=KEPT_RUNS)
def _told(asked: Asked, _liking: Liking) -> tuple[Remark, ...]:
    return remarks(asked.supply, asked.conditions, _run(asked), asked.hours)


@lru_cache(maxsize=KEPT_RUNS)
def carriers(asked: Asked) -> tuple[Inner | None, ...]:
    """What each device's own battery does in a supply that was followed."""
    return tuple(
        carried(branch, asked.conditions, asked.hours, one.runtime_s, over=one.end_cause == "programme over")
        for branch, one in zip(asked.supply.branches, _run(asked).branches, strict=True)
    )


def picture(asked: Asked, start: str | None, index: int, *, moves: bool) -> SafeString:
    """The drawing of a supply's night with its scrubber, at a place of its outing; `moves`: there is another supply."""
    return _picture(asked, start, index, moves, liked())


@lru_cache(maxsize=KEPT_PICTURES)
def _picture(asked: Asked, start: str | None, index: int, moves: bool, _liking: Liking) -> SafeString:
    run = _run(asked)
    horizon = horizon_s(run, asked.hours)
    context = {
        "drawn": night(asked.supply, run, horizon, start, carriers(asked)),
        "points": points(asked.supply, run, start),
        "horizon": round(horizon, 1),
        "index": str(index),
        "moves": moves,
    }
    return render_to_string("outing/_night.html", context)


def horizon_s(run: SupplyRun, hours: float | None) -> float:
    """Seconds that are drawn of a supply's night."""
    return 3600.0 * hours if hours is not None else min(max(run.runtime_s, 60.0), LONGEST_S)


def _run(asked: Asked) -> SupplyRun:
    run = followed(asked)
    if isinstance(run, str):
        raise TypeError(run)
    return run
