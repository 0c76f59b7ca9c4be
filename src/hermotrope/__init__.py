"""The Django project: pages, storage, files in and out. All arithmetic is in hermotrope_core."""
