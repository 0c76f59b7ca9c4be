from django.apps import AppConfig


class ShelfConfig(AppConfig):
    name = "hermotrope.shelf"
    label = "shelf"
