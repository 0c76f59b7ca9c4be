from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "hermotrope.bench"
    label = "bench"
