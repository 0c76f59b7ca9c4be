"""A model field that holds a whole, validated case."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import models

from hermotrope.kept import Kept
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import CaseError, case_from, tree_of


class UnreadableCase(Exception):
    """A stored case that this version cannot read was used as one; the message says why."""


class Unreadable:
    """A stored case that cannot be read: its tree and the reason. Any use of it as a case raises `UnreadableCase`."""

    def __init__(self, tree: Any, why: str) -> None:
        self.tree, self.why = tree, why

    def __getattr__(self, name: str) -> Any:
        raise UnreadableCase(self.why)


LONGEST_KEPT = 20_000
"""Cases of a longer text are not kept as they were read."""
_kept: Kept[str, Case] = Kept(256)


class CaseField(models.JSONField):
    """Stores a `Case` as its JSON document; what is read back has been validated again."""

    description = "A hermotrope-case document"

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Case | None:
        if isinstance(value, str) and (kept := _kept.get(value)) is not None:
            return kept
        tree = super().from_db_value(value, expression, connection)
        if tree is None:
            return None
        try:
            case = case_from(tree)
        except CaseError as error:
            return Unreadable(tree, str(error))  # type: ignore[return-value]  # raises as soon as it is used as a case
        return _kept.put(value, case) if isinstance(value, str) and len(value) <= LONGEST_KEPT else case

    def get_prep_value(self, value: Any) -> Any:
        if isinstance(value, Unreadable):
            return super().get_prep_value(value.tree)
        return super().get_prep_value(tree_of(value) if isinstance(value, Case) else value)

    def to_python(self, value: Any) -> Case | None:
        if value is None or isinstance(value, Case | Unreadable):
            return value  # type: ignore[return-value]
        try:
            return case_from(value)
        except CaseError as error:
            raise ValidationError(str(error)) from None

    def value_to_string(self, obj: models.Model) -> Any:
        return tree_of(self.value_from_object(obj))

    def validate(self, value: Any, model_instance: models.Model | None) -> None:
        self.to_python(value)
