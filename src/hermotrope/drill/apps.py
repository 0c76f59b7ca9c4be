from django.apps import AppConfig


class DrillConfig(AppConfig):
    name = "hermotrope.drill"
    default_auto_field = "django.db.models.BigAutoField"
