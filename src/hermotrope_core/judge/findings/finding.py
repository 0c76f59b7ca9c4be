"""What a finding is, and the verdict that a list of them gives."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Literal

import msgspec

from hermotrope_core.parts.craft import OVER, UNDER
from hermotrope_core.plan.codes import Code

Level = Literal["note", "care", "refuse", "stop"]
Verdict = Literal["fits", "fits with care", "refused"]
LEVELS: tuple[Level, ...] = ("note", "care", "refuse", "stop")


class Finding(msgspec.Struct, frozen=True, gc=False):
    """One judgement: what was compared (`have` against `limit`, in `unit`) and what would cure it.

    `cure` says it in words; `change` is the same as JSON Patch operations on the case, where one
    press can apply it. `stage` is the path index where it arises (-1 the source, len(path) the device).
    """

    code: Code
    level: Level
    message: str
    stage: int
    have: float | None = None
    limit: float | None = None
    unit: str = ""
    cure: str | None = None
    change: tuple[dict[str, Any], ...] = ()


def outside_duty(level: Level) -> Level:
    """The level of a finding about a mode that the device has and the duty does not use: at most a care."""
    return "care" if level in ("refuse", "stop") else level


def above(volts: float, limit: float) -> bool:
    """True if `volts` is above `limit` by more than the tolerance."""
    return volts > limit * OVER


def below(volts: float, limit: float) -> bool:
    """True if `volts` is below `limit` by more than the tolerance."""
    return volts < limit * UNDER


def verdict_of(findings: Iterable[Finding]) -> Verdict:
    """The worst finding decides: refuse or stop, then care; notes never count."""
    levels = {finding.level for finding in findings}
    if levels & {"refuse", "stop"}:
        return "refused"
    return "fits with care" if "care" in levels else "fits"
