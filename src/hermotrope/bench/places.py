"""Where stages may go on the line: what the browser shows while something is dragged, and the tray of the shelf."""

from __future__ import annotations

from typing import Any

import msgspec

from hermotrope.bench.stages import designed
from hermotrope.entry.typed import EditError
from hermotrope.shelf.models import Item
from hermotrope.shelf.parts import KINDS
from hermotrope_core.judge.cures import fitted
from hermotrope_core.judge.placement import problem, spots
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import Source

MOST_TRAY = 60
HOLDS_AWAKE = "the keep-alive load behind it needs it: move that first"


def move_problems(case: Case) -> list[list[str | None]]:
    """For each stage of the path what speaks against each gap, counted before it is lifted."""
    found: list[list[str | None]] = []
    for i, stage in enumerate(case.path):
        if any(one.KEEPS_AWAKE for one in case.path[i + 1 :]) and not _wakes(case, i):
            found.append([None if gap in (i, i + 1) else HOLDS_AWAKE for gap in range(len(case.path) + 1)])
            continue
        rest = msgspec.structs.replace(case, path=case.path[:i] + case.path[i + 1 :])
        found.append([problem(rest, stage, gap if gap <= i else gap - 1) for gap in range(len(case.path) + 1)])
    return found


def _wakes(case: Case, without: int) -> bool:
    """Whether something still holds its volts before each keep-alive load once the stage at `without` is lifted."""
    if case.source is None or case.source.holds:
        return True
    rest = [one for i, one in enumerate(case.path) if i != without]
    first = next((i for i, one in enumerate(rest) if one.KEEPS_AWAKE), len(rest))
    return any(one.HOLDS for one in rest[:first])


def kind_problems(case: Case, kinds: tuple[tuple[str, str], ...], at: int) -> list[tuple[str, str, str]]:
    """Each kind of stage with its words, and what speaks against it at a gap."""
    made = []
    for kind, words in kinds:
        try:
            made.append((kind, words, problem(case, designed(case, kind, at), at) or ""))
        except EditError as error:
            made.append((kind, words, str(error)))
    return made


def tray(case: Case, at: int, words: str = "") -> dict[str, Any]:
    """Stages of the shelf that some words call, what one has first, each with what speaks against every gap."""
    rows = []
    items = Item.objects.exclude(kind__in=("source", "meter")).saying(words)
    for item in items.at_hand_first()[:MOST_TRAY]:
        part = item.readable()
        if part is None or isinstance(part, Source):
            continue
        part = fitted(case, part)
        gives = part.detail if part.SWITCHES else ""
        places = [spot.problem for spot in spots(case, part)]
        rows.append(
            {
                "key": item.key,
                "name": f"{item.name}, {gives}" if gives else item.name,
                "group": KINDS[item.kind],
                "have": item.have != Item.Have.MAYBE,
                "problem": places[at] or "",
                "places": places,
            }
        )
    rows.sort(key=lambda row: (bool(row["problem"]), not row["have"]))
    return {"tray": rows, "seek": {"words": words, "shown": MOST_TRAY, "of": items.count()}}
