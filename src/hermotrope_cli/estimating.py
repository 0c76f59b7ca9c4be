"""The command `estimate`, in a module of its own so that the others start without arrays."""

from __future__ import annotations

from typing import Any

from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.plan.case import Case


def answer(case: Case) -> dict[str, Any]:
    """The JSON object for a finished case. Raises `NeverEnds`."""
    found = estimate(case)
    if found is None:
        return {"runtime_s": {"p5": 0.0, "p50": 0.0, "p95": 0.0}, "end_causes": {}, "measure_next": []}
    return {
        "runtime_s": {name: round(getattr(found, name), 3) for name in ("p5", "p50", "p95")},
        "end_causes": {cause: round(share, 4) for cause, share in found.causes.items()},
        "measure_next": [
            {"input": one.place, "range_shrinks_by": round(one.range_shrinks_by, 4)} for one in found.measure_next
        ],
    }
