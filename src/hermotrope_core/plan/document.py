"""Reading and writing the case document; every refusal is one line that names the place."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable
from contextlib import suppress
from math import isfinite
from typing import IO, Any, get_args

import msgspec

from hermotrope_core.kinds.inlets import CellBay, Connector
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case, questions
from hermotrope_core.plan.device import Device, Mode
from hermotrope_core.plan.duty import Segment
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.upgrade import CASE, Format, WrongFormat
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.text import seen

LARGEST_BYTES = 2_000_000
MOST_LEVELS = 40
"""Lists and objects in each other; a record has some fifteen."""
MOST_VALUES = 1_000_000
"""Each takes some hundred bytes once it is read, however short it is written; logs and pictures are one text each."""
_HALF = re.compile(rb"\\u[dD][89a-fA-F]|\xed[\xa0-\xbf]")
"""Half of a character: without its other half it cannot be kept."""
"""A case with every table filled is about 20 kB; anything far above that is not a case."""

WHOLE_NUMBERS = {"cells_in_series", "cells_in_parallel", "count", "pin_count", "columns", "fed_slot"}

_PLACE = re.compile(r"(?P<why>.*?) - at `(?:key in )?\$(?P<place>[^`]*)`$", re.DOTALL)
_UNKNOWN = re.compile(r"Object contains unknown field `(?P<name>.*)`$")
_MISSING = re.compile(r"Object missing required field `(?P<name>.*)`$")
_OWN_FIELD = re.compile(r"(?P<name>[a-z][a-z0-9_.\[\]]*) (?P<why>.+)$", re.DOTALL)
_NAMED = {"ocv", "modes", "name", "output_by_v", "title", "path", "note", "traits", "repeat", "accepted"} | {
    "slots", "links", "leads", "readings", "profiles", "branches", "trunk", "supplies",
}  # fmt: skip


class CaseError(ValueError):
    """A document that cannot be used: `place` (like ``source.capacity_ah``) and `why`, one line."""

    def __init__(self, place: str, why: str) -> None:
        self.place = place
        self.why = " ".join(why.split())[:300]
        super().__init__(f"{place}: {self.why}")


def read_case(data: bytes | str | IO[bytes]) -> Case:
    """Read a case document. Raises `CaseError` naming the field and the reason."""
    return case_from(json_tree(data, "case"))


def json_tree(data: bytes | str | IO[bytes], what: str, largest: float = LARGEST_BYTES) -> object:
    """The tree of a JSON text that is to be a case, an outing, a shelf (`what`), of at most `largest` bytes.

    Of an open file no more is held at once than its text and its tree. Raises `CaseError` for what is too large, is no
    JSON, or holds numbers or characters that cannot be kept. Signs that nobody sees fall away.
    """
    raw = data.encode() if isinstance(data, str) else data if isinstance(data, bytes) else data.read(int(largest) + 1)
    if len(raw) > largest:
        raise CaseError(what, f"more than {largest / 1e6:g} MB is no {what}")
    if not raw.strip():
        raise CaseError(what, "the document is empty")
    if raw.count(b",") + raw.count(b"[") + raw.count(b"{") > MOST_VALUES:
        raise CaseError(what, f"more than {MOST_VALUES:,} values are no {what}")
    halves = _HALF.search(raw) is not None
    try:
        text = raw.decode(json.detect_encoding(raw), "surrogatepass")
        del raw
        tree: object = json.loads(text, object_pairs_hook=_each_key_once)
        del text
        if halves:
            json.dumps(tree, ensure_ascii=False).encode()
    except RecursionError:
        raise CaseError(what, "nested too deeply") from None
    except ValueError as error:
        raise CaseError(what, f"not a JSON document: {error}") from None
    if too_deep(tree):
        raise CaseError(what, "nested too deeply")
    if (place := not_finite(tree)) is not None:
        raise CaseError(place, "must be a finite number")
    _shown(tree)
    return tree


def _shown(part: object) -> None:
    """Take out of every text of a tree, in place, what nobody sees."""
    inside = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ()
    for name, value in inside:
        if not isinstance(value, str):
            _shown(value)
        elif not value.isprintable():
            part[name] = seen(value)  # type: ignore[index]  # a dict or a list, as it has an inside


def too_deep(tree: object) -> bool:
    """Whether a tree has more than `MOST_LEVELS`; whoever reads or writes it calls itself once for each."""
    here = [tree]
    for _ in range(MOST_LEVELS):
        here = [one for part in here if isinstance(part, dict | list) for one in _inside(part)]
        if not here:
            return False
    return True


def _inside(part: dict[str, Any] | list[Any]) -> Iterable[Any]:
    return part.values() if isinstance(part, dict) else part


def _each_key_once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object whose keys can be seen and are each given once: of two, nobody knows which was meant.

    Raises ValueError.
    """
    found = dict(pairs)
    if len(found) < len(pairs):
        (twice, _), *_ = Counter(key for key, _ in pairs).most_common(1)
        raise ValueError(f"{twice[:60]!r} is given twice in one object")
    if not all(map(str.isprintable, found)):
        raise ValueError("a name in it has signs that cannot be seen")
    return found


