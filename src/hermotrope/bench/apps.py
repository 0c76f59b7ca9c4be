from importlib import import_module

from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "hermotrope.bench"
    label = "bench"

    def ready(self) -> None:
        """Tell the shelf which devices there are."""
        import_module("hermotrope.bench.devices").join()
