"""The devices of the bench, for whom parts are looked for on the shelf."""

from __future__ import annotations

from hermotrope.bench.models import Conversion
from hermotrope.shelf.in_mind import KEPT_BY, Devices
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Supply

MOST = 200
"""So many are offered, and the one that is in mind."""


def _listed(chosen: int | None) -> list[tuple[int, str]]:
    rows = Conversion.objects.order_by("title", "pk").values_list("pk", "title")
    one = rows.filter(pk=chosen) if chosen is not None else ()
    return list(dict.fromkeys([*rows[:MOST], *one]))


def _supply_of(pk: int) -> Supply | None:
    case = Conversion.objects.filter(pk=pk).values_list("case", flat=True).first()
    return case.device.supply if isinstance(case, Case) else None


def join() -> None:
    """Let the shelf ask; once, when the application starts."""
    KEPT_BY.append(Devices(_listed, _supply_of))
