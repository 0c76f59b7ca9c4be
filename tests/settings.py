"""Settings for the tests: a throw-away data folder, plain static files, no demonstration data."""

import os
import tempfile

os.environ["HERMOTROPE_DATA"] = tempfile.mkdtemp(prefix="hermotrope-test-")

from hermotrope.settings import *  # noqa: F403  # the folder must be known before they are read

STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.InMemoryStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
# a file, as in life: what logs a run in the background has a connection of its own
DATABASES["default"]["TEST"] = {"NAME": os.path.join(os.environ["HERMOTROPE_DATA"], "test.sqlite3")}  # noqa: F405, PTH118
WHITENOISE_AUTOREFRESH = True
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
