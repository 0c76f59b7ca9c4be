"""What is done in the workshop: steps ticked, readings taken, gates waived; one action for each."""

from __future__ import annotations

from typing import BinaryIO, Literal

import msgspec
from django.db import transaction
from django.utils import timezone

from hermotrope.bench import actions as bench
from hermotrope.bench.models import Conversion
from hermotrope.entry.pictures import encoded
from hermotrope.entry.typed import EditError
from hermotrope.proving.bench import Workshop
from hermotrope.proving.models import BenchPlace, PartMark, Photo, ReadingRow, Rehearsal, StepMark, WaiverRow
from hermotrope_core.build import Step
from hermotrope_core.plan.spread import as_measured
from hermotrope_core.prove import applicable, refusal_of
from hermotrope_core.prove.judge import stored
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import stated

LONGEST_NOTE, LONGEST_REASON = 500, 300
MOST_PHOTOS = 40
RUN_DOWN = "run-down.runtime"


@transaction.atomic
def tick(conversion: Conversion, key: str, *, done: bool) -> None:
    """Mark a step as done, or take the mark off. Raises `EditError` for a step that is not there."""
    step = _step(conversion, key)
    given = {"done_at": timezone.now() if done else None, "basis": step.basis if done else ""}
    StepMark.objects.update_or_create(conversion=conversion, key=key, defaults=given)
    tell(conversion)


@transaction.atomic
def annotate(conversion: Conversion, key: str, note: str, was: str | None = None) -> None:
    """Keep a note with a step; `was` is what stood there when the typing began. Raises `EditError`."""
    _step(conversion, key)
    kept = StepMark.objects.filter(conversion=conversion, key=key).first()
    now = kept.note if kept is not None else ""
    if was is not None and was != now and note.strip() != now:
        raise EditError(f"changed in another tab to “{now}”; press Enter again to put yours in its place")
    if len(note) > LONGEST_NOTE:
        raise EditError(f"a note has at most {LONGEST_NOTE} characters; this one has {len(note)}")
    StepMark.objects.update_or_create(conversion=conversion, key=key, defaults={"note": note.strip()})


@transaction.atomic
def add_photo(conversion: Conversion, key: str, file: BinaryIO, size: int) -> Photo:
    """Keep a picture with a step. Raises `EditError` for what is no picture."""
    _step(conversion, key)
    if conversion.photos.count() >= MOST_PHOTOS:
        raise EditError(f"{MOST_PHOTOS} pictures are kept at most; take one out first")
    image, width, height = encoded(file, size)
    return Photo.objects.create(conversion=conversion, step=key, image=image, width=width, height=height)


def _step(conversion: Conversion, key: str) -> Step:
    found = next((step for step in Workshop(conversion).steps if step.key == key), None)
    if found is None:
        raise EditError("that step is no longer part of this build")
    return found


@transaction.atomic
def mark_part(conversion: Conversion, key: str, have: Literal["own", "buy", ""], price: float | None) -> None:
    """Say of a line of the parts list whether it is there and what it costs. Raises `EditError`."""
    if price is not None and not 0 <= price <= 1e6:
        raise EditError("a price is a number from 0 to a million")
    PartMark.objects.update_or_create(conversion=conversion, key=key[:40], defaults={"have": have, "price": price})


@transaction.atomic
def take_reading(conversion: Conversion, ask_key: str, value: float, by: str) -> ReadingRow:
    """Keep a reading of a gate that is not locked. Raises `EditError` with the reason otherwise."""
    workshop = Workshop(conversion)
    if workshop.shut:
        raise EditError("nothing is proved while this plan is refused or something in it is open")
    refusal = refusal_of(workshop.progress, ask_key)
    if refusal:
        raise EditError(refusal)
    found = workshop.ask(ask_key)
    assert found is not None
    gate, _ = found
    row = ReadingRow.objects.create(
        conversion=conversion, ask=ask_key, value=stored(value), taken_at=timezone.now(), by=by[:120], basis=gate.basis
    )
    tell(conversion)
    return row


@transaction.atomic
def put_reading(conversion: Conversion, version: int, ask_key: str) -> Conversion:
    """Put what a reading tells into the plan, as measured. Raises `Conflict`, `EditError`, `CaseError`."""
    told = Workshop(conversion).told(ask_key)
    if told is None:
        raise EditError("no reading here tells the plan anything new")
    mode = conversion.case.device.modes[told.mode]
    note = f"read at the gate, {timezone.localdate().isoformat()}" + (" (rehearsed)" if conversion.rehearsal else "")
    value = as_measured(told.value, told.spread, note)
    patch = [{"op": "add", "path": f"/device/modes/{told.mode}/{told.field}", "value": value}]
    return bench.change(conversion.pk, version, patch, f"As read: “{mode.name}”")


