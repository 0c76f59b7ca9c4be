"""Log files of any logger: encoding, separator, decimal comma, header, units and times recognised, shown, then read.

`recognise` looks at the beginning of a file and proposes how to read it; `read_log` reads it so. Half a million rows
take a few seconds: columns are converted at once, and only cells that fail are looked at one by one.
"""

from __future__ import annotations

import csv
import re
from codecs import getincrementaldecoder
from collections.abc import Iterator
from datetime import datetime
from itertools import pairwise
from math import isfinite
from typing import Literal

import msgspec

from hermotrope.formats.log_times import CLOCK, DATE, STAMP
from hermotrope_core.fit.runlog import Column
from hermotrope_core.tell.record import SEPARATORS, LogColumn, LogMapping, TimeKind
from hermotrope_core.values.text import seen

LARGEST_BYTES = 100_000_000
CHUNK = 1 << 20
LOOKED_AT, HEAD_BYTES = 80, 80_000
SHOWN = 5
_PLAIN = re.compile(r"^[+\-−]?\d+(?:[.,]\d+)?(?:[eE][+\-]?\d+)?$")
_COMMA = re.compile(r"^[+\-−]?\d{1,3}(?:\.\d{3})*,\d+$|^[+\-−]?\d+,\d+(?:[eE][+\-]?\d+)?$")
_POINT = re.compile(r"^[+\-−]?\d+\.\d+")
_WITH_UNIT = re.compile(r"^([+\-−]?[\d.,]+(?:[eE][+\-]?\d+)?)\s*(µ|u|m|k)?(V|A)(?:\s?(?:DC|AC))?$")
_UNIT = re.compile(r"(?:^|[\[(/ _])\s*(µ|u|m|k)?(V|A|volts?|amps?|ms|s|sec|min|h|hours?)\s*[\])]?\s*$", re.IGNORECASE)
_VOLTS = re.compile(r"volt|spann|tension|^u\b|^u[_ ]|^v\b|^v[_ ]|\bu$", re.IGNORECASE)
_AMPS = re.compile(r"amp|curr|strom|courant|^i\b|^i[_ ]|\bi$", re.IGNORECASE)
_TIME = re.compile(r"time|zeit|temps|stamp|elapsed|clock|^t\b|^s$|sec|^date|datum", re.IGNORECASE)
_INLET = re.compile(r"inlet|load|device|plug|\bout|output", re.IGNORECASE)
_SECOND = re.compile(r"2$")
LEAST_EPOCH_MS = 1e11
"""Times above this since 1970 are milliseconds (in seconds it would be the year 5138)."""
Place = Literal["pack", "inlet"]
_PREFIX = {"": 1.0, "m": 1e-3, "µ": 1e-6, "u": 1e-6, "k": 1e3}


class LogError(ValueError):
    """A file that cannot be read as a log; the message is for people."""


class Seen(msgspec.Struct, frozen=True):
    """A column of the file: its name, some cells as they stand there, and what it was taken for."""

    index: int
    name: str
    cells: tuple[str, ...]
    kind: str
    """number, unit (numbers that carry their own), clock, date, stamp or text."""
    role: str
    """time, pack_v, pack_a, inlet_v, inlet_a, or empty."""
    factor: float


class Recognised(msgspec.Struct, frozen=True):
    """How a file would be read, with its columns, for people to look at before it is."""

    mapping: LogMapping
    columns: tuple[Seen, ...]
    about: tuple[str, ...]


def encoding_of(data: bytes) -> str:
    """How a file is written. Raises `LogError` for what is no text."""
    if not data.strip():
        raise LogError("the file is empty")
    if len(data) > LARGEST_BYTES:
        raise LogError(f"more than {LARGEST_BYTES / 1e6:g} MB; cut it, or log less often")
    for bom, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(bom):
            return encoding
    if data[:4] in (b"PK\x03\x04", b"%PDF") or data.count(b"\0", 0, 4000) > 8:
        raise LogError("this is no text file; export the log as CSV")
    reader, whole = getincrementaldecoder("utf-8")(), memoryview(data)
    try:
        for begin in range(0, len(data), CHUNK):  # never as a whole: it has up to a hundred megabytes
            reader.decode(whole[begin : begin + CHUNK], begin + CHUNK >= len(data))
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"


def recognise(data: bytes, place: Place = "pack") -> Recognised:
    """Propose how to read a file whose logger sat at `place`. Raises `LogError`."""
    encoding = encoding_of(data)
    lines = data[:HEAD_BYTES].decode(encoding, "replace").splitlines()[:LOOKED_AT]
    separator = _separator(lines)
    rows = [cells_of(line, separator) for line in lines]
    first = _first_row(rows)
    body = [row for row in rows[first : first + 40] if len(row) >= len(rows[first])]
    names = _names(rows[:first], len(rows[first]))
    decimal: Literal[".", ","] = _decimal(body, separator)
    kinds = [_kind([row[i] for row in body], decimal) for i in range(len(names))]
    time_index, time_kind = _time(names, kinds, body, decimal)
    free = [i for i, kind in enumerate(kinds) if kind == "number" and (i != time_index or time_kind == "rows")]
    roles = _roles(names, body, free, place)
    day_first = _day_first([row[max(0, time_index)] for row in body])
    mapping = LogMapping(encoding, separator, decimal, first, time_index, time_kind, day_first, roles)
    return Recognised(mapping, _seen(names, kinds, body, mapping), tuple(_about(mapping, rows, first)))


