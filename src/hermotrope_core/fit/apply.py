"""Taking a fit into the case, with where it comes from, and what each part of it does to the runtime."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.fit.result import Z90, Fit, Found
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from, tree_of
from hermotrope_core.plan.spread import MEASURED_SPREAD


def fitted(case: Case, fit: Fit, places: Collection[str], note: str) -> Case:
    """The case with the told inputs at these places put in as measured. Raises CaseError.

    The usual spread of a measurement covers the meters; a wider one is written where the run itself is less sure.
    """
    tree = tree_of(case)
    for one in fit.found:
        if one.now is None or one.place not in places:
            continue
        value: dict[str, Any] = {"value": float(f"{one.now:.5g}"), "known_by": "measured", "note": note}
        if Z90 * one.sigma > MEASURED_SPREAD:
            value["spread"] = float(f"{Z90 * one.sigma:.2g}")
        _put(tree, one.place, value)
    return case_from(tree)


def _put(tree: dict[str, Any], place: str, value: Any) -> None:
    *parents, last = place.replace("[", ".").replace("]", "").split(".")
    part: Any = tree
    for step in parents:
        part = part[int(step)] if step.isdigit() else part[step]
    part[last] = value


def shares_of_runtime(case: Case, fit: Fit) -> list[tuple[Found, float]]:
    """Each told input with the seconds by which it alone changes the runtime, the largest first."""
    try:
        planned = run(case).runtime_s
        made = [(one, run(fitted(case, fit, {one.place}, "")).runtime_s - planned) for one in fit.found if one.told]
    except NeverEnds:
        return []
    return sorted(made, key=lambda pair: -abs(pair[1]))
