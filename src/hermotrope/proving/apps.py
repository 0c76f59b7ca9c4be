from importlib import import_module

from django.apps import AppConfig


class ProvingConfig(AppConfig):
    name = "hermotrope.proving"
    label = "proving"

    def ready(self) -> None:
        """Listen to changes of the plan, and join the bench."""
        import_module("hermotrope.proving.receivers")
        import_module("hermotrope.proving.joins").join()
