"""The ASGI application: the streams, which last, and all else, which is answered by a few threads that stay.

A thread that stays keeps its connection to the database; one a request would open it anew every time, which takes
longer than most requests.
"""

import os
from typing import Any, cast

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "highmoor.server.settings")

from a2wsgi import WSGIMiddleware
from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application

from highmoor.server.gate import App, Gate

_THREADS = 12
_STREAM = "/api/stream"

_streams = cast(App, get_asgi_application())
_answers = cast(App, WSGIMiddleware(cast(Any, get_wsgi_application()), workers=_THREADS))


async def _either(scope: Any, receive: Any, send: Any) -> None:
    app = _streams if scope["type"] != "http" or scope["path"] == _STREAM else _answers
    await app(scope, receive, send)


application = Gate(cast(App, _either))
