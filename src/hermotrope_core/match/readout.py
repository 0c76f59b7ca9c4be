"""A match as plain JSON objects, as the command prints it."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf
from typing import Any

import msgspec

from hermotrope_core.judge.findings import Finding
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.match.build import plain_way
from hermotrope_core.match.groups import WORDS, amount, groups
from hermotrope_core.match.judge import Judged
from hermotrope_core.match.rank import Weights, rank
from hermotrope_core.match.search import Matched, Refused


def match_tree(matched: Matched, weights: Weights | None) -> dict[str, Any]:
    """Every way that was tried, best first, refused ones last; what was refused in groups; the count.

    Where the search ended before every pack was tried, how many were, and of how many.
    """
    every = [*matched.fitting, *matched.judged_spares()]
    fitting = [judged for judged in every if judged.apart != "refused"]
    options = [
        {**option_tree(ranked.judged), "score": round(ranked.score, 6), "terms": msgspec.to_builtins(ranked.terms)}
        for ranked in rank(matched.case, fitting, weights, matched.hours)
    ]
    options += [option_tree(dropped.judged) for dropped in matched.dropped]
    options += [option_tree(judged) for judged in every if judged.apart == "refused"]
    options += [refused_tree(matched, refused) for refused in matched.refused]
    whole = {} if matched.complete else {"packs": matched.packs, "of_packs": matched.of_packs}
    return {"tried": matched.tried, **whole, "options": options, "refused": list(group_trees(matched))}


def option_tree(judged: Judged) -> dict[str, Any]:
    """A way that was judged in full. The runtime is null where it lasts for ever or the duty draws nothing."""
    way, run = judged.way, judged.run
    return {
        "source": msgspec.to_builtins(way.pack.source),
        "strategy": way.strategy,
        "kept_awake": way.kept_awake,
        "path": path_tree(way.path),
        "verdict": judged.verdict,
        "findings": [msgspec.to_builtins(finding) for finding in judged.findings],
        "runtime_s": None if run is None or judged.runtime_s == inf else round(run.runtime_s, 6),
        "end_cause": None if run is None else run.end_cause,
        "price": round(judged.effort.price, 2),
        "mass_g": round(judged.effort.mass_g, 1),
        "minutes": judged.effort.minutes,
        "soldered": judged.effort.soldered,
        "undo": judged.effort.undo,
    }


def refused_tree(matched: Matched, refused: Refused) -> dict[str, Any]:
    """A way that one number refuses: not simulated, so without a runtime."""
    way = matched.way_of(refused)
    if way is None and matched.target is not None and refused.strategy in ("direct", "wall adapter"):
        way = plain_way(matched.target, matched.kit, refused.facts, refused.strategy, ())
    finding = reason_tree(refused)
    return {
        "source": msgspec.to_builtins(refused.facts.pack.source),
        "strategy": refused.strategy,
        "kept_awake": False,
        "path": path_tree(way.path) if way is not None else [],
        "verdict": "refused",
        "findings": [finding],
        "runtime_s": None,
    }


def reason_tree(refused: Refused) -> dict[str, Any]:
    """The one number, in the form of a finding."""
    reason = refused.reason
    have, limit = amount(reason.have, reason.unit), amount(reason.limit, reason.unit)
    words = WORDS.get(reason.code, reason.code).format(limit=limit)
    message = f"{words[0].upper()}{words[1:]}: {have} against {limit}."
    finding = Finding(reason.code, "refuse", message, -1, reason.have, reason.limit, reason.unit)  # type: ignore[arg-type]
    tree: dict[str, Any] = msgspec.to_builtins(finding)
    return tree


def path_tree(path: tuple[Stage, ...]) -> list[Any]:
    return [msgspec.to_builtins(stage) for stage in path]


def group_trees(matched: Matched) -> Iterator[dict[str, Any]]:
    for group in groups(matched):
        yield {
            "code": group.code,
            "count": group.count,
            "words": group.words,
            "nearest": group.nearest,
            "have": group.have,
            "limit": group.limit,
            "unit": group.unit,
            "cure": None if group.cure is None else group.cure.words,
            "hint": group.hint,
        }
