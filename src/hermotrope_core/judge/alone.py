"""What concerns one device of an outing by itself: its ends, its own parts, who uses it; sums are judged elsewhere."""

from __future__ import annotations

from functools import lru_cache

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply, chain
from hermotrope_core.values.liking import Liking, liked

WITH_THE_REST: frozenset[Code] = frozenset({
    "over-absolute-max", "over-max", "under-min-at-full", "early-stop", "does-not-start", "does-not-last", "collapse",
    "peak-drop", "source-overload", "source-overload-peak", "auto-off", "no-low-voltage-cut-off", "deep-discharge",
    "no-fuse", "unfused-lead", "fuse-over-wire", "no-switch", "standing-drain", "no-warning", "abrupt-stop",
    "alarm-volts",
})  # fmt: skip
"""Judged of all that hangs on a supply together (`several.remarks`), or a matter of the supply, not of a device."""
OF_A_SHARED_PART: frozenset[Code] = frozenset({"supplies-meet", "other-supply", "feed-gap", "rating-volts"})
"""Told of what lies before the junction too: they go by its volts, and nobody else at an outing looks at them."""
OF_THE_SUPPLY: tuple[Code, int] = ("polarity-unknown", -1)
"""Whether the pack's own contacts were ever measured; an outing asks for that at every end, whatever hangs on it."""
KEPT = 500
"""Devices whose findings are kept between two requests."""


def alone(supply: Supply, conditions: Conditions, place: int) -> tuple[Finding, ...]:
    """The findings of one device on its own way, the gravest first; notes are left to the Bench.

    Empty for a device whose inlet nobody has described (a typed row): there is nothing to judge it by.
    """
    return _alone(
        Supply(source=supply.source, trunk=supply.trunk, branches=(supply.branches[place],)), conditions, liked()
    )


@lru_cache(maxsize=KEPT)
def _alone(supply: Supply, conditions: Conditions, _liking: Liking) -> tuple[Finding, ...]:
    branch, shared = supply.branches[0], len(supply.trunk)
    if branch.device.inlet is None:
        return ()
    try:
        case = chain(supply, 0, conditions)
    except ValueError:  # its way makes no sense on this supply: what computes says why
        return ()
    return tuple(
        one
        for one in check(Situation(case))
        if one.level in ("refuse", "stop", "care")
        and one.code not in WITH_THE_REST
        and (one.code in OF_A_SHARED_PART or not 0 <= one.stage < shared)
        and (one.code, one.stage) != OF_THE_SUPPLY
    )
