"""What every part of a case is made of: checked values, and numbers that say how they are known."""

from __future__ import annotations

import itertools
from typing import Any, ClassVar, Literal

import msgspec

from hermotrope_core.values.fields import FIELDS

LONGEST_TEXT = 300
MOST_ROWS = 500

KnownBy = Literal["measured", "datasheet", "label", "typical", "guess"]


class Value(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, kw_only=True, gc=False):
    """Base of every part of a case: checks each of its quantities against `FIELDS`."""

    LIMITS: ClassVar[dict[str, str]] = {}
    """Names that are checked under another entry of `FIELDS`."""

    def __post_init__(self) -> None:
        for name in self.__struct_fields__:
            field = FIELDS.get(name)
            value = getattr(self, name)
            if isinstance(value, str) and len(value) > LONGEST_TEXT:
                raise ValueError(f"{name} is longer than {LONGEST_TEXT} characters")
            if isinstance(value, tuple) and len(value) > MOST_ROWS:
                raise ValueError(f"{name} has more than {MOST_ROWS} entries")
            if field is None or value is None:
                continue
            if isinstance(value, Known):
                value = value.value
            if isinstance(value, int | float) and (problem := field.problem(value)):
                raise ValueError(f"{name} {problem}")

    def __reduce__(self) -> tuple[Any, ...]:
        """Pickled as the document writes it: what was left out stays left out (a pickled default is a value)."""
        return _unpickled, (type(self), msgspec.msgpack.encode(self))


def _unpickled(kind: type[Value], written: bytes) -> Value:
    return msgspec.msgpack.decode(written, type=kind)


class Known(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, kw_only=True, gc=False):
    """A number with how it is known; `spread` replaces the usual half-width of its 90 % interval."""

    value: float
    known_by: KnownBy = "typical"
    spread: float | None = None
    note: str | None = None

    def __post_init__(self) -> None:
        if self.note is not None and len(self.note) > LONGEST_TEXT:
            raise ValueError(f"note is longer than {LONGEST_TEXT} characters")
        if self.spread is not None and (problem := FIELDS["spread"].problem(self.spread)):
            raise ValueError(f"spread {problem}")


Number = float | Known
Table = tuple[tuple[float, float], ...]


def number(x: Number) -> float:
    """Return the plain value of a bare or qualified number."""
    return x if type(x) is float else x.value if isinstance(x, Known) else x


def maybe(x: Number | None) -> float | None:
    """Return the plain value, or None where nothing is given."""
    return x if x is None or type(x) is float else number(x)


def check_table(name: str, table: Table, low: float, high: float) -> None:
    """Raise ValueError unless the first column ascends and the second stays between `low` and `high`."""
    if not table:
        raise ValueError(f"{name} needs at least one row")
    for (x0, _), (x1, _) in itertools.pairwise(table):
        if not x1 > x0:
            raise ValueError(f"{name} must ascend in its first column ({x0:g} is followed by {x1:g})")
    for _, y in table:
        if not low <= y <= high:
            raise ValueError(f"{name} holds {y:g}, outside {low:g} to {high:g}")
