"""Every change to an outing: one action each, from the newest version, recorded as a revision, in one transaction."""

from __future__ import annotations

from typing import Any, Literal

import msgspec
from django.db import transaction

from hermotrope.outing.models import Outing, Revision
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.outing import FORMAT, Branch, Charger, Supply
from hermotrope_core.plan.outing import Outing as Document
from hermotrope_core.plan.outing_document import outing_from, outing_tree
from hermotrope_core.values.clock import DAY_S, since_midnight


class Conflict(Exception):
    """The outing was changed meanwhile, in another tab."""


def new_document(title: str) -> Document:
    """An outing without packs."""
    return Document(format=FORMAT, title=title)


@transaction.atomic
def create(document: Document, label: str) -> Outing:
    """Keep an outing with its first revision."""
    tree = outing_tree(document)
    outing = Outing.objects.create(title=document.title, document=tree)
    Revision.objects.create(outing=outing, number=1, document=tree, label=label[:200])
    return outing


@transaction.atomic
def put(pk: int, version: int, document: Document, label: str) -> Outing:
    """Replace the document. Raises `Conflict`, `CaseError`, `Outing.DoesNotExist`."""
    outing = _newest(pk, version)
    tree = outing_tree(outing_from(outing_tree(document)))
    if tree == outing.document:
        return outing
    outing.revisions.filter(number__gt=outing.revision).delete()
    outing.revision += 1
    Revision.objects.create(outing=outing, number=outing.revision, document=tree, label=label[:200])
    return _saved(outing, tree)


@transaction.atomic
def step(pk: int, version: int, by: int) -> Outing:
    """Undo (`by` -1) or redo (+1) one revision; nothing happens at either end."""
    outing = _newest(pk, version)
    revision = outing.revisions.filter(number=outing.revision + by).first()
    if revision is None:
        return outing
    outing.revision = revision.number
    return _saved(outing, revision.document)


@transaction.atomic
def remove(pk: int, version: int) -> None:
    """Take an outing away for good."""
    _newest(pk, version).delete()


def _newest(pk: int, version: int) -> Outing:
    outing = Outing.objects.select_for_update().get(pk=pk)
    if outing.version != version:
        raise Conflict
    return outing


def _saved(outing: Outing, tree: object) -> Outing:
    outing.document = tree
    outing.title = outing_from(tree).title
    outing.version += 1
    outing.save()
    return outing


def with_supply(document: Document, supply: Supply) -> Document:
    """The outing with one more supply."""
    return msgspec.structs.replace(document, supplies=(*document.supplies, supply))


def without_supply(document: Document, index: int) -> Document:
    """The outing without a supply and what hangs on it."""
    supplies = document.supplies[:index] + document.supplies[index + 1 :]
    return msgspec.structs.replace(document, supplies=supplies)


def with_changed(document: Document, index: int, supply: Supply) -> Document:
    """The outing with one supply changed."""
    supplies = tuple(supply if i == index else one for i, one in enumerate(document.supplies))
    return msgspec.structs.replace(document, supplies=supplies)


def with_branch(document: Document, index: int, branch: Branch) -> Document:
    """The outing with one more device on a supply."""
    supply = document.supplies[index]
    return with_changed(document, index, msgspec.structs.replace(supply, branches=(*supply.branches, branch)))


def with_spares(document: Document, index: int, spares: int) -> Document:
    """The outing with so many more of a supply's pack along."""
    return with_changed(document, index, msgspec.structs.replace(document.supplies[index], spares=spares))


def with_charger(document: Document, charger: Charger) -> Document:
    """The outing with one more thing to charge from."""
    return msgspec.structs.replace(document, chargers=(*document.chargers, charger))


def without_charger(document: Document, at: int) -> Document:
    """The outing without one of the things to charge from. Raises IndexError for one that is not there."""
    if not 0 <= at < len(document.chargers):
        raise IndexError(at)
    return msgspec.structs.replace(document, chargers=document.chargers[:at] + document.chargers[at + 1 :])


def from_bench(case: Case, number: int, start: str | None) -> Branch:
    """A conversion's device with its own way and its duty, as it is on in an outing that begins at `start`."""
    late = 0.0
    if start and case.duty.start:
        late = (since_midnight(start) - since_midnight(case.duty.start)) % DAY_S
    duty = case.duty.begun_at(late) if late else case.duty
    return Branch(device=case.device, path=case.path, duty=duty, bench=number)


def renewed(document: Document, index: int, place: int, branch: Branch) -> Document:
    """The outing with a device as its conversion now is; how many, pinned and its own battery stay."""
    return _with_branch_changed(document, index, place, device=branch.device, path=branch.path, duty=branch.duty)


def unlinked(document: Document) -> Document:
    """The outing without the numbers of conversions, which mean nothing on another bench."""
    supplies = tuple(
        msgspec.structs.replace(
            one, branches=tuple(msgspec.structs.replace(branch, bench=None) for branch in one.branches)
        )
        for one in document.supplies
    )
    return msgspec.structs.replace(document, supplies=supplies)


def without_branch(document: Document, index: int, place: int) -> Document:
    """The outing without one device of a supply."""
    supply = document.supplies[index]
    branches = supply.branches[:place] + supply.branches[place + 1 :]
    return with_changed(document, index, msgspec.structs.replace(supply, branches=branches))


def with_count(document: Document, index: int, place: int, count: int) -> Document:
    """The outing with another number of equal devices on a branch. Raises ValueError for an absurd one."""
    return _with_branch_changed(document, index, place, count=count)


def with_pin(document: Document, index: int, place: int, *, pinned: bool) -> Document:
    """The outing with a device that stays where it hangs, or may be moved again."""
    return _with_branch_changed(document, index, place, pinned=pinned)


def with_own_battery(document: Document, index: int, place: int, goes: Literal["first", "last"]) -> Document:
    """The outing with a device whose own battery carries it first, or takes over last."""
    return _with_branch_changed(document, index, place, own_battery=goes)


def with_inlet(document: Document, index: int, place: int, inlet: Connector) -> Document:
    """The outing with a device whose inlet somebody described."""
    device = document.supplies[index].branches[place].device
    return _with_branch_changed(document, index, place, device=msgspec.structs.replace(device, inlet=inlet))


def _with_branch_changed(document: Document, index: int, place: int, **fields: Any) -> Document:
    supply = document.supplies[index]
    branch = msgspec.structs.replace(supply.branches[place], **fields)
    branches = tuple(branch if i == place else one for i, one in enumerate(supply.branches))
    return with_changed(document, index, msgspec.structs.replace(supply, branches=branches))


def moved(document: Document, index: int, place: int, to: int) -> Document:
    """The outing with one device on another supply."""
    branch = document.supplies[index].branches[place]
    return with_branch(without_branch(document, index, place), to, branch)
