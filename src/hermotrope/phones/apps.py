from django.apps import AppConfig


class PhonesConfig(AppConfig):
    name = "hermotrope.phones"
    default_auto_field = "django.db.models.BigAutoField"
