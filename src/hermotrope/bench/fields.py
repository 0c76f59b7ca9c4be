"""A model field that holds a whole, validated case."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError
from django.db import models

from hermotrope_core.case import Case
from hermotrope_core.document import CaseError, case_from, tree_of


class CaseField(models.JSONField):
    """Stores a `Case` as its JSON document; what is read back has been validated again."""

    description = "A hermotrope-case document"

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Case | None:
        tree = super().from_db_value(value, expression, connection)
        return None if tree is None else case_from(tree)

    def get_prep_value(self, value: Any) -> Any:
        return super().get_prep_value(tree_of(value) if isinstance(value, Case) else value)

    def to_python(self, value: Any) -> Case | None:
        if value is None or isinstance(value, Case):
            return value
        try:
            return case_from(value)
        except CaseError as error:
            raise ValidationError(str(error)) from None

    def value_to_string(self, obj: models.Model) -> Any:
        return tree_of(self.value_from_object(obj))

    def validate(self, value: Any, model_instance: models.Model | None) -> None:
        self.to_python(value)
