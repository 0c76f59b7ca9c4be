"""What differs between two cases, field by field, in words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import tree_of
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import figure


class Change(msgspec.Struct, frozen=True):
    """A place of the document with what stood there and what stands there now (empty where nothing)."""

    place: str
    term: str
    was: str
    now: str


def difference(old: Case, new: Case) -> tuple[Change, ...]:
    """Every place at which two cases differ, in the order of the document."""
    return tuple(_walk(tree_of(old), tree_of(new), "", ""))


def _walk(old: Any, new: Any, place: str, name: str) -> Iterator[Change]:
    if old == new:
        return
    if _is_number(old) and _is_number(new):
        yield Change(place, _term(name), _words(old, name), _words(new, name))
    elif isinstance(old, dict) and isinstance(new, dict) and not _swapped(old, new):
        for key in [*old, *(key for key in new if key not in old)]:
            yield from _walk(old.get(key), new.get(key), f"{place}.{key}".lstrip("."), key)
    elif (
        isinstance(old, list)
        and isinstance(new, list)
        and old
        and new
        and isinstance(old[0], dict)
        and isinstance(new[0], dict)
    ):
        for i in range(max(len(old), len(new))):
            before, after = (part[i] if i < len(part) else None for part in (old, new))
            yield from _walk(before, after, f"{place}[{i}]", name)
    else:
        yield Change(place, _term(name), _words(old, name), _words(new, name))


def _swapped(old: dict[str, Any], new: dict[str, Any]) -> bool:
    """Another kind of stage in the same place: told as a whole."""
    return old.get("stage") != new.get("stage")


def _is_number(part: Any) -> bool:
    return isinstance(part, int | float) or (isinstance(part, dict) and "value" in part)


def _term(name: str) -> str:
    return FIELDS[name].term if name in FIELDS else name.replace("_", " ")


def _words(part: Any, name: str) -> str:
    if part is None:
        return ""
    if isinstance(part, dict) and "value" in part:
        known = part.get("known_by", "typical")
        return f"{_words(part['value'], name)} ({known})"
    if isinstance(part, bool):
        return "yes" if part else "no"
    if isinstance(part, int | float):
        return figure(float(part), FIELDS[name].unit, 4) if name in FIELDS else f"{part:g}"
    if isinstance(part, dict):
        return str(part.get("stage") or part.get("name") or part.get("kind") or part.get("from") or ", ".join(part))
    if isinstance(part, list):
        return ", ".join(_words(one, "") for one in part[:6]) + (" …" if len(part) > 6 else "")
    return str(part)