def _names(above: list[list[str]], width: int) -> list[str]:
    """What the columns are called: the line above the numbers, with its units where those have a line of their own."""
    header = above[-1] if above and len(above[-1]) >= width - 1 else []
    if len(above) > 1 and len(above[-2]) == len(header) and all(not cell or _UNIT.match(cell) for cell in header):
        header = [f"{name} ({unit})" if unit else name for name, unit in zip(above[-2], header, strict=True)]
    return [seen(header[i]).strip().strip('"') if i < len(header) else f"column {i + 1}" for i in range(width)]


def _counts(body: list[list[str]], index: int) -> bool:
    """Whether a column only numbers its rows."""
    cells = [row[index] for row in body]
    whole = [int(cell) for cell in cells if cell.isdecimal()]
    return len(whole) == len(cells) > 2 and all(b == a + 1 for a, b in pairwise(whole))


def cells_of(line: str, separator: str) -> list[str]:
    if separator == " ":
        return line.split()
    return [cell.strip() for cell in next(csv.reader([line], delimiter=separator), [])]


def _separator(lines: list[str]) -> str:
    """The separator that splits most lines into the same number of at least two cells that hold numbers."""
    best, most = ",", 0.0
    for separator in SEPARATORS:
        counts = [len(cells_of(line, separator)) for line in lines if line.strip()]
        usual = max(set(counts), key=counts.count) if counts else 1
        if usual < 2:
            continue
        rows = [cells for line in lines if len(cells := cells_of(line, separator)) == usual]
        numeric = sum(sum(_is_value(cell) for cell in row) for row in rows) / max(1, sum(len(row) for row in rows))
        score = counts.count(usual) / len(counts) * numeric
        if separator == "," and sum(bool(re.search(r"[;\t]", line)) for line in lines) > 0.5 * len(lines):
            score *= 0.3
        if score > most + 0.02:
            best, most = separator, score
    if not most and sum(bool(_PLAIN.match(line.strip())) for line in lines) > 0.6 * len(lines):
        return ","
    if not most:
        raise LogError("no columns of numbers found: a log has a time and volts or amperes in each row")
    return best


def _is_value(cell: str) -> bool:
    return any(one.match(cell) for one in (_PLAIN, CLOCK, DATE, STAMP, _COMMA, _WITH_UNIT))


def _bare(cell: str) -> str:
    """A cell without the unit that may stand in it."""
    match = _WITH_UNIT.match(cell)
    return match[1] if match else cell


def _first_row(rows: list[list[str]]) -> int:
    """Where the numbers begin: the first row from which on rows hold as many values as usual."""
    counts = [sum(_is_value(cell) for cell in row) for row in rows]
    usual = max(counts, default=0)
    for i, count in enumerate(counts):
        if count >= max(1, usual - 1) and count >= 0.5 * len(rows[i]):
            return i
    raise LogError("no row of numbers found in its first lines")


def _decimal(rows: list[list[str]], separator: str) -> Literal[".", ","]:
    """As most of the cells have it; between commas, cells with a comma can only be quoted ones."""
    cells = [_bare(cell) for row in rows for cell in row if not (DATE.match(cell) or STAMP.match(cell))]
    commas = sum(bool(_COMMA.match(cell)) for cell in cells)
    points = sum(bool(_POINT.match(cell)) for cell in cells)
    return "," if commas > (0 if separator == "," else points) else "."


def _kind(cells: list[str], decimal: str) -> str:
    """number, clock, date, stamp or text, as most of its cells are."""
    for kind, test in (("stamp", STAMP), ("date", DATE), ("clock", CLOCK)):
        if sum(bool(test.match(cell)) for cell in cells) > 0.6 * len(cells):
            return kind
    return "number" if sum(_number(cell, decimal) is not None for cell in cells) > 0.6 * len(cells) else "text"


def _number(cell: str, decimal: str) -> float | None:
    value = number_in(cell.replace(".", "").replace(",", ".") if decimal == "," else cell)
    return value if isfinite(value) else None


def number_in(cell: str) -> float:
    """The number in a cell with decimal points, in volts or amperes if a unit stands with it; else not a number."""
    match = _WITH_UNIT.match(cell.strip())
    text, prefix = (match[1], match[2] or "") if match else (cell, "")
    try:
        return float(text.replace("−", "-")) * _PREFIX[prefix]
    except ValueError:
        return float("nan")


