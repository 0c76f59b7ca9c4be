"""Choosing the look that a finding is about, among all that were taken at a situation."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from hermotrope_core.circuit.situation import Look
from hermotrope_core.judge.findings.finding import Level, outside_duty

Figure = Callable[[Look], float]


def worst(looks: Iterable[Look], have: Figure, limit: float) -> Look | None:
    """The look furthest above a limit: of the duty's modes if one of them is, else of the others; None if none is."""
    over = [look for look in looks if have(look) > limit]
    return max(over, key=lambda look: (look.in_duty, have(look)), default=None)


def held(look: Look, level: Level) -> Level:
    """The level of a finding about a look: a mode outside the duty is at most a care."""
    return level if look.in_duty else outside_duty(level)


def amps_into(i: int) -> Figure:
    """The current into path[i] in a look, amperes."""
    return lambda look: look.at.at_stage(i).amps_in
