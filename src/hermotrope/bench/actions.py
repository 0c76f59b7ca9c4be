"""Every change to a conversion: one action each, used by pages, imports, commands and tests alike.

An action checks that it starts from the newest version, changes the case, records the revision and
brings the columns up to date, in one transaction.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any, Literal

import jsonpatch
import jsonpointer
import msgspec
from django.db import transaction
from django.db.models import F
from django.dispatch import Signal

from hermotrope.bench.feed import feed_of
from hermotrope.bench.models import Conversion, Revision
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.case import FORMAT, Case
from hermotrope_core.plan.device import Device, Mode
from hermotrope_core.plan.document import CaseError, case_from, tree_of
from hermotrope_core.plan.duty import Conditions, Duty, Segment
from hermotrope_core.plan.source import Source

Patch = Sequence[dict[str, Any]]
Part = Literal["all", "device", "line"]
"""What of a conversion is copied."""
PARTS: tuple[Part, ...] = ("all", "device", "line")
LONGEST_TAGS = 200
changed = Signal()
"""Sent with `conversion` once a change is saved, in its transaction: what is derived elsewhere is worked out anew."""


class Conflict(Exception):
    """The conversion was changed meanwhile; `conversion` is the newest state."""

    def __init__(self, conversion: Conversion) -> None:
        self.conversion = conversion
        super().__init__("changed in another tab meanwhile")


def new_case(title: str, device: Device, duty: Duty) -> Case:
    """A case without a pack."""
    return Case(format=FORMAT, title=title, device=device, duty=duty)


@transaction.atomic
def create(case: Case, label: str) -> Conversion:
    """Put a case on the bench as its first revision."""
    conversion = Conversion(case=case)
    _summarise(conversion)
    conversion.save()
    Revision.objects.create(conversion=conversion, number=1, case=case, label=label[:200])
    return conversion


@transaction.atomic
def copy(pk: int, what: Part, title: str) -> Conversion:
    """Put a copy on the bench: all of the plan, the device with its duty, or the pack with its line.

    What was built, read and proved stays with the original: a copy is not proved. Raises `CaseError`.
    """
    original = Conversion.objects.get(pk=pk)
    case = original.case
    if what == "device":
        made = msgspec.structs.replace(new_case(title, case.device, case.duty), conditions=case.conditions)
    elif what == "line":
        bare = new_case(title, Device(name="A device"), Duty())  # what was accepted was for another device
        made = msgspec.structs.replace(bare, source=case.source, path=case.path, conditions=case.conditions)
    else:
        made = msgspec.structs.replace(case, title=title)
    copied = create(case_from(tree_of(made)), f"Copied from “{original.title}”")
    Conversion.objects.filter(pk=copied.pk).update(tags=original.tags)
    return copied


@transaction.atomic
def tag(pk: int, version: int, typed: str) -> Conversion:
    """Set the words by which it is found. Raises `Conflict`, `CaseError`."""
    conversion = _newest(pk, version)
    words = dict.fromkeys(" ".join(word.split()).lower() for word in typed.replace(";", ",").split(","))
    tags = ", ".join(word for word in words if word)
    if len(tags) > LONGEST_TAGS:
        raise CaseError("tags", f"tags take up to {LONGEST_TAGS} letters together")
    conversion.tags = tags
    conversion.version += 1
    conversion.save(update_fields=["tags", "version", "changed_at"])
    return conversion


@transaction.atomic
def change(pk: int, version: int, patch: Patch, label: str) -> Conversion:
    """Apply a JSON Patch to the case. Raises `Conflict`, `CaseError`, `Conversion.DoesNotExist`."""
    conversion = _newest(pk, version)
    return _record(conversion, patched(conversion.case, patch), label)


@transaction.atomic
def put(pk: int, version: int, case: Case, label: str) -> Conversion:
    """Replace the whole case (choosing a pack, renaming a mode). Raises as `change` does."""
    return _record(_newest(pk, version), case_from(tree_of(case)), label)


@transaction.atomic
def step(pk: int, version: int, by: int) -> Conversion:
    """Undo (`by` -1) or redo (+1) one revision; nothing happens at either end."""
    conversion = _newest(pk, version)
    revision = conversion.revisions.filter(number=conversion.revision + by).first()
    if revision is None:
        return conversion
    conversion.case = revision.case
    conversion.revision = revision.number
    return _saved(conversion)


@transaction.atomic
def mark_done(pk: int, version: int, on: date | None, measured_s: float | None) -> Conversion:
    """State that it is built and how long it ran; None takes the statement back."""
    conversion = _newest(pk, version)
    conversion.done_on = on
    conversion.measured_s = measured_s
    conversion.done_revision = conversion.revision if on else None
    return _saved(conversion)


ALL_OF = ("archive", "back", "tag", "untag", "remove")


@transaction.atomic
def all_of(pks: list[int], do: str, text: str) -> None:
    """Put away, bring back, tag, take a tag off or remove all of these. Raises ValueError; nothing is done then."""
    rows = Conversion.objects.filter(pk__in=pks)
    if do not in ALL_OF:
        raise ValueError("choose what is done with them")
    if do == "remove":
        rows.delete()
    elif do in ("archive", "back"):
        rows.update(archived=do == "archive", version=F("version") + 1)
    else:
        word = " ".join(text.replace(";", " ").replace(",", " ").split()).lower()
        if not word:
            raise ValueError("which tag?")
        for row in rows:
            kept = [one for one in row.tag_words if one != word]
            tag(row.pk, row.version, ", ".join([*kept, word] if do == "tag" else kept))


@transaction.atomic
def remove(pk: int, version: int) -> None:
    """Take a conversion off the bench for good."""
    _newest(pk, version).delete()


def patched(case: Case, patch: Patch) -> Case:
    """The case with a JSON Patch applied and validated. Raises `CaseError`."""
    try:
        tree = jsonpatch.apply_patch(tree_of(case), list(patch))
    except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException) as error:
        raise CaseError("case", f"the change does not fit this case any more ({error})") from None
    return case_from(tree)


def _newest(pk: int, version: int) -> Conversion:
    conversion = Conversion.objects.select_for_update().get(pk=pk)
    if conversion.version != version:
        raise Conflict(conversion)
    return conversion


def _record(conversion: Conversion, case: Case, label: str) -> Conversion:
    if case == conversion.case:
        return conversion
    conversion.revisions.filter(number__gt=conversion.revision).delete()
    conversion.revision += 1
    conversion.case = case
    Revision.objects.create(conversion=conversion, number=conversion.revision, case=case, label=label[:200])
    return _saved(conversion)


def _saved(conversion: Conversion) -> Conversion:
    conversion.version += 1
    _summarise(conversion)
    conversion.save()
    changed.send(Conversion, conversion=conversion)
    return conversion


def _summarise(conversion: Conversion) -> None:
    """Fill the columns that lists sort, filter and show."""
    feed = feed_of(conversion.case)
    conversion.title = conversion.case.title
    conversion.verdict = feed.verdict
    conversion.headline = feed.headline
    conversion.words = words_of(conversion.case, feed.headline)
    conversion.next_step = feed.next_step
    conversion.runtime_s = feed.run.runtime_s if feed.run else None
    conversion.end_cause = feed.run.end_cause if feed.run else ""
    conversion.runtime_low_s = feed.range.p5 if feed.range else None
    conversion.runtime_high_s = feed.range.p95 if feed.range else None


def words_of(case: Case, headline: str) -> str:
    """What a conversion is found by: its title, the names of device and pack, what is said of it."""
    pack = case.source.name if case.source else ""
    return "\n".join((case.title, case.device.name, pack, headline)).casefold()


def with_source(case: Case, source: Source) -> Case:
    """The case fed from another pack."""
    return msgspec.structs.replace(case, source=source)


def with_path(case: Case, path: Sequence[Stage], conditions: Conditions | None = None) -> Case:
    """The case with another path and, if given, other conditions."""
    return msgspec.structs.replace(case, path=tuple(path), conditions=conditions or case.conditions)


def with_mode_renamed(case: Case, index: int, name: str) -> Case:
    """The case with a mode renamed in the device and in the duty. Raises `CaseError`."""
    old = case.device.modes[index].name
    tree = tree_of(case)
    tree["device"]["modes"][index]["name"] = name
    if tree["device"].get("output_mode") == old:
        tree["device"]["output_mode"] = name
    for segment in tree.get("duty", {}).get("repeat", ()):
        if segment["mode"] == old:
            segment["mode"] = name
    return case_from(tree)


def with_mode(case: Case, mode: Mode) -> Case:
    """The case with one more mode, which the duty runs if nothing runs yet. Raises `CaseError`."""
    device = msgspec.structs.replace(case.device, modes=(*case.device.modes, mode))
    duty = case.duty if case.duty.repeat else Duty(repeat=(Segment(mode=mode.name, seconds=3600.0),))
    return msgspec.structs.replace(case, device=device, duty=duty)


def without_mode(case: Case, index: int) -> Case:
    """The case without a mode, in the device and in the duty."""
    name = case.device.modes[index].name
    modes = case.device.modes[:index] + case.device.modes[index + 1 :]
    repeat = tuple(segment for segment in case.duty.repeat if segment.mode != name)
    output = None if case.device.output_mode == name else case.device.output_mode
    device = msgspec.structs.replace(case.device, modes=modes, output_mode=output)
    return msgspec.structs.replace(case, device=device, duty=msgspec.structs.replace(case.duty, repeat=repeat))