def _time(names: list[str], kinds: list[str], rows: list[list[str]], decimal: str) -> tuple[int, TimeKind]:
    if "stamp" in kinds:
        return kinds.index("stamp"), "stamp"
    if "date" in kinds and "clock" in kinds:
        return kinds.index("date"), "date and clock"
    if "clock" in kinds:
        return kinds.index("clock"), "clock"
    numbers = [i for i, kind in enumerate(kinds) if kind == "number"]
    named = [i for i in numbers if _TIME.search(names[i]) and not _VOLTS.search(names[i])]
    rising = [i for i in numbers if _rises([_number(row[i], decimal) for row in rows])]
    for i in [*(i for i in named if i in rising), *named, *(rising[:1] if len(numbers) > len(rising[:1]) else [])]:
        if len(numbers) == 1:
            break
        return i, _seconds_kind(names[i])
    return -1, "rows"


def _rises(values: list[float | None]) -> bool:
    known = [value for value in values if value is not None]
    return len(known) > 2 and all(b > a for a, b in pairwise(known))


def _seconds_kind(name: str) -> TimeKind:
    match = _UNIT.search(name) or re.search(r"\b()(ms|s|sec|min|h|hours?)\b", name, re.IGNORECASE)
    unit = match[2].lower() if match else "s"
    if unit == "s" and match and (match[1] or "").lower() == "m":
        return "milliseconds"
    return {"ms": "milliseconds", "min": "minutes", "h": "hours", "hour": "hours", "hours": "hours"}.get(
        unit, "seconds"
    )  # type: ignore[return-value]  # one of TimeKind


def _roles(names: list[str], body: list[list[str]], free: list[int], place: Place) -> tuple[LogColumn, ...]:
    """Which of the free columns hold volts or amperes, by their cells, else by their names; of which side."""
    taken: list[LogColumn] = []
    for i in free:
        inside, unit = _WITH_UNIT.match(body[0][i]), _UNIT.search(names[i])
        letter = inside[3] if inside else unit[2][0].upper() if unit else ""
        if letter not in ("V", "A"):
            letter = "V" if _VOLTS.search(names[i]) else "A" if _AMPS.search(names[i]) else ""
        if letter:
            plain = re.sub(_UNIT, "", names[i])
            side: Place = "inlet" if _INLET.search(plain) else place
            if _SECOND.search(plain) and any(one.what == f"{side}_{letter.lower()}" for one in taken):
                side = "pack" if side == "inlet" else "inlet"
            _take(taken, i, side, letter, _PREFIX[(unit[1] or "").lower()] if unit and not inside else 1.0)
    if not taken:  # no names: volts first, amperes second
        for i, letter in zip([i for i in free if not _counts(body, i)], "VA", strict=False):
            _take(taken, i, place, letter, 1.0)
    return tuple(taken)


def _take(taken: list[LogColumn], index: int, side: Place, letter: str, factor: float) -> None:
    what: Column = f"{side}_{letter.lower()}"  # type: ignore[assignment]  # one of Column
    if all(one.what != what for one in taken):
        taken.append(LogColumn(index, what, factor))


def _day_first(cells: list[str]) -> bool:
    """Whether dates are written day first: with dots, or as the first number that exceeds twelve tells."""
    for cell in cells:
        match = DATE.match(re.split(r"[T ,]", cell)[0])
        if match is None or len(match[1]) == 4:
            continue
        if match[2] == "." or int(match[1]) > 12:
            return True
        if int(match[3]) > 12:
            return False
    return True


def _seen(names: list[str], kinds: list[str], body: list[list[str]], mapping: LogMapping) -> tuple[Seen, ...]:
    roles = {one.index: (str(one.what), one.factor) for one in mapping.columns}
    if mapping.time_index >= 0:
        roles[mapping.time_index] = ("time", 1.0)
    made = []
    for i, name in enumerate(names):
        role, factor = roles.get(i, ("", 1.0))
        kind = "unit" if kinds[i] == "number" and _WITH_UNIT.match(body[0][i]) else kinds[i]
        made.append(Seen(i, name, tuple(row[i] for row in body[:SHOWN]), kind, role, factor))
    return tuple(made)


def _about(mapping: LogMapping, rows: list[list[str]], first: int) -> Iterator[str]:
    yield {";": "semicolons", "\t": "tabs", ",": "commas", "|": "bars", " ": "spaces"}[
        mapping.separator
    ] + " between columns"
    yield "decimal commas" if mapping.decimal == "," else "decimal points"
    if first:
        yield f"{first} line{'s' * (first > 1)} before the numbers"
    if mapping.time_kind == "rows":
        yield "no column tells the time: rows are counted"
    elif mapping.time_kind in ("stamp", "date and clock") and not re.match(r"\d{4}-", rows[first][mapping.time_index]):
        yield "day before month" if mapping.day_first else "month before day"
    if mapping.encoding not in ("utf-8", "utf-8-sig"):
        yield mapping.encoding


def written_log(rows: list[list[float]], names: tuple[str, ...], began: datetime) -> bytes:
    """Rows from an instrument as the file that is kept and exported."""
    lines = [f"# logged from {began.isoformat(timespec='seconds')}", ",".join(("seconds", *names))]
    lines += [",".join(f"{value:.6g}" if i else f"{value:.3f}" for i, value in enumerate(row)) for row in rows]
    return ("\n".join(lines) + "\n").encode()
