"""Every device by the clock: which mode is on, when it changes, and how often all of them do."""

from __future__ import annotations

from math import inf

from hermotrope_core.plan.duty import Duty
from hermotrope_core.plan.outing import Supply


class Clock:
    """A duty by the clock: which mode is on, and when it changes."""

    def __init__(self, duty: Duty) -> None:
        self.turns, self.once = duty.turns(), duty.once
        self.cycle_s = sum(lasts for _, lasts in self.turns)
        self.cycle = self.at = 0
        self.over = False

    @property
    def mode(self) -> str:
        return self.turns[self.at][0]

    @property
    def next_s(self) -> float:
        """When its mode changes; inf for a device that has one mode for ever, or whose programme is over."""
        if self.over or (len(self.turns) == 1 and not self.once):
            return inf
        within = sum(lasts for _, lasts in self.turns[: self.at + 1])
        return self.cycle * self.cycle_s + within

    def turn(self) -> None:
        """Go on to the next mode; a programme that runs once is `over` after its last."""
        if self.at + 1 < len(self.turns):
            self.at += 1
        elif self.once:
            self.over = True
        else:
            self.at, self.cycle = 0, self.cycle + 1


def changes(supply: Supply, until_s: float) -> float:
    """How many changes of mode a supply's devices make in so many seconds, about: what following it costs."""
    total = 0.0
    for branch in supply.branches:
        turns = branch.duty.turns()
        cycle = sum(lasts for _, lasts in turns)
        if len(turns) > 1 and cycle > 0.0:
            total += len(turns) * (1.0 if branch.duty.once else until_s / cycle)
    return total
