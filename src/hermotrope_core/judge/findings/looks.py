"""Choosing the look that a finding is about, among all that were taken at a situation."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from hermotrope_core.circuit.situation import Look, Situation
from hermotrope_core.judge.findings.finding import Level, outside_duty
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.device import Mode

Figure = Callable[[Look], float]
Kind = tuple[Code, Level, tuple[Look, ...], float | None]
"""A code with its level, the looks to take, and their limit."""


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


def in_turn(situation: Situation, key: Callable[[Mode], float]) -> list[Mode]:
    """The modes of the duty, greatest `key` first, then the others likewise."""
    return sorted(situation.all_modes, key=lambda mode: (not situation.in_duty(mode), -key(mode)))


def named(situation: Situation, mode: Mode) -> str:
    """A mode in a sentence."""
    return f"“{mode.name}”" if situation.in_duty(mode) else f"“{mode.name}”, which is not in the duty"


def level_in(situation: Situation, mode: Mode, level: Level) -> Level:
    """The level of a finding about a mode: outside the duty at most a care."""
    return level if situation.in_duty(mode) else outside_duty(level)
