"""Reading the outing document; every refusal is one line that names the place."""

from __future__ import annotations

from typing import Any

import msgspec

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case, questions
from hermotrope_core.plan.document import CaseError, json_tree, not_finite, of_format, refusal, whole_numbers
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Branch, Outing, Supply, chain
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.upgrade import OUTING


class Junction(Source, frozen=True):
    """What is before a branch, whatever it is: what makes sense there is asked of the whole way (`chain`)."""

    @property
    def holds(self) -> bool:
        return True


JUNCTION = Junction(
    name="junction", chemistry="li-ion", cells_in_series=1, capacity_ah=1.0, resistance_ohm=0.0, cutoff_v=0.0
)
"""Stands for what is before a branch: no ohms, no end of its own. Its volts are told from outside."""


def read_outing(data: bytes | str) -> Outing:
    """Read a finished outing document. Raises `CaseError` naming the field and the reason."""
    outing = outing_from(json_tree(data, "outing"))
    if not outing.supplies:
        raise CaseError("supplies", "needs at least one entry")
    for i, supply in enumerate(outing.supplies):
        if not supply.branches:
            raise CaseError(f"supplies[{i}].branches", "needs at least one device")
        finished_supply(supply, f"supplies[{i}]")
    return outing


def outing_tree(outing: Outing) -> dict[str, Any]:
    """The outing as plain dicts, lists and numbers, as stored and exchanged."""
    tree: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(outing))
    return tree


def outing_from(tree: object) -> Outing:
    """Build an outing, finished or not, from decoded JSON. Raises `CaseError`."""
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
    return outing


def finished_supply(supply: Supply, place: str) -> None:
    """Raise `CaseError` for the first thing that a supply leaves open."""
    if supply.source.chemistry not in CHEMISTRIES:
        known = ", ".join(sorted(CHEMISTRIES))
        raise CaseError(f"{place}.source.chemistry", f"{supply.source.chemistry!r} is not known; known are {known}")
    for i, branch in enumerate(supply.branches):
        here = f"{place}.branches[{i}]"
        try:
            case = branch_case(branch)
            chain(supply, i, Conditions())
        except ValueError as error:
            raise CaseError(here, str(error)) from None
        for question in questions(case):
            raise CaseError(f"{here}.{question.place}", f"missing ({question.ask})")


def branch_case(branch: Branch, source: Source = JUNCTION) -> Case:
    """A branch as a conversion of its own, fed by what stands before it. Raises ValueError for an absurd path."""
    return Case(
        format=FORMAT, title=branch.device.name, device=branch.device, source=source, path=branch.path, duty=branch.duty
    )
