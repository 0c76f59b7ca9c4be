"""The record of a conversion: its case with everything that was done and read, pictures aside, as one JSON document."""

from __future__ import annotations

import base64
import binascii
import json
import zlib
from contextlib import suppress
from datetime import date, datetime
from typing import Any, Literal

import msgspec

from hermotrope_core.fit.runlog import Column, Remark
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import CaseError, case_from, refusal, tree_of
from hermotrope_core.plan.document import warm as warm_case
from hermotrope_core.prove.progress import Reading, Waiver
from hermotrope_core.values.fields import FIELDS

FORMAT = "hermotrope-record/1"
LARGEST_BYTES = 120_000_000
MOST_ENTRIES = 20_000
MOST_PRICE, LONGEST_S = 1e6, 1e9
OPEN_READING = 9.9e37
"""How an open circuit (OL) is written, as instruments do."""

TimeKind = Literal["seconds", "milliseconds", "minutes", "hours", "clock", "stamp", "date and clock", "rows"]


class LogColumn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A column of a log file: where it stands, what it is, and the factor to volts or amperes."""

    index: int
    what: Column
    factor: float = 1.0


class LogMapping(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How a log file is to be read; enough to read it again the same way."""

    encoding: str
    separator: str
    decimal: Literal[".", ","]
    first_row: int
    time_index: int
    time_kind: TimeKind
    day_first: bool
    columns: tuple[LogColumn, ...]
    interval_s: float = 1.0
    """Between rows, where no column tells the time."""


