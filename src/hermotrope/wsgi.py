"""The WSGI application that waitress serves."""

import gc
import os

from django.core.wsgi import get_wsgi_application

from hermotrope_core.tell.record import warm

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "hermotrope.settings")
warm()
application = get_wsgi_application()
# a page makes many small things that die with it: looking for rings among them seldom finds any and takes a twentieth
gc.freeze()
gc.set_threshold(50_000, 20, 20)
