from importlib import import_module

from django.apps import AppConfig


class MakingConfig(AppConfig):
    name = "hermotrope.making"
    label = "making"

    def ready(self) -> None:
        """Join the bench."""
        import_module("hermotrope.making.joins").join()
