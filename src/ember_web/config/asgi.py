"""ASGI entry point: the kernels are loaded before the first request is taken."""

import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "ember_web.config.settings")

from django.core.asgi import get_asgi_application

from ember_core.warm import warm

warm()
application = get_asgi_application()
