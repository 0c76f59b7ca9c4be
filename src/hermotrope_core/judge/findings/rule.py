"""What a rule is: its codes, each with how bad it can be and what its two numbers rest on, and the rule itself."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings.finding import Finding, Level
from hermotrope_core.plan.codes import Code

CRAFT = "a rule of the craft, taken as typical"
FULL = ("full",)
LOADED = ("source.resistance_ohm", "path")


class Basis(msgspec.Struct, frozen=True):
    """A code: the levels it can have, and how its two numbers come about.

    `have_from` and `limit_from` name places of the document, `{stage}` being the finding's own, or one of the
    groups that `judge.evidence` knows (full, ocv, path, duty, peaks, heaviest, lightest, inlet, outlet, traits,
    chemistry).
    """

    code: Code
    levels: tuple[Level, ...]
    have: str
    have_from: tuple[str, ...]
    limit: str = CRAFT
    limit_from: tuple[str, ...] = ()
    can_be_accepted: bool = False
    """Whether somebody may take it over on purpose, so that it is a care from then on."""


Judge = Callable[[Situation], Iterator[Finding]]


class Rule(msgspec.Struct, frozen=True):
    """One judgement of a finished case, and the codes that it gives."""

    judge: Judge
    codes: tuple[Basis, ...]

    def __call__(self, situation: Situation) -> Iterator[Finding]:
        return self.judge(situation)

    @property
    def question(self) -> str:
        """What it looks at, in one sentence."""
        return (self.judge.__doc__ or "").partition("\n")[0]


def rule(*codes: Basis) -> Callable[[Judge], Rule]:
    """Make a rule of a function that yields findings of these codes."""
    return lambda judge: Rule(judge, codes)
