"""The WSGI application that `serving` serves."""

import gc
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "fendo_server.settings")
application = get_wsgi_application()

# What is loaded by now stays for good: looking through it for garbage took every second answer of a long production 100 ms.
gc.collect()
gc.freeze()
gc.set_threshold(50_000, 20, 100)
