from django.apps import AppConfig


class LogbookConfig(AppConfig):
    name = "hermotrope.logbook"
    default_auto_field = "django.db.models.BigAutoField"
