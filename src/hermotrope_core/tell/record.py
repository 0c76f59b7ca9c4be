"""The record of a conversion: its case with everything that was done and read, pictures aside, as one JSON document."""

from __future__ import annotations

import base64
import binascii
import json
import zlib
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from functools import partial
from typing import IO, Any, Literal

import msgspec

from hermotrope_core.fit.runlog import Column, Remark
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import CaseError, case_from, json_tree, of_format, refusal, tree_of
from hermotrope_core.plan.document import warm as warm_case
from hermotrope_core.plan.upgrade import RECORD
from hermotrope_core.prove.progress import Reading, Waiver
from hermotrope_core.prove.standin import Fault
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.moments import day_of, moment_of

FORMAT = RECORD.current
LARGEST_BYTES = 120_000_000
MOST_ENTRIES = 20_000
MOST_PRICE, LONGEST_S = 1e6, 1e9

TimeKind = Literal["seconds", "milliseconds", "minutes", "hours", "clock", "stamp", "date and clock", "rows"]


ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "cp1252")
SEPARATORS = (";", "\t", ",", "|", " ")
MOST_LOG_COLUMNS, MOST_HEAD_ROWS, LONGEST_INTERVAL_S = 1_000, 10_000, 1e6
LARGEST_FACTOR = 1e9


class LogColumn(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A column of a log file: where it stands, what it is, and the factor to volts or amperes."""

    index: int
    what: Column
    factor: float = 1.0

    def __post_init__(self) -> None:
        if not 0 <= self.index < MOST_LOG_COLUMNS:
            raise ValueError(f"index must be from 0 to {MOST_LOG_COLUMNS - 1}")
        if not 1.0 / LARGEST_FACTOR <= abs(self.factor) <= LARGEST_FACTOR:
            raise ValueError(f"factor must be from {1.0 / LARGEST_FACTOR:g} to {LARGEST_FACTOR:g}")


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

    def __post_init__(self) -> None:
        if self.encoding not in ENCODINGS:
            raise ValueError(f"encoding must be one of {', '.join(ENCODINGS)}")
        if self.separator not in SEPARATORS:
            raise ValueError("separator must be a semicolon, a tab, a comma, a bar or a blank")
        if not 0 <= self.first_row <= MOST_HEAD_ROWS:
            raise ValueError(f"first_row must be from 0 to {MOST_HEAD_ROWS}")
        if not -1 <= self.time_index < MOST_LOG_COLUMNS:
            raise ValueError(f"time_index must be from -1 to {MOST_LOG_COLUMNS - 1}")
        if self.time_index < 0 and self.time_kind != "rows":
            raise ValueError(f"time_index must say which column holds {self.time_kind}")
        if len({one.what for one in self.columns}) < len(self.columns):
            raise ValueError("columns must differ in what they are")
        if not 0.0 < self.interval_s <= LONGEST_INTERVAL_S:
            raise ValueError(f"interval_s must be above 0 and at most {LONGEST_INTERVAL_S:g}")


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


class MadeNote(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A part that was made for it: its maker's parameters, how each is known, the measured part it was made after."""

    kind: str
    name: str
    values: dict[str, Any]
    known: dict[str, Any] = {}
    measured: dict[str, Any] | None = None
    printed_on: str | None = None


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
    fault: Fault | None = None
    steps: tuple[StepNote, ...] = ()
    parts: tuple[PartNote, ...] = ()
    readings: tuple[Reading, ...] = ()
    waivers: tuple[Waiver, ...] = ()
    logs: tuple[LogFile, ...] = ()
    proved: tuple[Proved, ...] = ()
    bench_temperature_c: float | None = None
    """Where the gates are read; None: as the plan has it."""
    made: tuple[MadeNote, ...] = ()
    """What was made of stuff for it; pictures stay."""


def packed(compressed: bytes) -> str:
    """Bytes that zlib has compressed, as text for the record."""
    return base64.b64encode(compressed).decode("ascii")


def unpacked(text: str) -> bytes:
    """The bytes in a text of `packed`, as they were before. Raises ValueError."""
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


def is_record(head: bytes) -> bool:
    """Whether a file that begins so says that it is a record (of any version)."""
    return b'"hermotrope-record/' in head


def write_record(record: Record) -> str:
    """The record as indented JSON text with a final newline."""
    return "".join(written(record, record.logs))


def written(record: Record, logs: Iterable[LogFile]) -> Iterator[str]:
    """The text of a record with these logs in place of its own, a piece at a time: a log may have many megabytes."""
    tree: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(msgspec.structs.replace(record, logs=())))
    tree["case"] = tree_of(record.case)
    for made, one in zip(tree["proved"], record.proved, strict=True):
        made["case"] = tree_of(one.case)
    del tree["logs"]
    yield json.dumps(tree, ensure_ascii=False, indent=1).removesuffix("\n}")
    yield ',\n "logs": ['
    between = "\n"
    for log in logs:
        yield between + json.dumps(msgspec.to_builtins(log), ensure_ascii=False)
        between = ",\n"
    yield "\n ]\n}\n"


def read_record(data: bytes | IO[bytes]) -> Record:
    """Read a record. Raises `CaseError` naming the place and the reason."""
    tree = of_format(json_tree(data, "record", LARGEST_BYTES), RECORD)
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
    for place, celsius in _warmths(record):
        _within(celsius, (FIELDS["temperature_c"].low, FIELDS["temperature_c"].high), place, " °C")
    for i, part in enumerate(record.parts):
        _within(part.price, (0, MOST_PRICE), f"parts[{i}].price", "")
    for place, moment in _moments(record):
        _fine(partial(moment_of, moment), place)
    for i, one in enumerate(record.proved):
        if one.runtime_s is not None and not 0 <= one.runtime_s <= LONGEST_S:
            raise CaseError(f"proved[{i}].runtime_s", "is no time that something ran")
        _fine(partial(day_of, one.on), f"proved[{i}].on")
    for i, log in enumerate(record.logs):
        _fine(log.data, f"logs[{i}].original")


def _warmths(record: Record) -> Iterator[tuple[str, float | None]]:
    yield "bench_temperature_c", record.bench_temperature_c
    yield from ((f"logs[{i}].temperature_c", log.temperature_c) for i, log in enumerate(record.logs))
    yield from ((f"proved[{i}].bench_temperature_c", one.bench_temperature_c) for i, one in enumerate(record.proved))


def _moments(record: Record) -> Iterator[tuple[str, str]]:
    yield from ((f"readings[{i}].taken_at", one.taken_at) for i, one in enumerate(record.readings))
    yield from ((f"waivers[{i}].given_at", one.given_at) for i, one in enumerate(record.waivers))
    yield from ((f"steps[{i}].done_at", one.done_at) for i, one in enumerate(record.steps) if one.done_at is not None)
    yield from ((f"proved[{i}].frozen_at", one.frozen_at) for i, one in enumerate(record.proved))


def _within(value: float | None, span: tuple[float, float], place: str, unit: str) -> None:
    if value is not None and not span[0] <= value <= span[1]:
        raise CaseError(place, f"must be from {span[0]:g} to {span[1]:g}{unit}")


def _fine(read: Callable[[], object], place: str) -> None:
    """Refuse what cannot be read, in its own words."""
    try:
        read()
    except ValueError as error:
        raise CaseError(place, str(error)) from None
