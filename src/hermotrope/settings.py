"""Settings of a bench on one person's own machine: loopback only, one owner, no login."""

from __future__ import annotations

import logging
import os
import secrets
from pathlib import Path
from urllib.parse import urlsplit
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

PACKAGE = Path(__file__).resolve().parent


def data_folder() -> Path:
    """Where the bench is kept: HERMOTROPE_DATA, else the user's data folder. Made if missing."""
    given = os.environ.get("HERMOTROPE_DATA")
    base = os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share"
    folder = Path(given) if given else Path(base) / "hermotrope"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


SHORTEST_KEY = 50


def secret_key(folder: Path) -> str:
    """The installation's own key, made on first use and readable by its owner only.

    One that was cut short, as on a full disk, is none: with an empty key anybody could sign. It is made anew.
    """
    file = folder / "secret-key"
    key = file.read_text(errors="replace").strip() if file.exists() else ""
    if len(key) < SHORTEST_KEY:
        key, made = secrets.token_urlsafe(50), folder / f"secret-key.{os.getpid()}"
        made.touch(mode=0o600)
        made.write_text(key)
        made.replace(file)
    return key


def local_zone() -> str:
    """The zone of this machine, by its usual name: TZ if that names one, else the system's; UTC where neither does."""
    link = Path("/etc/localtime")
    system = str(link.resolve()).rpartition("zoneinfo/")[2] if link.is_symlink() else ""
    for name in (os.environ.get("TZ", "").lstrip(":"), system):
        try:
            if name and not Path(name).is_absolute():
                return ZoneInfo(name).key
        except (ZoneInfoNotFoundError, ValueError, OSError):
            continue
    return "UTC"


DATA = data_folder()
SECRET_KEY = secret_key(DATA)
DEBUG = os.environ.get("HERMOTROPE_DEBUG") == "1"
LAN_URL = os.environ.get("HERMOTROPE_LAN", "")
"""Where phones find this bench; nothing while it listens to this machine alone."""
LAN_FINGERPRINT = os.environ.get("HERMOTROPE_LAN_FINGERPRINT", "")
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *filter(None, [urlsplit(LAN_URL).hostname])]
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
ROOT_URLCONF = "hermotrope.urls"
WSGI_APPLICATION = "hermotrope.wsgi.application"
USE_TZ = True
TIME_ZONE = local_zone()
LANGUAGE_CODE = "en-gb"
USE_I18N = False

INSTALLED_APPS = [
    "django.contrib.staticfiles",
    "django_htmx",
    "hermotrope.phones",
    "hermotrope.bench",
    "hermotrope.shelf",
    "hermotrope.proving",
    "hermotrope.outing",
    "hermotrope.making",
    "hermotrope.logbook",
    "hermotrope.drill",
]
MIDDLEWARE = [
    "hermotrope.guard.known_methods",
    "hermotrope.guard.cross_site",
    "hermotrope.phones.door.Door",
    "hermotrope.guard.up_from_a_press",
    "hermotrope.guard.Bounds",
    "hermotrope.guard.Kept",
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "hermotrope.guard.seen_texts",
    "hermotrope.entry.asked.page_or_part",
    "hermotrope.entry.liked.as_liked",
    "hermotrope.bench.unreadable.UnreadableMiddleware",
]
COLLECT_AFTER = (50_000, 20, 20)
"""A page makes many small things that die with it: looking for rings among them seldom finds any."""
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [PACKAGE / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "hermotrope.entry.asked.token_sent",
            ],
            "builtins": ["django.templatetags.static", "hermotrope.entry.liked"],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "bench.sqlite3",
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON;",
        },
    }
}

STATIC_URL = "static/"
STATICFILES_DIRS = [PACKAGE / "static"]
STATIC_ROOT = DATA / "static"
COLLECTED = os.environ.get("HERMOTROPE_COLLECTED") == "1"
"""Whether the static files are collected, bundled and named by their content, as they are while it is served."""
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {
        "BACKEND": "hermotrope.bundles.BundledStorage"
        if COLLECTED
        else "django.contrib.staticfiles.storage.StaticFilesStorage",
        "OPTIONS": {"file_permissions_mode": 0o600, "directory_permissions_mode": 0o700},
    },
}
WHITENOISE_USE_FINDERS = not COLLECTED
WHITENOISE_AUTOREFRESH = DEBUG
WHITENOISE_ALLOW_ALL_ORIGINS = False

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": ["'self'"],
        "style-src": ["'self'"],
        "img-src": ["'self'", "data:"],
        "font-src": ["'self'"],
        "connect-src": ["'self'"],
        "form-action": ["'self'"],
        "frame-ancestors": ["'none'"],
        "base-uri": ["'none'"],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
CSRF_FAILURE_VIEW = "hermotrope.bench.views.errors.forbidden"
CSRF_COOKIE_SAMESITE = "Strict"
CSRF_COOKIE_NAME = f"hermotrope-{os.environ.get('HERMOTROPE_PORT', 'token')}"
"""Our own and with the port: cookies of one machine are shared by all that it serves."""
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_500_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 2_500_000


def _in_a_line(record: logging.LogRecord) -> bool:
    """What was refused is told in one line: whoever sends it could fill the log with traces."""
    record.exc_info = None
    return True


LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"in-a-line": {"()": "django.utils.log.CallbackFilter", "callback": _in_a_line}},
    "handlers": {
        "console": {"class": "logging.StreamHandler"},
        "refused": {"class": "logging.StreamHandler", "filters": ["in-a-line"]},
    },
    "loggers": {
        "waitress.queue": {"level": "ERROR"},
        "django.request": {"handlers": ["console"], "level": "ERROR"},
        "django.security": {"handlers": ["refused"], "level": "WARNING", "propagate": False},
    },
}
