"""The devices of the bench, for whom parts are looked for on the shelf."""

from __future__ import annotations

from collections.abc import Collection

from hermotrope.bench.models import Conversion
from hermotrope.shelf.in_mind import KEPT_BY, Devices
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Supply

MOST = 200
"""So many are offered, and those that are chosen."""


def by_title(chosen: Collection[int] = (), most: int = MOST) -> list[tuple[int, str]]:
    """Key and title of the first so many conversions, with the chosen ones wherever they stand; one or two queries."""
    rows = Conversion.objects.order_by("title", "pk").values_list("pk", "title")
    return list(dict.fromkeys([*rows[:most], *(rows.filter(pk__in=chosen) if chosen else ())]))


def _listed(chosen: int | None) -> list[tuple[int, str]]:
    return by_title(() if chosen is None else (chosen,))


def _supply_of(pk: int) -> Supply | None:
    case = Conversion.objects.filter(pk=pk).values_list("case", flat=True).first()
    return case.device.supply if isinstance(case, Case) else None


def join() -> None:
    """Let the shelf ask; once, when the application starts."""
    KEPT_BY.append(Devices(_listed, _supply_of))
