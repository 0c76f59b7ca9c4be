"""A request for a match: a device with its duty, and a shelf instead of a source and a path."""

from __future__ import annotations

from typing import Any, Literal

import msgspec

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.match.shelf import Pack, Part, Shelf
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case, PlanOn, questions
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.device import Device
from hermotrope_core.plan.document import LARGEST_BYTES, CaseError, json_tree, of_format, refusal, whole_numbers
from hermotrope_core.plan.duty import Conditions, Duty
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.upgrade import CASE
from hermotrope_core.values.known import Value

Wish = Literal["longest", "lightest", "cheapest", "least-work", "reversible"]
WISHES: tuple[Wish, ...] = ("longest", "lightest", "cheapest", "least-work", "reversible")
LARGEST_SHELF_BYTES = 20 * LARGEST_BYTES
MOST_ITEMS = 5000


class _Items(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    sources: list[Source] = []
    stages: list[Stage] = []


class _Document(Value, frozen=True):
    """The request as it is exchanged."""

    format: str
    device: Device
    duty: Duty
    shelf: _Items
    title: str = "match"
    conditions: Conditions = Conditions()
    accepted: tuple[Code, ...] = ()
    plan_on: PlanOn = "duty"
    wish: Wish | None = None


class Request(msgspec.Struct, frozen=True):
    """What is to be fed (a case without source and path), from which shelf, and what is wished for."""

    case: Case
    shelf: Shelf
    wish: Wish | None = None


def read_request(data: bytes | str) -> Request:
    """Read a request for a match. Raises `CaseError` naming the field and the reason."""
    tree: Any = json_tree(data, "request", LARGEST_SHELF_BYTES)
    if not isinstance(tree, dict):
        raise CaseError("request", "a request is a JSON object")
    tree = of_format(tree, CASE)
    try:
        read = msgspec.convert(whole_numbers(tree), _Document)
        case = Case(
            format=FORMAT,
            title=read.title,
            device=read.device,
            duty=read.duty,
            conditions=read.conditions,
            accepted=read.accepted,
            plan_on=read.plan_on,
        )
    except (msgspec.ValidationError, ValueError) as error:
        raise refusal(str(error), "") from None
    for i, source in enumerate(read.shelf.sources):
        if source.chemistry not in CHEMISTRIES:
            raise CaseError(f"shelf.sources[{i}].chemistry", f"{source.chemistry!r} is not known")
    if max(len(read.shelf.sources), len(read.shelf.stages)) > MOST_ITEMS:
        raise CaseError("shelf", f"has more than {MOST_ITEMS} sources or stages")
    for question in questions(case):
        if question.place != "source":
            raise CaseError(question.place, f"missing ({question.ask})")
    shelf = Shelf(tuple(map(Pack, read.shelf.sources)), tuple(map(Part, read.shelf.stages)))
    return Request(case, shelf, read.wish)
