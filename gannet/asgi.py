"""One server for both kinds of traffic, behind the edge.

Live streams are held by the event loop, where 200 idle ones cost next to nothing. All
else goes to Django as WSGI in a pool of kept threads: each keeps its database
connection, which an ASGI request would open anew.
"""

import os
from typing import Any, cast

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "gannet.settings.production")

import django
from a2wsgi import WSGIMiddleware

django.setup()  # a process that was begun by a server of several knows nothing yet

from gannet.edge.edge import Edge  # noqa: E402
from gannet.live.stream import PATH, LiveStreams  # noqa: E402
from gannet.wsgi import application as django_application  # noqa: E402

THREADS = 8

application = Edge(
    LiveStreams(WSGIMiddleware(cast(Any, django_application), workers=THREADS)), streams=(PATH,)
)
