"""The WSGI application that waitress serves."""

import gc
import os

from django.conf import settings
from django.core.wsgi import get_wsgi_application

from hermotrope.guard import in_utf8
from hermotrope_core.tell.record import warm

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "hermotrope.settings")
warm()
application = in_utf8(get_wsgi_application())
gc.freeze()
gc.set_threshold(*settings.COLLECT_AFTER)
