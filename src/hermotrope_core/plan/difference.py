"""What differs between two cases, figure by figure, in words."""

from __future__ import annotations

from collections.abc import Iterator
from difflib import SequenceMatcher
from itertools import zip_longest
from typing import Any

import msgspec

from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import tree_of
from hermotrope_core.values.fields import FIELDS, TABLES
from hermotrope_core.values.quantity import show

WORDS = {"source": "pack", "plan_on": "planned on", "path": "", "repeat": "", "modes": "", "choices": ""}
"""What parts of the document are called; the others by their own names, "" by none."""
ITEMS = {"path": "stage", "modes": "mode", "repeat": "duty", "choices": "choice"}
"""What an item of a list is called."""
NAMED_BY = ("stage", "name", "mode", "code", "from")
"""By what items of a list are told apart."""
USUAL = {one.name: one.default for one in msgspec.structs.fields(Case) if isinstance(one.default, str)}
"""What holds where a document does not say it."""
MOST_MOVED = 60
"""Of longer lists each item is held against the one of the same number."""


class Change(msgspec.Struct, frozen=True):
    """Something that is not as it was: its place in the document, where and what that is in words, then and now.

    What stood nowhere then, or stands nowhere now, is empty there.
    """

    place: str
    where: str
    term: str
    was: str
    now: str


class _At(msgspec.Struct, frozen=True):
    """Where two trees are compared: the place in the document, its last name, what it stands in and is in words."""

    place: str = ""
    name: str = ""
    above: str = ""
    words: str = ""
    terms: dict[str, str] = {}
    """What parts of the document are called that have no term among the fields, by their names or `list.name`."""

    @property
    def whole(self) -> str:
        return ", ".join(filter(None, [self.above, self.words]))

    def down(self, key: str) -> _At:
        return _At(f"{self.place}.{key}".lstrip("."), key, self.whole, self.called(key), self.terms)

    def called(self, key: str) -> str:
        """What a part of this is called."""
        if key in FIELDS:
            return FIELDS[key].term
        return self.terms.get(f"{self.name}.{key}") or self.terms.get(key, key.replace("_", " "))

    def item(self, index: int, named: str) -> _At:
        """An item of this list, by its number and name."""
        words = f"{ITEMS.get(self.name, self.name.replace('_', ' '))} {index + 1} {named}".strip()
        above = "" if self.name in ITEMS else self.above
        return _At(f"{self.place}[{index}]", self.name, above, words, self.terms)


def difference(old: Case, new: Case, terms: dict[str, str] | None = None) -> tuple[Change, ...]:
    """Every figure in which two cases differ, in the order of the document; what was put in moves nothing else.

    `terms` say what parts are called that are no quantities, by their names or, where that says more, `list.name`.
    """
    return tuple(_walk(tree_of(old), tree_of(new), _At(terms=WORDS | (terms or {}))))


PASSED_OVER = ("title", "choices", "evidence", "note")
"""What two plans are not compared by."""


def apart(one: Case, other: Case, terms: dict[str, str] | None = None) -> tuple[Change, ...]:
    """Every figure in which two plans differ, however each is known; `terms` as above."""
    return tuple(_walk(_bare(tree_of(one)), _bare(tree_of(other)), _At(terms=WORDS | (terms or {}))))


def _bare(tree: Any) -> Any:
    """The figures alone."""
    if isinstance(tree, list):
        return [_bare(one) for one in tree]
    if not isinstance(tree, dict):
        return tree
    return tree["value"] if _figured(tree) else {k: _bare(v) for k, v in tree.items() if k not in PASSED_OVER}


def _walk(old: Any, new: Any, at: _At) -> Iterator[Change]:
    if old == new:
        return
    if _holds(old) and _holds(new) and not _swapped(old, new):
        for key in [*old, *(key for key in new if key not in old)]:
            yield from _walk(old.get(key), new.get(key), at.down(key))
    elif _items(old or new) and _items(new or old):
        for index, was, now in _paired(old or [], new or []):
            both = was and now and _sort(was) == _sort(now)
            yield from _walk(was, now, at.item(index, _sort(now) if both else ""))
    else:
        was, now = _words(old, at), _words(new, at)
        if was == now:
            was, now = _in_full(old, was), _in_full(new, now)
        yield Change(at.place, at.above, at.words, was, now)


def _holds(part: Any) -> bool:
    """Whether it is made of named parts, each to be compared by itself."""
    return isinstance(part, dict) and not _figured(part)


def _figured(part: Any) -> bool:
    """Whether it is a figure with how it is known: one thing."""
    return isinstance(part, dict) and "value" in part


def _items(part: Any) -> bool:
    return isinstance(part, list) and bool(part) and isinstance(part[0], dict)


def _sort(part: dict[str, Any]) -> str:
    return next((str(part[key]) for key in NAMED_BY if part.get(key)), "")


def _paired(old: list[Any], new: list[Any]) -> Iterator[tuple[int, Any, Any]]:
    """Items that stand for the same then and now, None where there is none, with the number that it has or had."""
    kinds = [_sort(one) for one in old], [_sort(one) for one in new]
    if len(old) + len(new) > 2 * MOST_MOVED:
        kinds = [""] * len(old), [""] * len(new)
    for _, i0, i1, j0, j1 in SequenceMatcher(None, *kinds, autojunk=False).get_opcodes():
        for k, (was, now) in enumerate(zip_longest(old[i0:i1], new[j0:j1])):
            yield (i0 if now is None else j0) + k, was, now


def _swapped(old: dict[str, Any], new: dict[str, Any]) -> bool:
    """Another kind of stage in the same place: told as a whole."""
    return old.get("stage") != new.get("stage")


def _words(part: Any, at: _At) -> str:
    if part is None:
        return USUAL.get(at.name, "")
    if _figured(part):
        return f"{_words(part['value'], at)} ({part.get('known_by', 'typical')})"
    if isinstance(part, bool):
        return "yes" if part else "no"
    if isinstance(part, int | float):
        return show(float(part), FIELDS[at.name].unit if at.name in FIELDS else "").replace("-", "−")
    if isinstance(part, dict):
        parts = (f"{at.called(key)} {_words(one, at.down(key))}" for key, one in part.items())
        return _sort(part) or str(part.get("kind") or ", ".join(parts))
    if isinstance(part, list):
        return _listed(part[:6], at.name) + (" …" if len(part) > 6 else "")
    return str(part)


def _listed(part: list[Any], name: str) -> str:
    """A table with both units, contacts that belong together side by side, words one after the other."""
    if name in TABLES:
        x_unit, y_unit = TABLES[name]
        return "; ".join(f"{show(x, x_unit)}: {show(y, y_unit)}" for x, y in part)
    return ", ".join(" ".join(map(str, one)) if isinstance(one, list) else _words(one, _At()) for one in part)


def _in_full(part: Any, words: str) -> str:
    """With what else is said of a figure, where the figure itself is the same."""
    said = [f"{key} {one}" for key, one in part.items() if key not in ("value", "known_by")] if _figured(part) else []
    return ", ".join([words, *said])