class FitTaken(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An input that was put into the plan from a run."""

    place: str
    was: float
    now: float
    taken_at: str


class LogFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A run-down log: the original file as it was (zlib, base64) and how to read it."""

    name: str
    origin: Literal["file", "typed", "instrument"]
    original_name: str
    mapping: LogMapping
    original: str
    fits: tuple[FitTaken, ...] = ()
    ended: bool = True
    temperature_c: float | None = None
    """Where the run was logged; None: as the plan has it."""

    def data(self) -> bytes:
        """The original bytes. Raises ValueError where they are damaged or unreasonably large."""
        return unpacked(self.original)


class StepNote(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    key: str
    done_at: str | None = None
    note: str = ""
    basis: str = ""


class PartNote(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    key: str
    have: Literal["own", "buy"] | None = None
    price: float | None = None


class Proved(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A conversion as it stood when it was proved: never changed afterwards."""

    on: str
    frozen_at: str
    case: Case
    verdict: str
    range_s: tuple[float, float] | None
    runtime_s: float | None
    """As measured in the run-down."""
    readings: tuple[Reading, ...]
    waivers: tuple[Waiver, ...]
    steps: tuple[StepNote, ...] = ()
    fits: tuple[FitTaken, ...] = ()
    rehearsal: bool = False
    bench_temperature_c: float | None = None


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Everything about one conversion."""

    format: str
    case: Case
    rehearsal: bool = False
    fault: str | None = None
    steps: tuple[StepNote, ...] = ()
    parts: tuple[PartNote, ...] = ()
    readings: tuple[Reading, ...] = ()
    waivers: tuple[Waiver, ...] = ()
    logs: tuple[LogFile, ...] = ()
    proved: tuple[Proved, ...] = ()
    bench_temperature_c: float | None = None
    """Where the gates are read; None: as the plan has it."""


def packed(data: bytes) -> str:
    """Bytes as text for the record."""
    return base64.b64encode(zlib.compress(data, 6)).decode("ascii")


def unpacked(text: str) -> bytes:
    """The bytes of `packed`. Raises ValueError."""
    try:
        reader = zlib.decompressobj()
        data = reader.decompress(base64.b64decode(text, validate=True), LARGEST_BYTES)
    except (binascii.Error, zlib.error) as error:
        raise ValueError(f"the log in it is damaged ({error})") from None
    if reader.unconsumed_tail:
        raise ValueError(f"the log in it is larger than {LARGEST_BYTES / 1e6:g} MB")
    return data


def warm() -> None:
    """Let every type of the record be met once, in one thread (see `document.warm`)."""
    warm_case()
    for kind in (Record, Proved, LogFile, LogMapping, FitTaken, StepNote, PartNote, Reading, Waiver, Remark):
        with suppress(msgspec.ValidationError):
            msgspec.convert({}, kind)


def is_record(data: bytes) -> bool:
    """Whether a file says that it is a record (of any version)."""
    return b'"hermotrope-record/' in data[:400]


def write_record(record: Record) -> str:
    """The record as indented JSON text with a final newline."""
    tree: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(record))
    tree["case"] = tree_of(record.case)
    for made, one in zip(tree["proved"], record.proved, strict=True):
        made["case"] = tree_of(one.case)
    return json.dumps(tree, ensure_ascii=False, indent=1) + "\n"


def read_record(data: bytes) -> Record:
    """Read a record. Raises `CaseError` naming the place and the reason."""
    if len(data) > LARGEST_BYTES:
        raise CaseError("record", f"more than {LARGEST_BYTES / 1e6:g} MB is no record")
    try:
        tree = json.loads(data, parse_constant=_no_number)
    except RecursionError:
        raise CaseError("record", "nested too deeply") from None
    except ValueError as error:
        raise CaseError("record", f"not a JSON document: {error}") from None
    if not isinstance(tree, dict) or tree.get("format") != FORMAT:
        raise CaseError("format", f"must be {FORMAT!r}")
    tree["case"] = _checked(tree.get("case"), "case")
    proved = tree.get("proved", [])
    if not isinstance(proved, list):
        raise CaseError("proved", "must be a list")
    for i, one in enumerate(proved):
        if isinstance(one, dict):
            one["case"] = _checked(one.get("case"), f"proved[{i}].case")
    try:
        record = msgspec.convert(tree, Record)
    except msgspec.ValidationError as error:
        raise refusal(str(error), "") from None
    except RecursionError:
        raise CaseError("record", "nested too deeply") from None
    _consistent(record)
    return record


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is no number")


def _checked(tree: object, place: str) -> Any:
    try:
        return tree_of(case_from(tree))
    except CaseError as error:
        raise CaseError(f"{place}.{error.place}", error.why) from None


def _consistent(record: Record) -> None:
    """Sizes, dates and logs that types alone do not check."""
    for name in ("steps", "parts", "readings", "waivers", "logs", "proved"):
        if len(getattr(record, name)) > MOST_ENTRIES:
            raise CaseError(name, f"has more than {MOST_ENTRIES} entries")
    for name, entries, field in (("readings", record.readings, "taken_at"), ("waivers", record.waivers, "given_at")):
        for i, entry in enumerate(entries):
            _moment(getattr(entry, field), f"{name}[{i}].{field}")
    warm = FIELDS["temperature_c"]
    warmths = [("bench_temperature_c", record.bench_temperature_c)]
    warmths += [(f"logs[{i}].temperature_c", log.temperature_c) for i, log in enumerate(record.logs)]
    warmths += [(f"proved[{i}].bench_temperature_c", one.bench_temperature_c) for i, one in enumerate(record.proved)]
    for place, celsius in warmths:
        if celsius is not None and not warm.low <= celsius <= warm.high:
            raise CaseError(place, f"must be from {warm.low:g} to {warm.high:g} °C")
    for i, part in enumerate(record.parts):
        if part.price is not None and not 0 <= part.price <= MOST_PRICE:
            raise CaseError(f"parts[{i}].price", f"must be from 0 to {MOST_PRICE:g}")
    for i, step in enumerate(record.steps):
        if step.done_at is not None:
            _moment(step.done_at, f"steps[{i}].done_at")
    for i, one in enumerate(record.proved):
        _moment(one.frozen_at, f"proved[{i}].frozen_at")
        if one.runtime_s is not None and not 0 <= one.runtime_s <= LONGEST_S:
            raise CaseError(f"proved[{i}].runtime_s", "is no time that something ran")
        try:
            date.fromisoformat(one.on)
        except ValueError:
            raise CaseError(f"proved[{i}].on", "is no date such as 2026-06-03") from None
    for i, log in enumerate(record.logs):
        try:
            log.data()
        except ValueError as error:
            raise CaseError(f"logs[{i}].original", str(error)) from None


def _moment(text: str, place: str) -> None:
    try:
        made = datetime.fromisoformat(text)
    except ValueError:
        raise CaseError(place, "is no moment such as 2026-06-03T10:15:00+00:00") from None
    if made.tzinfo is None:
        raise CaseError(place, "needs its time zone, such as +00:00")