def case_from(tree: object) -> Case:
    """Build a case from decoded JSON (dicts, lists, numbers). Raises `CaseError`."""
    if not isinstance(tree, dict):
        raise CaseError("case", "a case is a JSON object")
    if (place := not_finite(tree)) is not None:
        raise CaseError(place, "must be a finite number")
    tree = of_format(tree, CASE)
    try:
        case = msgspec.convert(whole_numbers(tree), Case)
    except msgspec.ValidationError as error:
        raise _explained(str(error)) from None
    except RecursionError:
        raise CaseError("case", "nested too deeply") from None
    if case.source is not None and case.source.chemistry not in CHEMISTRIES:
        raise CaseError(
            "source.chemistry", f"{case.source.chemistry!r} is not known; known are {', '.join(sorted(CHEMISTRIES))}"
        )
    return case


def not_finite(part: object, place: str = "") -> str | None:
    """Where a tree holds a number that is none (infinite, NaN); None where all are finite."""
    if isinstance(part, float) and not isfinite(part):
        return place or "case"
    inside = part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list | tuple) else ()
    for name, value in inside:
        here = f"{place}[{name}]" if isinstance(name, int) else f"{place}.{name}".lstrip(".")
        if (found := not_finite(value, here)) is not None:
            return found
    return None


def warm() -> None:
    """Let every type of the document be met once, in one thread, before several threads meet it together.

    The library that converts works out a type at its first use, and that is not safe in several threads at once.
    """
    whole = {"format": FORMAT, "title": "-", "device": {"name": "-"}}
    case = case_from(whole)
    msgspec.json.decode(msgspec.json.encode(case))
    for kind in (*get_args(Stage), Stage, Source, Connector, CellBay, Device, Mode, Segment):
        with suppress(msgspec.ValidationError):
            msgspec.convert({}, kind)


def whole_numbers(part: Any) -> Any:
    """The same tree with counts written as 5.0 turned into 5, which JSON does not tell apart."""
    if isinstance(part, list):
        return [whole_numbers(one) for one in part]
    if isinstance(part, dict):
        return {
            name: int(value)
            if name in WHOLE_NUMBERS and isinstance(value, float) and value.is_integer()
            else whole_numbers(value)
            for name, value in part.items()
        }
    return part


def finished(case: Case) -> Case:
    """Return `case` if nothing is open in it; otherwise raise `CaseError` for the first gap."""
    for question in questions(case):
        raise CaseError(question.place, f"missing ({question.ask})")
    return case


def tree_of(case: Case) -> dict[str, Any]:
    """The case as plain dicts, lists and numbers, as stored and exchanged; `path` is always there."""
    tree: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(case))
    tree.setdefault("path", [])
    return tree


def write_case(case: Case) -> str:
    """The case as indented JSON text with a final newline."""
    return json.dumps(tree_of(case), ensure_ascii=False, indent=1) + "\n"


def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the case document, with the range of every quantity."""
    made: dict[str, Any] = msgspec.json.schema(Case)
    made["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    made["title"] = FORMAT
    for part in made["$defs"].values():
        for name, place in part.get("properties", {}).items():
            field = FIELDS.get(name)
            if field is None:
                continue
            place["description"] = f"{field.term}{f', {field.unit}' if field.unit else ''}"
            for branch in place.get("anyOf", [place]):
                if branch.get("type") in ("number", "integer"):
                    branch["exclusiveMinimum" if field.above else "minimum"] = field.low
                    branch["maximum"] = field.high
    return made


def of_format(tree: object, wanted: Format) -> dict[str, Any]:
    """The tree of a document, brought to the present version. Raises `CaseError`."""
    if not isinstance(tree, dict):
        raise CaseError("format", f"must be {wanted.current!r}")
    try:
        return wanted.upgraded(tree)
    except WrongFormat as error:
        raise CaseError("format", str(error)) from None


def refusal(message: str, root: str) -> CaseError:
    """A validation message of a part that is not a whole case, placed under `root`."""
    error = _explained(message)
    return CaseError((root or error.place) if error.place == "case" else f"{root}.{error.place}".lstrip("."), error.why)


def _explained(message: str) -> CaseError:
    place, why = "case", message
    if match := _PLACE.match(message):
        place, why = match["place"].lstrip("."), match["why"]
    else:
        place = ""
    if match := _UNKNOWN.match(why) or _MISSING.match(why):
        name = match["name"]
        why = "unknown field" if "unknown" in why else "missing"
        return CaseError(f"{place}.{name}".lstrip("."), why)
    own = _OWN_FIELD.match(why)
    if own and (own["name"] in FIELDS or "." in own["name"] or own["name"] in _NAMED):
        place, why = f"{place}.{own['name']}".lstrip("."), own["why"]
    return CaseError(place or "case", why.replace("`", "").replace("float | object", "number"))
