"""Reading the outing document; every refusal is one line that names the place."""

from __future__ import annotations

import msgspec

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case, questions
from hermotrope_core.plan.document import CaseError, json_tree, not_finite, of_format, refusal, whole_numbers
from hermotrope_core.plan.outing import Branch, Outing, Supply
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.upgrade import OUTING

JUNCTION = Source(
    name="junction", chemistry="li-ion", cells_in_series=1, capacity_ah=1.0, resistance_ohm=0.0, cutoff_v=0.0
)
"""Stands for what is before a branch: no ohms, no end of its own. Its volts are told from outside."""


def read_outing(data: bytes | str) -> Outing:
    """Read a finished outing document. Raises `CaseError` naming the field and the reason."""
    tree = json_tree(data, "outing")
    if not isinstance(tree, dict):
        raise CaseError("outing", "an outing is a JSON object")
    if (place := not_finite(tree)) is not None:
        raise CaseError(place, "must be a finite number")
    tree = of_format(tree, OUTING)
    try:
        outing = msgspec.convert(whole_numbers(tree), Outing)
    except msgspec.ValidationError as error:
        found = refusal(str(error), "")
        raise CaseError("outing" if found.place == "case" else found.place, found.why) from None
    except RecursionError:
        raise CaseError("outing", "nested too deeply") from None
    for i, supply in enumerate(outing.supplies):
        _finished(supply, f"supplies[{i}]")
    return outing


def _finished(supply: Supply, place: str) -> None:
    """Raise `CaseError` for the first thing that a supply leaves open."""
    if supply.source.chemistry not in CHEMISTRIES:
        known = ", ".join(sorted(CHEMISTRIES))
        raise CaseError(f"{place}.source.chemistry", f"{supply.source.chemistry!r} is not known; known are {known}")
    for i, branch in enumerate(supply.branches):
        here = f"{place}.branches[{i}]"
        try:
            case = branch_case(branch)
        except ValueError as error:
            raise CaseError(here, str(error)) from None
        for question in questions(case):
            raise CaseError(f"{here}.{question.place}", f"missing ({question.ask})")


def branch_case(branch: Branch, source: Source = JUNCTION) -> Case:
    """A branch as a conversion of its own, fed by what stands before it. Raises ValueError for an absurd path."""
    return Case(
        format=FORMAT, title=branch.device.name, device=branch.device, source=source, path=branch.path, duty=branch.duty
    )
