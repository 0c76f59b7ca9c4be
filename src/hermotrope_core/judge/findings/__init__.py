"""Every judgement of a conversion: one small function per rule, with its codes, in the family it belongs to."""

from __future__ import annotations

from types import ModuleType

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import (
    at_rest,
    cells,
    converters,
    current,
    endurance,
    fuses,
    joining,
    losses,
    other_supply,
    surroundings,
    voltage,
)
from hermotrope_core.judge.findings.finding import LEVELS, Finding, Level, Verdict, verdict_of
from hermotrope_core.judge.findings.rule import Basis, Rule
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.naming import told

__all__ = ["BASES", "FAMILIES", "LEVELS", "RULES", "Finding", "Level", "Verdict", "check", "verdict_of"]

FAMILIES: tuple[ModuleType, ...] = (
    voltage,
    endurance,
    current,
    converters,
    joining,
    fuses,
    losses,
    cells,
    other_supply,
    at_rest,
    surroundings,
)
"""In the order of the work: volts, amperes, joining, protection, habits, surroundings."""
RULES: tuple[Rule, ...] = tuple(one for family in FAMILIES for one in vars(family).values() if isinstance(one, Rule))
"""Family by family, in the order in which they stand there."""
BASES: dict[Code, Basis] = {basis.code: basis for one in RULES for basis in one.codes}


def check(situation: Situation) -> tuple[Finding, ...]:
    """All findings of a finished case, worst first, else in the order of `RULES`."""
    found = [finding for judge in RULES for finding in judge(situation)]
    if situation.cell.endless:
        found = [_of_an_adapter(situation, finding) for finding in found]
    if situation.case.choices:
        found = [_chosen(situation, finding) for finding in found]
    return tuple(sorted(found, key=lambda finding: -LEVELS.index(finding.level)))


def _of_an_adapter(situation: Situation, finding: Finding) -> Finding:
    words = told(situation.case, finding.message), finding.cure and told(situation.case, finding.cure)
    return msgspec.structs.replace(finding, message=words[0], cure=words[1])


def _chosen(situation: Situation, finding: Finding) -> Finding:
    """A finding that was accepted on purpose says so, with the reason."""
    choice = next((one for one in situation.case.choices if one.code == finding.code), None)
    if choice is None or finding.code not in situation.case.accepted:
        return finding
    who = f" ({choice.by})" if choice.by else ""
    return msgspec.structs.replace(finding, message=f"{finding.message} Chosen deliberately{who}: {choice.reason}.")