@transaction.atomic
def be_at(conversion: Conversion, celsius: float | None) -> None:
    """Say how warm it is at the bench; None: as planned. Readings are judged anew. Raises `EditError`."""
    if celsius is None:
        BenchPlace.objects.filter(conversion=conversion).delete()
    else:
        BenchPlace.objects.update_or_create(conversion=conversion, defaults={"temperature_c": believable(celsius)})
    tell(conversion)


def believable(celsius: float) -> float:
    """A temperature at which people and packs are. Raises `EditError`."""
    field = FIELDS["temperature_c"]
    if not field.low <= celsius <= field.high:
        raise EditError(f"a temperature here is {stated(field.low)} to {stated(field.high, '°C')}")
    return celsius


@transaction.atomic
def waive(conversion: Conversion, gate_key: str, reason: str, by: str) -> None:
    """Go past a gate, with a reason. Raises `EditError` for a gate that must pass, is locked, or is not there."""
    row = next((one for one in Workshop(conversion).progress if one.gate.key == gate_key), None)
    if row is None:
        raise EditError("that gate is not part of this plan")
    if row.state == "locked":
        raise EditError(f"not before “{row.locked_by}” has passed")
    if row.gate.must_pass:
        raise EditError("this gate cannot be waived: behind it the device gets power")
    reason = reason.strip()
    if not reason:
        raise EditError("say why; the reason is kept in the record and printed")
    if len(reason) > LONGEST_REASON:
        raise EditError(f"a reason has at most {LONGEST_REASON} characters")
    given = {"reason": reason, "by": by.strip()[:80], "given_at": timezone.now(), "basis": row.gate.basis}
    WaiverRow.objects.update_or_create(conversion=conversion, gate=gate_key, defaults=given)
    tell(conversion)


@transaction.atomic
def unwaive(conversion: Conversion, gate_key: str) -> None:
    """Take a waiver back."""
    conversion.waivers.filter(gate=gate_key).delete()
    tell(conversion)


@transaction.atomic
def start_again(conversion: Conversion) -> None:
    """Throw the readings and waivers of this proving away; what was frozen before stays."""
    conversion.readings.all().delete()
    conversion.waivers.all().delete()
    tell(conversion)


@transaction.atomic
def rehearse(conversion: Conversion, fault: str) -> Conversion:
    """A copy of the conversion to be proved against the simulated bench. Raises `EditError` for an impossible fault."""
    _fault(conversion, fault)
    case = conversion.case
    title = case.title if conversion.rehearsal else f"Rehearsal: {case.title}"
    copy = bench.create(msgspec.structs.replace(case, title=title[:300]), f"Copied to rehearse: {case.title}")
    Conversion.objects.filter(pk=copy.pk).update(rehearsal=True)
    Rehearsal.objects.create(conversion=copy, fault=fault)
    be_at(copy, Workshop(conversion).temperature_c)
    copy.refresh_from_db()
    return copy


@transaction.atomic
def choose_fault(conversion: Conversion, fault: str) -> None:
    """Give the simulated bench of a rehearsal a fault (or none); its readings begin anew. Raises `EditError`."""
    _fault(conversion, fault)
    Rehearsal.objects.filter(conversion=conversion).update(fault=fault)
    start_again(conversion)


def _fault(conversion: Conversion, fault: str) -> None:
    workshop = Workshop(conversion)
    if workshop.feed.situation is None:
        raise EditError("answer what is open in the plan first")
    if fault and fault not in applicable(workshop.feed.situation.case):
        raise EditError("this conversion cannot have that fault")


def tell(conversion: Conversion) -> str:
    """Say on the Bench how far build and proving are; the words."""
    fresh = Conversion.objects.get(pk=conversion.pk)
    workshop = Workshop(fresh)
    done = sum(row.done for row in workshop.marked)
    parts = []
    if done:
        parts.append(f"built {done} of {len(workshop.steps)} steps")
    if (workshop.readings or workshop.waivers) and (rows := workshop.progress):
        passed = sum(row.state in ("passed", "waived") for row in rows)
        failed = next((row.gate.title for row in rows if row.state == "failed"), "")
        parts.append(f"failed at “{failed}”" if failed else f"{passed} of {len(rows)} gates passed")
    words = "; ".join(parts)[:80]
    Conversion.objects.filter(pk=conversion.pk).update(workshop=words)
    return words
