"""Taking a fit into the case, with where it comes from, and what each part of it does to the runtime."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.fit.result import Z90, Fit, Found
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from, tree_of
from hermotrope_core.plan.spread import as_measured


def fitted(case: Case, fit: Fit, places: Collection[str], note: str) -> Case:
    """The case with the told inputs at these places put in as measured. Raises CaseError.

    The usual spread of a measurement covers the meters; a wider one is written where the run itself is less sure.
    """
    tree = tree_of(case)
    for one in fit.found:
        if one.now is None or one.place not in places:
            continue
        part, last = stands(tree, one.place)
        part[last] = as_measured(one.now, Z90 * one.sigma, note, digits=5)
    return case_from(tree)


def stands(tree: dict[str, Any], place: str) -> tuple[dict[str, Any], str]:
    """The object of a document in which a place such as ``path[1].efficiency`` stands, and its name there."""
    *parents, last = place.replace("[", ".").replace("]", "").split(".")
    part: Any = tree
    for step in parents:
        part = part[int(step)] if step.isdigit() else part[step]
    return part, last


def shares_of_runtime(case: Case, fit: Fit) -> list[tuple[Found, float]]:
    """Each told input with the seconds by which it alone changes the runtime, the largest first."""
    try:
        planned = run(case).runtime_s
        made = [(one, run(fitted(case, fit, {one.place}, "")).runtime_s - planned) for one in fit.found if one.told]
    except NeverEnds:
        return []
    return sorted(made, key=lambda pair: -abs(pair[1]))
