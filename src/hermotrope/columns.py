"""A step of a migration: columns of many kilobytes stand last in their table.

SQLite keeps a row in one piece. To read the column behind a log of six megabytes it walks all its pages, so a list of
two thousand logs took seconds for their dates alone.
"""

from __future__ import annotations

from django.db.backends.base.schema import BaseDatabaseSchemaEditor
from django.db.migrations.operations.base import Operation
from django.db.migrations.state import ProjectState


class HeavyLast(Operation):
    """Put the named fields of a model behind all others, in the order given."""

    reduces_to_sql = False
    reversible = True

    def __init__(self, model_name: str, heavy: tuple[str, ...]) -> None:
        self.model_name, self.heavy = model_name, heavy

    def state_forwards(self, app_label: str, state: ProjectState) -> None:
        model = state.models[app_label, self.model_name.lower()]
        model.fields.update({name: model.fields.pop(name) for name in self.heavy})
        state.reload_model(app_label, self.model_name.lower())

    def database_forwards(
        self, app_label: str, schema_editor: BaseDatabaseSchemaEditor, from_state: ProjectState, to_state: ProjectState
    ) -> None:
        schema_editor._remake_table(to_state.apps.get_model(app_label, self.model_name))  # type: ignore[attr-defined]  # SQLite's

    def database_backwards(
        self, app_label: str, schema_editor: BaseDatabaseSchemaEditor, from_state: ProjectState, to_state: ProjectState
    ) -> None:
        """Their place changes nothing that an older version would notice."""

    def describe(self) -> str:
        return f"Put {', '.join(self.heavy)} of {self.model_name} last"
