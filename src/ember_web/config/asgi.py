"""What the server calls: pages on a few threads of each lane, streams on the event loop.

A page is plain, synchronous code from end to end, so it runs on one of its lane's threads, each
with a database connection that it keeps; the others wait their turn. A stream has no thread and keeps
no connection. The solver is loaded beside the first requests: a mark needs none.
"""

import os
import sys
import threading

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "ember_web.config.settings")

from typing import Any

from a2wsgi import WSGIMiddleware
from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application

from ember_core.planning.warm_up import compile_all
from ember_web.config.doors import Doors
from ember_web.config.senders import senders
from ember_web.line.workers import workers
from ember_web.plans.printing import press

# learning computes on a thread of its own: a page that the database has answered does not wait long for its turn
sys.setswitchinterval(0.001)
pages: Any = get_wsgi_application()  # what it returns is an iterable of bytes, which its types do not say
application = Doors(lambda threads: WSGIMiddleware(pages, workers=threads), get_asgi_application(), senders.of)


def later(seconds: float, function: Any) -> None:
    """Do something beside the requests, after those who wait for a server that comes back have been let in."""
    timer = threading.Timer(seconds, function)
    timer.daemon = True
    timer.start()


later(1.0, compile_all)
later(2.0, workers.start)
later(30.0, press.start)
