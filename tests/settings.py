"""Settings for the tests: a throw-away data folder, plain static files, no demonstration data."""

import atexit
import gc
import os
import shutil
import tempfile
from pathlib import Path

MEMORY = Path("/dev/shm")  # where there is one, the throw-away database lies in memory
os.environ["HERMOTROPE_DATA"] = tempfile.mkdtemp(prefix="hermotrope-test-", dir=MEMORY if MEMORY.is_dir() else None)
atexit.register(shutil.rmtree, os.environ["HERMOTROPE_DATA"], ignore_errors=True)

from hermotrope.settings import *  # noqa: E402, F403  # the folder must be known before they are read

gc.set_threshold(*COLLECT_AFTER)  # noqa: F405

STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.InMemoryStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
# a file, as in life: what logs a run in the background has a connection of its own
DATABASES["default"]["TEST"] = {"NAME": str(Path(os.environ["HERMOTROPE_DATA"]) / "test.sqlite3")}  # noqa: F405
WHITENOISE_AUTOREFRESH = True
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
