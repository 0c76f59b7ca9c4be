from django.apps import AppConfig


class ProvingConfig(AppConfig):
    name = "hermotrope.proving"
    label = "proving"
