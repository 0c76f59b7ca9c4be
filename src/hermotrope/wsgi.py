"""The WSGI application that waitress serves."""

import os

from django.core.wsgi import get_wsgi_application

from hermotrope_core.tell.record import warm

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "hermotrope.settings")
warm()
application = get_wsgi_application()
