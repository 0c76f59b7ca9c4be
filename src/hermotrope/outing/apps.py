from django.apps import AppConfig


class OutingConfig(AppConfig):
    name = "hermotrope.outing"
