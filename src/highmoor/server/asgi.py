"""The ASGI application."""

import os
from typing import cast

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "highmoor.server.settings")

from django.core.asgi import get_asgi_application

from highmoor.server.gate import App, Gate

application = Gate(cast(App, get_asgi_application()))
